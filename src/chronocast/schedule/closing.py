"""A tighter bound for few files: at the end of an evening not all slots can be busy.

What is done to a file once its parts are there (join, check) takes its time
on one slot; so its parts are over that long before the end, and in the last
stretch there are no more tasks than files.  The evening is cut where parts of
one file after the other must be over; a linear programme over these stretches
finds the earliest end (preemption allowed, so nothing real ends sooner).
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from chronocast.forecast.stage import Work
from chronocast.schedule.bound import Side, able, lower_bound, sides_of
from chronocast.schedule.clock import WorkClass, class_of
from chronocast.schedule.pool import Help

MOST_FILES = 16
"""Of more files the end is a small part of the evening, and the programme a large one."""


class _File(NamedTuple):
    """Seconds of one file's parts and of its steps, by class; how long the steps take at least."""

    parts: Mapping[WorkClass, float]
    steps: Mapping[WorkClass, float]
    closing: float


def closing_bound(works: Sequence[Work], slots: Mapping[str, int], helping: Sequence[Help]) -> float:
    """The earliest end of all work that is thinkable, in seconds from now; of few files nearer to what can be than ``lower_bound``.

    Parameters
    ----------
    works
        What is to do; the mean of its draws counts.
    slots
        How many tasks each place does at once.
    helping
        Slots of other stations.
    """
    known = lower_bound(works, slots, helping).end
    sides = sides_of(slots, helping)
    if sum(bool(work.stages) for work in works) > MOST_FILES:
        return known
    files = _files(works, sides)
    plain = not any(side.windows or side.booked for side in sides)
    if not plain or not 1 < len(files) <= MOST_FILES:
        return known
    return max(known, _solved(files, sides) or 0.0)


def _files(works: Sequence[Work], sides: Sequence[Side]) -> list[_File]:
    """The files that have something to do; a part that several show counts with the first."""
    found, made = [], set[str]()
    for work in works:
        parts: dict[WorkClass, float] = {}
        steps: dict[WorkClass, float] = {}
        closing = 0.0
        for stage in work.stages:
            one, seconds = class_of(work, stage), stage.draws.mean(axis=1)
            if stage.kind.of == "part":
                fresh = [row for row, name in enumerate(stage.names) if name not in made]
                made.update(stage.names)
                parts[one] = parts.get(one, 0.0) + float(seconds[fresh].sum())
            else:
                total = float(seconds.sum())
                steps[one] = steps.get(one, 0.0) + total
                closing += total * min((side.slower for side in sides if able(one, side)), default=0.0)
        if parts or steps:
            found.append(_File(parts, steps, closing))
    return found


def _solved(files: Sequence[_File], sides: Sequence[Side]) -> float | None:
    """The earliest end by the programme; None where it has none."""
    from scipy.optimize import linprog  # takes a third of a second to import
    from scipy.sparse import coo_array

    cuts = sorted({round(file.closing, 6) for file in files}, reverse=True)
    lengths = [0.0, *(one - other for one, other in itertools.pairwise(cuts)), cuts[-1]]
    stretches = len(lengths)
    rows_of_files = len(sides) * stretches
    limits: list[tuple[int, int, float]] = []
    wholes: list[tuple[int, int, float]] = []
    amounts: list[float] = []
    count = 1  # the first unknown is the end itself
    for number, file in enumerate(files):
        last = cuts.index(round(file.closing, 6))
        for is_part, work in ((True, file.parts), (False, file.steps)):
            for one, seconds in work.items():
                if seconds <= 0:
                    continue
                for column, side in enumerate(sides):
                    if not able(one, side):
                        continue
                    for stretch in range(last + 1 if is_part else stretches):
                        limits.append((column * stretches + stretch, count, 1.0))
                        if not is_part:  # its steps come one after the other
                            limits.append((rows_of_files + number * stretches + stretch, count, 1.0))
                        wholes.append((len(amounts), count, 1.0 / side.slower))
                        count += 1
                amounts.append(seconds)
    room = np.zeros(rows_of_files + len(files) * stretches)
    for row in range(len(room)):
        place, stretch = divmod(row, stretches)
        slots = sides[place].slots if row < rows_of_files else 1
        room[row] = slots * lengths[stretch]
        if stretch == 0:  # from now until the first file's parts must be over
            room[row] = -slots * cuts[0]
            limits.append((row, 0, -float(slots)))
    cost = np.zeros(count)
    cost[0] = 1.0

    def matrix(entries: Sequence[tuple[int, int, float]], height: int) -> object:
        rows, columns, values = zip(*entries, strict=True)
        return coo_array((values, (rows, columns)), shape=(height, count)).tocsr()

    found = linprog(
        cost,
        matrix(limits, len(room)),
        room,
        matrix(wholes, len(amounts)),
        np.array(amounts),
        bounds=(0, None),
        method="highs",
    )
    return float(found.x[0]) if found.status == 0 else None
