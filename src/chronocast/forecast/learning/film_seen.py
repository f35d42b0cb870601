"""What encodes of one film have shown, and whether its source says anything of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

HELD = 0.08
"""A source whose windows differ by no more (one standard deviation of the log) was held by a rate: cameras and
mezzanine codecs write as much of an easy picture as of a hard one."""


def held(packets: Sequence[float]) -> bool:
    """Whether the size of a source's packets, by window, says nothing of what it shows, since a rate held it."""
    if len(packets) < 3:
        return False
    middle = sum(packets) / len(packets)  # of so few values quicker than as an array
    return sum((value - middle) ** 2 for value in packets) < len(packets) * HELD**2


@dataclass(frozen=True)
class FilmSeen:
    """What other films have shown of a kind of encode: the mean log factor of a film, and what its packets said.

    Parameters
    ----------
    name
        The encode's own name.
    factor
        Mean log factor of its windows.
    windows
        How many.
    packets
        Mean log factor of the source's packets in them, by the packets' own character; None where unknown.
    """

    name: str
    factor: float
    windows: int
    packets: float | None = None
