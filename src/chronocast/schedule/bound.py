"""What no plan can beat, and which stations the best one uses for what: a linear programme over classes of work.

Work is of one class where the same slots can do it.  A station gives each
class some of its time; the programme finds the earliest moment by which all
work fits (unrelated machines, preemption allowed: R|pmtn|Cmax without its
second stage), solved by HiGHS through SciPy.  Nothing that is really done one
task after another on one slot ends sooner.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from chronocast.forecast.stage import Work
from chronocast.model.pauses import pause
from chronocast.schedule.clock import WorkClass, class_of
from chronocast.schedule.pool import FAR, Draws, Help

USED = 1e-6
"""A station that does less than this share of a class isn't used for it."""


@dataclass(frozen=True)
class Side:
    """Slots of one station that take one kind of work.

    Parameters
    ----------
    name
        The station.
    place
        Whose work they take.
    own
        Whether they are that place's own.
    slots
        How many.
    slower
        How many times as long everything takes there.
    booked
        Seconds that each is busy with others' work.
    windows
        When it is open; none for always.
    """

    name: str
    place: str
    own: bool
    slots: int
    slower: float
    booked: float = 0.0
    windows: tuple[tuple[float, float], ...] = ()

    def open_until(self, moment: float) -> float:
        """Seconds of one of its slots until then: those in its hours, after what others have booked."""
        if not self.windows:
            return max(0.0, moment - self.booked)
        spans = ((max(begin, self.booked), min(end, moment)) for begin, end in self.windows)
        return sum(max(0.0, end - begin) for begin, end in spans)


@dataclass(frozen=True)
class Bound:
    """The earliest end that is thinkable, in seconds from now (``FAR`` for never), and what it uses.

    ``uses`` are the stations that the best plan has do each class.
    """

    end: float
    uses: Mapping[WorkClass, frozenset[str]]


def sides_of(slots: Mapping[str, int], helping: Iterable[Help]) -> list[Side]:
    """The slots of all stations, by what they take.

    Parameters
    ----------
    slots
        How many tasks each place does at once.
    helping
        Slots of other stations, each with whose work it takes.
    """
    own = [
        Side(place.partition(" · ")[0], place, True, count, 1.0) for place, count in slots.items() if count
    ]
    there = [
        Side(
            item.name,
            item.place,
            False,
            item.slots,
            float(np.median(item.slower)),
            item.booked,
            item.windows,
        )
        for item in helping
    ]
    return own + there


def lower_bound(works: Sequence[Work], slots: Mapping[str, int], helping: Sequence[Help]) -> Bound:
    """The earliest end of all work, and which stations the best plan uses for what.

    Parameters
    ----------
    works
        What is to do; the mean of its draws counts.
    slots
        How many tasks each place does at once.
    helping
        Slots of other stations.
    """
    sides = sides_of(slots, helping)
    totals = _Totals.of(works, sides)
    if not totals.amounts:
        return Bound(0.0, {})
    end, uses = _earliest(totals.amounts, sides)
    if end >= FAR:
        return Bound(FAR, {})
    parts = _earliest(totals.parts, sides)[0] if totals.parts else 0.0
    carried = max(totals.carried.values(), default=0.0)
    return Bound(max(end, totals.longest, parts + totals.least_steps, carried), uses)


def _earliest(
    amounts: Mapping[WorkClass, float], sides: Sequence[Side]
) -> tuple[float, Mapping[WorkClass, frozenset[str]]]:
    """The earliest moment by which so many seconds of each class are done, and who does what; ``FAR`` for never."""
    pairs = [
        (row, column)
        for row, one in enumerate(amounts)
        for column, side in enumerate(sides)
        if able(one, side)
    ]
    if {row for row, _ in pairs} != set(range(len(amounts))):
        return FAR, {}
    seconds = np.array(list(amounts.values()))
    edges = {edge for side in sides for window in side.windows for edge in window}
    low, high = _between(seconds, sides, pairs, sorted(edges | {side.booked for side in sides}))
    if high >= FAR:
        return FAR, {}
    end, shares = _solve(seconds, sides, pairs, low, high)
    uses: dict[WorkClass, set[str]] = {one: set() for one in amounts}
    classes = list(amounts)
    for (row, column), share in zip(pairs, shares, strict=True):
        if share * sides[column].slower > USED * seconds[row]:
            uses[classes[row]].add(sides[column].name)
    return end, {one: frozenset(found) for one, found in uses.items()}


