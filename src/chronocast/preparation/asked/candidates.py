"""Other ways to make an output, each with what it takes: passes, effort, rate or quality, size of the frame."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from math import log2
from typing import Any

import numpy as np

from chronocast.forecast.band import Band, Chance, Draws, band
from chronocast.forecast.learning.experience import Experience
from chronocast.forecast.outputs import OutputAsk, forecast_outputs, output_looks, picture_draws
from chronocast.forecast.picture.priors import look_prior, size_prior
from chronocast.forecast.station import Station
from chronocast.forecast.ways import Way
from chronocast.media.encoders.registry import ENCODERS
from chronocast.model.batch.exceptions import with_values
from chronocast.model.errors import ModelError
from chronocast.model.recipe.contradictions import conflicts
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.show import rate_bits_text, time_text
from chronocast.pieces.copying import GROUPED
from chronocast.pieces.rounds import remaining_encodes
from chronocast.pieces.stock import Stock
from chronocast.preparation.asked.routes import other_route
from chronocast.preparation.forecast.output_ask import output_ask
from chronocast.preparation.forecast.output_outlook import LooksOutlook
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.source.source_ready import SourceReady

RATE_STEPS = (0.5, 0.71, 1.41, 2.0)
"""Rates that are tried, against the present one."""
QUALITY_STEPS = (-4.0, -2.0, 2.0, 4.0)
"""Steps of quality that are tried, on scales of about 50."""
MODE, BITS, QUALITY = (
    "picture.rate_control.mode",
    "picture.rate_control.target_bits_per_second",
    "picture.rate_control.quality",
)
DRAWN, COPIES, ROUTE = "picture.drawn", "picture.copies", "picture.route"
EFFORT = "picture.effort"
EFFORT_SHARE = {"fast": 1.06, "medium": 1.0, "slow": 0.95}
"""Bytes at an equal look against medium effort, about; only to say what looks better."""


@dataclass(frozen=True)
class Candidate:
    """One way to make an output.

    Parameters
    ----------
    words
        What is other than now; "" for as it is.
    values
        Fields of the recipe that make it so.
    seconds, bytes
        What it takes.
    looks
        The constant quality on the codec's own scale that it would look like; None where that isn't known.
    xpsnr
        How like the original it looks, in dB; None where that isn't known.
    dominated
        Whether another one is better in everything.
    """

    words: str
    values: Mapping[str, Any]
    seconds: Band
    bytes: Band
    looks: float | None
    xpsnr: LooksOutlook | None = None
    dominated: bool = False

    @property
    def besides(self) -> str:
        """What else is to be said of it, as the end of a sentence; "" where nothing is."""
        return ""

    @property
    def present(self) -> bool:
        """Whether it is as it is now."""
        return not self.values

    def against(self, now: Candidate) -> str:
        """What it gives and takes against another one: ``two passes: +12 min, −3 % size, +0.3 dB in the worst shot``."""
        told = []
        seconds = self.seconds.likely - now.seconds.likely
        if abs(seconds) > 0.02 * max(now.seconds.likely, 1.0):
            told.append(("+" if seconds > 0 else "−") + time_text(abs(seconds)))
        share = self.bytes.likely / max(1.0, now.bytes.likely) - 1
        if abs(share) > 0.01:
            told.append(f"{share:+.0%} size".replace("%", " %").replace("-", "−"))
        if self.xpsnr and now.xpsnr:
            more = self.xpsnr.worst.likely - now.xpsnr.worst.likely
            told.append(
                f"{more:+.1f} dB in the worst shot".replace("-", "−")
                if abs(more) >= 0.05
                else "the worst shot looks the same"
            )
        return f"{self.words}: {', '.join(told)}" if told else f"{self.words}: about the same"


def varied_ask(ready: OutputReady, ask: OutputAsk, recipe: Recipe) -> OutputAsk:
    """An output as the forecast asks for it, made by another recipe of the same codec and frame size.

    Parameters
    ----------
    ready
        The output, planned.
    ask
        The same as it is.
    recipe
        The other recipe.
    """
    way, frames = way_of(ready, recipe), ask.picture
    assert frames is not None and recipe.picture is not None
    control = recipe.picture.rate_control
    return replace(
        ask,
        picture=replace(
            frames,
            family=f"{frames.family} {recipe.picture.effort} {control.mode} {control.quality:g}",
            prior=way.prior,
            # what is copied has its source's bytes, whatever is asked of the rest
            kept=[size if n in frames.copied else None for n, size in enumerate(frames.kept)],
            look=way.look,
        ),
        pieces=tuple(
            replace(piece, factor=way.factor, pace=way.pace, times=way.times) for piece in ask.pieces
        ),
        open=tuple(n not in frames.copied for n in range(len(ask.pieces))),
        made=None,
    )


def way_of(ready: OutputReady, recipe: Recipe) -> Way:
    """How an output would be made by another recipe of the same codec and frame size.

    Parameters
    ----------
    ready
        The output, planned.
    recipe
        The other recipe.
    """
    picture, plan = recipe.picture, ready.plan
    assert picture is not None and plan.settings is not None
    encoder = ENCODERS[plan.settings.encoder]
    return Way(
        size_prior(picture, plan.width * plan.height, float(plan.rate), encoder.larger),
        look_prior(picture),
        encoder.effort(picture.effort),
        f"{plan.settings.encoder} {picture.effort} {plan.settings.threads} by pixels",
        remaining_encodes(None, len(plan.pieces)) if picture.steering.searched else 1.0,
    )


def taken(recipe: Recipe, values: Mapping[str, Any], like: Recipe) -> Recipe | None:
    """A recipe with a way's values; None where they would change nothing of it, or make it one that can't be.

    Parameters
    ----------
    recipe
        What an output is made by.
    values
        The way's.
    like
        The recipe that the way was found for: a quality is one on its codec's scale.
    """
    picture, other = recipe.picture, like.picture
    if picture is None or other is None:
        return None
    codec = picture.kind
    fits = {
        EFFORT: bool(codec.efforts),
        MODE: values.get(MODE) in codec.modes and picture.steering.rated,
        BITS: picture.steering.rated,
        QUALITY: codec.id == other.kind.id and not picture.steering.rated,
    }
    if not all(fits.get(field, True) for field in values):
        return None
    try:
        found = with_values(recipe, values)
    except ModelError:
        return None
    return None if found == recipe or conflicts(found) else found


def variations(recipe: Recipe) -> list[tuple[str, dict[str, Any]]]:
    """What could be other in a recipe, in words and as values of its fields."""
    picture = recipe.picture
    if picture is None or not picture.kind.modes:
        return []
    found: list[tuple[str, dict[str, Any]]] = []
    control, codec = picture.rate_control, picture.kind
    if codec.efforts:
        found += [
            (f"{effort} effort", {EFFORT: effort})
            for effort in ("fast", "medium", "slow")
            if effort != picture.effort
        ]
    if picture.steering.rated:
        for mode in ("variable", "two pass"):
            if mode != control.mode and mode in codec.modes:
                found.append(("one pass" if mode == "variable" else "two passes", {MODE: mode}))
        for step in RATE_STEPS:
            bits = round(control.target_bits_per_second * step, -4)
            if bits > 0:
                found.append((rate_bits_text(bits), {BITS: int(bits)}))
    elif codec.quality:
        best, worst, _ = codec.quality
        span = (worst - best) / 50
        for step in QUALITY_STEPS:
            value = round(control.quality + step * span, 1)
            if best <= value <= worst:
                found.append((f"quality {value:g}", {QUALITY: value}))
    return found


def planned_otherwise(ready: OutputReady) -> Iterator[tuple[str, dict[str, Any], OutputReady]]:
    """Ways for which an output is planned anew: the other route, drawn from proxies or originals, its source's groups copied or not.

    Parameters
    ----------
    ready
        The output, planned.

    Yields
    ------
    tuple
        What is other, in words and as values of the recipe's fields, and the output.
    """
    picture = ready.recipe.picture
    if picture is None or ready.searching:
        return
    if other := other_route(ready):
        words = "in software" if ready.device else f"in hardware ({other.device})"
        yield words, {ROUTE: "hardware" if other.device else "software"}, other
    source = ready.source.original or ready.source.proxied
    if source is not None:
        proxies = bool(source.from_proxies)
        words = "drawn from proxies, a draft" if proxies else "drawn from originals"
        values = {DRAWN: "proxies" if proxies else "originals"}
        yield words, values, _replanned(ready, values, source)
    if picture.kind.id in GROUPED and picture.steering.id == "quality" and not picture.peak:
        copies = picture.copies != "alike"
        values = {COPIES: "alike" if copies else "exact"}
        other = _replanned(ready, values, ready.source)
        if any(piece.copied for piece in (other if copies else ready).plan.pieces):
            yield "copied where the source fits" if copies else "all encoded", values, other


def _replanned(ready: OutputReady, values: dict[str, Any], source: SourceReady) -> OutputReady:
    recipe = with_values(ready.recipe, values)
    plan = source.plan(ready.part, recipe, ready.output.framing, ready.rounds)
    return replace(ready, source=source, recipe=recipe, plan=plan)


def candidates(
    ready: OutputReady, stock: Stock, station: Station, learned: Experience, limit: int = 16
) -> tuple[Candidate, ...]:
    """Ways to make an output, the present one first; all are forecast with the same draws.

    Parameters
    ----------
    ready
        The output, planned.
    stock
        Where finished pieces are.
    station
        Where it is made.
    learned
        What the ledger has taught.
    limit
        How many at most.
    """
    if ready.recipe.picture is None or ready.plan.settings is None:
        return ()
    now = output_ask(ready, stock, None)
    tried: list[tuple[str, dict[str, Any], Recipe]] = [("", {}, ready.recipe)]
    for words, values in variations(ready.recipe):
        if (recipe := taken(ready.recipe, values, ready.recipe)) is not None:
            tried.append((words, values, recipe))
    tried = tried[:limit]
    asks = [now if not values else varied_ask(ready, now, recipe) for _, values, recipe in tried]
    for words, values, other in planned_otherwise(ready):
        tried.append((words, values, other.recipe))
        asks.append(output_ask(other, stock, None))
    asks = [replace(ask, id=f"{now.id} {n}") for n, ask in enumerate(asks)]
    told = forecast_outputs(asks, station, learned, Chance())
    alike = output_looks(asks, Chance(), learned)
    shown = picture_draws([*asks, replace(_usual(ready, now), id="usual")], Chance(), learned)
    found = [
        Candidate(
            words,
            values,
            band(told.seconds[row]),
            band(told.bytes[row]),
            looks_like(recipe, np.maximum(shown[row], 1.0), np.maximum(shown[-1], 1.0)),
            LooksOutlook.of(alike[row]),
        )
        for row, (words, values, recipe) in enumerate(tried)
    ]
    return ranked(found)


def ranked(ways: Sequence[Candidate]) -> tuple[Candidate, ...]:
    """The same ways, each with whether another one is better in everything."""
    return tuple(replace(one, dominated=any(_better(other, one) for other in ways)) for one in ways)


def looks_like(recipe: Recipe, pictures: Draws, usual: Draws) -> float | None:
    """The constant quality that an encode would look like; None where that isn't known.

    At constant quality it is what is asked for.  At a rate it is the quality
    at which these very pictures would take as much; nothing is measured.

    Parameters
    ----------
    recipe
        What it is made by.
    pictures
        Draws of the bytes of its pictures.
    usual
        Draws of what they take at the codec's usual quality and medium effort.
    """
    picture = recipe.picture
    if picture is None or picture.kind.typical is None or picture.kind.quality is None:
        return None
    if not picture.steering.rated:
        return float(picture.rate_control.quality)
    typical, scale = picture.kind.typical, picture.kind.quality
    share = float(np.median(pictures / usual)) / EFFORT_SHARE[picture.effort]
    if typical.power:
        found = scale.usual * share ** (-1 / typical.power)
    else:
        found = scale.usual - typical.halves * log2(share)
    return round(float(min(max(found, scale.best), scale.worst)), 1)


def _usual(ready: OutputReady, ask: OutputAsk) -> OutputAsk:
    """The same at its codec's usual quality."""
    picture = ready.recipe.picture
    if picture is None or picture.kind.quality is None:
        return ask
    control = picture.rate_control.model_copy(
        update={"mode": "quality", "quality": float(picture.kind.quality.usual)}
    )
    other = picture.model_copy(update={"rate_control": control, "effort": "medium"})
    return varied_ask(ready, ask, ready.recipe.model_copy(update={"picture": other}))


def _better(one: Candidate, other: Candidate) -> bool:
    """Whether one is no worse in time, size and look, and clearly better in one of them."""
    looks = (one.looks or 0.0, other.looks or 0.0)
    if one.xpsnr and other.xpsnr:  # less is better on a codec's own scale, about half a step a dB
        looks = (-2 * one.xpsnr.worst.likely, -2 * other.xpsnr.worst.likely)
    worse = (
        one.seconds.likely > other.seconds.likely * 1.01
        or one.bytes.likely > other.bytes.likely * 1.01
        or looks[0] > looks[1] + 0.1
    )
    better = (
        one.seconds.likely < other.seconds.likely * 0.97
        or one.bytes.likely < other.bytes.likely * 0.97
        or looks[0] < looks[1] - 0.3
    )
    return better and not worse
