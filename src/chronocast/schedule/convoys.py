"""Very many outputs, planned a few together: neighbours of one kind are one work for the clock, and told apart again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from chronocast.forecast.band import Draws, kept_draws
from chronocast.forecast.stage import Stage, Work
from chronocast.model.pauses import pause
from chronocast.schedule.clock import Finish, Share, Span

MOST_WORKS = 1200
"""Beyond so many outputs neighbours go together: of thousands, a few one after another on one slot change nothing."""


@dataclass(frozen=True)
class Convoy:
    """Outputs that the clock takes as one; ``ends`` is how much of its work each has ended, shape (members, draws)."""

    work: Work
    members: tuple[Work, ...]
    ends: Draws

    def finishes(self, whole: Finish) -> list[Finish]:
        """When each begins and ends, of when all of them do."""
        pause()
        if len(self.members) == 1:
            return [whole]
        length = whole.end - whole.begin
        ends = kept_draws(whole.begin + length * self.ends)
        return [
            Finish(member.output, begin, end, whole.station, whole.slot)
            for member, begin, end in zip(self.members, [whole.begin, *ends], ends, strict=False)
        ]

    def spans(self, span: Span) -> list[Span]:
        """One stretch of a slot's time, divided among them."""
        pause()
        if len(self.members) == 1:
            return [span]
        shares = np.median(self.ends, axis=1)
        places = span.begin + (span.end - span.begin) * np.concatenate([[0.0], shares])
        return [
            replace(span, output=member.output, begin=float(begin), end=float(end))
            for member, begin, end in zip(self.members, places, places[1:], strict=False)
        ]

    def shares(self, share: Share) -> list[Share]:
        """How many tasks a station gets, divided among them in their order."""
        pause()
        if len(self.members) == 1:
            return [share]
        found, left = [], share.tasks
        for member in self.members:
            own = sum(len(stage.names) for stage in member.stages if stage.kind.of == share.of)
            if (count := min(own, left)) > 0:
                found.append(replace(share, output=member.output, tasks=count))
                left -= count
        return found


def in_convoys(works: Sequence[Work], most: int = MOST_WORKS) -> list[Convoy]:
    """Works in their order, neighbours of one kind together where there are more than ``most``.

    Parameters
    ----------
    works
        What is left to do.
    most
        So many are taken one by one.
    """
    count = -(-sum(bool(work.stages) for work in works) // most)
    groups: list[list[Work]] = []
    for work in works:
        last = groups[-1] if groups else []
        if last and len(last) < count and work.stages and _kind(last[0]) == _kind(work):
            last.append(work)
        else:
            groups.append([work])
    return [_convoy(group) for group in groups]


def _kind(work: Work) -> tuple[object, ...]:
    """Works of one kind can be taken together."""
    stages = tuple((stage.kind, stage.station, stage.drive, stage.carried is None) for stage in work.stages)
    return stages, work.parts_here, work.steps_here, work.stations, work.not_before


def _convoy(group: Sequence[Work]) -> Convoy:
    pause()
    if len(group) == 1:
        return Convoy(group[0], (group[0],), np.ones((1, 1)))
    stages = tuple(_together(alike) for alike in zip(*(work.stages for work in group), strict=True))
    seconds = np.array([sum(stage.seconds for stage in work.stages) for work in group])
    ends = np.cumsum(seconds, axis=0)
    return Convoy(replace(group[0], stages=stages), tuple(group), ends / np.maximum(ends[-1], 1e-9))


def _together(stages: Sequence[Stage]) -> Stage:
    first = stages[0]
    beside = first.beside
    if beside:
        seconds = [float(stage.draws.sum()) for stage in stages]
        beside = (
            float(np.average([stage.beside for stage in stages], weights=seconds)) if sum(seconds) else beside
        )
    return replace(
        first,
        names=tuple(name for stage in stages for name in stage.names),
        draws=np.concatenate([stage.draws for stage in stages]),
        beside=beside,
        carried=None
        if first.carried is None
        else np.concatenate([stage.carried for stage in stages if stage.carried is not None]),
    )
