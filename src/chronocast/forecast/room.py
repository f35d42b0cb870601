"""Does it fit on the drive?  One reckoning for the forecast, the begin of a run and the run itself."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np

from chronocast.forecast.band import Band, Draws, band
from chronocast.model.show import size_text

RESERVE_SHARE = 0.05
"""Of a drive's size: no reserve takes more, however small the drive."""

Fit = Literal["fits", "tight", "short", "read-only"]
"""*tight*: the likely need fits, the safe one doesn't."""


def reserve_on(total: int, wanted: int) -> int:
    """Bytes that are left free on a drive of ``total`` bytes: full drives make other programs fail."""
    return min(wanted, round(total * RESERVE_SHARE))


class Taking(NamedTuple):
    """What an output takes of a drive at some time: seconds from now, and bytes, both of shape (draws,)."""

    output: str
    seconds: Draws
    bytes: Draws


class RunsOut(NamedTuple):
    """When a drive is full.

    Parameters
    ----------
    chance
        How likely it is, from 0 to 1.
    after
        Seconds from now, where it happens.
    output
        What is then made, most often.
    """

    chance: float
    after: Band
    output: str


SELDOM = 0.02
"""A drive that runs out no more often isn't spoken of."""


def runs_out(takings: Sequence[Taking], usable: float) -> RunsOut | None:
    """When a drive is full, if it may be: what is taken adds up in time, in every draw by itself.

    Parameters
    ----------
    takings
        What is written there, when; nothing of it goes away before the end.
    usable
        Bytes that may be filled.
    """
    if not takings:
        return None
    sizes = np.array([taking.bytes for taking in takings])
    if (sizes.sum(axis=0) > usable).mean() <= SELDOM:
        return None
    seconds = np.array([taking.seconds for taking in takings])
    order = np.argsort(seconds, axis=0, kind="stable")
    filled = np.cumsum(np.take_along_axis(sizes, order, axis=0), axis=0)
    over = filled > usable
    full = over.any(axis=0)
    first = order[over.argmax(axis=0), np.arange(order.shape[1])][full]
    at = seconds[first, np.flatnonzero(full)]
    most = takings[int(np.bincount(first).argmax())].output
    return RunsOut(float(full.mean()), band(at), most)


@dataclass(frozen=True)
class Room:
    """A drive: what is free, what of that is left free on purpose, what is needed.  All in bytes.

    ``runs_out`` says when it is full, if it may be; ``remedies`` what would help.
    """

    drive: str
    free: int
    needs: Band
    purpose: str = ""
    reserve: int = 0
    writable: bool = True
    why_not: str = ""
    runs_out: RunsOut | None = None
    remedies: tuple[str, ...] = ()

    @property
    def usable(self) -> int:
        """What may be filled: the free bytes less the reserve."""
        return max(0, self.free - self.reserve)

    @property
    def fit(self) -> Fit:
        """Whether it fits."""
        if not self.writable:
            return "read-only"
        if self.needs.safe <= self.usable:
            return "fits"
        return "tight" if self.needs.likely <= self.usable else "short"

    @property
    def fits(self) -> bool:
        """Whether the safe need fits."""
        return self.fit == "fits"

    @property
    def tight(self) -> bool:
        """Whether only the likely need fits."""
        return self.fit == "tight"

    @property
    def told(self) -> str:
        """All of it in a sentence, every number in it adding up."""
        if not self.writable:
            return f"{self.drive} can't be written: {self.why_not}."
        kept = f", of which {size_text(self.reserve)} are left free on purpose" if self.reserve else ""
        need = f"{size_text(self.needs.likely)} to {size_text(self.needs.safe)}"
        words = {
            "fits": "it fits",
            "tight": "it fits if all goes as is likely",
            "short": "that is too little",
        }
        return f"{self.drive} has {size_text(self.free)} free{kept}; this needs {need}: {words[self.fit]}."
