"""Which pieces go when the stock is to be smaller: those that are worth least for the room they take, never one that is needed."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import NamedTuple

from chronocast.pieces.stock import Entry

HALF_LIFE_DAYS = 30.0
"""A piece that wasn't used for so long is worth half as much."""
DAY = 86_400.0


class Tidying(NamedTuple):
    """What goes, and what stays though it would have been its turn."""

    go: tuple[Entry, ...]
    needed: int
    short: int

    @property
    def bytes(self) -> int:
        """Bytes that come free."""
        return sum(entry.bytes for entry in self.go)

    @property
    def seconds(self) -> float:
        """Seconds of the processor that making it again would take."""
        return sum(entry.cpu_seconds for entry in self.go)


def worth(entry: Entry, now: float) -> float:
    """Seconds of work a byte saves, half of it gone after a month without use.

    Parameters
    ----------
    entry
        A piece.
    now
        The present, in seconds since 1970.
    """
    age = max(0.0, now - entry.used) / DAY
    return float(entry.cpu_seconds / max(1, entry.bytes) * 0.5 ** (age / HALF_LIFE_DAYS))


def choose_to_go(
    entries: Sequence[Entry],
    needed: Collection[str],
    now: float,
    *,
    most_bytes: float | None = None,
    unused_days: float | None = None,
) -> Tidying:
    """What goes so that the stock keeps a size, or holds nothing that wasn't used for long; least worth first.

    Parameters
    ----------
    entries
        Everything in the stock.
    needed
        Names that outputs wait for: they stay.
    now
        The present, in seconds since 1970.
    most_bytes
        What the stock may hold; None for any size.
    unused_days
        What was used since stays; None for all that is old enough.
    """
    old = [entry for entry in entries if unused_days is None or now - entry.used > unused_days * DAY]
    free = sorted((entry for entry in old if entry.name not in needed), key=lambda entry: worth(entry, now))
    kept = len(old) - len(free)
    if most_bytes is None:
        return Tidying(tuple(free) if unused_days is not None else (), kept, 0)
    over = sum(entry.bytes for entry in entries) - most_bytes
    go: list[Entry] = []
    for entry in free:
        if over <= 0:
            break
        go.append(entry)
        over -= entry.bytes
    return Tidying(tuple(go), kept, max(0, round(over)))
