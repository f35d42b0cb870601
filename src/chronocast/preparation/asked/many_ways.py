"""Other ways to make several outputs at once, with what all of them then come to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import exp
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.band import Z90, Chance, Draws, band
from chronocast.forecast.learning.memory import Memory
from chronocast.forecast.outputs import OutputAsk
from chronocast.forecast.picture.quality import LookBand
from chronocast.forecast.ways import Way, WaysTable, forecast_ways
from chronocast.model.lookup import Same
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.show import counted, size_text
from chronocast.preparation.asked.backwards import Circumstances
from chronocast.preparation.asked.candidates import Candidate, ranked, taken, variations, way_of
from chronocast.preparation.forecast.outlook import Outlook, asks_of
from chronocast.preparation.forecast.output_outlook import LooksOutlook, OutputOutlook
from chronocast.preparation.output.output_ready import OutputReady

MOST_WAYS = 16
Values = Mapping[str, Any]


@dataclass(frozen=True)
class WayOfMany(Candidate):
    """One way to make several outputs: seconds and bytes of all together, the poorest shot of any.

    Parameters
    ----------
    files, of
        How many of them can be made so, and of how many; the others stay as they are.
    over
        How many may then be larger than a file is to be.
    largest
        The likely bytes of the largest.
    """

    files: int = 0
    of: int = 0
    over: int = 0
    largest: float = 0.0

    @property
    def besides(self) -> str:
        """For how many of the files it is, and how many may be too large."""
        told = f"; the largest {size_text(self.largest)}"
        if self.over:
            told += f", {counted(self.over, 'file')} may be over the limit"
        if 0 < self.files < self.of:
            told += f"; for {self.files} of {self.of} files, the others stay as they are"
        return told


class _Ways(NamedTuple):
    """The way of each column: that of now where another one can't be taken; whether it can; whether it asks for as many bytes."""

    each: tuple[Way, ...]
    can: tuple[bool, ...]
    alike: tuple[bool, ...]


class _Asked(NamedTuple):
    """An output whose picture is encoded, as the forecast asks for it, and its ways."""

    item: OutputOutlook
    ask: OutputAsk
    ways: _Ways


def many_ways(
    chosen: Sequence[str], like: str, view: Outlook, now: Circumstances, limit: float | None = None
) -> tuple[WayOfMany, ...]:
    """Ways to make several outputs, the present one first; none where they can't be made otherwise.

    Parameters
    ----------
    chosen
        The outputs' ids.
    like
        The output whose ways are tried for all of them.
    view
        Their forecast.
    now
        What answers rest on.
    limit
        Bytes that a file is to have at most.
    """
    first = view.output(like)
    items = [item for name in chosen if (item := view.output(name)) is not None]
    if first is None or not items:
        return ()
    recipe = first.ready.recipe
    tried: Sequence[tuple[str, Values]] = [("", {}), *variations(recipe)][:MOST_WAYS]
    made = {item.ready.output.id: round(item.bytes.likely) for item in items if item.made}
    asks = asks_of([item.ready for item in items], now.stock, made, now.learned.memory)
    able = [
        _Asked(item, ask, _ways(item.ready, ask, tried, recipe, now.learned.memory))
        for item, ask in zip(items, asks, strict=True)
        if _otherwise(item.ready)
    ]
    if not able:
        return ()
    table = forecast_ways(
        [one.ask for one in able], [one.ways.each for one in able], now.station, now.learned
    )
    told = _Told(items, able, table)
    return tuple(
        way
        for way in ranked(
            [told.way(column, words, values, limit) for column, (words, values) in enumerate(tried)]
        )
        if isinstance(way, WayOfMany) and (way.present or way.files)
    )


def _otherwise(ready: OutputReady) -> bool:
    """Whether an output's picture is encoded on a processor."""
    return bool(ready.plan.settings and ready.plan.pieces) and not ready.device


def _ways(
    ready: OutputReady,
    ask: OutputAsk,
    tried: Sequence[tuple[str, Values]],
    like: Recipe,
    memory: Memory,
) -> _Ways:
    """An output's ways; the very same ones where neither it nor its recipe has changed."""
    name, asked = "ways asked of " + ask.id, (Same(ask), Same(ready), Same(like))
    kept: _Ways | None = memory.recall(name, asked)
    if kept is None:
        kept = _others(ready.recipe, tried, like, memory).of(ready, _now(ask))
        memory.keep(name, asked, kept, most=2)
    return kept


def _now(ask: OutputAsk) -> Way:
    assert ask.picture is not None
    first = ask.pieces[0]
    return Way(ask.picture.prior, ask.picture.look, first.factor, first.pace, first.times)


class _Others:
    """A recipe by each way, None where it can't be; outputs of one size share what that comes to."""

    def __init__(self, recipes: Sequence[Recipe | None]) -> None:
        self._recipes = recipes
        self._ways: dict[tuple[object, ...], _Ways] = {}

    def of(self, ready: OutputReady, now: Way) -> _Ways:
        """An output's ways, that of now first."""
        plan = ready.plan
        assert plan.settings is not None
        made = plan.width, plan.height, plan.rate, plan.settings.encoder, plan.settings.threads
        asked = *made, len(plan.pieces), now
        if asked not in self._ways:
            each = now, *(way_of(ready, other) if other else now for other in self._recipes)
            can = (other is not None for other in self._recipes)
            self._ways[asked] = _Ways(each, (True, *can), tuple(way.prior == now.prior for way in each))
        return self._ways[asked]


EXCEPTIONS = 64
"""Of a recipe, so many versions are remembered with their ways: outputs' exceptions make others of it."""


