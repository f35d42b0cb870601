"""How well forecasts have held: fact against likely, and how often a band held the fact."""

from __future__ import annotations

from collections.abc import Sequence
from math import exp, log
from typing import NamedTuple

from chronocast.forecast.learning.conformal import Outcome, width_factor


class Calibration(NamedTuple):
    """How forecasts of one quantity have held.

    Parameters
    ----------
    files
        How many there are.
    fact_over_likely
        The middle one; None without any.
    held
        How often P10 to P90 held it, from 0 to 1; None without any.
    width_factor
        By what bands are made wider since.
    """

    files: int
    fact_over_likely: float | None
    held: float | None
    width_factor: float


def calibration_of(outcomes: Sequence[Outcome]) -> Calibration:
    """How forecasts have held."""
    known = [one for one in outcomes if one.likely > 0 and one.fact > 0]
    if not known:
        return Calibration(0, None, None, 1.0)
    off = sorted(log(one.fact / one.likely) for one in known)
    held = sum(one.p10 <= one.fact <= one.safe for one in known) / len(known)
    return Calibration(
        len(known), round(exp(off[len(off) // 2]), 3), round(held, 3), round(width_factor(known), 3)
    )
