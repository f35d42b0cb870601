"""The simulated clock: when is what finished, by the rule that the runner dispatches by.

Outputs in the operator's order; a free slot takes the next thing that is
ready: an output's steps (join, check) when its parts are there, its sound,
its pieces.  All draws are simulated at once.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.band import Band, Chance
from chronocast.forecast.learning.experience import Experience, StationSeen
from chronocast.forecast.stage import Stage, Work
from chronocast.forecast.station import Station, device_place
from chronocast.model.stages import HERE

Draws = NDArray[np.float64]
FAR = 1e12
"""Seconds that no forecast reaches."""


@dataclass(frozen=True)
class Finish:
    """When an output begins and ends, seconds from now, shape (draws,); ``slot`` is its first task's."""

    output: str
    begin: Draws
    end: Draws
    station: str
    slot: int


@dataclass(frozen=True)
class Span:
    """A stretch of one slot's time that one output has, seconds from now."""

    output: str
    station: str
    slot: int
    begin: float
    end: float


@dataclass
class _Open:
    """An output whose parts have their time, and whose steps haven't yet."""

    work: Work
    begin: Draws | None
    parts: Draws
    station: str = ""
    slot: int = 0


@dataclass(frozen=True)
class Help:
    """Slots of another station that take the same work.

    Parameters
    ----------
    station
        Its id, with its device where they are that one's sessions.
    slots
        How many.
    slower
        How many times as long everything takes there, shape (draws,).
    booked
        Seconds that each of them is busy with others' work.
    windows
        When it is open, (begin, end) in seconds from now, in order; none for always.
    place
        Whose work they take, as the work's stages name it.
    """

    station: str
    slots: int
    slower: Draws
    booked: float = 0.0
    windows: tuple[tuple[float, float], ...] = ()
    place: str = HERE

    def opens(self, at: Draws, seconds: Draws) -> Draws:
        """When work of so many seconds that could begin then can begin: it is done within one window.

        Parameters
        ----------
        at, seconds
            Shape (draws,).
        """
        if not self.windows:
            return at
        found = np.full_like(at, FAR)
        for begin, end in reversed(self.windows):
            first = np.maximum(at, begin)
            found = np.where(first + np.minimum(seconds, end - begin) <= end, first, found)
        return found


class _Pool:
    """Slots that take the same work: where each is, when it comes free, how much slower it is; (draws, slots) each."""

    def __init__(self, station: str, count: int, draws: int, helping: Sequence[Help] = ()) -> None:
        own = max(0 if helping else 1, count)
        slots: list[tuple[str, int, Help | None]] = [(station, n, None) for n in range(own)]
        there = [(item.station, number, item) for item in helping for number in range(item.slots)]
        self.where: list[tuple[str, int, Help | None]] = [*slots, *there]
        self.own = len(slots)
        self.free = np.zeros((draws, len(self.where)))
        self.slower = np.ones((draws, len(self.where))) if helping else None
        for column, (_, _, item) in enumerate(self.where):
            if item is not None and self.slower is not None:
                self.free[:, column] = item.booked
                self.slower[:, column] = item.slower

    def first(
        self, seconds: Draws, ready: Draws | None, here: bool = False
    ) -> tuple[Draws, NDArray[np.intp]]:
        """When a task begins, and which slot it gets, shape (draws,) each.

        Parameters
        ----------
        seconds
            It takes so long on the station itself, shape (draws,).
        ready
            When it can begin, shape (draws,); at once, if None.
        here
            Whether only the station's own slots can do it.
        """
        free = self.free[:, : self.own] if here else self.free
        if not here and any(item is not None and item.windows for _, _, item in self.where):
            free = free.copy()
            for column, (_, _, item) in enumerate(self.where):
                if item is not None and item.windows:
                    at = free[:, column] if ready is None else np.maximum(free[:, column], ready)
                    free[:, column] = item.opens(at, seconds * item.slower)
        # what has to wait takes the slot that comes free last before it is ready, so that no other stands idle
        wait = free if ready is None else np.where(free <= ready[:, None], ready[:, None] - free, FAR + free)
        slot = wait.argmin(axis=1)
        begin: Draws = free[np.arange(len(slot)), slot]
        return (begin if ready is None else np.maximum(begin, ready)), slot


