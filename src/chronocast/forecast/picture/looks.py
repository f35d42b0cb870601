"""The lowest rate that still looks right: measured likeness against rate, and where it crosses a floor."""

from __future__ import annotations

from collections.abc import Sequence
from math import exp, log
from typing import NamedTuple

XPSNR_FLOOR = 40.0
"""dB: above it differences can hardly be seen side by side.  What a person wants to keep may be more or less."""


class Measured(NamedTuple):
    """One encode of some moments: its quality or rate as it was asked for, bits a second, XPSNR of the worst moment."""

    asked: float
    bits: float
    worst: float


def lowest(found: Sequence[Measured], floor: float) -> Measured | None:
    """The encode with the fewest bits whose worst moment keeps a floor, between those that were measured.

    Likeness is taken to rise with the logarithm of the rate, evenly between
    two encodes, and never to fall; nothing is said beyond what was measured.

    Parameters
    ----------
    found
        Encodes of the same moments, in any order.
    floor
        XPSNR in dB that the worst moment has to keep.
    """
    known = sorted(found, key=lambda item: item.bits)
    if not known or max(item.worst for item in known) < floor:
        return None
    best = -1.0
    before: Measured | None = None
    for item in known:
        now = item._replace(worst=max(item.worst, best))
        if now.worst >= floor:
            if before is None or now.worst <= before.worst:
                return now
            share = (floor - before.worst) / (now.worst - before.worst)
            return Measured(
                before.asked + share * (now.asked - before.asked),
                exp(log(before.bits) + share * (log(now.bits) - log(before.bits))),
                floor,
            )
        best, before = now.worst, now
    return None
