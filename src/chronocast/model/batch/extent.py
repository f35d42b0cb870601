"""How much of a source an output has, in words that never let a part pass for the whole."""

from __future__ import annotations

from dataclasses import dataclass

from chronocast.model.batch.batch import FULL
from chronocast.model.show import time_text
from chronocast.model.time.timing import Duration, Rate


@dataclass(frozen=True)
class Extent:
    """``frames`` of the ``whole``; ``kind`` is *full*, *trim*, *marked* or *clip*."""

    kind: str
    frames: int
    whole: int
    rate: Rate

    @property
    def full(self) -> bool:
        """Whether it is all of its source."""
        return self.kind == FULL

    @property
    def share(self) -> float:
        """Of the whole, from 0 to 1."""
        return self.frames / self.whole if self.whole else 0.0

    @property
    def share_text(self) -> str:
        """``21 %``; never 0 or 100 for what is neither nothing nor all.

        >>> Extent("trim", 999, 1000, 25).share_text
        '99.9 %'
        """
        percent = self.share * 100
        if 0 < percent < 1 or 99 < percent < 100:
            return f"{min(99.9, max(0.1, percent)):.1f} %"
        return f"{percent:.0f} %"

    @property
    def length_text(self) -> str:
        """The length: short ones with tenths of a second."""
        return short_time(float(Duration(self.frames, self.rate)))

    @property
    def text(self) -> str:
        """All of it: ``full, 1:34``, or ``trim, 20.0 s of 1:34, 21 %``."""
        if self.full:
            return f"full, {self.length_text}"
        return f"{self.kind}, {self.length_text} of {short_time(float(Duration(self.whole, self.rate)))}, {self.share_text}"


def short_time(seconds: float) -> str:
    """A length of time in which a short one isn't rounded away.

    >>> short_time(2.36)
    '2.4 s'
    """
    return f"{seconds:.1f} s" if seconds < 59.95 else time_text(seconds)
