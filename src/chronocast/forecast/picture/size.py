"""Bytes of an output before it is encoded."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import log

import numpy as np

from chronocast.forecast.band import Chance, Draws
from chronocast.forecast.learning.conformal import widened
from chronocast.forecast.learning.experience import Experience
from chronocast.forecast.picture.ask import PictureAsk, basis_value
from chronocast.forecast.picture.film import BEST, FilmEncodes
from chronocast.forecast.picture.measured import PACKETS
from chronocast.model.pauses import pause

SOFT = 8.0
"""How sharply the smaller of two bounds is taken."""


def smaller(one: Draws, other: Draws) -> Draws:
    """The smaller of two bounds in logs, about: near each other both hold it down."""
    found: Draws = -np.logaddexp(-SOFT * one, -SOFT * other) / SOFT
    return found


def _open_bytes(ask: PictureAsk, film: FilmEncodes, drawn: Mapping[str, Draws]) -> Draws:
    """Bytes of the pieces that aren't in the stock, shape (draws,)."""
    prior = ask.prior
    still = [n for n, size in enumerate(ask.kept) if size is None]
    places = [film.columns[ask.window_names[n]] for n in still]
    weights = np.array([basis_value(ask, ask.pieces[n]) for n in still])
    factor = drawn[ask.family][places]
    shown = np.array([ask.drawn(n) for n in still])[:, None]
    if prior.rated:
        best = drawn[BEST + ask.family][places] + prior.best + shown
        if prior.searched:  # bits move between pieces until the whole comes to its target
            kept = sum(size for size in ask.kept if size)
            whole = sum(basis_value(ask, frames) for frames in ask.pieces)
            target = np.maximum(whole * np.exp(factor.mean(axis=0)) - kept, 0.02 * weights.sum())
            most: Draws = weights @ np.exp(best)
            return np.asarray(np.exp(smaller(np.log(target), np.log(most))))
        factor = smaller(factor, best)
    else:
        factor = factor + shown
    if prior.ceiling:
        factor = np.minimum(factor, log(prior.ceiling))
    total: Draws = weights @ np.exp(factor)
    return total


def _film_bytes(name: str, asks: Sequence[PictureAsk], chance: Chance, learned: Experience) -> Draws:
    """Bytes of the pieces of one film's outputs that aren't in the stock, shape (outputs, draws)."""
    kept: Draws | None = learned.memory.recall("bytes of " + name, (chance.draws, asks))
    if kept is not None:
        return kept
    film = FilmEncodes(asks, learned)
    drawn = film.draws(chance)
    found = widened(np.array([_open_bytes(ask, film, drawn) for ask in asks]), learned.widths.bytes)
    learned.memory.keep("bytes of " + name, (chance.draws, asks), found)
    return found


def picture_bytes(asks: Sequence[PictureAsk], chance: Chance, learned: Experience | None = None) -> Draws:
    """Bytes of several outputs' pictures: kept pieces exact, the rest in error together.

    What is wrong with a prior is wrong for every output of its kind, what a
    film shows for all made of it, and each piece has an error of its own.

    Parameters
    ----------
    asks
        The outputs.
    chance
        Where the draws come from.
    learned
        What the ledger has taught.

    Returns
    -------
    array
        Of shape (outputs, draws).
    """
    total = np.array([float(sum(size for size in ask.kept if size is not None)) for ask in asks])
    found = np.repeat(total[:, None], chance.draws, axis=1)
    films: dict[str, list[int]] = {}
    for row, ask in enumerate(asks):
        if any(size is None for size in ask.kept):
            films.setdefault(ask.shown, []).append(row)
    known = learned or Experience()
    for name, rows in films.items():
        pause()
        found[rows] += _film_bytes(name, [asks[row] for row in rows], chance, known)
    return found


def why(ask: PictureAsk, learned: Experience | None = None) -> str:
    """What the forecast of bytes rests on, in a few words.

    Parameters
    ----------
    ask
        What is known of the picture.
    learned
        What the ledger has taught.
    """
    kept = sum(1 for n, size in enumerate(ask.kept) if size is not None and n not in ask.copied)
    if len(ask.copied) == len(ask.pieces):
        return "the source's own packets, copied as they are"
    if kept == len(ask.pieces):
        return "its piece is in the stock" if kept == 1 else f"all {kept} pieces are in the stock"
    parts = []
    if kept:
        parts.append(f"{kept} kept piece{'s' if kept != 1 else ''}")
    if ask.copied:
        parts.append(f"{len(ask.copied)} copied from the source")
    known = learned or Experience()
    wanted = set(ask.window_names)
    siblings = [
        seen.windows.keys() & wanted
        for family, seen in known.films.get(ask.shown, {}).items()
        if family != ask.family and not seen.rated
    ]
    if count := len(set().union(*siblings)) if siblings else 0:
        parts.append(f"{count} of its moments made by other recipes")
    if films := {film for film, seen in known.kinds.get(ask.prior.kind, ()) if film != ask.shown}:
        parts.append(f"{len(films)} other source{'s' if len(films) != 1 else ''} by this kind of recipe")
    if (
        not ask.prior.searched
        and any(value is not None for value in ask.packets)
        and ask.source_kind in PACKETS
    ):
        parts.append("how large the source's own pictures are")
    if not parts:
        return ask.prior.rests_on
    return " and ".join([", ".join(parts[:-1]), parts[-1]] if len(parts) > 1 else parts)
