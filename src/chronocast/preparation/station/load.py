"""What other programs take of this machine."""

from __future__ import annotations

import contextlib
import os
import time
from typing import Any

import psutil

from chronocast.forecast.station import Load

STEADY = 0.03
"""A load that moves less than this is told as it was: figures don't flicker, and nothing is worked out anew for it."""


class LoadMeter:
    """``LoadMeter(slots)``: what other programs take of this machine, smoothed over the last minute or so.

    ``people`` is the share of its processors that programs of usual priority took lately, 0 to 1: encoders run below it.
    """

    SMOOTH = 0.3

    def __init__(self, slots: int) -> None:
        self._slots = slots
        self._which = sorted(os.sched_getaffinity(0))
        self._cores = max(1, len(self._which))
        self._last: tuple[float, float, float] | None = None
        self._others: float | None = None
        self._hurried = 0.0
        self.people = 0.0
        self._told: Load | None = None

    def read(self) -> Load:
        """The load now; nobody else's where too little time has passed to tell."""
        now, busy, own = time.monotonic(), self._busy(), self._own()
        if self._last is not None and now - self._last[0] > 0.5:
            passed = now - self._last[0]
            share = max(0.0, (busy - self._last[1]) - max(0.0, own - self._last[2])) / (passed * self._cores)
            share = min(1.0, share)
            hurried = self._of_usual_priority()
            self.people = min(1.0, max(0.0, hurried - self._hurried) / (passed * self._cores))
            self._others = (
                share if self._others is None else self._others + self.SMOOTH * (share - self._others)
            )
        if self._last is None or now - self._last[0] > 0.5:
            self._last = (now, busy, own)
            self._hurried = self._of_usual_priority()
        found = load_of(self._others or 0.0, self._slots, self._cores)
        if self._told is None or abs(found.stretch / self._told.stretch - 1) > STEADY:
            self._told = found
        return self._told

    def _times(self) -> list[Any]:
        """The times of the processors that this machine's work may use."""
        every = psutil.cpu_times(percpu=True)
        return [every[number] for number in self._which if number < len(every)]

    def _of_usual_priority(self) -> float:
        return float(sum(times.user for times in self._times()))

    def _busy(self) -> float:
        found = 0.0
        for times in self._times():
            idle = times.idle + getattr(times, "iowait", 0.0)
            guests = getattr(times, "guest", 0.0) + getattr(times, "guest_nice", 0.0)
            found += float(sum(times) - idle - guests)
        return found

    @staticmethod
    def _own() -> float:
        """Seconds of processor that this process and all below it have used."""
        total = 0.0
        try:
            me = psutil.Process()
            for process in [me, *me.children(recursive=True)]:
                with contextlib.suppress(psutil.Error):
                    times = process.cpu_times()
                    total += times.user + times.system
            times = me.cpu_times()
            total += times.children_user + times.children_system
        except psutil.Error:
            pass
        return total


def load_of(others: float, slots: int, cores: int) -> Load:
    """How much longer work takes when others use a share of a machine's cores (0 to 1).

    Parameters
    ----------
    others
        Share of the cores that others use, 0 to 1.
    slots
        Tasks at once.
    cores
        Of the machine.
    """
    free = max(0.15, 1.0 - others) * cores
    return Load(max(1.0, min(slots, cores) / free))
