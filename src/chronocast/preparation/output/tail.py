"""How an output of a few pieces ends: the last of them are cut finer, so that no slot stands idle for long.

What is cut follows from the output alone, not from the station, from what is
in the stock or from the rest of the batch: the same files come out wherever
and after whatever they are made.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

from chronocast.forecast.learning.memory import Memory
from chronocast.model.lookup import Same
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.pauses import pause
from chronocast.model.stages import ENCODE
from chronocast.pieces.cut import SHORT_SECONDS
from chronocast.pieces.halves import halves, worth_halving
from chronocast.pieces.plan import OutputPlan
from chronocast.preparation.output.output_ready import OutputReady

FEW = range(3, 8)
"""Pieces of an output whose end is a large part of it, and that are more than one slot makes by itself."""
AT_ONCE = 2
"""Pieces that are thought to be made at once: what any workstation can do."""


def with_halves(outputs: Sequence[OutputReady], memory: Memory | None = None) -> list[OutputReady]:
    """The outputs, with their last pieces cut in two where that ends them sooner.

    Parameters
    ----------
    outputs
        Outputs, planned.
    memory
        What was decided last for those that nothing of has changed.
    """
    memory = memory or Memory()
    found = []
    for ready in outputs:
        pause()
        if len(ready.plan.pieces) not in FEW or ready.rounds_key or ready.recipe.container == "images":
            found.append(ready)
            continue
        name, asked = "halves of " + ready.output.id, Same(ready)
        known: OutputReady | None = memory.recall(name, asked)
        if known is None:
            known = _with(ready)
            memory.keep(name, asked, known, most=1)
        found.append(known)
    return found


@lru_cache(4096)  # films of one length are many
def _chosen(costs: tuple[float, ...], can: tuple[bool, ...]) -> tuple[int, ...]:
    return tuple(worth_halving(costs, can, AT_ONCE))


def _with(ready: OutputReady) -> OutputReady:
    pieces = ready.plan.pieces
    shortest = 2 * SHORT_SECONDS * float(ready.plan.rate)
    # by frames alone: recipes of one source are then cut alike, and can share base pieces
    costs = tuple(float(piece.frames) for piece in pieces)
    can = tuple(piece.kind == ENCODE.id and piece.frames >= shortest for piece in pieces)
    scenes = {path: clip.scenes for path, clip in ready.source.facts.items()}
    cut = {number: halves(pieces[number], scenes) for number in _chosen(costs, can)}
    return replace(ready, plan=_cut(ready.plan, cut)) if cut else ready


def _cut(plan: OutputPlan, cut: dict[int, tuple[PieceJob, ...]]) -> OutputPlan:
    parts = [cut.get(place, (piece,)) for place, piece in enumerate(plan.pieces)]
    shown = tuple(what for what, jobs in zip(plan.shown, parts, strict=False) for _ in jobs)
    return replace(plan, pieces=tuple(job for jobs in parts for job in jobs), shown=shown)
