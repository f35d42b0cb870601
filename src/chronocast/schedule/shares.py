"""A station's slots among runs that want them."""

from __future__ import annotations

from collections.abc import Sequence

from chronocast.model.house import WEIGHTS, Rank


def fair_shares(slots: int, served: Sequence[float], ranks: Sequence[Rank] = ()) -> list[int]:
    """How many slots each run may have: by its rank, and what is left over to those that had least for theirs.

    Parameters
    ----------
    slots
        How many there are.
    served
        What each run has had so far, in seconds of a slot.
    ranks
        Of each; all as the others, if not said.

    >>> fair_shares(4, [10.0, 0.0, 5.0]), fair_shares(1, [10.0, 0.0]), fair_shares(3, [])
    ([1, 2, 1], [0, 1], [])
    >>> fair_shares(5, [9.0, 9.0], ["before others", "as others"]), fair_shares(1, [9.0, 3.0], ["before others", "as others"])
    ([4, 1], [1, 0])
    """
    if not served:
        return []
    weights = [WEIGHTS[rank] for rank in ranks] if ranks else [1.0] * len(served)
    whole = sum(weights)
    found = [int(slots * weight / whole) for weight in weights]
    over = slots - sum(found)
    first = sorted(range(len(served)), key=lambda number: (served[number] / weights[number], number))
    for number in (first * slots)[:over]:
        found[number] += 1
    return found
