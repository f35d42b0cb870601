"""The simulated clock: when is what finished, by the rule that the runner dispatches by.

Outputs in order; of each its parts (its base pieces first), then, when those
are there, its steps (join, check).  Each task goes to the slot that would
finish it first.  All draws are simulated at once.
"""

from __future__ import annotations

import heapq
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from chronocast.forecast.band import Band
from chronocast.forecast.stage import Stage, Work
from chronocast.forecast.station import station_of
from chronocast.model.pauses import pause
from chronocast.schedule.idle_slots import IdleSlots
from chronocast.schedule.pool import FAR, Draws, Help, Numbers, Pool, Surprise, Taken

MOST_TAKEN = 3000
"""Above so many tasks, neighbouring pieces are given out together: many draws over many slots take time."""
ALONE = 1500
"""The last of them are given out one by one all the same: how a plan ends hangs on them."""


@dataclass(frozen=True, slots=True)
class Finish:
    """When an output begins and ends, seconds from now, shape (draws,); ``slot`` is its first task's."""

    output: str
    begin: Draws
    end: Draws
    station: str
    slot: int


@dataclass(frozen=True, slots=True)
class Span:
    """A stretch of one slot's time that one output has, seconds from now."""

    output: str
    station: str
    slot: int
    begin: float
    end: float


@dataclass(frozen=True, slots=True)
class Share:
    """How many of an output's parts, or of its steps, are done at a station."""

    output: str
    of: Literal["part", "output"]
    station: str
    tasks: int


@dataclass(frozen=True)
class WorkClass:
    """Work that the same slots can do: its place, and the only stations that may (none for all) or only its own."""

    place: str
    stations: frozenset[str]
    here: bool


@dataclass(frozen=True)
class Guide:
    """What a plan adds to the order of the outputs.

    Parameters
    ----------
    uses
        Which stations are used for what, of those that could be; all of those for what it doesn't name.
    finale
        Outputs, the last of the order, that are made side by side.  Their steps then come at about the same time, so
        that more slots have something to do until the end.
    parts
        The names of their parts in the order in which those are begun, whichever output they are of.
    """

    uses: Mapping[WorkClass, frozenset[str]] = field(default_factory=dict)
    finale: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()


def class_of(work: Work, stage: Stage) -> WorkClass:
    """The class of a stage's tasks."""
    here = work.parts_here if stage.kind.of == "part" else work.steps_here
    return WorkClass(stage.station, work.stations, here)


@dataclass
class Traced:
    """What the slots do in the first draw; how many tasks of each output each station gets."""

    spans: list[Span] = field(default_factory=list)
    tasks: Counter[tuple[str, str, str]] = field(default_factory=Counter)

    @property
    def shares(self) -> tuple[Share, ...]:
        """The tasks as shares."""
        return tuple(
            Share(output, "part" if of == "part" else "output", station, count)
            for (output, of, station), count in self.tasks.items()
        )


@dataclass
class _Open:
    """An output that isn't finished: its parts have their time, and ``steps`` are left; the next can begin at ``ready``."""

    work: Work
    begin: Draws | None
    ready: Draws
    station: str = ""
    slot: int = 0
    steps: list[Stage] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.steps = [stage for stage in self.work.stages if stage.kind.of == "output"]


def _both(one: Draws | None, other: Draws | None) -> Draws | None:
    """What two stages have a drive carry, one after the other."""
    return None if one is None or other is None else np.concatenate([one, other])


NOBODY = Help("", 1, np.ones(1))


