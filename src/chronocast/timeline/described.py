"""A sequence as its file describes it, before its media has been looked at."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from chronocast.model.timing import Rate


@dataclass(frozen=True)
class Placed:
    """A clip on a track: where on the sequence, which media, from where in it.

    Times are exact seconds; ``media`` is None for a gap; ``media_start``
    counts from the media's first picture (its start timecode taken off).
    """

    start: Fraction
    seconds: Fraction
    media: Path | None
    media_start: Fraction
    name: str


@dataclass(frozen=True)
class Timeline:
    """One sequence as its file describes it."""

    path: Path
    name: str
    rate: Rate
    size: tuple[int, int] | None
    picture: tuple[Placed, ...]
    sound: tuple[Placed, ...]
    start_timecode: int

    @property
    def media(self) -> tuple[Path, ...]:
        """Every media file it needs, once each."""
        found = [placed.media for placed in (*self.picture, *self.sound) if placed.media]
        return tuple(dict.fromkeys(found))
