"""The simulated clock: when is what finished, by the rule that the runner dispatches by.

Outputs in the operator's order; a free slot takes the next thing that is
ready: an output's join and check when its parts are there, its sound, its
pieces.  All draws are simulated at once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Draws = NDArray[np.float64]
FAR = 1e12


@dataclass(frozen=True)
class Work:
    """An output's work: seconds of each open piece, shape (pieces, draws); of sound, join, check, shape (draws,).

    ``names`` are the open pieces' names: one wanted twice is made once.
    ``sound`` is None where there is none to make.
    """

    output: str
    names: Sequence[str]
    pieces: Draws
    sound: Draws | None
    join: Draws
    check: Draws
    sound_name: str = ""


@dataclass(frozen=True)
class Finish:
    """When an output begins and ends, seconds from now, shape (draws,)."""

    output: str
    begin: Draws
    end: Draws
    slot: int


@dataclass(frozen=True)
class Span:
    """A stretch of one slot's time that one output has, seconds from now."""

    output: str
    slot: int
    begin: float
    end: float


def simulate(
    works: Sequence[Work], slots: int, draws: int, spans: list[Span] | None = None
) -> list[Finish]:  # fmt: skip
    """Finishing times of all outputs on one station with ``slots`` slots.

    A later output's pieces fill the slots while an earlier one is joined and
    checked, as they do in a run.  ``spans`` gets what the slots do in the
    first draw.
    """
    free = np.zeros((draws, max(1, slots)))
    rows = np.arange(draws)
    made: dict[str, Draws] = {}
    waiting: list[tuple[Work, Draws, Draws, int]] = []
    finished: dict[str, Finish] = {}

    def take(
        output: str, seconds: Draws, ready: Draws | None = None
    ) -> tuple[Draws, Draws, NDArray[np.intp]]:  # fmt: skip
        # what has to wait takes the slot that comes free last before it is ready, so that no other stands idle
        wait = free if ready is None else np.where(free <= ready[:, None], ready[:, None] - free, FAR + free)
        slot = wait.argmin(axis=1)
        begin = free[rows, slot]
        if ready is not None:
            begin = np.maximum(begin, ready)
        end = begin + seconds
        free[rows, slot] = end
        if spans is not None and end[0] > begin[0]:
            spans.append(Span(output, int(slot[0]), float(begin[0]), float(end[0])))
        return begin, end, slot

    def close(entry: tuple[Work, Draws, Draws, int]) -> None:
        work, begin, parts, slot = entry
        _, joined, _ = take(work.output, work.join, parts)
        _, checked, _ = take(work.output, work.check, joined)
        finished[work.output] = Finish(work.output, begin, checked, slot)

    for work in works:
        begin: Draws | None = None
        parts = np.zeros(draws)
        slot = 0
        tasks = list(zip(work.names, work.pieces, strict=True))
        if work.sound is not None:
            tasks.insert(0, (work.sound_name, work.sound))
        for name, seconds in tasks:
            if name in made:
                parts = np.maximum(parts, made[name])
                continue
            started, ended, where = take(work.output, seconds)
            made[name] = ended
            if begin is None:
                begin, slot = started, int(np.bincount(where).argmax())
            parts = np.maximum(parts, ended)
        if waiting:
            close(waiting.pop())
        waiting.append((work, begin if begin is not None else free.min(axis=1).copy(), parts, slot))
    while waiting:
        close(waiting.pop(0))
    return [finished[work.output] for work in works]


def typical_spans(works: Sequence[Work], finishes: Sequence[Finish], slots: int) -> tuple[Span, ...]:
    """What each slot does and when, in the draw whose finishes are nearest to the likely ones.

    A slot does one thing at a time; neighbouring stretches of one output are one.
    """
    if not works:
        return ()
    ends = np.array([finish.end for finish in finishes])
    nearest = int(np.abs(ends - np.median(ends, axis=1, keepdims=True)).sum(axis=0).argmin())
    one = slice(nearest, nearest + 1)
    found: list[Span] = []
    simulate(
        [
            replace(
                work, pieces=work.pieces[:, one], sound=None if work.sound is None else work.sound[one],
                join=work.join[one], check=work.check[one],
            )
            for work in works
        ],
        slots, 1, found,
    )  # fmt: skip
    merged: list[Span] = []
    for span in sorted(found, key=lambda item: (item.slot, item.begin)):
        last = merged[-1] if merged else None
        if last and (last.slot, last.output) == (span.slot, span.output) and span.begin - last.end < 1e-6:
            merged[-1] = replace(last, end=span.end)
        else:
            merged.append(span)
    return tuple(merged)