@dataclass
class _Totals:
    """Seconds of each class, of the parts alone as well; what one output takes at least on the quickest slots.

    ``longest`` is the longest chain of one output's part and steps; ``least_steps`` are the shortest steps: whichever
    part is done last, steps follow it; ``carried`` is how long each shared drive is busy.
    """

    amounts: dict[WorkClass, float] = field(default_factory=dict)
    parts: dict[WorkClass, float] = field(default_factory=dict)
    longest: float = 0.0
    least_steps: float = FAR
    carried: dict[str, float] = field(default_factory=dict)

    @classmethod
    def of(cls, works: Sequence[Work], sides: Sequence[Side]) -> _Totals:
        """The totals of some work."""
        found, made = cls(), set[str]()
        quickest_of: dict[WorkClass, float] = {}
        for work in works:
            pause()
            part, steps, fresh_parts = 0.0, 0.0, False
            for stage in work.stages:
                one, seconds = class_of(work, stage), stage.draws.mean(axis=1)
                is_part = stage.kind.of == "part"
                rows = [row for row, name in enumerate(stage.names) if not is_part or name not in made]
                seconds = seconds[rows]
                if is_part:
                    made.update(stage.names)
                if stage.carried is not None:
                    found.carried[stage.drive] = found.carried.get(stage.drive, 0.0) + float(
                        stage.carried[rows].sum()
                    )
                total = float(seconds.sum())
                if total <= 0:
                    continue
                found.amounts[one] = found.amounts.get(one, 0.0) + total
                if one not in quickest_of:
                    quickest_of[one] = min((side.slower for side in sides if able(one, side)), default=FAR)
                quickest = quickest_of[one]
                if is_part:
                    found.parts[one] = found.parts.get(one, 0.0) + total
                    part, fresh_parts = max(part, float(seconds.max()) * quickest), True
                else:
                    steps += total * quickest
            found.longest = max(found.longest, work.not_before + part + steps)
            if fresh_parts:
                found.least_steps = min(found.least_steps, steps)
        return found


def able(one: WorkClass, side: Side) -> bool:
    """Whether slots can do work of a class."""
    if side.place != one.place or (one.here and not side.own):
        return False
    return not one.stations or side.name in one.stations


def _between(
    seconds: Draws, sides: Sequence[Side], pairs: Sequence[tuple[int, int]], kinks: Sequence[float]
) -> tuple[float, float]:
    """The stretch between two openings or closings in which the earliest end lies: capacity is straight in it."""

    def fits(moment: float) -> bool:
        return _load(seconds, sides, pairs, [side.open_until(moment) * side.slots for side in sides]) <= 1.0

    marks = [0.0, *(edge for edge in kinks if 0 < edge < FAR)]
    low, high = 0, len(marks)
    while low < high:
        middle = (low + high) // 2
        if fits(marks[middle]):
            high = middle
        else:
            low = middle + 1
    if low < len(marks):
        return (marks[low - 1] if low else 0.0), marks[low]
    after = 10 * (marks[-1] + float(seconds.sum()) * max(side.slower for side in sides) + 1.0)
    return (marks[-1], after) if fits(after) else (FAR, FAR)


class _Programme:
    """The programme's unknowns: seconds that each side gives each class it can do, and one more that is to be small."""

    def __init__(self, seconds: Draws, sides: Sequence[Side], pairs: Sequence[tuple[int, int]]) -> None:
        self.seconds, self.pairs = seconds, pairs
        self.whole = np.zeros((len(seconds), len(pairs) + 1))
        self.time = np.zeros((len(sides), len(pairs) + 1))
        for number, (row, column) in enumerate(pairs):
            self.whole[row, number] = 1.0 / sides[column].slower
            self.time[column, number] = 1.0

    def solve(
        self, room: Draws, more: Draws, shut: Collection[int] = (), most: float | None = None
    ) -> tuple[float, Draws] | None:
        """The least ``x`` with which all work fits into ``room + x * more`` seconds of each side; None where none does.

        Parameters
        ----------
        room, more
            Shape (sides,).
        shut
            Numbers of pairs that do nothing.
        most
            ``x`` is no larger.
        """
        from scipy.optimize import (
            linprog,  # takes a third of a second to import, and most forecasts need none
        )

        limit = self.time.copy()
        limit[:, -1] = -more
        cost = np.full(len(self.pairs) + 1, 1e-9)  # of plans that end at once, one that works little
        cost[-1] = 1.0
        bounds = [(0.0, 0.0 if number in shut else None) for number in range(len(self.pairs))]
        found = linprog(cost, limit, room, self.whole, self.seconds, [*bounds, (0.0, most)], method="highs")
        return (float(found.x[-1]), found.x[:-1]) if found.status == 0 else None


def _load(
    seconds: Draws, sides: Sequence[Side], pairs: Sequence[tuple[int, int]], capacity: Sequence[float]
) -> float:
    """By which part of its capacity the fullest side is used at least; infinity where work fits nowhere."""
    room = np.array(capacity)
    shut = {number for number, (_, column) in enumerate(pairs) if room[column] <= 0}
    found = _Programme(seconds, sides, pairs).solve(np.zeros(len(sides)), room, shut)
    return found[0] if found else float("inf")


def _solve(
    seconds: Draws, sides: Sequence[Side], pairs: Sequence[tuple[int, int]], low: float, high: float
) -> tuple[float, Draws]:
    """The earliest end within a stretch in which capacity is straight, and each pair's seconds."""
    room = np.array([side.open_until(low) * side.slots for side in sides])
    more = (np.array([side.open_until(high) * side.slots for side in sides]) - room) / max(1e-9, high - low)
    found = _Programme(seconds, sides, pairs).solve(room, more, most=high - low)
    return (low + found[0], found[1]) if found else (high, np.ones(len(pairs)))