class _Clock:
    """Every slot's time in every draw."""

    def __init__(self, slots: Mapping[str, int], draws: int, helping: Sequence[Help]) -> None:
        helped = {item.place: 0 for item in helping}
        self.pools = {
            place: _Pool(place, count, draws, [item for item in helping if item.place == place])
            for place, count in {**helped, **slots}.items()
        }
        self.rows = np.arange(draws)
        self.made: dict[str, Draws] = {}
        self.spans: list[Span] = []

    def take(
        self,
        output: str,
        station: str,
        seconds: Draws,
        ready: Draws | None = None,
        *,
        here: bool = False,
    ) -> tuple[Draws, Draws, tuple[str, int]]:
        """Give a task the slot that suits it best: its begin and its end, shape (draws,), and where it is done mostly.

        Parameters
        ----------
        output
            The output it is for.
        station
            Whose slots can take it.
        seconds
            It takes so long there, shape (draws,).
        ready
            When it can begin, shape (draws,); at once, if not said.
        here
            Whether only the station's own slots can.
        """
        if station not in self.pools:
            self.pools[station] = _Pool(station, 1, len(self.rows))
        pool = self.pools[station]
        begin, slot = pool.first(seconds, ready, here)
        end = begin + (seconds if pool.slower is None else seconds * pool.slower[self.rows, slot])
        pool.free[self.rows, slot] = end
        name, number, _ = pool.where[int(slot[0])]
        if end[0] > begin[0]:
            self.spans.append(Span(output, name, number, float(begin[0]), float(end[0])))
        usual = pool.where[int(np.bincount(slot).argmax())]
        return begin, end, (usual[0], usual[1])

    def make_parts(self, work: Work) -> _Open:
        """Give an output's parts their time; those that an earlier output makes too are waited for."""
        item = _Open(work, None, np.zeros(len(self.rows)))
        parts = [stage for stage in work.stages if stage.kind.of == "part"]
        for stage in sorted(parts, key=lambda stage: not stage.kind.first):
            for name, seconds in zip(stage.names, stage.draws, strict=True):
                if name not in self.made:
                    begin, self.made[name], where = self.take(
                        work.output, stage.station, seconds, here=work.parts_here
                    )
                    if item.begin is None:
                        item.begin, (item.station, item.slot) = begin, where
                item.parts = np.maximum(item.parts, self.made[name])
        return item

    def make_steps(self, item: _Open) -> Finish:
        """Give what follows an output's parts its time, one step after the other."""
        end = item.parts
        for stage in item.work.stages:
            if stage.kind.of != "output":
                continue
            begin, end, where = self.take(
                item.work.output, stage.station, stage.seconds, end, here=item.work.steps_here
            )
            if item.begin is None:
                item.begin, (item.station, item.slot) = begin, where
        begun = item.begin if item.begin is not None else end
        return Finish(item.work.output, begun, end, item.station, item.slot)


def simulate(
    works: Sequence[Work],
    slots: Mapping[str, int],
    draws: int,
    spans: list[Span] | None = None,
    helping: Sequence[Help] = (),
) -> list[Finish]:
    """When every output begins and ends.

    A later output's pieces fill the slots while an earlier one is joined and
    checked, as they do in a run.

    Parameters
    ----------
    works
        What is left to do, in the operator's order.
    slots
        How many tasks each station does at once.
    draws
        How many are simulated.
    spans
        Gets what the slots do in the first draw.
    helping
        Slots of other stations, each with whose work it takes.
    """
    clock = _Clock(slots, draws, helping)
    finished: dict[str, Finish] = {}
    before: _Open | None = None
    for work in works:
        item = clock.make_parts(work)
        if before is not None:
            finished[before.work.output] = clock.make_steps(before)
        before = item
    if before is not None:
        finished[before.work.output] = clock.make_steps(before)
    if spans is not None:
        spans += clock.spans
    return [finished[work.output] for work in works]


