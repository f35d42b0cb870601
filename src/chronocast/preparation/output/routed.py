"""Which route an output takes: software, or a hardware encoder of this station, and why."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from chronocast.forecast.station import Station
from chronocast.media.encoders.registry import ENCODERS
from chronocast.media.piece.settings import sampling_of
from chronocast.model.device import TriedEncoder
from chronocast.model.messages.check import Check
from chronocast.model.recipe.as_source import decided
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.recipe.routes import RouteRefusal, Wanted, hardware_route


@dataclass(frozen=True)
class RouteTaken:
    """The route an output takes.

    Parameters
    ----------
    device
        What encodes it; None for software.
    told
        Why, in a sentence; "" where software was asked for.
    could
        What could encode it, whether it does or not; None where nothing can.
    """

    device: TriedEncoder | None = None
    told: str = ""
    could: TriedEncoder | None = None

    def as_check(self) -> Check | None:
        """As one of the things that are told of a finished file; None where software was asked for."""
        if not self.told:
            return None
        found = f"{self.told} ({self.device.encoder})" if self.device else self.told
        return Check("encoded in", True, "as it was chosen", found, "the route that its pieces took")


class Routed(NamedTuple):
    """A recipe with its encoder chosen, the route, and a refusal (sentence, remedy) where there is none."""

    recipe: Recipe
    taken: RouteTaken = RouteTaken()
    refused: tuple[str, str] | None = None


def routed(
    recipe: Recipe, size: tuple[int, int], devices: Sequence[TriedEncoder], station: Station
) -> Routed:
    """The route that a recipe takes here.

    Parameters
    ----------
    recipe
        What is made, definite for its source.
    size
        Of the frame, in pixels.
    devices
        Hardware encoders as they were tried here.
    station
        Where it is made.
    """
    picture = recipe.picture
    if picture is None:
        return Routed(recipe)
    codec = picture.kind
    route = hardware_route(Wanted(picture, size, sampling_of(picture)), devices)
    if picture.route == "software":
        return Routed(recipe, RouteTaken(could=route.encoder))
    if route.encoder is None:
        lost = route.nearest is not None and route.nearest.resting and picture.without_device == "software"
        reason, cure = _why_none(route.nearest, codec.name, bool(codec.hardware), bool(devices))
        return _without(recipe, reason, cure, lost or picture.route == "either")
    device, quicker = route.encoder, _times_quicker(recipe, route.encoder, station)
    stand_in = ", a stand-in for a device" if device.stand_in else ""
    if picture.route == "either" and quicker < 1:
        told = f"software: {device.family}{stand_in} would take {1 / quicker:.1f} × as long"
        return Routed(encoded_by(recipe, None), RouteTaken(None, told, device))
    why = f", {quicker:.1f} × as quick as software" if picture.route == "either" else ""
    told = f"hardware: {device.device}{stand_in}{why}"
    return Routed(encoded_by(recipe, device.encoder), RouteTaken(device, told, device))


def _why_none(nearest: RouteRefusal | None, codec: str, any_device: bool, tried: bool) -> tuple[str, str]:
    """Why no device encodes it, and what would help."""
    if nearest is not None:
        return nearest.sentence, nearest.cure
    if not any_device:
        return f"no device encodes {codec}", "Choose software, or H.264, HEVC or AV1."
    if not tried:
        return (
            "this machine's hardware encoders weren't tried yet",
            "Try them in House, or with “chronocast station encoders”.",
        )
    return f"no device that was tried encodes {codec}", "Choose software."


def _without(recipe: Recipe, reason: str, cure: str, software: bool) -> Routed:
    """Software where that will do as well, else a refusal."""
    assert recipe.picture is not None
    if software:
        return Routed(encoded_by(recipe, None), RouteTaken(None, f"software, since {reason}"))
    name = recipe.picture.kind.name
    return Routed(recipe, RouteTaken(), (f"{name} can't be encoded in hardware here: {reason}.", cure))


def encoded_by(recipe: Recipe, encoder: str | None) -> Recipe:
    """The recipe with that encoder; None for the usual one of software."""
    assert recipe.picture is not None
    kept = recipe.picture.encoder if recipe.picture.encoder in recipe.picture.kind.encoders else None
    return decided(recipe, recipe.picture.model_copy(update={"encoder": encoder or kept}))


def _times_quicker(recipe: Recipe, device: TriedEncoder, station: Station) -> float:
    """How many times as quick a device is as software with all slots of the station."""
    assert recipe.picture is not None
    picture = recipe.picture
    name = picture.encoder if picture.encoder in picture.kind.encoders else picture.kind.encoders[0]
    software = station.pace.encode * ENCODERS[name].effort(picture.effort) / max(1, station.slots)
    return float(software / max(1e-6, device.seconds_a_megapixel / max(1, device.sessions)))
