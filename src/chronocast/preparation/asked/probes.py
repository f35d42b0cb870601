"""Which pieces to encode ahead so that a forecast becomes sharper, within a budget of seconds."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp

import numpy as np

from chronocast.model.messages.jobs import PieceJob
from chronocast.pieces.stock import Stock
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook
from chronocast.preparation.output.output_ready import OutputReady

BUDGET_SECONDS = 30.0
"""How long probing takes by the clock, where nobody says."""
NARROWED = 0.6
"""About what is left of a film's doubt with each more of its pieces."""
LEAST_SPREAD = 0.06
"""An output whose safe size is no more than so much above its P10 needs no probe."""


@dataclass(frozen=True)
class Probe:
    """A piece of an output that is encoded ahead; it goes into the stock, so that the work is never lost.

    ``seconds`` is what it likely takes.
    """

    ready: OutputReady
    piece: PieceJob
    seconds: float


def choose_probes(view: Outlook, stock: Stock, budget: float = BUDGET_SECONDS) -> list[Probe]:
    """Pieces to encode ahead: of the films that most of the doubt in bytes comes from, spread over each film.

    Outputs whose common quality is still searched for are left out: their
    pieces would be made again.  Other outputs of the same film tell of them.

    Parameters
    ----------
    view
        The forecast.
    stock
        Where finished pieces are.
    budget
        Seconds by the clock.
    """
    films: dict[str, list[OutputOutlook]] = {}
    for item in view.outputs:
        films.setdefault(item.ready.film, []).append(item)
    waiting = {film: queue for film, items in films.items() if (queue := _queue(items, stock))}
    doubt = {
        film: sum(item.bytes.safe - item.bytes.p10 for item in films[film] if not item.made)
        for film in waiting
    }
    found: list[Probe] = []
    left = budget * view.slots
    while waiting:
        film = max(waiting, key=lambda name: doubt[name] / max(0.1, waiting[name][0].seconds))
        probe = waiting[film].pop(0)
        if probe.seconds <= left:
            found.append(probe)
            left -= probe.seconds
            doubt[film] *= NARROWED
        else:
            waiting[film].clear()
        if not waiting[film]:
            del waiting[film]
    return found


def _queue(items: Sequence[OutputOutlook], stock: Stock) -> list[Probe]:
    """Pieces of a film's most doubtful output that can be probed, so that any first few of them are spread over it."""
    able = [
        item
        for item in items
        if item.ready.plan.pieces
        and not item.made
        and not item.ready.searching
        and item.bytes.safe > item.bytes.p10 * (1 + LEAST_SPREAD)
    ]
    if not able:
        return []
    chosen = max(able, key=lambda item: item.bytes.safe - item.bytes.p10)
    ready = chosen.ready
    told = [exp(part.packets) if part.packets is not None else 1.0 for part in ready.content]
    mass = np.cumsum([weight * piece.frames for weight, piece in zip(told, ready.plan.pieces, strict=True)])
    still = [
        n for n, piece in enumerate(ready.plan.pieces) if not piece.copied and stock.size(piece.name) is None
    ]
    frames = max(1, sum(ready.plan.pieces[n].frames for n in still))
    order: dict[int, None] = {}
    for step in range(1, 4 * len(mass) + 1):
        order.setdefault(int(np.searchsorted(mass, _spread(step) * mass[-1])), None)
    numbers = [n for n in order if n in set(still)]
    seconds = max(0.05, chosen.cpu_seconds.likely)
    return [
        Probe(ready, ready.plan.pieces[n], seconds * ready.plan.pieces[n].frames / frames) for n in numbers
    ]


def _spread(number: int) -> float:
    """Shares from 0 to 1, any first few of them evenly spread (van der Corput's sequence, base 2)."""
    value, part = 0.0, 0.5
    while number:
        value += part * (number & 1)
        number, part = number >> 1, part / 2
    return value
