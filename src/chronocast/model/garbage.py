"""How often unreachable circles of objects are looked for, and memory that is given back."""

from __future__ import annotations

import contextlib
import ctypes
import gc

YOUNG, MIDDLE, OLD = 10_000, 10, 1000


def collect_seldom() -> None:
    """Look through everything that is kept but seldom.

    A batch of thousands is millions of small objects that stay: by the usual rule they are gone through again and
    again while they are made, which took two thirds of the time that preparing them takes, and held every thread up for
    seconds.  What is short-lived is still collected soon.
    """
    gc.set_threshold(YOUNG, MIDDLE, OLD)


def give_memory_back() -> None:
    """Give the system what was freed inside the heap: after a forecast of thousands of outputs a tenth of all that is held.

    Only the GNU C library has a call for it; elsewhere nothing is done.
    """
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(0)
