"""Rendering ahead: which pieces to encode while nobody waits, what that costs, and what the run then still takes."""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple

from chronocast.model.show import counted, time_text
from chronocast.pieces.stock import Stock
from chronocast.preparation.asked.probes import Probe
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook


class AheadPlan(NamedTuple):
    """Pieces to encode ahead.

    Parameters
    ----------
    pieces
        In the operator's order.
    seconds
        What they likely take by the clock, every slot busy.
    left
        What the run likely takes afterwards.
    searched
        How many outputs are left out, since their common quality is still to be found.
    """

    pieces: tuple[Probe, ...]
    seconds: float
    left: float
    searched: int

    @property
    def told(self) -> str:
        """What it costs and gives, in a sentence."""
        later = (
            f" {counted(self.searched, 'file')} in two passes can't be made ahead: their quality is found in the run."
            if self.searched
            else ""
        )
        if not self.pieces:
            return f"Nothing is left to be encoded ahead.{later}"
        return (
            f"{counted(len(self.pieces), 'piece')} ahead take about {time_text(self.seconds)}; the run then takes "
            f"{time_text(self.left)} more. It pays once these files are rendered as they are now; pieces of what is "
            f"changed until then were made in vain.{later}"
        )


def plan_ahead(
    view: Outlook, stock: Stock, outputs: Collection[str] = (), most_seconds: float | None = None
) -> AheadPlan:
    """Which pieces to encode ahead.

    Parameters
    ----------
    view
        The forecast.
    stock
        Where finished pieces are.
    outputs
        Ids of the outputs that are made ahead; all of them, if none is named.
    most_seconds
        How long it may take by the clock; None for as long as it takes.
    """
    chosen = [
        item for item in view.outputs if not item.made and (not outputs or item.ready.output.id in outputs)
    ]
    searched = sum(item.ready.searching for item in chosen)
    found: dict[str, Probe] = {}
    left = None if most_seconds is None else most_seconds * view.slots
    for item in chosen:
        if item.ready.searching:
            continue
        for probe in _pieces(item, stock):
            if probe.piece.name in found or (left is not None and probe.seconds > left):
                continue
            found[probe.piece.name] = probe
            left = None if left is None else left - probe.seconds
    seconds = sum(probe.seconds for probe in found.values()) / max(1, view.slots)
    return AheadPlan(tuple(found.values()), seconds, max(0.0, view.finish.likely - seconds), searched)


def _pieces(item: OutputOutlook, stock: Stock) -> list[Probe]:
    """An output's pieces that are to be encoded, each with its likely seconds."""
    still = [
        piece
        for piece in item.ready.plan.pieces
        if not piece.copied and piece.name not in item.kept_names and stock.size(piece.name) is None
    ]
    work = next((stage.seconds.likely for stage in item.stages if stage.kind.id == "encode"), 0.0)
    frames = max(1, sum(piece.frames for piece in still))
    return [Probe(item.ready, piece, work * piece.frames / frames) for piece in still]
