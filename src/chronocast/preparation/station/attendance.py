"""Whether stations stay while a run counts on them: seen, kept, and what a rehearsal makes of it."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from chronocast.model.house import Attendance

MOST_AWAY = 50
"""So many returns are remembered."""


class AttendanceBook:
    """``AttendanceBook(before)``: ``hear`` who is there, now and again; ``found`` is what came of it.

    Time in which nothing was heard of the house counts neither for a station nor against it.

    Parameters
    ----------
    before
        What is known from earlier runs.
    """

    def __init__(self, before: Mapping[str, Attendance]) -> None:
        self.found = dict(before)
        self._there: dict[str, float] = {}
        self._gone: dict[str, float] = {}

    def hear(self, names: Collection[str], now: float) -> bool:
        """Take in who is there; whether somebody came or went.

        Parameters
        ----------
        names
            The stations that are there.
        now
            Seconds, by a clock that never jumps.
        """
        changed = False
        for name in [name for name in self._there if name not in names]:
            seen = self._seen(name, now)
            self.found[name] = seen.model_copy(update={"losses": seen.losses + 1})
            del self._there[name]
            self._gone[name] = now
            changed = True
        for name in names:
            seen = self._seen(name, now)
            if (since := self._gone.pop(name, None)) is not None:
                seen = seen.model_copy(update={"away": (*seen.away, now - since)[-MOST_AWAY:]})
                changed = True
            self._there[name] = now
            self.found[name] = seen
        return changed

    def pause(self) -> None:
        """Nothing is heard of the house for now."""
        self._there.clear()
        self._gone.clear()

    def _seen(self, name: str, now: float) -> Attendance:
        """Its attendance with the time since it was heard last."""
        before = self.found.get(name, Attendance())
        since = self._there.get(name)
        return (
            before
            if since is None
            else before.model_copy(update={"seconds": before.seconds + max(0.0, now - since)})
        )
