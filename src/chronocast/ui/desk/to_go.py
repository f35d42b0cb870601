"""How long something that goes on still takes."""

from __future__ import annotations

import time

from chronocast.model.show import time_text

SURE_SECONDS, SURE_SHARE = 2.0, 0.02
"""Before so much of it has passed, it isn't known how long something takes."""


class ToGo:
    """How long something still takes; it begins with the first ``left``, and anew where less is done than before."""

    def __init__(self) -> None:
        self._since, self._first, self._last = 0.0, 0.0, 1.0

    def left(self, share: float) -> str:
        """The end of a sentence that says how far it is, like ``, 22 s to go``; "" while that isn't known.

        Parameters
        ----------
        share
            How much of all of it is done.
        """
        now = time.monotonic()
        if share < self._last:
            self._since, self._first = now, share
        self._last = share
        spent, done = now - self._since, share - self._first
        if share >= 1 or spent < SURE_SECONDS or done < SURE_SHARE:
            return ""
        return f", {time_text(spent / done * (1 - share))} to go"
