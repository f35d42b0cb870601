"""What lanes show, in plain Python."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.band import Band, exact

BlockState = Literal["planned", "doing", "done", "lost", "held"]


@dataclass(frozen=True)
class Block:
    """A stretch of a slot's time for one output, in seconds from the lanes' beginning.

    ``safe`` is the output's safe finish where the stretch is its last; ``finish`` its finish; ``slot`` the row;
    ``state`` whether it is still to come, under way, done, was lost, or is held back and on no row.
    """

    output: str
    title: str
    begin: float
    end: float
    safe: float
    kept_share: float = 0.0
    slot: int = 0
    finish: Band = field(default_factory=lambda: exact(0.0))
    state: BlockState = "planned"


@dataclass(frozen=True)
class LaneGroup:
    """Rows that belong together: a station's slots, or a device's sessions.

    Parameters
    ----------
    name
        Of the station.
    more
        Is said below it where there is room.
    slots
        How many rows.
    windows
        When it is open, in seconds from the lanes' beginning; none for always.
    shut
        Why it takes no work now; "" where it does.
    station
        What files are kept to it by; "" where they can't be.
    booked
        Seconds at the beginning that others' work has.
    """

    name: str
    more: str
    slots: int = 1
    windows: tuple[tuple[float, float], ...] = ()
    shut: str = ""
    station: str = ""
    booked: float = 0.0


@dataclass(frozen=True)
class Flag:
    """A moment that something is wanted by: in seconds from the lanes' beginning, in words, and how likely it is kept.

    ``outputs`` are what it is of; none for the whole batch.
    """

    at: float
    words: str
    chance: float
    outputs: tuple[str, ...] = ()


@dataclass(frozen=True)
class Mishap:
    """What befalls a station in a rehearsed night: from when to when, on which rows, in a word."""

    begin: float
    end: float
    first: int
    rows: int
    words: str


class LaneRow(NamedTuple):
    """What a slot does in turn; and where each block begins and ends, in seconds, to be reckoned with all at once."""

    blocks: tuple[Block, ...]
    begins: NDArray[np.float64]
    ends: NDArray[np.float64]


@dataclass(frozen=True)
class LaneData:
    """What the lanes show.  ``now`` is seconds from ``start``, and called ``now_words``; blocks' rows count through all groups.

    ``order`` are the outputs as they are made one after the other; ``night`` says that it is a rehearsed one;
    ``held`` are those that are held back, below all rows.
    """

    groups: tuple[LaneGroup, ...]
    start: datetime
    blocks: tuple[Block, ...]
    now: float = 0.0
    flags: tuple[Flag, ...] = ()
    now_words: str = "now"
    order: tuple[str, ...] = ()
    mishaps: tuple[Mishap, ...] = ()
    night: bool = False
    held: tuple[Block, ...] = ()

    @property
    def slots(self) -> int:
        """How many rows there are."""
        return sum(group.slots for group in self.groups)

    @cached_property
    def rows(self) -> tuple[LaneRow, ...]:
        """A row for each slot."""
        rows: list[list[Block]] = [[] for _ in range(max(1, self.slots))]
        for block in sorted(self.blocks, key=lambda b: b.begin):
            rows[block.slot].append(block)
        return tuple(
            LaneRow(tuple(row), np.array([b.begin for b in row]), np.array([b.end for b in row]))
            for row in rows
        )

    @cached_property
    def end(self) -> float:
        """Seconds from ``start`` to the end of all that is shown."""
        last = max([block.safe for block in self.blocks] + [self.now + 30, 60.0])
        near = [flag.at for flag in self.flags if 0 < flag.at < last * 1.6]
        return max([last, *near]) * 1.04

    def group_of(self, row: int) -> LaneGroup | None:
        """The group that a row belongs to."""
        for group in self.groups:
            if row < group.slots:
                return group
            row -= group.slots
        return None


@dataclass(frozen=True)
class TimeView:
    """The stretch of time that is shown, in seconds from the lanes' beginning; it stays within ``whole``."""

    begin: float
    end: float
    whole: float

    LEAST = 20.0

    @classmethod
    def all_of(cls, seconds: float) -> TimeView:
        """All of it."""
        return cls(0.0, seconds, seconds)

    @property
    def is_whole(self) -> bool:
        """Whether all of it is shown."""
        return self.begin <= 0 and self.end >= self.whole

    def closer(self, at: float, times: float) -> TimeView:
        """So many times as close, a moment staying where it is.

        Parameters
        ----------
        at
            The moment.
        times
            Above 1 closer, below wider.
        """
        long = min(self.whole, max(self.LEAST, (self.end - self.begin) / times))
        share = (at - self.begin) / max(1e-9, self.end - self.begin)
        return self._at(at - share * long, long)

    def moved(self, seconds: float) -> TimeView:
        """So much later."""
        return self._at(self.begin + seconds, self.end - self.begin)

    def of(self, whole: float) -> TimeView:
        """The same stretch of another whole; all of it where all was shown."""
        if self.is_whole:
            return TimeView.all_of(whole)
        return TimeView(0.0, whole, whole)._at(self.begin, min(whole, self.end - self.begin))

    def _at(self, begin: float, long: float) -> TimeView:
        first = max(0.0, min(begin, self.whole - long))
        return TimeView(first, first + long, self.whole)


@dataclass(frozen=True)
class Drop:
    """What dropping a block somewhere would do: before which output it is made ("" for last), on which station.

    ``before`` is None where the order stays, ``station`` None where that does, ``held`` None where it is held back, or
    not, as it was.
    """

    before: str | None
    station: str | None
    words: str
    held: bool | None = None


HOLDING = Drop(None, None, "held back", held=True)
"""What dropping a block below all rows would do."""


def dropped(data: LaneData, block: Block, seconds: float, row: int, moved: bool) -> Drop:
    """What it would do to drop a block at a moment, on a row.

    Parameters
    ----------
    data
        The lanes.
    block
        The block.
    seconds
        The moment, from the lanes' beginning.
    row
        The row.
    moved
        Whether it was dragged along the clock, not only to another row.
    """
    titles = {item.output: item.title for item in data.blocks}
    middles: dict[str, float] = {}  # of each one's first block: dropped on its first half is before it
    for item in sorted(data.blocks, key=lambda one: one.begin):
        middles.setdefault(item.output, (item.begin + item.end) / 2)
    before: str | None = None
    released = block.state == "held"
    words = ["released"] if released else []
    if (moved or released) and len(data.order) + released > 1:
        rest = [name for name in data.order if name != block.output]
        at = sum(middles.get(name, 0.0) < seconds for name in rest)
        before = rest[at] if at < len(rest) else ""
        place = data.order.index(block.output) if block.output in data.order else -1
        following = data.order[place + 1] if place + 1 < len(data.order) else ""
        if before == following and not released:
            before = None
        else:
            words.append(f"before {titles.get(before, 'the next')}" if before else "last of all")
    here, there = None if released else data.group_of(block.slot), data.group_of(row)
    station = None
    if here is not None and there is not None and there.station and there.station != here.station:
        station = there.station
        words.append(f"only on {there.name}")
    return Drop(before, station, ", ".join(words), False if released else None)
