"""What every encoder says of itself: a file each in this room, found by its name."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from chronocast.model.recipe.recipe import PictureRecipe
from chronocast.model.time.timing import Rate


@dataclass(frozen=True)
class Asked:
    """What an encoder is asked for: a recipe's picture at a rate, with so many threads.

    ``quality`` is the common quality that was found for an output in two
    passes; ``fullness`` how full a receiver's buffer it begins with, as a share;
    ``set_number`` what its parameter sets are called by, where that matters.
    """

    picture: PictureRecipe
    rate: Rate
    threads: int = 1
    quality: float | None = None
    fullness: float = 0.7
    set_number: int | None = None


@dataclass(frozen=True)
class Told:
    """Options for an encoder, and a rate in bit/s where it wants one."""

    options: dict[str, str]
    bits_per_second: int | None = None


def plain(asked: Asked) -> Told:
    """Nothing is said: the encoder has no choices."""
    return Told({})


@dataclass(frozen=True)
class OnDevice:
    """What an encoder claims of the device it runs on; each claim is tried before it is believed.

    Parameters
    ----------
    family
        The kind of device.
    codec
        Our word for what it writes.
    formats
        Pixel formats, the usual one first.
    largest
        Width and height of the largest frame.
    sessions
        How many encodes at once; 0 where the device is asked by trying.
    program
        Words of the program that does it, where it lives outside the libraries: raw pictures go in at its standard
        input, and it writes a file.  Told the pixel format, the size, frames a second, options, the rate in bit/s
        (0 for none), and the file.
    stand_in
        Whether it only stands in for a device.
    """

    family: str
    codec: str
    formats: tuple[str, ...]
    largest: tuple[int, int] = (4096, 4096)
    sessions: int = 0
    program: Callable[[OutsideAsk], list[str]] | None = None
    stand_in: bool = False


@dataclass(frozen=True)
class OutsideAsk:
    """What a program outside the libraries is asked to encode, and the file it is to write."""

    pixel_format: str
    width: int
    height: int
    rate: Rate
    options: Mapping[str, str]
    bits_per_second: int
    key_frame_frames: int
    colour: tuple[int, int, int, int]
    target: str


@dataclass(frozen=True)
class Encoder:
    """An encoder of the libraries.

    ``name`` is theirs, ``told`` says how it is told what is asked.  ``work`` is
    its time against x264 at medium effort, by effort where efforts differ, the
    conversion to its own pixel format included (measured 2026-11 on 50 pictures
    of 1280×720 with moving texture and grain, one thread).  ``larger``: its
    bytes against its format's other encoder at the same grade or quality.  ``library`` is
    where it lives, if not in avcodec.  ``light`` are its words for HDR10's
    mastering display and light levels, after the option they stand in.
    ``proved``: its pictures come out as they went in.  ``tags_frames``: it
    takes what it tags a frame with from the frame.  ``on`` is the device it runs on, where
    that isn't the processor.  ``threads`` is how many it has of its own where the frame isn't a
    large one: more than one where its bits are the same each time all the same, so that the last pieces of a run use
    slots that nothing else needs (while all are in use it costs nothing, measured with pairs of two).
    """

    name: str
    told: Callable[[Asked], Told] = plain
    work: float | Mapping[str, float] = 1.0
    larger: float = 1.0
    library: str = ""
    light: tuple[str, str, str] | None = None
    alpha: bool = True
    proved: bool = False
    tags_frames: bool = False
    on: OnDevice | None = None
    threads: int = 1

    def effort(self, effort: str) -> float:
        """Its time at an effort against x264 at medium effort."""
        return self.work if isinstance(self.work, float) else self.work.get(effort, 1.0)


def buffered(picture: PictureRecipe) -> dict[str, str]:
    """A peak and its buffer, where the recipe keeps one."""
    if not picture.peak:
        return {}
    return {"maxrate": str(picture.peak), "bufsize": str(picture.buffer)}


def rated_or_crf(asked: Asked) -> Told:
    """Rate control as x264 and x265 take it: a rate, or a constant rate factor."""
    picture, control = asked.picture, asked.picture.rate_control
    options = buffered(picture)
    if picture.steering.searched:
        usual = picture.kind.quality.usual if picture.kind.quality else 20.0
        return Told(options | {"crf": f"{usual if asked.quality is None else asked.quality:.4f}"})
    if not picture.steering.rated:
        return Told(options | {"crf": f"{control.quality:g}"})
    return Told(options, control.target_bits_per_second)


UNBOUND = 400_000_000
"""A rate in bit/s that never binds, for encoders whose quality is set by their least and greatest step."""


def steps(picture: PictureRecipe) -> dict[str, str]:
    """A quality as the one step that may be used."""
    step = str(max(1, round(picture.rate_control.quality)))
    return {"qmin": step, "qmax": step}
