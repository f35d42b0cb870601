"""Everything an encoder is told for one recipe, as a part of a piece's job."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Literal, NamedTuple

from chronocast.media.encoders.encoder import Asked
from chronocast.media.encoders.registry import ENCODERS
from chronocast.media.piece.here import encoder_of
from chronocast.model.lookup import Same
from chronocast.model.messages.jobs import EncoderSettings
from chronocast.model.picture.colour import Colour
from chronocast.model.recipe.formats.codec import Sampling
from chronocast.model.recipe.formats.codecs import PICTURE
from chronocast.model.recipe.recipe import PictureRecipe
from chronocast.model.time.timing import Rate

REPACKED = {"nv12": "yuv420p", "p010le": "yuv420p10le"}
"""Formats of devices that hold the same samples in another order, with what they are composed in."""
FULLNESS = 0.7
"""How full the receiver's buffer is where a piece begins, and has to be again where it ends."""
_FIRST: dict[str, Literal["", "top", "bottom"]] = {
    "progressive": "",
    "top first": "top",
    "bottom first": "bottom",
}


def encoder_settings(
    recipe: PictureRecipe,
    width: int,
    height: int,
    *,
    rate: Rate,
    colour: Colour,
    quality: float | None = None,
    rgb: bool = False,
    light: tuple[str, str] = ("", ""),
    fullness: float = FULLNESS,
    set_number: int | None = None,
) -> EncoderSettings:
    """Everything the encoder is told for one recipe at one frame size and rate.

    Threads are part of it, since they change the bits: 1 up to 1080p, 4 above.
    ``quality`` is the common quality that was found for an output in two passes; ``rgb`` says that the
    source is RGB; ``light`` are HDR10's mastering display and light levels.  ``fullness`` is how full a
    receiver's buffer the encoder begins with: the less, the less a piece may take.  Nothing of it stands
    in the parameter sets, so that pieces of any fullness and any quality fit together.

    Parameters
    ----------
    recipe
        What is asked of the picture.
    width, height
        Of the frame, in pixels.
    rate
        Frames a second.
    colour
        Code points the stream is tagged with.
    quality
        The common quality that was found for an output in two passes.
    rgb
        Whether pictures are composed and written in RGB.
    light
        HDR10's mastering display and light levels, as encoders take them.
    fullness
        How full a receiver's buffer the encoder begins with, 0 to 1.
    set_number
        What its parameter sets are called by, where others stand in the file beside them.

    Raises
    ------
    EncodeFailed
        No encoder for it is here.
    """
    asked = _AskedOf(
        Same(recipe),
        encoder_of(recipe),
        width,
        height,
        rate,
        colour,
        quality,
        rgb,
        light,
        fullness,
        set_number,
    )
    return _settings(asked)


class _AskedOf(NamedTuple):
    """What settings follow from."""

    recipe: Same[PictureRecipe]
    encoder: str
    width: int
    height: int
    rate: Rate
    colour: Colour
    quality: float | None
    rgb: bool
    light: tuple[str, str]
    fullness: float
    set_number: int | None


@lru_cache(maxsize=1024)
def _settings(asked: _AskedOf) -> EncoderSettings:
    """One value for thousands of outputs that are made alike."""
    of, name, width, height, rate, colour, quality, rgb, light, fullness, set_number = asked
    recipe = of.thing
    codec = recipe.kind
    sampling = sampling_of(recipe)
    working = sampling.working
    if rgb and sampling.chroma == "RGB":  # what is RGB already needs no way through another colour space
        working = f"gbr{'a' if sampling.alpha else ''}p{'' if sampling.depth == 8 else '16le'}"
        working = "" if working == sampling.pixel_format else working
        working = sampling.working if sampling.working.startswith("gbr") or not sampling.working else working
    encoder = ENCODERS[name]
    threads = encoder.threads if width * height <= 1920 * 1080 else max(4, encoder.threads)
    told = encoder.told(Asked(recipe, rate, threads, quality, fullness, set_number))
    options = told.options
    if encoder.light and any(light):
        key, *names = encoder.light
        said = [f"{name}={value}" for name, value in zip(names, light, strict=True) if value]
        options = {**options, key: ":".join([options[key], *said])}
    grade = codec.grade(recipe.grade)
    pixel_format = sampling.pixel_format
    if encoder.on is not None:
        pixel_format = next(
            (f for f in encoder.on.formats if REPACKED.get(f, f) == pixel_format), pixel_format
        )
    working = REPACKED.get(pixel_format, working)
    if recipe.working_depth is not None:
        working = deepened(working or pixel_format, recipe.working_depth)
        working = "" if working == pixel_format else working
    return EncoderSettings(
        encoder=encoder.name,
        options=options,
        bits_per_second=told.bits_per_second,
        threads=threads,
        pixel_format=pixel_format,
        working=working,
        fields=_FIRST.get(recipe.scan, ""),
        piece=codec.piece,
        tag=grade.tag if grade else "",
        key_frame_frames=max(1, round(recipe.key_frame_seconds * rate)) if codec.kind == "long" else 1,
        colour=colour,
    )


def deepened(pixel_format: str, depth: int) -> str:
    """The pixel format of the same kind with so many bits a sample; the same where it isn't planar luma and chroma.

    >>> deepened("yuv420p", 10), deepened("yuv422p10le", 8), deepened("gbrp", 16)
    ('yuv420p10le', 'yuv422p', 'gbrp')
    """
    found = re.fullmatch(r"(yuva?4\d\dp)(\d+le)?", pixel_format)
    if found is None:
        return pixel_format
    return found[1] + ("" if depth == 8 else f"{depth}le")


def sampling_of(recipe: PictureRecipe) -> Sampling:
    """Depth and colour resolution a recipe is written in."""
    depth = recipe.depth if recipe.depth != "source" else None
    chroma = recipe.chroma if recipe.chroma != "source" else None
    return PICTURE[recipe.codec].sampling(depth, chroma, recipe.grade, recipe.alpha == "keep")
