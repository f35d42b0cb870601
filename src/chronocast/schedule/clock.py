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

from chronocast.forecast.band import Band
from chronocast.forecast.stage import Stage, Work

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


class _Clock:
    """Every slot's time in every draw.  ``free`` is by station, shape (draws, slots)."""

    def __init__(self, slots: Mapping[str, int], draws: int) -> None:
        self.free = {station: np.zeros((draws, max(1, count))) for station, count in slots.items()}
        self.rows = np.arange(draws)
        self.made: dict[str, Draws] = {}
        self.spans: list[Span] = []

    def take(
        self, output: str, station: str, seconds: Draws, ready: Draws | None = None
    ) -> tuple[Draws, Draws, NDArray[np.intp]]:
        """Give a task the slot that suits it best: its begin, its end, the slot, each of shape (draws,).

        Parameters
        ----------
        output
            The output it is for.
        station
            The station's id.
        seconds
            It takes so long, shape (draws,).
        ready
            When it can begin, shape (draws,); at once, if not said.
        """
        free = self.free.setdefault(station, np.zeros((len(self.rows), 1)))
        # what has to wait takes the slot that comes free last before it is ready, so that no other stands idle
        wait = free if ready is None else np.where(free <= ready[:, None], ready[:, None] - free, FAR + free)
        slot = wait.argmin(axis=1)
        begin = free[self.rows, slot]
        if ready is not None:
            begin = np.maximum(begin, ready)
        end = begin + seconds
        free[self.rows, slot] = end
        if end[0] > begin[0]:
            self.spans.append(Span(output, station, int(slot[0]), float(begin[0]), float(end[0])))
        return begin, end, slot

    def make_parts(self, work: Work) -> _Open:
        """Give an output's parts their time; those that an earlier output makes too are waited for."""
        item = _Open(work, None, np.zeros(len(self.rows)))
        parts = [stage for stage in work.stages if stage.kind.of == "part"]
        for stage in sorted(parts, key=lambda stage: not stage.kind.first):
            for name, seconds in zip(stage.names, stage.draws, strict=True):
                if name not in self.made:
                    begin, self.made[name], slots = self.take(work.output, stage.station, seconds)
                    if item.begin is None:
                        item.begin, item.station = begin, stage.station
                        item.slot = int(np.bincount(slots).argmax())
                item.parts = np.maximum(item.parts, self.made[name])
        return item

    def make_steps(self, item: _Open) -> Finish:
        """Give what follows an output's parts its time, one step after the other."""
        end = item.parts
        for stage in item.work.stages:
            if stage.kind.of != "output":
                continue
            begin, end, slots = self.take(item.work.output, stage.station, stage.seconds, end)
            if item.begin is None:
                item.begin, item.station = begin, stage.station
                item.slot = int(np.bincount(slots).argmax())
        begun = item.begin if item.begin is not None else end
        return Finish(item.work.output, begun, end, item.station, item.slot)


def simulate(
    works: Sequence[Work], slots: Mapping[str, int], draws: int, spans: list[Span] | None = None
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
    """
    clock = _Clock(slots, draws)
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


def typical_spans(
    works: Sequence[Work], finishes: Sequence[Finish], slots: Mapping[str, int]
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
    """
    if not works:
        return ()
    ends = np.array([finish.end for finish in finishes])
    nearest = int(np.abs(ends - np.median(ends, axis=1, keepdims=True)).sum(axis=0).argmin())
    found: list[Span] = []
    simulate([_of_draw(work, nearest) for work in works], slots, 1, found)
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