HELP_SD = 0.12
"""Error of another station's pace against this one's (one standard deviation of the log)."""


def help_of(station: Station, learned: Experience, chance: Chance) -> tuple[Help, ...]:
    """What the other stations of a house do for this one.

    Parameters
    ----------
    station
        This one, with its helpers.
    learned
        How much slower than their paces stations were lately.
    chance
        Where the draws come from.
    """
    found = []
    own = learned.stations.get(station.id, StationSeen()).state
    for item in station.helpers:
        drift = learned.stations.get(item.id, StationSeen()).state - own
        slower = (
            item.pace.encode
            / station.pace.encode
            * np.exp(drift + HELP_SD * chance.normal("pace of " + item.id))
        )
        share = item.load.draws(chance) / station.load.draws(chance)
        found.append(Help(item.id, item.slots, slower * share, item.booked, item.windows, station.id))
        for device in item.devices:
            error = np.exp(HELP_SD * chance.normal(f"pace of {device_place(item.id, device.family)}"))
            found.append(
                Help(
                    device_place(item.id, device.family),
                    device.sessions,
                    device.slower * error,
                    windows=item.windows,
                    place=device_place(station.id, device.family),
                )
            )
    return tuple(found)


def finishes_of(
    works: Sequence[Work], station: Station, learned: Experience, chance: Chance
) -> tuple[list[Finish], tuple[Span, ...]]:
    """When every output begins and ends on a station and those that help it; and what their slots do in a typical draw.

    Parameters
    ----------
    works
        What is left to do, in the operator's order.
    station
        Where it is done.
    learned
        What the ledger has taught.
    chance
        Where the draws come from.
    """
    helping = help_of(station, learned, chance)
    finishes = simulate(works, station.places, chance.draws, helping=helping)
    return finishes, typical_spans(works, finishes, station.places, helping)


def typical_spans(
    works: Sequence[Work],
    finishes: Sequence[Finish],
    slots: Mapping[str, int],
    helping: Sequence[Help] = (),
) -> tuple[Span, ...]:
    """What each slot does and when, in the draw whose finishes are nearest to the likely ones.

    A slot does one thing at a time; neighbouring stretches of one output are one.

    Parameters
    ----------
    works
        What is left to do, in the operator's order.
    finishes
        When each output begins and ends.
    slots
        How many tasks each station does at once.
    helping
        Other stations that take the same work.
    """
    if not works:
        return ()
    ends = np.array([finish.end for finish in finishes])
    nearest = int(np.abs(ends - np.median(ends, axis=1, keepdims=True)).sum(axis=0).argmin())
    found: list[Span] = []
    there = [replace(item, slower=item.slower[nearest : nearest + 1]) for item in helping]
    simulate([_of_draw(work, nearest) for work in works], slots, 1, found, there)
    merged: list[Span] = []
    for span in sorted(found, key=lambda item: (item.station, item.slot, item.begin)):
        last = merged[-1] if merged else None
        same = last and (last.station, last.slot, last.output) == (span.station, span.slot, span.output)
        if last and same and span.begin - last.end < 1e-6:
            merged[-1] = replace(last, end=span.end)
        else:
            merged.append(span)
    return tuple(merged)


def _of_draw(work: Work, number: int) -> Work:
    stages: tuple[Stage, ...] = tuple(stage.of_draw(number) for stage in work.stages)
    return replace(work, stages=stages)


def finish_fan(finishes: Sequence[Finish]) -> tuple[Band, ...]:
    """How many outputs are finished by when: for each number of them, seconds from now."""
    if not finishes:
        return ()
    ends = np.sort(np.array([finish.end for finish in finishes]), axis=0)
    rows = np.quantile(ends, (0.1, 0.5, 0.9), axis=1)
    return tuple(Band(float(low), float(likely), float(safe)) for low, likely, safe in rows.T)