def _others(recipe: Recipe, tried: Sequence[tuple[str, Values]], like: Recipe, memory: Memory) -> _Others:
    name, asked = f"ways of recipe {recipe.id}", (Same(recipe), Same(like))
    found: _Others | None = memory.recall(name, asked)
    if found is None:
        found = _Others([taken(recipe, values, like) for _, values in tried[1:]])
        memory.keep(name, asked, found, most=EXCEPTIONS)
    return found


WAY_SD = 0.15
"""How far one encode of a film may be off another at the least, in bytes and in seconds (one standard deviation of the
log): of what is made already nothing is unsure, of another way to make it all is."""


def _unsure(draws: Draws) -> Draws:
    """Draws of outputs with at least so much doubt in each, together: rather told too wide than too narrow."""
    middle = np.maximum(np.median(draws, axis=1, keepdims=True), 1e-9)
    spread = np.log(np.maximum(draws, 1e-9) / middle).std(axis=1, keepdims=True)
    more = np.sqrt(np.maximum(0.0, WAY_SD**2 - spread**2))
    found: Draws = draws * np.exp(more * Chance(draws.shape[1]).normal("another way"))
    return found


class _Told:
    """What outputs come to by each way: in error as they are now, together where they share it."""

    def __init__(self, items: Sequence[OutputOutlook], able: Sequence[_Asked], table: WaysTable) -> None:
        self._able, self._table, self._of = able, table, len(items)
        draws = {item.ready.output.id: _draws(item) for item in items}
        mine = [draws.pop(one.ask.id) for one in able]
        seconds, sizes = (np.array([drawn[n] for drawn in mine]) for n in range(2))
        width = seconds.shape[1]
        left = np.array(list(draws.values())).reshape(len(draws), 2, width).sum(axis=0)
        # of one that has nothing left to do it isn't known how it errs: only how much at the least
        idle = (np.median(seconds, axis=1) <= 0) | (table.seconds[:, 0] <= 0)
        stretch = _stretch(items)
        errs = np.where(idle[:, None], stretch, seconds / np.where(idle, 1.0, table.seconds[:, 0])[:, None])
        # those that another way can't be taken for stay as they are
        other = np.array([one.ways.can for one in able])
        other[:, 0] = False
        first = np.where(idle, 0.0, table.seconds[:, 0])[:, None]
        # what pieces in the stock took says most of what the same takes by another effort
        alike = np.array([one.ways.alike for one in able])
        share = np.where(alike, 1.0, table.bytes / table.bytes[:, :1])
        self._sizes = np.where(other, share, 1.0)
        self._other = other
        self.seconds: Draws = np.where(other, 0.0, first).T @ errs + left[0]
        self.seconds += np.where(other, table.seconds, 0.0).T @ _unsure(errs)
        self.bytes: Draws = np.where(other, 0.0, 1.0).T @ sizes + left[1]
        self.bytes += np.where(other, share, 0.0).T @ _unsure(sizes)
        others = [item for item in items if item.ready.output.id in draws]
        self._likely, self._safe = (
            np.array([getattr(one.item.bytes, what) for one in able]) for what in ("likely", "safe")
        )
        self._others_likely, self._others_safe = (
            np.array([getattr(item.bytes, what) for item in others]) for what in ("likely", "safe")
        )

    def way(self, column: int, words: str, values: Values, limit: float | None) -> WayOfMany:
        """All outputs by one way.

        Parameters
        ----------
        column
            The way's number.
        words, values
            What is other than now, in words and as values of recipes' fields.
        limit
            Bytes that a file is to have at most.
        """
        share = self._sizes[:, column]
        likely = np.concatenate([self._likely * share, self._others_likely])
        least = np.where(self._other[:, column], self._likely * exp(Z90 * WAY_SD), 0.0)
        safe = np.concatenate([np.maximum(self._safe, least) * share, self._others_safe])
        return WayOfMany(
            words,
            values,
            band(self.seconds[column]),
            band(self.bytes[column]),
            None,
            self._looks(column),
            files=sum(one.ways.can[column] for one in self._able),
            of=self._of,
            over=int((safe > limit).sum()) if limit else 0,
            largest=float(likely.max()),
        )

    def _looks(self, column: int) -> LooksOutlook | None:
        """The poorest shot of any output, and all of them on the whole."""
        moved = np.where(self._other[:, column], self._table.looks[:, column] - self._table.looks[:, 0], 0.0)
        told = [
            (one.item.looks, float(by))
            for one, by in zip(self._able, moved, strict=True)
            if one.item.looks is not None and np.isfinite(by)
        ]
        if not told:
            return None
        looks, by = min(told, key=lambda pair: pair[0].worst.likely + pair[1])
        means = np.array([(one.mean.likely + more, one.mean.safe + more) for one, more in told])
        return LooksOutlook(
            LookBand(*means.mean(axis=0).tolist()),
            LookBand(looks.worst.likely + by, looks.worst.safe + by),
            looks.poorest,
            sum(one.measured for one, _ in told),
        )


def _draws(item: OutputOutlook) -> NDArray[np.float64]:
    """Draws of an output's seconds and bytes, shape (2, draws)."""
    assert item.draws is not None
    return item.draws.astype(np.float64)


def _stretch(items: Sequence[OutputOutlook]) -> float:
    """How much longer work takes by the clock than by the processor, since others are at work, too."""
    clock, processor = (
        sum(getattr(item, what).likely for item in items) for what in ("seconds", "cpu_seconds")
    )
    return max(1.0, clock / processor) if processor > 0 else 1.0
