"""Pieces cut once more, so that the end of an output can be shared by all slots.

Where a piece is cut follows from what it shows, and whether it is from how
long the pieces of its output are: every station knows the same halves by the
same names.
"""

from __future__ import annotations

import heapq
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from chronocast.media.piece.here import library_version
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.cut import LONG_SECONDS, Scenes, cut
from chronocast.pieces.name import piece_name

WORTH = 0.05
"""Cutting must save this share of the time at least: a boundary inside a take costs bytes."""
ENOUGH = 1.03
"""As few pieces are cut as come within so much of the soonest end."""
UNEVEN = 0.4
"""How far the work of pieces strays from what their lengths say (as a logarithm): some are still, some full of motion."""
TRIES = 12


def halves(job: PieceJob, scenes: Scenes) -> tuple[PieceJob, ...]:
    """A piece that is encoded as shorter ones, at every 4 s of source or the scene nearest to that; itself if it's short.

    Parameters
    ----------
    job
        The piece's.
    scenes
        Where scenes begin, by the path of their film.
    """
    woven = job.settings.woven
    moments = job.rate * 2 if woven else job.rate
    parts = cut(job.spans, moments, 2 if woven else 1, scenes, LONG_SECONDS // 2)
    if len(parts) < 2:
        return (job,)
    library = library_version(job.settings.encoder)
    return tuple(_named(_part(job, part), library) for part in parts)


def _part(job: PieceJob, part: FrameRange) -> PieceJob:
    spans = tuple(within for span in job.spans if (within := span.part(part)))
    return job.model_copy(update={"view": job.view.later(part.start), "spans": spans})


def _named(job: PieceJob, library: str) -> PieceJob:
    return job.model_copy(update={"name": piece_name(job, library)})


def worth_halving(costs: Sequence[float], can: Sequence[bool], slots: int) -> list[int]:
    """Which of the pieces that are left are cut in two, so that the last of them end sooner; none where little is gained.

    Those that come last are cut: by then nothing else waits.

    Parameters
    ----------
    costs
        Work of each, in the order in which they are begun.
    can
        Whether each can be cut.
    slots
        How many are made at once.
    """
    candidates = [number for number, able in enumerate(can) if able]
    strays = np.exp(UNEVEN * np.random.default_rng(1).standard_normal((TRIES, 2, len(costs))))
    tried = []
    for count in range(len(candidates) + 1):
        chosen = candidates[len(candidates) - count :]
        ends = [_end(costs, stray, set(chosen), slots) for stray in strays]
        tried.append((sum(ends) / TRIES, chosen))
    soonest = min(end for end, _ in tried)
    if soonest > tried[0][0] * (1 - WORTH):
        return []
    return next(chosen for end, chosen in tried if end <= soonest * ENOUGH)


def _end(costs: Sequence[float], strays: NDArray[np.float64], halved: set[int], slots: int) -> float:
    """When the last piece ends, if each goes to the slot that comes free first; ``strays`` are of either half."""
    free = [0.0] * slots
    for number, cost in enumerate(costs):
        parts = [cost / 2 * float(strays[half, number]) for half in (0, 1)]
        for part in parts if number in halved else (sum(parts),):
            heapq.heapreplace(free, free[0] + part)
    return max(free)
