"""People first: when a station gives way to whoever is at it, and when it goes on."""

from __future__ import annotations

from chronocast.model.house import Manner

SITS_DOWN, GONE = 0.35, 0.15
"""Share of its processors that others use: more than the first is somebody at work, less than the second is nobody."""
SURE_SECONDS = 4.0
"""Somebody is there when that has been so for so long: opening a window is no work."""
BACK_SECONDS = 60.0
"""Nobody is there when that has been so for so long."""


class Courtesy:
    """``Courtesy(manner)``: told now and then what others use, it says whether the station is to work.

    One that works only while nobody is there begins shut; any other open.
    """

    def __init__(self, manner: Manner) -> None:
        self.manner = manner
        self.open = manner != "idle"
        self._since: float | None = None

    def see(self, now: float, others: float) -> bool:
        """Whether the station is to work now.

        Parameters
        ----------
        now
            Seconds of any steady clock.
        others
            The share of its processors that others use, 0 to 1.
        """
        if self.manner == "always":
            return True
        turning = others > SITS_DOWN if self.open else others < GONE
        if not turning:
            self._since = None
        elif self._since is None:
            self._since = now
        elif now - self._since >= (SURE_SECONDS if self.open else BACK_SECONDS):
            self.open, self._since = not self.open, None
        return self.open
