"""Does it fit on the drive?"""

from __future__ import annotations

from dataclasses import dataclass

from chronocast.forecast.band import Band

RESERVE_BYTES = 500_000_000
"""Left free on any drive: full drives make other programs fail."""


@dataclass(frozen=True)
class Room:
    """A drive: what is free, what is needed, and whether even the safe need fits."""

    drive: str
    free: int
    needs: Band
    purpose: str = ""

    @property
    def fits(self) -> bool:
        return self.needs.safe + RESERVE_BYTES <= self.free

    @property
    def tight(self) -> bool:
        """The likely need fits, the safe one doesn't."""
        return not self.fits and self.needs.likely + RESERVE_BYTES <= self.free
