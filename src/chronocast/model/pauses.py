"""Long sums that let others have their turn, and end where nobody wants them any more.

Python lets one thread work at a time.  A forecast of thousands of outputs takes
seconds; whoever works it out beside a window says what happens at its pauses.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TypeVar

Given = TypeVar("Given")
Made = TypeVar("Made")

APART_SECONDS = 0.002
"""A pause that follows another sooner is none."""


class _OfThread(threading.local):
    act: Callable[[], None] | None = None
    last = 0.0


_mine = _OfThread()


def pause() -> None:
    """Do what is to be done at a pause of this thread's work; nothing where nothing was said.

    Called once for each output in every loop over all of them.
    """
    if _mine.act is None or time.perf_counter() - _mine.last < APART_SECONDS:
        return
    _mine.act()
    _mine.last = time.perf_counter()


def with_pauses(work: Callable[[Given], Made]) -> Callable[[Given], Made]:
    """The same work with a pause before it, for other threads that do it for this one: what is done then is this one's.

    Parameters
    ----------
    work
        What they do, once for each thing.
    """
    act = _mine.act
    if act is None:
        return work

    def paused(given: Given) -> Made:
        with at_pauses(act):
            pause()
            return work(given)

    return paused


@contextmanager
def at_pauses(act: Callable[[], None]) -> Iterator[None]:
    """Within it, pauses of this thread's work do something: wait for others, or raise to end the work.

    Parameters
    ----------
    act
        What is done.
    """
    before, _mine.act = _mine.act, act
    try:
        yield
    finally:
        _mine.act = before
