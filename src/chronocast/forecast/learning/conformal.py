"""Bands that are as wide as they have to be: what was forecast of finished outputs against what came.

Split conformal prediction (Lei et al., Distribution-Free Predictive Inference
for Regression, 2018) on the scale of the bands themselves: a factor by which
they must be widened, or may be narrowed, for four of five outputs to lie
between P10 and P90.  With few outputs it stays near one.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from math import ceil, exp, log
from typing import NamedTuple

import numpy as np

from chronocast.forecast.band import Z90, Draws

SHRINK = 30.0
"""So many outputs weigh as much as the belief that bands are right as they are."""
LEAST, MOST = 0.6, 3.0
"""Between which factors lie."""


class Outcome(NamedTuple):
    """What was forecast of an output (P10, likely, safe) and what came, in one unit; ``name`` is its file's."""

    p10: float
    likely: float
    safe: float
    fact: float
    name: str = ""


def as_it_was(told: Mapping[str, float], fact: float, factor: float, name: str = "") -> Outcome:
    """What was forecast before its band was made wider or narrower by a factor, and what came.

    Else a factor would be learned from bands that it has made right already, and be given up again.

    Parameters
    ----------
    told
        The band as it was told: *p10*, *likely*, *safe*.
    fact
        What came.
    factor
        By what it had been widened.
    name
        The file's.
    """
    likely = told["likely"]
    if likely <= 0 or told["p10"] <= 0 or factor <= 0:
        return Outcome(told["p10"], likely, told["safe"], fact, name)
    low, high = ((told[end] / likely) ** (1 / factor) * likely for end in ("p10", "safe"))
    return Outcome(low, likely, high, fact, name)


class Widths(NamedTuple):
    """Factors for the bands of bytes and of seconds, in logs around likely."""

    bytes: float = 1.0
    seconds: float = 1.0


def width_factor(outcomes: Iterable[Outcome]) -> float:
    """By what bands must be widened, in logs around likely, for four of five outputs to lie between P10 and P90.

    Parameters
    ----------
    outcomes
        Finished outputs; what was known exactly beforehand says nothing and is left out.
    """
    scores = []
    for one in outcomes:
        spread = (log(one.safe) - log(one.p10)) / (2 * Z90) if one.p10 > 0 and one.safe > one.p10 else 0.0
        if spread > 0.003 and one.fact > 0 and one.likely > 0:
            scores.append(abs(log(one.fact / one.likely)) / spread)
    if not scores:
        return 1.0
    count = len(scores)
    # the conformal quantile, a little above the plain one
    rank = min(count, ceil(0.8 * (count + 1)))
    wanted = max(0.05, sorted(scores)[rank - 1]) / Z90
    weight = count / (count + SHRINK)
    return min(MOST, max(LEAST, exp(weight * log(wanted))))


def widened(draws: Draws, factor: float) -> Draws:
    """Draws with their logs spread by a factor around the median, the last axis being that of draws."""
    if factor == 1.0:
        return draws
    middle = np.median(draws, axis=-1, keepdims=True)
    safe = np.maximum(draws, 1e-12)
    found: Draws = np.where(middle > 0, middle * (safe / np.maximum(middle, 1e-12)) ** factor, draws)
    return found
