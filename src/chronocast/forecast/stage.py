"""A kind of an output's work on a station, as draws of its seconds."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from chronocast.forecast.band import Draws, kept_draws
from chronocast.model.stages import StageKind


@dataclass(frozen=True, slots=True)
class Stage:
    """One kind of an output's work.

    Parameters
    ----------
    kind
        Which.
    station
        Where it is done.
    names
        Its tasks: parts by their names in the stock, where one that several outputs want is made once.
    draws
        Seconds of each task by the clock, shape (tasks, draws).
    drive
        The shared drive that it reads and writes; "" where that is no matter.
    carried
        Seconds that each task has the whole drive for itself, shape (tasks,).
    hands
        How many slots a task can keep at work where nothing else wants them.
    beside
        The share of a device's seconds in which its task keeps a slot of that station's processor at work, too.
    """

    kind: StageKind
    station: str
    names: tuple[str, ...]
    draws: Draws
    drive: str = ""
    carried: Draws | None = None
    hands: int = 1
    beside: float = 0.0

    @property
    def seconds(self) -> Draws:
        """Seconds of all its tasks together, shape (draws,)."""
        total: Draws = self.draws.sum(axis=0, dtype=np.float64)
        return total

    def of_draw(self, number: int) -> Stage:
        """The same in one draw alone."""
        return replace(self, draws=self.draws[:, number : number + 1])


@dataclass(frozen=True, slots=True)
class Work:
    """All that is left to do for an output: its stages, in the order it goes through them.

    ``parts_here`` and ``steps_here`` are whether no other station can do its parts, its steps; ``stations`` are the
    only ones that may, none for all; before ``not_before`` (seconds from now) nothing of it is begun.
    """

    output: str
    stages: tuple[Stage, ...]
    parts_here: bool = False
    steps_here: bool = False
    stations: frozenset[str] = frozenset()
    not_before: float = 0.0

    def seconds(self, draws: int) -> Draws:
        """Seconds of work in all, shape (draws,)."""
        return np.sum([stage.seconds for stage in self.stages], axis=0) if self.stages else np.zeros(draws)


def with_draws(works: Sequence[Work], others: Callable[[Draws], Draws]) -> list[Work]:
    """Works with other draws of the seconds of all their tasks: of thousands of outputs worked out, and kept, as one array.

    Parameters
    ----------
    works
        The works.
    others
        Makes draws of others, shape (tasks, draws), each task by itself.
    """
    stages = [stage for work in works for stage in work.stages]
    if not stages:
        return list(works)
    drawn = kept_draws(others(np.concatenate([stage.draws for stage in stages])))
    ends = np.cumsum([len(stage.draws) for stage in stages]).tolist()
    made = iter(
        replace(stage, draws=drawn[end - len(stage.draws) : end])
        for stage, end in zip(stages, ends, strict=True)
    )
    return [replace(work, stages=tuple(next(made) for _ in work.stages)) for work in works]
