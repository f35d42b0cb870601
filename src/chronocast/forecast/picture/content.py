"""How hard a film is, and what one encode of it says of another: bytes as one Gaussian model in logs.

Bytes of a window of a film by some kind of encode are what is typical of the
kind, times a factor.  The log of that factor has four parts: what is wrong
with the typical value (common to all films), what the film is like, what the
window is like, and the rest.  Film and window parts of different encodes go
together as far as both follow the content; so a sibling by another recipe,
the source's own packets, a look at parts of it and finished pieces all tell
of an encode that isn't made yet, each as much as it is worth.  The posterior
is drawn exactly (Matheron's rule; Doucet, A Note on Efficient Conditional
Simulation of Gaussian Distributions, 2010), so that errors which outputs
share stay shared.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from math import sqrt
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.band import Chance, Draws
from chronocast.forecast.learning.film_seen import FilmSeen

SAME_KIND = 0.9
"""How much of what is wrong with a kind's typical value is wrong for every encode of that kind."""
KIND_ALIKE = 0.8
"""How much of what a film has besides its content is the same for two encodes of one kind (of variance)."""


@dataclass(frozen=True)
class Character:
    """How the factor of one kind of encode varies; standard deviations of its log.

    Parameters
    ----------
    shift
        The log of a usual factor.
    common
        How wrong the shift may be, for all films alike.
    film, window
        How films differ, and windows of a film.
    own
        What no other encode tells.
    film_content, window_content
        Correlation with the content, from 0 to 1.
    """

    shift: float = 0.0
    common: float = 0.3
    film: float = 0.6
    window: float = 0.4
    own: float = 0.12
    film_content: float = 0.9
    window_content: float = 0.85


@dataclass(frozen=True)
class Row:
    """One encode of a film: ``kind`` shares what is wrong with the typical value, ``name`` is the encode's own."""

    name: str
    kind: str
    character: Character


def learned(row: Row, films: Sequence[FilmSeen], packets: Character) -> Row:
    """A row whose shift is moved and narrowed by other films, what their packets explain left out.

    Parameters
    ----------
    row
        What was believed.
    films
        What other films have shown of its kind.
    packets
        The character of their sources' packets.
    """
    known = row.character
    if not films:
        return row
    slope = known.film * known.film_content * packets.film_content / packets.film
    explained = (known.film_content * packets.film_content) ** 2
    precision, weighed, off = 1 / known.common**2, 0.0, []
    for seen in films:
        expected = slope * (seen.packets - packets.shift) if seen.packets is not None else 0.0
        between = known.film**2 * ((1 - explained) if seen.packets is not None else 1.0)
        within = (known.window**2 + known.own**2) / max(1, seen.windows)
        other = 0.0 if seen.name == row.name else (1 - SAME_KIND) * known.common**2 + 0.05**2
        value, weight = seen.factor - expected - known.shift, 1 / (between + within + other)
        off.append(value)
        precision += weight
        weighed += weight * value
    moved = weighed / precision
    spread = known.film
    if len(off) >= 4:
        seen_spread = sum((value - moved) ** 2 for value in off) / (len(off) - 1)
        left = sqrt((known.film**2 * (1 - explained) * 6 + seen_spread * len(off)) / (6 + len(off)))
        spread = left / sqrt(1 - explained)
    return replace(
        row,
        character=replace(known, shift=known.shift + moved, common=sqrt(1 / precision), film=spread),
    )


def _film_covariance(rows: Sequence[Row]) -> NDArray[np.float64]:
    """Of what rows have for a whole film: the kind's error and the film's own."""
    sd = np.array([row.character.film for row in rows])
    follows = np.array([row.character.film_content for row in rows])
    common = np.array([row.character.common for row in rows])
    same = np.array([[one.kind == other.kind for other in rows] for one in rows], float)
    own = np.eye(len(rows))
    rest = np.sqrt(1 - follows**2)
    film = np.outer(sd, sd) * (
        np.outer(follows, follows) + np.outer(rest, rest) * (same * KIND_ALIKE + own * (1 - KIND_ALIKE))
    )
    return film + np.outer(common, common) * (same * SAME_KIND + own * (1 - SAME_KIND))


