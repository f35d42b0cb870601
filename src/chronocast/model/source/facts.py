"""Facts about media files, as inspection finds them and everyone else uses them."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal, NamedTuple

from chronocast.model.source.origin import Alpha
from chronocast.model.time.timing import Rate


@dataclass(frozen=True)
class SoundFacts:
    """One sound track."""

    codec: str
    channels: int
    sample_rate: int
    layout: str = ""
    seconds: float = 0.0
    language: str = ""
    depth: int = 0
    name: str = ""


@dataclass(frozen=True)
class Damage:
    """A stretch of pictures of which a decoder complained.

    ``first`` and ``last`` are picture numbers, both damaged; ``pictures`` how many
    between them are; ``sentence`` is what was said, in the decoder's own words.
    """

    first: int
    last: int
    pictures: int
    sentence: str


class KeyFrame(NamedTuple):
    """A picture that a decoder can begin at.

    ``number`` counts from 0 as pictures are shown; so many ``leading`` ones are shown before it and
    decoded after it.  ``begin`` says whether packets can be cut here: *closed* as it is, *open* with headers
    changed, *never* by what is known of it.
    """

    number: int
    leading: int
    begin: Literal["closed", "open", "never"]


@dataclass(frozen=True)
class GroupFacts:
    """Where packets of a long-GOP film can be cut.

    ``sets`` is a digest of its parameter sets, ``numbers`` what they are called by, ``level`` the highest, as
    the stream codes it; ``able`` whether they can be called by other numbers.  ``trouble`` is why none can be cut, "" where they can.
    """

    keys: tuple[KeyFrame, ...] = ()
    sets: str = ""
    numbers: tuple[int, ...] = ()
    level: int = 0
    trouble: str = ""
    able: bool = False


WEIGHED = 25
"""So many pictures' packets are weighed together."""


@dataclass(frozen=True)
class ClipFacts:
    """What a media file holds.

    ``frames`` counts the pictures that are shown (edit lists applied);
    ``seconds`` is their length; with variable timing they are counted at
    ``rate``, each for as long as it is on.  ``turned`` is by how many degrees
    clockwise they are to be turned to stand upright. ``bit_rate`` is of the whole file in bit/s.
    ``chapters`` are (name, first second, last second), as exact fractions in text.
    ``field_order`` is *top first* or *bottom first* for interlaced ones; ``alpha`` how see-through
    pictures are kept, if they are.  ``damage`` are stretches that decoders complain of, and
    ``looked_through`` says whether all of it was decoded to find them.  ``hidden`` pictures at the
    beginning can't be shown, since what they build on is missing; they are not counted.
    ``sound_gaps`` are (second, seconds) of gaps in the first sound track's times.
    ``profile`` is what its picture stream calls itself, by the libraries' name;
    ``own_colour`` how its pictures themselves are tagged, whatever the file says.
    ``scenes`` are numbers of pictures that
    begin one, as far as packets tell; ``groups`` say where a long-GOP film's packets can be cut; ``weights`` are bytes of its pictures' packets, a block of ``WEIGHED`` of them each.
    ``problems`` are sentences; a clip with one can still be used unless it has
    neither picture nor sound.
    """

    path: str
    fingerprint: str
    bytes: int
    frames: int
    rate: Rate
    width: int
    height: int
    pixel_aspect: Fraction
    scan: str
    video_codec: str
    pixel_format: str
    audio: tuple[SoundFacts, ...]
    seconds: float
    bit_rate: int
    timecode: str | None
    variable_timing: bool = False
    colour: tuple[str, str, str, str] = ("", "", "", "")
    problems: tuple[str, ...] = ()
    turned: int = 0
    chapters: tuple[tuple[str, str, str], ...] = ()
    field_order: str = ""
    alpha: Alpha = ""
    damage: tuple[Damage, ...] = ()
    looked_through: bool = False
    hidden: int = 0
    sound_gaps: tuple[tuple[float, float], ...] = ()
    mastering: str = ""
    light: str = ""
    weights: tuple[int, ...] = ()
    profile: str = ""
    own_colour: tuple[str, str, str, str] = ("", "", "", "")
    groups: GroupFacts | None = None
    scenes: tuple[int, ...] = ()

    def bytes_of(self, first: int, last: int) -> float | None:
        """Bytes of the packets of some pictures; None where they weren't weighed.

        Parameters
        ----------
        first, last
            Picture numbers, both of them among those meant.
        """
        if not self.weights or last < first:
            return None
        total = 0.0
        for block in range(first // WEIGHED, min(last // WEIGHED, len(self.weights) - 1) + 1):
            begin, end = block * WEIGHED, min((block + 1) * WEIGHED, max(self.frames, last + 1))
            share = (min(last + 1, end) - max(first, begin)) / max(1, end - begin)
            total += share * self.weights[block]
        return total

    @property
    def interlaced(self) -> bool:
        """Whether its pictures are of fields."""
        return self.scan.startswith("interlaced")
