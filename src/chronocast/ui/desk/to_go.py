"""How far something long is, in words, with the time it still takes."""

from __future__ import annotations

import time

from chronocast.model.show import time_text

SURE_SECONDS = 2.0
"""Before, it isn't known how long something takes."""


class ToGo:
    """``ToGo(words)``: how far what the words say is."""

    def __init__(self, words: str) -> None:
        self._words, self._begun, self._began_with = words, 0.0, 0

    def told(self, done: int, total: int) -> str:
        """That so many of all are done, and for how long it still goes on.

        Parameters
        ----------
        done
            How many are done.
        total
            How many there are.
        """
        now = time.monotonic()
        if not self._begun or done < self._began_with:
            self._begun, self._began_with = now, done
        spent, more = now - self._begun, done - self._began_with
        left = time_text(spent / more * (total - done)) if more and spent > SURE_SECONDS else ""
        return f"{self._words}: {done:,} of {total:,}" + (f", {left} to go" if left and done < total else "")