def _window_covariance(rows: Sequence[Row]) -> NDArray[np.float64]:
    sd = np.array([row.character.window for row in rows])
    follows = np.array([row.character.window_content for row in rows])
    same = np.array([[one.kind == other.kind for other in rows] for one in rows], float)
    own = np.eye(len(rows))
    rest = np.sqrt(1 - follows**2)
    found: NDArray[np.float64] = np.outer(sd, sd) * (
        np.outer(follows, follows) + np.outer(rest, rest) * (same * KIND_ALIKE + own * (1 - KIND_ALIKE))
    )
    return found


def _film_draws(rows: Sequence[Row], film: str, chance: Chance) -> Draws:
    """Draws of what each row has for the whole film, before anything of it was seen, shape (rows, draws)."""
    content = chance.normal("film " + film)
    drawn = []
    for row in rows:
        known = row.character
        rest = sqrt(1 - known.film_content**2)
        of_kind = sqrt(KIND_ALIKE) * chance.normal(f"film {film} {row.kind}")
        of_row = sqrt(1 - KIND_ALIKE) * chance.normal(f"film {film} {row.name}")
        common = sqrt(SAME_KIND) * chance.normal("kind " + row.kind) + sqrt(1 - SAME_KIND) * chance.normal(
            "encode " + row.name
        )
        drawn.append(
            known.shift
            + known.common * common
            + known.film * (known.film_content * content + rest * (of_kind + of_row))
        )
    return np.array(drawn)


def _window_draws(rows: Sequence[Row], count: int, film: str, chance: Chance) -> Draws:
    """Draws of what each row has for each window, before anything was seen, shape (rows, windows, draws).

    What is drawn for a row doesn't depend on which others there are, so that
    a forecast stays as it is when something else is asked for.
    """
    content = chance.normals("windows " + film, count)
    drawn = np.empty((len(rows), count, chance.draws))
    kinds: dict[str, Draws] = {}
    for number, row in enumerate(rows):
        known = row.character
        if row.kind not in kinds:
            kinds[row.kind] = chance.normals(f"windows {film} {row.kind}", count)
        rest = known.window * sqrt(1 - known.window_content**2)
        own = sqrt(rest**2 * (1 - KIND_ALIKE) + known.own**2)
        drawn[number] = known.window * known.window_content * content
        drawn[number] += rest * sqrt(KIND_ALIKE) * kinds[row.kind]
        drawn[number] += own * chance.normals(f"windows {film} {row.name}", count)
    return drawn


def factors(
    rows: Sequence[Row], seen: NDArray[np.float64], wanted: Sequence[int], film: str, chance: Chance
) -> Draws:
    """Draws of log factors of a film's windows that aren't made yet.

    Parameters
    ----------
    rows
        Encodes of the film.
    seen
        Log factors of windows that are known, NaN of others, shape (rows, windows).
    wanted
        Numbers of the rows that are asked for.
    film
        The film's name.
    chance
        Where the draws come from.

    Returns
    -------
    array
        Of shape (wanted, windows, draws); where a window is known, its value.
    """
    asked, there = np.array(list(wanted), int), ~np.isnan(seen)
    needed = np.zeros(len(rows), bool)
    needed[asked] = True
    needed |= there.any(axis=1)
    number_of = np.cumsum(needed) - 1
    rows = [row for row, use in zip(rows, needed, strict=True) if use]
    seen, there, asked = seen[needed], there[needed], number_of[asked]
    film_part = _film_draws(rows, film, chance)
    window_part = _window_draws(rows, seen.shape[1], film, chance)
    found: Draws = film_part[asked][:, None, :] + window_part[asked]
    if there.any():
        moved, windows_moved = _news(rows, seen, film_part, window_part, asked)
        found += moved[asked][:, None, :] + windows_moved
    return found


def _patterns(there: NDArray[np.bool_]) -> list[tuple[NDArray[np.int_], NDArray[np.int_]]]:
    """Windows of which the same rows are known, together: the rows, and the windows."""
    patterns: dict[bytes, list[int]] = {}
    for window in range(there.shape[1]):
        patterns.setdefault(there[:, window].tobytes(), []).append(window)
    groups = [(np.flatnonzero(there[:, windows[0]]), np.array(windows)) for windows in patterns.values()]
    return [(known, windows) for known, windows in groups if known.size]


