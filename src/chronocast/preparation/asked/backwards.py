"""The forecast asked backwards: a size limit, a line and a time wanted, answered with a rate or with what would help."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np

from chronocast.forecast.band import Band, Chance, Draws, band
from chronocast.forecast.inverse import chance_of, largest, send_seconds
from chronocast.forecast.learning.experience import Experience
from chronocast.forecast.outputs import OutputAsk, forecast_outputs
from chronocast.forecast.station import Station
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.exceptions import with_values
from chronocast.model.errors import ModelError
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.show import percent, rate_bits_text, size_text, time_text
from chronocast.pieces.stock import Stock
from chronocast.preparation.asked.candidates import BITS, EFFORT, MODE, varied_ask
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_ask import output_ask
from chronocast.preparation.forecast.placing import evening
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.schedule.placement import evening_of, place_evening

LEAST_RATE, MOST_RATE = 20_000.0, 400_000_000.0
"""Rates in bit/s between which an answer is looked for."""


@dataclass(frozen=True)
class Circumstances:
    """What an answer rests on: the stock, the station, what the ledger has taught."""

    stock: Stock
    station: Station
    learned: Experience


@dataclass(frozen=True)
class RateAnswer:
    """The largest rate of picture with which a file keeps a limit.

    Parameters
    ----------
    bits
        Bit/s of picture; None where even the least doesn't keep it.
    bytes
        What the file then takes.
    limit
        Bytes that the safe size has to keep below.
    seconds
        To be across the line, where one was asked about.
    """

    bits: float | None
    bytes: Band
    limit: float
    seconds: Band | None = None

    @property
    def room(self) -> float:
        """Bytes that are left under the limit at the safe size."""
        return self.limit - self.bytes.safe

    @property
    def rate(self) -> str:
        """The rate in words: where the largest that was looked at does, the pictures can't use it."""
        return "any rate" if (self.bits or 0) >= MOST_RATE else rate_bits_text(self.bits or 0)

    @property
    def told_across(self) -> str:
        """A sentence about the line."""
        if self.bits is None or self.seconds is None:
            return "no rate is made, proved and across the line when it is wanted"
        if self.bits >= MOST_RATE:
            return (
                "any rate is across the line when it is wanted, since these pictures can't use more: "
                f"made next, in {time_text(self.seconds.likely)}, safe {time_text(self.seconds.safe)}"
            )
        return (
            f"{self.rate} is the most that is across the line when it is wanted: "
            f"made next, in {time_text(self.seconds.likely)}, safe {time_text(self.seconds.safe)}"
        )

    @property
    def told(self) -> str:
        """A sentence."""
        if self.bits is None:
            return f"No rate keeps {size_text(self.limit)}: sound and container alone take too much."
        sent = f", across the line in {time_text(self.seconds.safe)}" if self.seconds else ""
        return (
            f"{self.rate} keeps {size_text(self.limit)}: {size_text(self.bytes.likely)}, "
            f"safe {size_text(self.bytes.safe)}, {size_text(max(0.0, self.room))} to spare{sent}"
        )


def at_rate(recipe: Recipe, bits: float) -> Recipe:
    """A recipe at another rate of picture: variable where it wasn't rated.

    Parameters
    ----------
    recipe
        The recipe.
    bits
        Bit/s.
    """
    picture = recipe.picture
    assert picture is not None
    mode = picture.rate_control.mode if picture.steering.rated else "variable"
    return with_values(recipe, {MODE: mode, BITS: round(bits)})


def can_be_rated(recipe: Recipe) -> bool:
    """Whether a rate can be asked of its codec."""
    return recipe.picture is not None and "variable" in recipe.picture.kind.modes


def _see_rate(ready: OutputReady) -> None:
    if not can_be_rated(ready.recipe):
        raise ModelError(
            f"{ready.recipe.name} asks for no rate, so none can be found.", "Choose a codec with a rate."
        )


def _sizes(ready: OutputReady, now: Circumstances) -> Callable[[float], Draws]:
    """Bytes of an output at any rate, always with the same draws."""
    ask = output_ask(ready, now.stock, None)
    known: dict[float, Draws] = {}

    def size(bits: float) -> Draws:
        if bits not in known:
            other = varied_ask(ready, ask, at_rate(ready.recipe, bits))
            known[bits] = forecast_outputs([other], now.station, now.learned, Chance()).bytes[0]
        return known[bits]

    return size


def rate_for_size(ready: OutputReady, limit: float, now: Circumstances) -> RateAnswer:
    """The largest rate with which an output's safe size keeps a limit.

    Parameters
    ----------
    ready
        The output, planned.
    limit
        Bytes.
    now
        What the answer rests on.

    Raises
    ------
    ModelError
        Its codec takes no rate.
    """
    _see_rate(ready)
    size = _sizes(ready, now)
    bits = largest(lambda rate: band(size(rate)).safe <= limit, LEAST_RATE, MOST_RATE)
    return RateAnswer(bits, band(size(bits or LEAST_RATE)), limit)


