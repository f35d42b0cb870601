"""A source's own clock: its frames as timecode, frames and seconds, and times as people type them."""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction

from chronocast.model.errors import TimecodeError
from chronocast.model.source.cutlist import CutList
from chronocast.model.time.timing import Rate, format_timecode, parse_timecode


@dataclass(frozen=True)
class SourceClock:
    """Frames from 0 up to ``frames``; ``start`` is the timecode's number of frame 0."""

    rate: Rate = Fraction(25)
    frames: int = 0
    start: int = 0
    drop: bool = False

    @classmethod
    def of(cls, cut: CutList) -> SourceClock:
        """The clock of a cut list."""
        return cls(cut.rate, cut.frames, cut.start_timecode, cut.drop_frame)

    def timecode(self, frame: int) -> str:
        """A frame as timecode.

        >>> SourceClock(Fraction(25), 100, 90000).timecode(30)
        '01:00:01:05'
        """
        return format_timecode(self.start + frame, self.rate, self.drop)

    def length(self, frames: int) -> str:
        """A number of frames as a length in timecode.

        >>> SourceClock(Fraction(25)).length(530)
        '00:00:21:05'
        """
        return format_timecode(frames, self.rate, self.drop)

    def seconds(self, frames: int) -> float:
        """A number of frames in seconds."""
        return float(frames / self.rate)

    def typed(self, text: str, here: int = 0) -> int:
        """The frame that a typed time means; it may lie outside the source.

        Times of day count from the source's timecode where they lie after its
        beginning, else from its first frame; ``12s`` and ``250f`` from its
        first frame; ``+`` and ``-`` from ``here``.

        >>> SourceClock(Fraction(25), 100, 90000).typed("1:00:02:00")
        50
        >>> SourceClock(Fraction(25), 100, 90000).typed("2:00")
        50

        Raises
        ------
        TimecodeError
            No time, or one that doesn't exist at this rate.
        """
        frame = parse_timecode(text, self.rate, here=here, drop=self.drop)
        of_day = re.fullmatch(r"[\d:;.]+", text.strip()) is not None
        return frame - self.start if of_day and frame >= self.start else frame

    def span(self, text: str) -> int:
        """The number of frames that a typed length means: ``20s``, ``20:00``, ``500f``, ``500`` frames.

        Raises
        ------
        TimecodeError
            No length, or of no frames.
        """
        typed = text.strip().lstrip("+")
        frames = parse_timecode(f"+{typed}" if typed[:1] != "-" else typed, self.rate)
        if frames <= 0:
            raise TimecodeError(f"“{text}” is no length.", "Give at least one frame.")
        return frames

    def inside(self, frame: int) -> int:
        """The frame of the source nearest to a number."""
        return min(max(frame, 0), max(0, self.frames - 1))
