"""Which outputs are encoded from base pieces: where composing their pictures once saves work, or where that is wished."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from chronocast.forecast.learning.memory import Memory
from chronocast.model.lookup import Same
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.pauses import pause
from chronocast.pieces.base_pieces import base_bytes, base_piece
from chronocast.pieces.stock import Stock
from chronocast.preparation.output.output_ready import BasesWanted, OutputReady
from chronocast.preparation.station.drives import free_bytes

LEAST_SHARE = 0.05
"""Less than this of all that the outputs cost isn't worth the room."""
LEAST_WORK = 20.0
"""Nor is less than this, in millions of pixels: about a second."""
LATER = 1.1
"""Where slots would stand idle, so much longer by the clock is too much for work that is spared."""
ROOM_SHARE = 0.5
"""Of what is free on the stock's drive, base pieces take no more than this."""


@dataclass
class _Base:
    """A base piece, and the outputs whose pieces are encoded from it."""

    job: PieceJob
    there: bool
    rows: dict[int, float]
    saved: float = 0.0


class _Decided(NamedTuple):
    """Base pieces of outputs that are composed alike, numbered among themselves; none where they don't pay."""

    bases: tuple[_Base, ...]
    saved: float


def with_bases(
    outputs: Sequence[OutputReady], stock: Stock, memory: Memory | None = None, slots: int = 1
) -> list[OutputReady]:
    """The outputs, those encoded from base pieces with them.

    Parameters
    ----------
    outputs
        Outputs, planned.
    stock
        Where finished pieces are.
    memory
        What was decided last for those that nothing of has changed.
    slots
        How many pieces are made at once.
    """
    found, memory = list(outputs), memory or Memory()
    room, state = free_bytes(stock.folder) * ROOM_SHARE, stock.state()
    pieces = sum(len(ready.plan.pieces) for ready in outputs if not ready.output.held)
    for rows in _alike(outputs):
        pause()
        group = [outputs[row] for row in rows]
        # slots that would stand idle meanwhile, as nothing else is to be done
        idle = slots if pieces - sum(len(ready.plan.pieces) for ready in group) < slots else 1
        name, asked = "bases of " + group[0].output.id, (state, idle, [Same(ready) for ready in group])
        decided: _Decided | None = memory.recall(name, asked)
        if decided is None:
            decided = _decide(group, stock, idle)
            memory.keep(name, asked, decided, most=1)
        taken = set[str]()
        for base in decided.bases:
            size = 0.0 if base.there else base_bytes(base.job)
            if size <= room:
                room -= size
                taken.add(base.job.name)
        for number, row in enumerate(rows):
            bases = [base for base in decided.bases if base.job.name in taken and number in base.rows]
            if bases:
                sharing = {other for base in bases for other in base.rows}
                names = frozenset(base.job.name for base in bases)
                wanted = BasesWanted(names, len(sharing), max(0.0, decided.saved))
                found[row] = _with(group[number], wanted, memory)
    return found


def _with(ready: OutputReady, wanted: BasesWanted, memory: Memory) -> OutputReady:
    """An output that wants base pieces: the very same as last time where nothing has changed."""
    name, asked = "with bases " + ready.output.id, (Same(ready), wanted)
    known: OutputReady | None = memory.recall(name, asked)
    if known is None:
        known = replace(ready, bases=wanted)
        memory.keep(name, asked, known, most=1)
    return known


def _decide(group: Sequence[OutputReady], stock: Stock, slots: int) -> _Decided:
    """Which base pieces outputs that are composed alike are worth."""
    wished = any(_wish(ready) == "kept" for ready in group)
    bases = [base for base in _shared(group, stock) if wished or base.saved > 0]
    saved = sum(base.saved for base in bases)
    return _Decided(tuple(bases) if wished or (bases and _pays(group, bases, slots)) else (), saved)


def _pays(group: Sequence[OutputReady], bases: Sequence[_Base], slots: int) -> bool:
    """Whether base pieces are worth it for these outputs: in work, and by the clock of slots that have nothing else to do.

    Encodes wait for their base piece: of a few short ones slots would stand idle for longer than they spare.
    """
    saved = sum(base.saved for base in bases)
    if saved <= LEAST_WORK:
        return False
    encodes = [ready.cost(piece) * ready.times for ready in group for piece in ready.plan.pieces]
    whole = sum(encodes)
    if saved <= LEAST_SHARE * whole:
        return False
    first = sum(group[next(iter(base.rows))].cost(base.job) for base in bases if not base.there)
    after = (whole - saved - first) / min(slots, len(encodes))
    return first / min(slots, len(bases)) + after < LATER * whole / min(slots, len(encodes))


def _wish(ready: OutputReady) -> str:
    return ready.recipe.picture.bases if ready.recipe.picture else "never"


def _alike(outputs: Sequence[OutputReady]) -> Iterator[list[int]]:
    """Rows of outputs whose pictures are composed alike, where more than one encode is made of them, or it is wished."""
    found: dict[tuple[object, ...], list[int]] = {}
    for row, ready in enumerate(outputs):
        pause()
        settings, picture = ready.plan.settings, ready.recipe.picture
        if settings is None or picture is None or picture.bases == "never" or ready.output.held:
            continue
        if not ready.plan.pieces or os.path.lexists(ready.path):  # made already, or in the way
            continue
        first = ready.plan.pieces[0]
        key = (
            id(ready.source.plans),
            (ready.part.start, ready.part.stop),
            (first.width, first.height, first.canvas, first.shape, first.colour, first.view),
            (first.rate, settings.working or settings.pixel_format, settings.woven, settings.own_fields),
            picture.retime,
        )
        found.setdefault(key, []).append(row)
    for rows in found.values():
        encodes = sum(outputs[row].times for row in rows)
        wished = any(_wish(outputs[row]) == "kept" for row in rows)
        if (encodes > 1.5 or wished) and not any(outputs[row].damage for row in rows):
            yield rows


def _shared(outputs: Sequence[OutputReady], stock: Stock) -> list[_Base]:
    """The base pieces of outputs that are composed alike, with the work that each saves, in their order."""
    found: dict[str, _Base] = {}
    for row, ready in enumerate(outputs):
        for piece in ready.plan.pieces:
            kept = not ready.searching and stock.size(piece.name) is not None
            base = None if kept else base_piece(piece)
            if base is None:
                continue
            known = found.setdefault(base.name, _Base(base, stock.size(base.name) is not None, {}))
            known.rows[row] = ready.times
    for shared in found.values():
        ready = outputs[next(iter(shared.rows))]
        composing, reading = ready.composing(shared.job), ready.composing(shared.job, True)
        first = 0.0 if shared.there else ready.cost(shared.job)
        shared.saved = sum(shared.rows.values()) * (composing - reading) - first
    return list(found.values())
