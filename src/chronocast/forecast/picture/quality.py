"""How like the original outputs will look, before and while they are made: XPSNR of their shots, in dB.

A constant quality is known; what a rate looks like follows from the bytes it
leaves each shot against what the shot would take.  What is left is a row of
the same model as bytes: hard films look worse at equal quality, and what was
measured of one encode tells of the others.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import log
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.band import Chance, Draws, kept_draws
from chronocast.forecast.learning.experience import Experience
from chronocast.forecast.picture.ask import PictureAsk, basis_value
from chronocast.forecast.picture.film import BEST, FilmEncodes
from chronocast.forecast.picture.size import smaller
from chronocast.model.pauses import pause

POOREST = 0.05
"""The share of a film, by its length, whose poorest shots are named the worst."""
SLOPE_SD = 0.3
"""How far films differ in what quality costs: of the dB that lie between two qualities, one standard deviation."""
ENCODE_SD = 0.5
"""How far one encode of a film lies off another of the same codec, in dB, whatever their qualities (one standard deviation)."""
MOST_DB, LEAST_DB = 70.0, 10.0
"""Beyond what encodes come out at nothing is said."""


class LookBand(NamedTuple):
    """XPSNR in dB: *likely*; *safe*, nine times in ten it is no less."""

    likely: float
    safe: float

    def as_json(self) -> dict[str, float]:
        """As answers have it."""
        return {"likely": round(self.likely, 2), "safe": round(self.safe, 2)}


def look_band(draws: Draws) -> LookBand:
    """The band of draws, shape (draws,)."""
    low, middle = np.quantile(draws, (0.1, 0.5))
    return LookBand(float(middle), float(low))


def look_bands(rows: Sequence[Draws]) -> list[LookBand]:
    """The bands of several, a row of draws each."""
    if not rows:
        return []
    low, middle = np.quantile(np.asarray(rows), (0.1, 0.5), axis=1)
    return [LookBand(float(likely), float(safe)) for likely, safe in zip(middle, low, strict=True)]


@dataclass(frozen=True, slots=True)
class Looks:
    """How like the original an output looks.

    Parameters
    ----------
    mean, worst
        Draws of XPSNR in dB, of all of it and of its poorest shots, shape (draws,).
    shots
        Of each piece, the likely XPSNR in dB.
    measured
        How many of these were measured.
    """

    mean: Draws
    worst: Draws
    shots: NDArray[np.float64]
    measured: int = 0


def of_shots(shots: Draws, frames: Sequence[int]) -> tuple[Draws, Draws]:
    """The mean and the poorest shots of a film, by length: the 5th percentile, or the poorest one of a short film.

    Parameters
    ----------
    shots
        XPSNR in dB, shape (shots, draws).
    frames
        How long each is.

    Returns
    -------
    tuple
        Both of shape (draws,).
    """
    weights = np.array(frames, float)
    order = np.argsort(shots, axis=0)
    passed = np.cumsum(weights[order], axis=0) >= POOREST * weights.sum()
    place = np.argmax(passed, axis=0)
    worst = np.take_along_axis(shots, np.take_along_axis(order, place[None], axis=0), axis=0)[0]
    return weights @ shots / weights.sum(), worst


def _shots(ask: PictureAsk, film: FilmEncodes, drawn: Mapping[str, Draws]) -> Draws:
    """XPSNR of an output's pieces, shape (pieces, draws)."""
    look, prior = ask.look, ask.prior
    assert look is not None
    places = [film.columns[window] for window in ask.window_names]
    found: Draws = look.typical + drawn[look.kind][places]
    if not prior.rated:
        return found
    factor = drawn[ask.family][places]
    best = drawn[BEST + ask.family][places] + prior.best
    if prior.searched:  # all pieces at one quality, whatever each then takes
        weights = np.array([basis_value(ask, frames) for frames in ask.pieces])
        target = np.log(weights.sum()) + factor.mean(axis=0)
        most = np.log(weights @ np.exp(best))
        missing = np.broadcast_to(most - smaller(target, most), found.shape)
    else:
        missing = best - smaller(factor, best)
    less: Draws = found - look.per_halving * np.maximum(0.0, missing) / log(2)
    return less


