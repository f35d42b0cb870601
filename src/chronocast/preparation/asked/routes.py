"""Hardware against software on the very pictures of an output: encoded both ways, and compared."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace
from statistics import fmean
from typing import NamedTuple

from chronocast.forecast.station import Station
from chronocast.model.answers import Answer
from chronocast.model.show import counted, db_text, percent, time_text
from chronocast.pieces.stock import Stock
from chronocast.preparation.asked.probes import Probe
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.output.output_ready import SOFTWARE, OutputReady
from chronocast.preparation.output.routed import RouteTaken, encoded_by

EACH = 2
"""So many pieces of an output are encoded both ways."""


def other_route(ready: OutputReady) -> OutputReady | None:
    """The output by the route that it doesn't take; None where there is none.

    Parameters
    ----------
    ready
        The output, planned.
    """
    device = ready.route.could
    if device is None or ready.searching:
        return None
    if ready.device:
        recipe, route = encoded_by(ready.recipe, None), SOFTWARE
    else:
        recipe, route = (
            encoded_by(ready.recipe, device.encoder),
            RouteTaken(device, f"hardware: {device.device}", device),
        )
    plan = ready.source.plan(ready.part, recipe, ready.output.framing)
    return replace(ready, recipe=recipe, plan=plan, route=route, rounds=None)


def route_probes(view: Outlook, stock: Stock, outputs: Collection[str] = ()) -> list[Probe]:
    """Pieces to encode by both routes: of each output the one whose packets say most, and one in the middle.

    Parameters
    ----------
    view
        The forecast.
    stock
        Where finished pieces are.
    outputs
        Ids of the outputs; all that have two routes, if none is named.
    """
    found: dict[str, Probe] = {}
    for item in view.outputs:
        ready = item.ready
        if item.made or (outputs and ready.output.id not in outputs) or (other := other_route(ready)) is None:
            continue
        each = item.seconds.likely / max(1, len(ready.plan.pieces))
        for number in probed_pieces(ready):
            for one in (ready, other):
                piece = one.plan.pieces[number]
                if stock.size(piece.name) is None and not piece.copied:
                    found.setdefault(piece.name, Probe(one, piece, each))
    return list(found.values())


def probed_pieces(ready: OutputReady) -> tuple[int, ...]:
    """Which pieces of an output are encoded both ways, by their number: the hardest, and one of middling hardness."""
    hard = [part.packets if part.packets is not None else 0.0 for part in ready.content]
    order = sorted(range(len(hard)), key=lambda number: -hard[number])
    return tuple(dict.fromkeys((order[0], order[len(order) // 2])))[:EACH] if order else ()


class _Side(NamedTuple):
    """What some pieces took by one route: seconds of it, bytes, frames, XPSNR of each piece in dB."""

    seconds: float
    bytes: int
    frames: int
    looks: tuple[float, ...]


class RouteCompared(NamedTuple):
    """Hardware against software for one output.

    Parameters
    ----------
    output
        Its id.
    device
        The device and its driver.
    stand_in
        Whether it only stands in for a device.
    sooner
        By so many seconds hardware is ready sooner, every slot and every session busy; below 0 later.
    larger
        By which share it is larger at the same XPSNR.
    loses
        What the worst piece loses in dB of XPSNR at the settings as they are.
    pieces
        On how many pieces that was measured, of how many.
    """

    output: str
    device: str
    stand_in: bool
    sooner: float
    larger: float
    loses: float
    pieces: tuple[int, int]

    @property
    def told(self) -> str:
        """It in a sentence."""
        when = f"{time_text(abs(self.sooner))} {'sooner' if self.sooner >= 0 else 'later'}"
        size = f"{percent(abs(self.larger))} {'larger' if self.larger >= 0 else 'smaller'} at the same XPSNR"
        worst = (
            f"the worst piece loses {db_text(self.loses)}"
            if self.loses > 0.05
            else f"the worst piece gains {db_text(-self.loses)}"
            if self.loses < -0.05
            else "the worst piece looks the same"
        )
        some, whole = self.pieces
        label = ", a stand-in for a device" if self.stand_in else ""
        return (
            f"hardware ({self.device}{label}): {when}, {size}; {worst} "
            f"(measured on {some} of {counted(whole, 'piece')})"
        )

    def as_json(self) -> Answer:
        """As answers have it."""
        return {
            "id": self.output,
            "device": self.device,
            "stand_in": self.stand_in,
            "sooner_seconds": round(self.sooner, 2),
            "larger_at_equal_xpsnr": round(self.larger, 4),
            "worst_piece_loses_db": round(self.loses, 2),
            "pieces": {"measured": self.pieces[0], "total": self.pieces[1]},
            "told": self.told,
        }


def compare_routes(ready: OutputReady, stock: Stock, station: Station) -> RouteCompared | None:
    """Hardware against software by what pieces that are in the stock took both ways; None where none are.

    Parameters
    ----------
    ready
        The output, planned.
    stock
        Where finished pieces are.
    station
        Where it is made.
    """
    other, device = other_route(ready), ready.route.could
    if other is None or device is None:
        return None
    soft, hard = (other, ready) if ready.device else (ready, other)
    both = [
        number
        for number in range(min(len(soft.plan.pieces), len(hard.plan.pieces)))
        if all(_known(stock, one.plan.pieces[number].name) for one in (soft, hard))
    ]
    if not both or soft.look_prior is None:
        return None
    one, two = (_side(stock, ready, both, by_clock=ready is hard) for ready in (soft, hard))
    sessions = dict(station.devices).get(device.family, 1)
    whole = sum(piece.frames for piece in soft.plan.pieces)
    sooner = whole * (one.seconds / one.frames / station.slots - two.seconds / two.frames / max(1, sessions))
    # as many bytes more as it takes to look the same
    halvings = (fmean(one.looks) - fmean(two.looks)) / soft.look_prior.per_halving
    larger = two.bytes * 2**halvings / max(1, one.bytes) - 1
    loses = max(a - b for a, b in zip(one.looks, two.looks, strict=True))
    measured = (len(both), len(soft.plan.pieces))
    return RouteCompared(ready.output.id, device.device, device.stand_in, sooner, larger, loses, measured)


def _known(stock: Stock, name: str) -> bool:
    kept = stock.find(name)
    return kept is not None and bool(kept.facts.get("likeness")) and bool(kept.facts.get("wall_seconds"))


def _side(stock: Stock, ready: OutputReady, numbers: Sequence[int], by_clock: bool) -> _Side:
    """What pieces took: of a device by the clock, of software by the processor."""
    seconds, size, frames, looks = 0.0, 0, 0, []
    for number in numbers:
        piece = ready.plan.pieces[number]
        kept = stock.find(piece.name)
        assert kept is not None
        seconds += float(kept.facts["wall_seconds" if by_clock else "cpu_seconds"])
        size, frames = size + kept.bytes, frames + piece.frames
        looks.append(fmean(float(found[3]) for found in kept.facts["likeness"]))
    return _Side(seconds, size, frames, tuple(looks))
