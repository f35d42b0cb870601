"""Slots that stand idle at the end of a run help with what is still being made.

An encode with threads of its own, and a check that several processes share,
use what nothing else wants.  So while fewer tasks are under way than there are
slots, time passes quicker than the clock thought that gave each task one slot.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Draws = NDArray[np.float64]

HELP = 0.8
"""What each slot more brings a task, in slots: threads wait for each other now and then (measured: 0.5 to 0.9)."""
REMEMBERED = 8
"""Tasks of each slot, the newest ones: an end of a run has no more."""


@dataclass
class IdleSlots:
    """``IdleSlots(slots)``: the newest tasks of some slots, and how much sooner they end as others come free.

    Parameters
    ----------
    slots
        How many there are.
    """

    slots: int
    begins: deque[Draws] = field(default_factory=deque)
    ends: deque[Draws] = field(default_factory=deque)
    hands: deque[int] = field(default_factory=deque)
    since: Draws | None = None

    def note(self, begin: Draws, end: Draws, hands: int) -> None:
        """A task has its time.

        Parameters
        ----------
        begin, end
            Seconds from now, shape (draws,).
        hands
            How many slots it can keep at work.
        """
        if len(self.ends) >= REMEMBERED * self.slots:
            self.begins.popleft()
            self.hands.popleft()
            gone = self.ends.popleft()
            self.since = gone if self.since is None else np.maximum(self.since, gone)
        self.begins.append(begin)
        self.ends.append(end)
        self.hands.append(hands)

    def sooner(self, times: Sequence[Draws]) -> list[Draws]:
        """Moments as they are with that help, shape (draws,) each; those before it come as they are.

        Parameters
        ----------
        times
            Seconds from now by the clock that gave each task one slot, shape (draws,) each.
        """
        if self.slots < 2 or max(self.hands, default=1) < 2 or not times:
            return list(times)
        at, real = self._passing()
        asked = np.array(times)
        found = np.empty_like(asked)
        for draw in range(asked.shape[1]):
            row = asked[:, draw]
            within = np.interp(row, at[:, draw], real[:, draw])
            later = row > at[-1, draw]
            found[:, draw] = np.where(later, row - at[-1, draw] + real[-1, draw], within)
            found[row < at[0, draw], draw] = row[row < at[0, draw]]
        return list(found)

    def _passing(self) -> tuple[Draws, Draws]:
        """Moments at which a task begins or ends, and when they are with help: shape (moments, draws) each."""
        begins, ends = np.array(self.begins), np.array(self.ends)
        helps = (1 + HELP * (np.array(self.hands) - 1))[:, None] * np.ones_like(begins)
        at = np.concatenate([begins, ends])
        order = np.argsort(at, axis=0, kind="stable")
        at = np.take_along_axis(at, order, 0)
        one = np.ones_like(begins)
        under_way = np.cumsum(np.take_along_axis(np.concatenate([one, -one]), order, 0), axis=0)
        could = np.cumsum(np.take_along_axis(np.concatenate([helps, -helps]), order, 0), axis=0)
        most = 1 + HELP * (self.slots / np.maximum(under_way, 1) - 1)
        speed = np.where(
            under_way < 0.5, 1.0, np.clip(could / np.maximum(under_way, 1), 1.0, np.maximum(most, 1.0))
        )
        if self.since is not None:  # of what was before nothing is remembered
            speed = np.where(at < self.since, 1.0, speed)
        real = at.copy()
        real[1:] = at[0] + np.cumsum(np.diff(at, axis=0) / speed[:-1], axis=0)
        return at, real
