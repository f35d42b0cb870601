"""The encodes of one film as rows of one model: those asked for, those remembered, the source's own packets, their looks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import log

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.band import Chance, Draws
from chronocast.forecast.learning.experience import RATE_BOUND, Experience, FamilySeen
from chronocast.forecast.learning.film_seen import held
from chronocast.forecast.picture.ask import PictureAsk, basis_value
from chronocast.forecast.picture.content import Character, Middles, Row, factors, middles
from chronocast.forecast.picture.content import learned as learned_row
from chronocast.forecast.picture.measured import PACKETS
from chronocast.forecast.picture.priors import character_of

BEST = "at its best "
"""Names the row of what a rated encode would take if it spent all that pictures can use."""
OTHER_WINDOWS = 200
"""Of a film, so many windows that aren't asked about are looked at: other ranges of it, trials."""


def held_by_a_rate(asks: Sequence[PictureAsk]) -> bool:
    """Whether the size of a source's packets says nothing of what it shows, since a rate held it."""
    windows = {
        window: value
        for ask in asks
        for window, value in zip(ask.window_names, ask.packets, strict=False)
        if value is not None
    }
    return held(list(windows.values()))


class FilmEncodes:
    """The encodes of one film: those asked for, those remembered, and the source's own packets.

    With ``looks`` how like the original they look, in dB, is a row of each kind, too.
    """

    def __init__(self, asks: Sequence[PictureAsk], learned: Experience, looks: bool = False) -> None:
        self.asks, self.looks = asks, looks
        self.name = asks[0].shown
        self.columns: dict[str, int] = {}
        self.rows: dict[str, Row] = {}
        self.seen: dict[tuple[str, str], float] = {}
        self.own: list[tuple[PictureAsk, Mapping[str, float]]] = []
        kind = next((ask.source_kind for ask in asks if ask.source_kind), "")
        self.packets = None if held_by_a_rate(asks) else PACKETS.get(kind)
        for ask in asks:
            self._add(ask, learned)
        self.asked = len(self.columns)
        for ask, windows in self.own:
            for window, factor in windows.items():
                if (ask.family, window) not in self.seen and self._column(window, learned):
                    self._see(ask, window, factor)
        for family, pieces in learned.films.get(self.name, {}).items():
            if looks:
                self._see_looks(pieces, learned)
            if pieces.rated:  # what a rate held down says nothing of what is shown
                continue
            if family not in self.rows:
                self._row(family, pieces.kind, character_of(pieces.kind), learned)
            for window, factor in pieces.windows.items():
                if self._column(window, learned):
                    self.seen.setdefault((family, window), factor)

    def _see_looks(self, pieces: FamilySeen, learned: Experience) -> None:
        """What was measured of one encode, where it tells of others: at a known quality."""
        kind = pieces.look_kind
        told = {window: look.off for window, look in pieces.looks.items() if look.off is not None}
        if told and kind not in self.rows:
            self._row(kind, kind, character_of(kind), learned)
        for window, off in told.items():
            if self._column(window, learned):
                self.seen[kind, window] = self.seen.get((kind, window), off) / 2 + off / 2

    def _row(self, name: str, kind: str, character: Character, learned: Experience) -> None:
        others = [seen for film, seen in learned.kinds.get(kind, ()) if film != self.name]
        row = Row(name, kind, character)
        self.rows[name] = learned_row(row, others, self.packets or PACKETS["long"])

    def _add(self, ask: PictureAsk, learned: Experience) -> None:
        prior = ask.prior
        if ask.family not in self.rows:
            self._row(ask.family, prior.kind, prior.character, learned)
        if prior.rated:
            self._row(BEST + ask.family, prior.best_kind, character_of(prior.best_kind), learned)
        if self.looks and ask.look and ask.look.kind not in self.rows:
            self._row(ask.look.kind, ask.look.kind, ask.look.character, learned)
        for window in ask.window_names:
            self.columns.setdefault(window, len(self.columns))
        for number, (window, frames, size) in enumerate(
            zip(ask.window_names, ask.pieces, ask.kept, strict=True)
        ):
            if size:
                self._see(ask, window, log(size / basis_value(ask, frames)), ask.drawn(number))
        remembered = learned.films.get(ask.shown, {}).get(ask.family)
        self.own.append((ask, remembered.windows if remembered else {}))
        if self.packets:
            self.rows.setdefault("packets", Row("packets", ask.source_kind, self.packets))
            for window, value in zip(ask.window_names, ask.packets, strict=False):
                if value is not None:
                    self.seen[("packets", window)] = value

    def _column(self, window: str, learned: Experience) -> bool:
        """Whether a window tells of the film: one that is asked about, or, of the first so many, another one of it."""
        if window not in self.columns:
            if len(self.columns) - self.asked >= OTHER_WINDOWS:
                return False
            self.columns[window] = len(self.columns)
            said = learned.packets.get(self.name, {}).get(window)
            if self.packets and said is not None:
                self.seen[("packets", window)] = said
        return True

    def _see(self, ask: PictureAsk, window: str, factor: float, drawn: float = 0.0) -> None:
        prior = ask.prior
        if (
            prior.searched
        ):  # bits move between its pieces: one alone says nothing of the rate that the whole meets
            return
        if prior.rated and factor < RATE_BOUND:
            self.seen[(BEST + ask.family, window)] = factor - prior.best - drawn
        else:
            self.seen[(ask.family, window)] = factor - (0.0 if prior.rated else drawn)

    def draws(self, chance: Chance) -> dict[str, Draws]:
        """Log factors of the rows that are asked for, each of shape (windows, draws)."""
        rows, seen, wanted = self._question()
        found = factors(list(rows.values()), seen, list(wanted.values()), self.name, chance)
        return dict(zip(wanted, found, strict=True))

    def middles(self) -> dict[str, Middles]:
        """Of the rows that are asked for: what is likely of each window, and the variance around it, shape (windows,)."""
        rows, seen, wanted = self._question()
        likely, spread = middles(list(rows.values()), seen, list(wanted.values()))
        return {name: Middles(likely[n], spread[n]) for n, name in enumerate(wanted)}

    def _question(self) -> tuple[dict[str, Row], NDArray[np.float64], dict[str, int]]:
        """All rows, what was seen of them, and the numbers of those that are asked for."""
        numbers = {name: number for number, name in enumerate(self.rows)}
        wanted = {
            name: numbers[name]
            for ask in self.asks
            for name in (ask.family, BEST + ask.family, ask.look.kind if ask.look else "")
            if name in numbers
        }
        seen = np.full((len(numbers), len(self.columns)), np.nan)
        for (name, window), factor in self.seen.items():
            seen[numbers[name], self.columns[window]] = factor
        return self.rows, seen, wanted
