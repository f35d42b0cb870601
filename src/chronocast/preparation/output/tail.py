"""The end of a run: what is left is cut finer where slots would stand idle while the last pieces are made."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import NamedTuple

from chronocast.forecast.learning.memory import Memory, Same
from chronocast.media.encoders.registry import ENCODERS
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.stages import ENCODE
from chronocast.pieces.halves import halves, worth_halving
from chronocast.pieces.plan import OutputPlan
from chronocast.pieces.stock import Stock
from chronocast.preparation.output.output_ready import OutputReady

MOST_LEFT = 4
"""With more than so many pieces a slot the end is a small part of the run."""
MOST_OUTPUTS = 500
"""So many outputs leave enough to do."""


class _Left(NamedTuple):
    """A piece that isn't made: of which output, its place there, its halves."""

    row: int
    place: int
    halves: tuple[PieceJob, ...]
    cost: float
    made: bool


def with_halves(
    outputs: Sequence[OutputReady], stock: Stock, slots: int, memory: Memory | None = None
) -> list[OutputReady]:
    """The outputs, with pieces cut in two where that ends a run sooner, or where those two are there already.

    Parameters
    ----------
    outputs
        Outputs, planned.
    stock
        Where finished pieces are.
    slots
        How many pieces are made at once.
    memory
        What was decided last for those that nothing of has changed.
    """
    if len(outputs) > MOST_OUTPUTS:
        return list(outputs)
    memory = memory or Memory()
    asked = (stock.state(), slots, [Same(ready) for ready in outputs])
    known: list[OutputReady] | None = memory.recall("halves", asked)
    if known is None:
        known = _decided(outputs, stock, slots, memory)
        memory.keep("halves", asked, known, most=1)
    return list(known)


def _decided(outputs: Sequence[OutputReady], stock: Stock, slots: int, memory: Memory) -> list[OutputReady]:
    left: list[_Left] = []
    for row, ready in enumerate(outputs):
        if _counts(ready):
            left += _left(row, ready, stock)
        if len(left) > MOST_LEFT * slots:
            return list(outputs)
    chosen = {(item.row, item.place): item.halves for item in left if item.made}
    rest = [item for item in left if not item.made]
    at_once = max(1, slots // _threads(outputs, rest))
    can = [len(item.halves) > 1 for item in rest]
    for number in worth_halving([item.cost for item in rest], can, at_once):
        chosen[rest[number].row, rest[number].place] = rest[number].halves
    found = list(outputs)
    for row in {row for row, _ in chosen}:
        mine = {place: parts for (other, place), parts in chosen.items() if other == row}
        found[row] = _with(outputs[row], mine, memory)
    return found


def _counts(ready: OutputReady) -> bool:
    """Whether an output's pieces are made in this run, each by itself."""
    if ready.plan.settings is None or ready.output.held or ready.bases.names:
        return False
    return not ready.device and not os.path.lexists(ready.path)


def _left(row: int, ready: OutputReady, stock: Stock) -> Iterator[_Left]:
    """The pieces of an output that aren't made, or are made as two."""
    scenes = {path: clip.scenes for path, clip in ready.source.facts.items()}
    able = not ready.rounds_key and ready.recipe.container != "images"
    for place, piece in enumerate(ready.plan.pieces):
        if piece.kind != ENCODE.id or stock.size(piece.name) is not None:
            continue
        parts = halves(piece, scenes) if able else (piece,)
        made = len(parts) > 1 and all(stock.size(part.name) is not None for part in parts)
        yield _Left(row, place, parts, ready.cost(piece), made)


def _threads(outputs: Sequence[OutputReady], left: Sequence[_Left]) -> int:
    """Threads that each encode has of its own: those keep so many slots at work."""
    settings = (outputs[item.row].plan.settings for item in left)
    return max((ENCODERS[told.encoder].threads for told in settings if told), default=1)


def _with(ready: OutputReady, cut: dict[int, tuple[PieceJob, ...]], memory: Memory) -> OutputReady:
    """An output with some pieces cut: the very same as last time where nothing has changed."""
    name = "with halves " + ready.output.id
    asked = (Same(ready), tuple(sorted(cut)))
    known: OutputReady | None = memory.recall(name, asked)
    if known is None:
        known = replace(ready, plan=_cut(ready.plan, cut))
        memory.keep(name, asked, known, most=1)
    return known


def _cut(plan: OutputPlan, cut: dict[int, tuple[PieceJob, ...]]) -> OutputPlan:
    parts = [cut.get(place, (piece,)) for place, piece in enumerate(plan.pieces)]
    shown = plan.shown or ("",) * len(plan.pieces)
    return replace(
        plan,
        pieces=tuple(job for jobs in parts for job in jobs),
        shown=tuple(what for what, jobs in zip(shown, parts, strict=True) for _ in jobs)
        if plan.shown
        else (),
        halved_from=plan.names,
    )
