"""Facts about media files, as inspection finds them and everyone else uses them."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from chronocast.model.timing import Rate


@dataclass(frozen=True)
class SoundFacts:
    """One sound track."""

    codec: str
    channels: int
    sample_rate: int
    layout: str = ""
    seconds: float = 0.0
    language: str = ""


@dataclass(frozen=True)
class ClipFacts:
    """What a media file holds.

    ``frames`` counts the pictures that are shown (edit lists applied);
    ``seconds`` is their length; with variable timing they are counted at
    ``rate``, each for as long as it is on.  ``turned`` is by how many degrees
    clockwise they are to be turned to stand upright. ``bit_rate`` is of the whole file in bit/s.
    ``chapters`` are (name, first second, last second), as exact fractions in text.
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

    @property
    def interlaced(self) -> bool:
        return self.scan.startswith("interlaced")