class _Clock:
    """Every slot's time in every draw."""

    def __init__(
        self,
        works: Sequence[Work],
        slots: Mapping[str, int],
        draws: int,
        *,
        helping: Sequence[Help],
        surprises: Sequence[Surprise],
        guide: Guide | None,
    ) -> None:
        self.guide = guide or Guide()
        self.ranks = {name: number for number, name in reversed(list(enumerate(self.guide.parts)))}
        helped = {item.place: 0 for item in helping}
        self.pools = {
            place: Pool(place, count, draws, [item for item in helping if item.place == place], surprises)
            for place, count in {**helped, **slots}.items()
        }
        self.draws = draws
        self.made: dict[str, Draws] = {}
        self.traced = Traced()
        self.idle = {
            place: IdleSlots(pool.sides[0].slots)
            for place, pool in self.pools.items()
            if len(pool.sides) == 1 and pool.own and not pool.timed and not pool.surprises
        }
        self.left = sum(len(stage.names) for work in works for stage in work.stages)
        self.alone = min(self.left, ALONE)
        self.together = max(1, round(self.left / MOST_TAKEN))
        self.open: dict[WorkClass, list[tuple[float, int, _Open]]] = {}
        self.opened = 0
        self._fronts: dict[WorkClass, float] = {}
        self.carried: dict[str, Draws] = {}
        self.finished: dict[str, Finish] = {}
        for place, pool in self.pools.items():
            if pool.timed:
                short = [stage.draws for work in works for stage in work.stages if stage.station == place]
                pool.typical = float(np.quantile(np.concatenate(short), 0.25)) if short else 0.0

    def take(
        self, work: Work, stage: Stage, seconds: Draws, ready: Draws | None, rows: Sequence[int] = (0,)
    ) -> tuple[Draws, Draws, tuple[str, int]]:
        """Give a task the slot that finishes it first: its begin and end, shape (draws,), and where it is done mostly.

        Parameters
        ----------
        work
            The output's work that it is of.
        stage
            The stage of that.
        seconds
            It takes so long on the station itself, shape (draws,).
        ready
            When it can begin, shape (draws,); at once, if None.
        rows
            Which of the stage's tasks.
        """
        pool = self.pools.get(stage.station)
        if pool is None:
            pool = self.pools[stage.station] = Pool(stage.station, 1, self.draws)
        carried = 0.0 if stage.carried is None else float(stage.carried[list(rows)].sum())
        only, count = self._allowed(class_of(work, stage), pool), len(rows)
        taken = pool.take(seconds, ready, only, (stage.drive, carried))
        if carried:
            taken = self._carry(pool, taken, stage.drive, carried)
        if idle := self.idle.get(stage.station):
            idle.note(taken.begin, taken.end, stage.hands)
        self.left -= count
        side, number = pool.sides[int(taken.station[0])] if pool.sides else NOBODY, int(taken.slot[0])
        if stage.beside:
            self._keep_processor(side.name, station_of(stage.station), stage.beside * seconds)
        self._fronts.clear()
        if taken.end[0] > taken.begin[0]:
            self.traced.spans.append(
                Span(work.output, side.station, number, float(taken.begin[0]), float(taken.end[0]))
            )
        self.traced.tasks[work.output, stage.kind.of, side.name] += count
        if self.draws > 1 and pool.sides:
            side = pool.sides[int(np.bincount(taken.station).argmax())]
        return taken.begin, taken.end, (side.station, number)

    def _keep_processor(self, station: str, place: str, seconds: Draws) -> None:
        """A task of a device has a processor at work, too: of that its slots have so much less for what else there is.

        Parameters
        ----------
        station
            Where the task is done.
        place
            The processor whose work that station takes.
        seconds
            They take so long, shape (draws,).
        """
        pool = self.pools.get(place)
        if pool is None:
            return
        only = pool.allowed(frozenset({station}), here=False)
        if only is not None and not len(only):
            return
        taken = pool.take(seconds, None, only)
        if idle := self.idle.get(place):
            idle.note(taken.begin, taken.end, 1)

    def _carry(self, pool: Pool, taken: Taken, drive: str, seconds: float) -> Taken:
        """A task ends no sooner than its drive has carried what it reads and writes; all stations divide a drive."""
        front = np.maximum(self.carried.get(drive, 0.0), taken.begin)
        self.carried[drive] = front + seconds
        end = np.maximum(taken.end, self.carried[drive])
        if (end > taken.end).any():
            pool.later(taken, end)
        return replace(taken, end=end)

    def _allowed(self, one: WorkClass, pool: Pool) -> Numbers | None:
        stations = self.guide.uses.get(one, one.stations)
        return pool.allowed(stations, one.here) if one.here or stations else None

    def make_parts(self, works: Sequence[Work]) -> None:
        """Give the parts of an output their time, or of several side by side; those that an earlier one makes too are waited for."""
        pause()
        items = [_Open(work, None, np.full(self.draws, max(0.0, work.not_before))) for work in works]
        few = self.together == 1
        for number, stage, rows in self._parts_in_order(works):
            work, item = works[number], items[number]
            rows = [row for row in rows if stage.names[row] not in self.made]
            if not rows:
                continue
            if few:
                self.make_steps()
            ready = item.ready if work.not_before > 0 else None
            seconds = stage.draws[rows[0]] if len(rows) == 1 else stage.draws[rows].sum(axis=0)
            begin, end, where = self.take(work, stage, seconds, ready, rows)
            self.made.update({stage.names[row]: end for row in rows})
            if item.begin is None:
                item.begin, (item.station, item.slot) = begin, where
        for work, item in zip(works, items, strict=True):
            for stage in work.stages:
                if stage.kind.of == "part":
                    for name in dict.fromkeys(stage.names):
                        item.ready = np.maximum(item.ready, self.made[name])
            self._opened(item)
        self.make_steps()

    def _parts_in_order(self, works: Sequence[Work]) -> Iterable[tuple[int, Stage, list[int]]]:
        """Parts of outputs in the order in which they are begun, each with its output's number, its stage and rows.

        Those of one output are as they were given, base pieces first; those of several as the plan has them.
        """
        found = (
            (number, stage, rows)
            for number, work in enumerate(works)
            for stage in sorted(work.stages, key=lambda stage: not stage.kind.first)
            if stage.kind.of == "part"
            for rows in self._grouped(stage)
        )
        if len(works) == 1:
            return found
        return sorted(found, key=lambda part: self.ranks.get(part[1].names[part[2][0]], len(self.ranks)))

    def end_sooner(self) -> None:
        """Have the slots that stand idle at the end help with what is still being made."""
        for place, idle in self.idle.items():
            mine = [finish for finish in self.finished.values() if finish.station == place]
            if idle.since is not None:
                mine = [finish for finish in mine if (finish.end > idle.since).any()]
            moments = idle.sooner([moment for finish in mine for moment in (finish.begin, finish.end)])
            for number, finish in enumerate(mine):
                begin, end = moments[2 * number], moments[2 * number + 1]
                self.finished[finish.output] = replace(finish, begin=begin, end=end)
            spans = [span for span in self.traced.spans if span.station == place]
            if self.draws == 1 and spans:
                told = idle.sooner(
                    [np.array([moment]) for span in spans for moment in (span.begin, span.end)]
                )
                others = [span for span in self.traced.spans if span.station != place]
                self.traced.spans = others + [
                    replace(span, begin=float(told[2 * n][0]), end=float(told[2 * n + 1][0]))
                    for n, span in enumerate(spans)
                ]

    def _opened(self, item: _Open) -> None:
        """Have an output wait for its next step, or be finished."""
        if item.steps:
            one = class_of(item.work, item.steps[0])
            self.opened += 1
            heapq.heappush(self.open.setdefault(one, []), (float(item.ready.mean()), self.opened, item))
            return
        begun = item.begin if item.begin is not None else item.ready
        self.finished[item.work.output] = Finish(item.work.output, begun, item.ready, item.station, item.slot)

    def make_steps(self, all_of_them: bool = False) -> None:
        """Give steps their time that are ready when the next slot comes free: they go before what comes later.

        Parameters
        ----------
        all_of_them
            Whether nothing else is left to do meanwhile.
        """
        while waiting := {one: items for one, items in self.open.items() if items}:
            due = [one for one, items in waiting.items() if items[0][0] <= self._frontier(one)]
            if not due and not all_of_them:
                return
            soonest = min(due or waiting, key=lambda one: waiting[one][0][:2])
            first = heapq.heappop(self.open[soonest])[2]
            stage = first.steps.pop(0)
            seconds, place = stage.seconds, stage.station
            while self.together > 1 and first.steps and first.steps[0].station == place:
                following = first.steps.pop(0)
                stage = replace(
                    stage,
                    names=stage.names + following.names,
                    carried=_both(stage.carried, following.carried),
                )
                seconds = seconds + following.seconds
            rows = range(len(stage.names))
            begin, first.ready, where = self.take(first.work, stage, seconds, first.ready, rows)
            if first.begin is None:
                first.begin, (first.station, first.slot) = begin, where
            self._opened(first)

    def _frontier(self, one: WorkClass) -> float:
        """When a slot that can do work of a class comes free next."""
        if one not in self._fronts:
            pool = self.pools.get(one.place)
            self._fronts[one] = FAR if pool is None else pool.frontier(self._allowed(one, pool))
        return self._fronts[one]

    def in_time(self, works: Sequence[Work]) -> Iterator[Work]:
        """Works in their order, those that may not be begun yet when their time has come."""
        early: list[Work] = []
        for work in works:
            while due := next((item for item in early if self._is_due(item)), None):
                early.remove(due)
                yield due
            if work.not_before > 0:
                early.append(work)
            else:
                yield work
        while early:
            due = next((item for item in early if self._is_due(item)), None)
            due = due or min(early, key=lambda item: item.not_before)
            early.remove(due)
            yield due

    def _is_due(self, work: Work) -> bool:
        return bool(work.stages) and work.not_before <= self._frontier(class_of(work, work.stages[0]))

    def _grouped(self, stage: Stage) -> Iterator[list[int]]:
        """Rows of a stage's tasks that aren't made yet, one by one; a few together where there are very many."""
        first = {name: row for row, name in reversed(list(enumerate(stage.names))) if name not in self.made}
        rows = sorted(first.values())
        while rows:
            count = self.together if self.left > self.alone else 1
            chunk, rows = rows[:count], rows[count:]
            yield chunk

    def side_by_side(self, works: Sequence[Work]) -> Iterator[list[Work]]:
        """Works as they are made: one after the other, those of the plan's finale at once when the last of them has come."""
        finale: list[Work] = []
        count = sum(work.output in self.guide.finale and not work.not_before for work in works)
        for work in self.in_time(works):
            if work.output not in self.guide.finale or work.not_before:
                yield [work]
                continue
            finale.append(work)
            if len(finale) == count:
                yield finale


