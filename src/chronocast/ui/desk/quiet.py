"""Whether the window has nothing to do just now: what is worked out beside it waits a moment while it has."""

from __future__ import annotations

import threading
import time
from functools import cache

from PyQt6.QtCore import QAbstractEventDispatcher, QObject

PATIENCE_SECONDS = 0.25
"""A window that is busy for longer is busy by itself: work beside it goes on."""
BREATH_EVERY, BREATH = 0.020, 0.001
"""Seconds.  Whoever calls the system often takes Python back each time before the window has woken up."""


class Quiet(QObject):
    """``Quiet(dispatcher)`` of the interface's thread: ``wait`` on any other until that one waits for events.

    Python lets one thread work at a time, and each of the many calls that
    drawing takes has to wait for its turn.  Whoever works beside the window
    stands back while it draws, so that it draws as fast as alone.
    """

    def __init__(self, dispatcher: QAbstractEventDispatcher | None) -> None:
        super().__init__(dispatcher)
        self._waits = threading.Event()
        self._waits.set()
        self._busy_since = 0.0
        self._breathed = threading.local()
        if dispatcher is not None:
            dispatcher.awake.connect(self._awake)
            dispatcher.aboutToBlock.connect(self._waits.set)

    def _awake(self) -> None:
        if self._waits.is_set():
            self._busy_since = time.monotonic()
            self._waits.clear()

    def wait(self) -> None:
        """Return when the interface's thread has nothing to do, or has had something for long."""
        now = time.monotonic()
        if now - getattr(self._breathed, "at", 0.0) > BREATH_EVERY:
            time.sleep(BREATH)
            self._breathed.at = time.monotonic()
        if not self._waits.is_set():
            left = PATIENCE_SECONDS - (time.monotonic() - self._busy_since)
            if left > 0:
                self._waits.wait(left)


@cache
def _of(dispatcher: QAbstractEventDispatcher | None) -> Quiet:
    return Quiet(dispatcher)


def window_quiet() -> Quiet:
    """That of the thread this is called on."""
    return _of(QAbstractEventDispatcher.instance())
