"""A station's slots among runs that want them."""

from __future__ import annotations

from collections.abc import Sequence


def fair_shares(slots: int, served: Sequence[float]) -> list[int]:
    """How many slots each run may have: equal shares, and what is left over to those that had least so far.

    Parameters
    ----------
    slots
        How many there are.
    served
        What each run has had so far, in seconds of a slot.

    >>> fair_shares(4, [10.0, 0.0, 5.0]), fair_shares(1, [10.0, 0.0]), fair_shares(3, [])
    ([1, 2, 1], [0, 1], [])
    """
    if not served:
        return []
    each, over = divmod(slots, len(served))
    first = set(sorted(range(len(served)), key=lambda number: (served[number], number))[:over])
    return [each + (number in first) for number in range(len(served))]