def rate_across_by(ready: OutputReady, line: float, seconds: float, now: Circumstances) -> RateAnswer:
    """The largest rate with which an output is made, proved and across a line in time, safely.

    Parameters
    ----------
    ready
        The output, planned; it is made next, by itself.
    line
        Bit/s that the line carries.
    seconds
        From now.
    now
        What the answer rests on.

    Raises
    ------
    ModelError
        Its codec takes no rate.
    """
    _see_rate(ready)
    ask = output_ask(ready, now.stock, None)

    def across(bits: float) -> tuple[Draws, Draws]:
        other = varied_ask(ready, ask, at_rate(ready.recipe, bits))
        told = forecast_outputs([other], now.station, now.learned, Chance())
        (finish,) = place_evening(evening_of(told.work, now.station, now.learned, Chance())).finishes
        return finish.end + send_seconds(told.bytes[0], line), told.bytes[0]

    bits = largest(lambda rate: band(across(rate)[0]).safe <= seconds, LEAST_RATE, MOST_RATE)
    whole, size = across(bits or LEAST_RATE)
    return RateAnswer(bits, band(size), line * max(0.0, seconds) / 8, band(whole))


@dataclass(frozen=True)
class Remedy:
    """A change of all outputs that would bring the finish forward.

    Parameters
    ----------
    words
        What is changed.
    values
        Fields of recipes that do so.
    finish
        Seconds from now when all is finished.
    chance
        How likely it is to be in time, from 0 to 1.
    """

    words: str
    values: dict[str, str]
    finish: Band
    chance: float


@dataclass(frozen=True)
class DeadlineAnswer:
    """Whether a batch is in time, and what would help, the best first."""

    wanted: datetime
    chance: float
    finish: Band
    remedies: tuple[Remedy, ...]

    @property
    def told(self) -> str:
        """A sentence."""
        told = f"in time: {percent(self.chance)}"
        if self.chance >= 0.9 or not self.remedies:
            return told
        best = self.remedies[0]
        return f"{told}; with {best.words} {percent(best.chance)}"


def all_finished(asks: Sequence[OutputAsk], view: Outlook, batch: Batch, now: Circumstances) -> Draws:
    """When the last of some outputs would be finished, made otherwise than they are forecast; shape (draws,).

    Where, when and in which order they may be made is as in the forecast.

    Parameters
    ----------
    asks
        What is left of the forecast's outputs, in its order.
    view
        The forecast.
    batch
        What it is of.
    now
        What the answer rests on.
    """
    told = forecast_outputs(asks, now.station, now.learned, Chance())
    still = [item.ready for item in view.outputs if not item.made]
    night = evening(
        told.work,
        still,
        batch,
        now.station,
        learned=now.learned,
        chance=Chance(),
        now=view.at,
        sizes=np.median(told.bytes, axis=1),
    )
    return place_evening(night, batch.wish).end


def in_time(view: Outlook, batch: Batch, wanted: datetime, now: Circumstances) -> DeadlineAnswer:
    """How likely the outputs of a forecast are in time, and what would help.

    Parameters
    ----------
    view
        The forecast.
    batch
        What it is of.
    wanted
        When they are wanted.
    now
        What the answer rests on.
    """
    seconds = (wanted - view.at).total_seconds()
    still = [item.ready for item in view.outputs if not item.made]
    asks = [output_ask(ready, now.stock, None) for ready in still]
    finish = view.draws.finish
    remedies, tried = [], list[list[OutputAsk]]()
    for words, values in (
        ("one pass for all", {MODE: "variable"}),
        ("fast effort for all", {EFFORT: "fast"}),
        ("one pass and fast effort for all", {MODE: "variable", EFFORT: "fast"}),
    ):
        changed = [_changed(ready, ask, values) for ready, ask in zip(still, asks, strict=True)]
        if changed in (asks, *tried):
            continue
        tried.append(changed)
        then = all_finished(changed, view, batch, now)
        if band(then).likely < band(finish).likely * 0.99:
            remedies.append(Remedy(words, values, band(then), chance_of(then, seconds)))
    remedies.sort(key=lambda remedy: (-round(remedy.chance, 2), len(remedy.values)))
    return DeadlineAnswer(wanted, chance_of(finish, seconds), band(finish), tuple(remedies))


def _changed(ready: OutputReady, ask: OutputAsk, values: dict[str, str]) -> OutputAsk:
    """The output with fields changed that it has and that say something else; itself where nothing is."""
    picture = ready.recipe.picture
    if picture is None or ask.picture is None:
        return ask
    fitting = {}
    if MODE in values and picture.rate_control.mode == "two pass" and picture.kind.modes:
        fitting[MODE] = values[MODE]
    if EFFORT in values and picture.kind.efforts and picture.effort != values[EFFORT]:
        fitting[EFFORT] = values[EFFORT]
    if not fitting:
        return ask
    try:
        other = varied_ask(ready, ask, with_values(ready.recipe, fitting))
    except ModelError:
        return ask
    return replace(other, id=ask.id)