def _news(
    rows: Sequence[Row],
    seen: NDArray[np.float64],
    film_part: Draws,
    window_part: Draws,
    asked: NDArray[np.int_],
) -> tuple[Draws, Draws]:
    """How what was seen moves draws: of each row's film part, and of each asked row's windows.

    Given the film's parts, windows are independent of each other: what has
    to be inverted is no larger than the number of rows.
    """
    whole, by_window = _film_covariance(rows), _window_covariance(rows)
    noise = np.diag([row.character.own**2 for row in rows])
    off = seen[:, :, None] - film_part[:, None, :] - window_part
    groups = _patterns(~np.isnan(seen))
    gains = [np.linalg.inv((by_window + noise)[np.ix_(known, known)]) for known, _ in groups]
    precision = np.linalg.inv(whole + 1e-9 * np.eye(len(rows)))
    news = np.zeros(film_part.shape)
    for (known, windows), gain in zip(groups, gains, strict=True):
        precision[np.ix_(known, known)] += windows.size * gain
        news[known] += gain @ off[np.ix_(known, windows)].sum(axis=1)
    moved: Draws = np.linalg.solve(precision, news)
    windows_moved = np.zeros((asked.size, *window_part.shape[1:]))
    for (known, windows), gain in zip(groups, gains, strict=True):
        # what a row's own draws hold is moved by the noise, too, where that very window is known
        with_own = by_window[np.ix_(asked, known)] + noise[np.ix_(asked, known)]
        left = off[np.ix_(known, windows)] - moved[known][:, None, :]
        windows_moved[:, windows] = np.einsum("qk,kwd->qwd", with_own @ gain, left)
    return moved, windows_moved


class Middles(NamedTuple):
    """Log factors without draws: what is likely of each window, and the variance around it; shape (rows, windows)."""

    likely: NDArray[np.float64]
    spread: NDArray[np.float64]


@lru_cache(maxsize=64)
def _covariances(rows: tuple[Row, ...]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The inverse of what rows share of a whole film, and what they share of a window, their own error with it.

    Films of one evening seldom differ in it.
    """
    noise = np.diag([row.character.own**2 for row in rows])
    inverse = np.asarray(np.linalg.inv(_film_covariance(rows) + 1e-9 * np.eye(len(rows))), np.float64)
    return inverse, _window_covariance(rows) + noise


def middles(rows: Sequence[Row], seen: NDArray[np.float64], wanted: Sequence[int]) -> Middles:
    """What is likely of a film's windows that aren't made yet: the middle of what ``factors`` draws.

    Parameters
    ----------
    rows
        Encodes of the film.
    seen
        Log factors of windows that are known, NaN of others, shape (rows, windows).
    wanted
        Numbers of the rows that are asked for.

    Returns
    -------
    Middles
        Of these rows.  The variance is that of windows alone: what the whole film has in common isn't in it.
    """
    asked = np.array(list(wanted), int)
    inverse, shared = _covariances(tuple(rows))
    shift = np.array([row.character.shift for row in rows])
    off = seen - shift[:, None]
    groups = _patterns(~np.isnan(seen))
    gains = [np.linalg.inv(shared[known[:, None], known]) for known, _ in groups]
    precision, news = inverse.copy(), np.zeros(len(rows))
    for (known, windows), gain in zip(groups, gains, strict=True):
        precision[known[:, None], known] += windows.size * gain
        news[known] += gain @ off[known[:, None], windows].sum(axis=1)
    moved = np.linalg.solve(precision, news)
    likely = np.repeat((shift + moved)[asked][:, None], seen.shape[1], axis=1)
    spread = np.repeat(shared[asked, asked][:, None], seen.shape[1], axis=1)
    for (known, windows), gain in zip(groups, gains, strict=True):
        with_known = shared[asked[:, None], known]
        told = with_known @ gain
        likely[:, windows] += told @ (off[known[:, None], windows] - moved[known][:, None])
        spread[:, windows] -= (told * with_known).sum(axis=1)[:, None]
    spread[spread < 0] = 0.0
    return Middles(likely, spread)
