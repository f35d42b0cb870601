"""The simulated clock: when is what finished, by the rule that the runner dispatches by.

Outputs in the operator's order; a free slot takes the next thing that is
ready: an output's join and check when its parts are there, its sound, its
pieces.  All draws are simulated at once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

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


def simulate(works: Sequence[Work], slots: int, draws: int) -> list[Finish]:
    """Finishing times of all outputs on one station with ``slots`` slots.

    A later output's pieces fill the slots while an earlier one is joined and
    checked, as they do in a run.
    """
    free = np.zeros((draws, max(1, slots)))
    rows = np.arange(draws)
    made: dict[str, Draws] = {}
    waiting: list[tuple[Work, Draws, Draws, int]] = []
    finished: dict[str, Finish] = {}

    def take(seconds: Draws, ready: Draws | None = None) -> tuple[Draws, Draws, NDArray[np.intp]]:
        # what has to wait takes the slot that comes free last before it is ready, so that no other stands idle
        wait = free if ready is None else np.where(free <= ready[:, None], ready[:, None] - free, FAR + free)
        slot = wait.argmin(axis=1)
        begin = free[rows, slot]
        if ready is not None:
            begin = np.maximum(begin, ready)
        end = begin + seconds
        free[rows, slot] = end
        return begin, end, slot

    def close(entry: tuple[Work, Draws, Draws, int]) -> None:
        work, begin, parts, slot = entry
        _, joined, _ = take(work.join, parts)
        _, checked, _ = take(work.check, joined)
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
            started, ended, where = take(seconds)
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
