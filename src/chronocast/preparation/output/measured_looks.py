"""How like the original a finished output looks: what was measured of its pieces, put together."""

from __future__ import annotations

from statistics import fmean
from typing import NamedTuple

import numpy as np

from chronocast.forecast.picture.quality import of_shots
from chronocast.model.messages.check import Check
from chronocast.model.show import db_text
from chronocast.pieces.stock import Stock
from chronocast.preparation.output.output_ready import OutputReady


class MeasuredLooks(NamedTuple):
    """XPSNR in dB of the pictures that were looked at.

    Parameters
    ----------
    mean, worst
        Of all of them, and of the poorest shots.
    at
        Where in the source the poorest picture is, as timecode.
    pictures
        How many were looked at.
    pieces
        In how many pieces, of how many.
    """

    mean: float
    worst: float
    at: str
    pictures: int
    pieces: tuple[int, int]

    def as_check(self) -> Check:
        """As one of the things that are told of a finished file; nothing was promised, so nothing is broken."""
        some, whole = self.pieces
        of = "" if some == whole else f" of {some} of {whole} pieces"
        return Check(
            "likeness",
            True,
            "told, nothing was asked",
            f"XPSNR {db_text(self.mean)}, poorest shot {db_text(self.worst)}, poorest picture at {self.at}",
            f"{self.pictures} pictures{of} decoded again and compared with what the encoder was given",
        )

    def as_json(self) -> dict[str, float]:
        """As the ledger keeps it."""
        return {"xpsnr": round(self.mean, 3), "worst": round(self.worst, 3)}


def measured_looks(ready: OutputReady, stock: Stock) -> MeasuredLooks | None:
    """What was measured of an output's pieces while they were made; None where nothing was.

    Parameters
    ----------
    ready
        The output, planned.
    stock
        Where finished pieces are.
    """
    shots: list[float] = []
    frames: list[int] = []
    pictures, begin = 0, 0
    poorest, place = float("inf"), 0
    for piece in ready.plan.pieces:
        kept = stock.find(piece.name)
        alike = kept.facts.get("likeness") or () if kept else ()
        if alike:
            shots.append(fmean(float(found[3]) for found in alike))
            frames.append(piece.frames)
            pictures += len(alike)
            low = min(alike, key=lambda found: float(found[3]))
            if float(low[3]) < poorest:
                poorest, place = float(low[3]), begin + int(low[0])
        begin += piece.frames
    if not shots:
        return None
    mean, worst = of_shots(np.array(shots)[:, None], frames)
    return MeasuredLooks(
        float(mean[0]),
        float(worst[0]),
        ready.timecode_at(place),
        pictures,
        (len(shots), len(ready.plan.pieces)),
    )
