"""How often unreachable circles of objects are looked for."""

from __future__ import annotations

import gc

YOUNG, MIDDLE, OLD = 10_000, 10, 1000


def collect_seldom() -> None:
    """Look through everything that is kept but seldom.

    A batch of thousands is millions of small objects that stay: by the usual rule they are gone through again and
    again while they are made, which took two thirds of the time that preparing them takes, and held every thread up for
    seconds.  What is short-lived is still collected soon.
    """
    gc.set_threshold(YOUNG, MIDDLE, OLD)