def simulate(
    works: Sequence[Work],
    slots: Mapping[str, int],
    draws: int,
    *,
    traced: Traced | None = None,
    helping: Sequence[Help] = (),
    surprises: Sequence[Surprise] = (),
    guide: Guide | None = None,
) -> list[Finish]:
    """When every output begins and ends.

    Steps come before later outputs' pieces; those fill the slots while an earlier
    output's last pieces are made, as they do in a run.

    Parameters
    ----------
    works
        What is left to do, in the order in which it is done.
    slots
        How many tasks each station does at once.
    draws
        How many are simulated.
    traced
        Gets what is done where in the first draw.
    helping
        Slots of other stations, each with whose work it takes.
    surprises
        Stations that are lost for a while.
    guide
        Which stations are used for what, of those that could be.
    """
    clock = _Clock(works, slots, draws, helping=helping, surprises=surprises, guide=guide)
    for group in clock.side_by_side(works):
        clock.make_parts(group)
    clock.make_steps(all_of_them=True)
    clock.end_sooner()
    if traced is not None:
        traced.spans += clock.traced.spans
        traced.tasks += clock.traced.tasks
    return [clock.finished[work.output] for work in works]


def typical_draw(finishes: Sequence[Finish]) -> int:
    """The draw whose finishes are nearest to the likely ones."""
    if not finishes:
        return 0
    ends = np.array([finish.end for finish in finishes])
    return int(np.abs(ends - np.median(ends, axis=1, keepdims=True)).sum(axis=0).argmin())


