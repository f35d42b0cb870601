"""Does it fit on the drive?  One reckoning for the forecast, the begin of a run and the run itself."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from chronocast.forecast.band import Band
from chronocast.model.show import size_text

RESERVE_SHARE = 0.05
"""Of a drive's size: no reserve takes more, however small the drive."""

Fit = Literal["fits", "tight", "short", "read-only"]
"""*tight*: the likely need fits, the safe one doesn't."""


def reserve_on(total: int, wanted: int) -> int:
    """Bytes that are left free on a drive of ``total`` bytes: full drives make other programs fail."""
    return min(wanted, round(total * RESERVE_SHARE))


@dataclass(frozen=True)
class Room:
    """A drive: what is free, what of that is left free on purpose, what is needed.  All in bytes."""

    drive: str
    free: int
    needs: Band
    purpose: str = ""
    reserve: int = 0
    writable: bool = True
    why_not: str = ""

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