def picture_looks(
    asks: Sequence[PictureAsk], chance: Chance, learned: Experience | None = None
) -> list[Looks | None]:
    """How like the original several outputs will look; None of one that loses nothing or isn't known.

    Pieces in the stock that were measured are as they were measured.

    Parameters
    ----------
    asks
        The outputs.
    chance
        Where the draws come from.
    learned
        What the ledger has taught.
    """
    known = learned or Experience()
    films: dict[str, list[int]] = {}
    for row, ask in enumerate(asks):
        if ask.look is not None and len(ask.copied) < len(ask.pieces):
            films.setdefault(ask.shown, []).append(row)
    found: list[Looks | None] = [None] * len(asks)
    for name, rows in films.items():
        pause()
        wanted = [asks[row] for row in rows]
        told: list[Looks] | None = known.memory.recall("looks of " + name, (chance.draws, wanted))
        if told is None:
            told = _film_looks(wanted, chance, known)
            known.memory.keep("looks of " + name, (chance.draws, wanted), told)
        for row, looks in zip(rows, told, strict=True):
            found[row] = looks
    return found


def _film_looks(asks: Sequence[PictureAsk], chance: Chance, known: Experience) -> list[Looks]:
    film = FilmEncodes(asks, known, looks=True)
    drawn = film.draws(chance)
    if anchors := _anchors(asks, film, drawn, known):
        film.seen |= anchors
        drawn = film.draws(chance)
    found = []
    for ask in asks:
        look = ask.look
        assert look is not None
        places = [film.columns[window] for window in ask.window_names]
        shots: Draws = _shots(ask, film, drawn)
        typical: Draws = np.subtract(shots, drawn[look.kind][places])
        shots = np.clip(np.add(shots, _slope(ask, typical, known, chance)), LEAST_DB, MOST_DB)
        measured = _measured(ask, known)
        for number, xpsnr in measured.items():
            shots[number] = xpsnr
        for number in ask.copied:
            shots[number] = MOST_DB
        mean, worst = of_shots(shots, ask.pieces)
        found.append(Looks(kept_draws(mean), kept_draws(worst), np.median(shots, axis=1), len(measured)))
    return found


def _slope(ask: PictureAsk, typical: Draws, known: Experience, chance: Chance) -> Draws:
    """How far off looks may be since a film's own slope of quality isn't known: more, the farther from what was measured.

    Parameters
    ----------
    ask
        The output.
    typical
        What is typical at the quality of its pieces, in dB, shape (pieces, draws).
    known
        What the ledger has taught.
    chance
        Where the draws come from.
    """
    assert ask.look is not None
    seen = [
        look.usual
        for family in known.films.get(ask.shown, {}).values()
        if family.look_kind == ask.look.kind
        for look in family.looks.values()
        if look.usual is not None
    ]
    if not seen:  # how far films are off is as wide as it is wherever they were measured
        return np.zeros_like(typical)
    wrong = SLOPE_SD * chance.normal(f"slope {ask.look.kind} {ask.shown}")
    own = known.films[ask.shown].get(ask.family)
    if own is None or not own.looks:
        return np.asarray(
            (typical - float(np.mean(seen))) * wrong
            + ENCODE_SD * chance.normal(f"look {ask.shown} {ask.family}")
        )
    return np.asarray((typical - float(np.mean(seen))) * wrong)


def _measured(ask: PictureAsk, known: Experience) -> dict[int, float]:
    """XPSNR of an output's pieces in the stock that were measured, by their numbers."""
    seen = known.films.get(ask.shown, {}).get(ask.family)
    if seen is None:
        return {}
    kept = enumerate(zip(ask.window_names, ask.kept, strict=True))
    return {
        number: seen.looks[window].xpsnr for number, (window, size) in kept if size and window in seen.looks
    }


def _anchors(
    asks: Sequence[PictureAsk], film: FilmEncodes, drawn: Mapping[str, Draws], known: Experience
) -> dict[tuple[str, str], float]:
    """What measured pieces at a rate say of their film, once it is known about how hard their rate held them."""
    found: dict[tuple[str, str], float] = {}
    for ask in asks:
        if ask.look is None or not ask.prior.rated or not (measured := _measured(ask, known)):
            continue
        places = [film.columns[window] for window in ask.window_names]
        expected = np.median(_shots(ask, film, drawn) - drawn[ask.look.kind][places], axis=1)
        for number, xpsnr in measured.items():
            place = ask.look.kind, ask.window_names[number]
            off = xpsnr - float(expected[number])
            found[place] = (found.get(place, film.seen.get(place, off)) + off) / 2
    return found
