"""Exact time: rates as fractions, ranges of whole frames, timecode.

Frames are integers and a range is [in, out): the frame at ``out`` is the first
one that is *not* shown.  Timecode follows SMPTE ST 12-1, drop-frame included.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from chronocast.model.errors import ModelError, TimecodeError

Rate = Fraction

_BROADCAST = {
    Fraction(24000, 1001): (23.97, 23.98),
    Fraction(30000, 1001): (29.96, 29.98),
    Fraction(60000, 1001): (59.93, 59.95),
    Fraction(48000, 1001): (47.94, 47.96),
    Fraction(120000, 1001): (119.87, 119.89),
}


def parse_rate(text: str | int | float | Fraction) -> Rate:
    """A rate in frames per second from ``"25"``, ``"30000/1001"`` or ``29.97``.

    Decimal forms near an NTSC rate mean that rate exactly.

    >>> parse_rate("29.97")
    Fraction(30000, 1001)
    >>> parse_rate("25/1")
    Fraction(25, 1)

    Raises
    ------
    ModelError
        Not a positive rate of at most 1000 frames per second.
    """
    try:
        rate = Fraction(text.strip()) if isinstance(text, str) else Fraction(text)
    except (ValueError, ZeroDivisionError, OverflowError):
        raise ModelError(f"“{text}” is not a frame rate.", "Write it as 25, 29.97 or 30000/1001.") from None
    for exact, (low, high) in _BROADCAST.items():
        if rate != exact and low <= rate <= high:
            return exact
    if not 0 < rate <= 1000:
        raise ModelError(f"A rate of {text} frames per second can't be used.", "Choose one up to 1000.")
    return rate


def rate_text(rate: Rate) -> str:
    """A rate as people write it: ``25``, ``29.97``, ``12.5``."""
    return f"{float(rate):.3f}".rstrip("0").rstrip(".") if rate.denominator != 1 else str(rate.numerator)


@dataclass(frozen=True, order=True)
class FrameRange:
    """Frames ``start`` up to, not including, ``stop``."""

    start: int
    stop: int

    def __post_init__(self) -> None:
        if self.stop < self.start:
            raise ModelError(f"The out point ({self.stop}) lies before the in point ({self.start}).")

    def __len__(self) -> int:
        return self.stop - self.start

    def __iter__(self) -> Iterator[int]:
        return iter(range(self.start, self.stop))

    def __contains__(self, frame: object) -> bool:
        return isinstance(frame, int) and self.start <= frame < self.stop

    @property
    def last(self) -> int:
        """The last frame that is shown.

        Raises
        ------
        ModelError
            The range is empty.
        """
        if not len(self):
            raise ModelError("An empty range has no last frame.")
        return self.stop - 1

    def intersect(self, other: FrameRange) -> FrameRange | None:
        """The frames in both, or None where there are none."""
        start, stop = max(self.start, other.start), min(self.stop, other.stop)
        return FrameRange(start, stop) if start < stop else None

    def shifted(self, frames: int) -> FrameRange:
        """The same length, ``frames`` later."""
        return FrameRange(self.start + frames, self.stop + frames)

    def seconds(self, rate: Rate) -> Fraction:
        """The exact length in seconds."""
        return Fraction(len(self)) / rate


@dataclass(frozen=True)
class Duration:
    """So many frames at a rate in frames per second: the length of a source, a range or a file.

    >>> float(Duration(36, Fraction(24)))
    1.5
    """

    frames: int
    rate: Rate

    @property
    def seconds(self) -> Fraction:
        """The exact length."""
        return Fraction(self.frames) / self.rate

    def __float__(self) -> float:
        return float(self.seconds)


def frame_at(seconds: Fraction, rate: Rate) -> int:
    """The number of the frame nearest to a time; half a frame counts as a whole one.

    >>> frame_at(Fraction(1, 2), Fraction(25))
    13
    """
    over, under = seconds.numerator * rate.numerator, seconds.denominator * rate.denominator
    return (2 * over + under) // (2 * under)


def nominal_rate(rate: Rate) -> int:
    """The frames counted in a second of timecode (30 for 29.97)."""
    return max(1, round(rate))


def can_drop(rate: Rate) -> bool:
    """Whether drop-frame timecode exists at this rate (29.97 and 59.94)."""
    return rate in (Fraction(30000, 1001), Fraction(60000, 1001))


def format_timecode(frame: int, rate: Rate, drop: bool = False) -> str:
    """Timecode of a frame number.

    Drop-frame counting skips 2 (at 29.97) or 4 (at 59.94) numbers each minute
    that is not a multiple of ten, after SMPTE ST 12-1.

    Parameters
    ----------
    frame
        Counted from midnight.
    rate
        Frames a second.
    drop
        Whether drop-frame timecode is counted.

    >>> format_timecode(1800, Fraction(30000, 1001), drop=True)
    '00:01:00;02'
    """
    sign = "-" if frame < 0 else ""
    frame, base = abs(frame), nominal_rate(rate)
    drop = drop and can_drop(rate)
    if drop:
        skip = base // 15
        per_minute, per_ten = base * 60 - skip, (base * 60 - skip) * 10 + skip
        tens, rest = divmod(frame, per_ten)
        frame += skip * 9 * tens
        if rest >= base * 60:
            frame += skip * ((rest - base * 60) // per_minute + 1)
    seconds, frames = divmod(frame, base)
    width = 3 if base > 100 else 2
    mark = ";" if drop else ":"
    hours, minutes = seconds // 3600, seconds // 60 % 60
    return f"{sign}{hours:02d}:{minutes:02d}:{seconds % 60:02d}{mark}{frames:0{width}d}"


def parse_timecode(text: str, rate: Rate, *, here: int = 0, drop: bool = False) -> int:
    """A frame number from a time typed the way people type it.

    ``1:02:03:04``, ``01:02:03;04`` (drop-frame), ``1020304`` (digits from the
    right), ``+48`` and ``-1:00`` (from ``here``), ``12s`` or ``1.5s`` (seconds),
    ``250f`` (a frame number).  With ``drop`` a time of day is counted as
    drop-frame however it is written.

    Parameters
    ----------
    text
        What was typed or read.
    rate
        Frames a second.
    here
        The frame that signed times count from.
    drop
        Whether drop-frame timecode is counted.

    >>> parse_timecode("1020304", Fraction(25))
    93079
    >>> parse_timecode("+48", Fraction(25), here=100)
    148

    Raises
    ------
    TimecodeError
        No time, or one that does not exist at this rate.
    """
    typed = text.strip().lower()
    if not typed or len(typed) > 40:
        raise TimecodeError(f"“{text[:40]}” is not a time.", "Type it as 1:02:03:04, +48, 12s or 250f.")
    if typed[0] in "+-":
        distance = _absolute(typed[1:].strip(), text, rate, count_frames=True)
        return here + (distance if typed[0] == "+" else -distance)
    return _absolute(typed, text, rate, count_frames=False, drop=drop and can_drop(rate))


def _absolute(typed: str, text: str, rate: Rate, *, count_frames: bool, drop: bool = False) -> int:
    if match := re.fullmatch(r"(\d+(?:\.\d+)?)\s*s", typed):
        return round(Fraction(match[1]) * rate)
    if match := re.fullmatch(r"(\d+)\s*f", typed):
        return int(match[1])
    if re.fullmatch(r"\d+", typed):
        if count_frames:
            return int(typed)
        padded = typed.rjust(8, "0")
        return _counted(padded[:-6], padded[-6:-4], padded[-4:-2], padded[-2:], drop, text=text, rate=rate)
    if match := re.fullmatch(r"(?:(?:(\d+):)?(\d+):)?(\d+)([:;.])(\d+)", typed):
        hours, minutes, seconds, mark, frames = match.groups()
        return _counted(
            hours or "0", minutes or "0", seconds, frames, drop or mark == ";", text=text, rate=rate
        )
    raise TimecodeError(f"“{text}” is not a time.", "Type it as 1:02:03:04, +48, 12s or 250f.")


def _counted(h: str, m: str, s: str, f: str, drop: bool, *, text: str, rate: Rate) -> int:
    base = nominal_rate(rate)
    hours, minutes, seconds, frames = int(h), int(m), int(s), int(f)
    if minutes > 59 or seconds > 59 or frames >= base:
        raise TimecodeError(f"“{text}” does not exist at {rate_text(rate)} frames per second.")
    total_minutes = hours * 60 + minutes
    frame = (total_minutes * 60 + seconds) * base + frames
    if drop:
        if not can_drop(rate):
            raise TimecodeError(
                f"“{text}” is drop-frame time, which {rate_text(rate)} does not have.", "Use “:”."
            )
        skip = base // 15
        if minutes % 10 and not seconds and frames < skip:
            raise TimecodeError(f"“{text}” is one of the times that drop-frame counting leaves out.")
        frame -= skip * (total_minutes - total_minutes // 10)
    return frame
