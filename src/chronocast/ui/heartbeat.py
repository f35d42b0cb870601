"""A heartbeat on the interface's thread: how long was it ever held up?"""

from __future__ import annotations

import logging
import os
import time

from PyQt6.QtCore import QObject, Qt, QTimer

log = logging.getLogger(__name__)
BEAT_SECONDS = 0.010
HELD_UP_SECONDS = 0.050


class Heartbeat(QObject):
    """Beats every 10 ms.

    ``gaps`` are the seconds between beats beyond that: what a person feels,
    other load on the machine included.  ``work`` are the seconds of processor
    time the interface's thread itself spent between beats: what is our doing.
    """

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.gaps: list[float] = []
        self.work: list[float] = []
        self._worked = time.thread_time()
        self._last = time.perf_counter()
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._beat)
        self._timer.start(round(BEAT_SECONDS * 1000))

    def _beat(self) -> None:
        now = time.perf_counter()
        gap = max(0.0, now - self._last - BEAT_SECONDS)
        self._last = now
        self.gaps.append(gap)
        worked = time.thread_time()
        self.work.append(worked - self._worked)
        self._worked = worked
        if len(self.gaps) > 200_000:
            del self.gaps[:100_000], self.work[:100_000]
        if gap > HELD_UP_SECONDS:
            log.info("the interface was held up for %.0f ms", gap * 1000)

    def percentile(self, share: float, own: bool = False) -> float:
        """The gap in seconds (or the thread's ``own`` work) that ``share`` of all beats stay below."""
        ordered = sorted(self.work if own else self.gaps)
        return ordered[min(len(ordered) - 1, int(len(ordered) * share))] if ordered else 0.0


def wanted() -> bool:
    """Whether the heartbeat was asked for (CHRONOCAST_HEARTBEAT)."""
    return bool(os.environ.get("CHRONOCAST_HEARTBEAT"))
