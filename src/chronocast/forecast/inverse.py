"""The forecast asked backwards: the largest rate that still fits, and how likely something is in time."""

from __future__ import annotations

from collections.abc import Callable
from math import ceil, exp, floor, log, log10
from typing import TypeVar

import numpy as np

from chronocast.forecast.band import Draws

Amount = TypeVar("Amount", float, Draws)
STEPS = 18
"""Halvings of the logarithm of a range of rates: from a thousandfold down to a few parts in 100,000."""


def largest(fits: Callable[[float], bool], low: float, high: float) -> float | None:
    """The largest value that fits, in three digits; None if even the smallest doesn't.

    ``fits`` must be true up to some value and false above it.

    Parameters
    ----------
    fits
        Whether a value fits.
    low, high
        Between which to look, both positive.

    Raises
    ------
    ValueError
        The range is none.
    """
    if not 0 < low <= high:
        raise ValueError("the range must be positive and not empty")
    if not fits(low):
        return None
    if fits(high):
        return high
    return max(low, rounded_down(_nearest(fits, low, high)))


def smallest(fits: Callable[[float], bool], low: float, high: float) -> float | None:
    """The smallest value that fits, about; None if even the largest doesn't.

    ``fits`` must be false below some value and true above it.

    Parameters
    ----------
    fits
        Whether a value fits.
    low, high
        Between which to look, both positive.

    Raises
    ------
    ValueError
        The range is none.
    """
    if not 0 < low <= high:
        raise ValueError("the range must be positive and not empty")
    if fits(low):
        return low
    return _nearest(fits, high, low) if fits(high) else None


def _nearest(fits: Callable[[float], bool], inside: float, outside: float) -> float:
    """A value that fits, as near as can be to where values don't: ``inside`` fits, ``outside`` doesn't."""
    good, bad, found = log(inside), log(outside), inside
    for _ in range(STEPS):
        middle = (good + bad) / 2
        if fits(exp(middle)):
            good, found = middle, exp(middle)
        else:
            bad = middle
    return found


def rounded_up(value: float) -> float:
    """A positive value in three digits, never less than it is.

    >>> rounded_up(1_234_567), rounded_up(1000.0)
    (1240000.0, 1000.0)
    """
    step = 10.0 ** (floor(log10(value)) - 2)
    return max(value, ceil(value / step - 1e-9) * step)


def rounded_down(value: float) -> float:
    """A positive value in three digits, never more than it is.

    >>> rounded_down(1_234_567), rounded_down(999.9)
    (1230000.0, 999.0)
    """
    step = 10.0 ** (floor(log10(value)) - 2)
    return min(value, floor(value / step + 1e-9) * step)


def send_seconds(size: Amount, bits_per_second: float) -> Amount:
    """Seconds that files take across a line, shape as ``size``.

    Parameters
    ----------
    size
        Bytes.
    bits_per_second
        What the line carries.
    """
    return size * 8 / bits_per_second


def chance_of(finish: Draws, seconds: float) -> float:
    """How likely it is that something is finished in time, from 0 to 1.

    Parameters
    ----------
    finish
        Draws of seconds from now, shape (draws,).
    seconds
        From now, when it is wanted.
    """
    return float(np.mean(finish <= seconds))