def of_draw(works: Sequence[Work], helping: Sequence[Help], number: int) -> tuple[list[Work], list[Help]]:
    """Work, and what helps with it, in one draw alone.

    Parameters
    ----------
    works
        What is left to do.
    helping
        Slots of other stations.
    number
        The draw.
    """
    alone = [replace(work, stages=tuple(stage.of_draw(number) for stage in work.stages)) for work in works]
    return alone, [replace(item, slower=item.slower[number : number + 1]) for item in helping]


def traced_draw(
    works: Sequence[Work],
    slots: Mapping[str, int],
    helping: Sequence[Help],
    number: int,
    guide: Guide | None = None,
) -> Traced:
    """What each slot does and when, in one draw.

    Parameters
    ----------
    works
        What is left to do, in the order in which it is done.
    slots
        How many tasks each station does at once.
    helping
        Other stations that take the same work.
    number
        The draw.
    guide
        Which stations are used for what.
    """
    found, (alone, there) = Traced(), of_draw(works, helping, number)
    simulate(alone, slots, 1, traced=found, helping=there, guide=guide)
    return found


def merged(spans: Sequence[Span]) -> list[Span]:
    """Stretches slot by slot, neighbouring ones of one output as one."""
    found: list[Span] = []
    for span in sorted(spans, key=lambda item: (item.station, item.slot, item.begin)):
        last = found[-1] if found else None
        same = last and (last.station, last.slot, last.output) == (span.station, span.slot, span.output)
        if last and same and span.begin - last.end < 1e-6:
            found[-1] = replace(last, end=span.end)
        else:
            found.append(span)
    return found


def finish_fan(finishes: Sequence[Finish]) -> tuple[Band, ...]:
    """How many outputs are finished by when: for each number of them, seconds from now."""
    if not finishes:
        return ()
    ends = np.sort(np.array([finish.end for finish in finishes]), axis=0)
    rows = np.quantile(ends, (0.1, 0.5, 0.9), axis=1)
    return tuple(Band(float(low), float(likely), float(safe)) for low, likely, safe in rows.T)
