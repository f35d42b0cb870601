"""What is known of an output's picture before it is encoded."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import log

from chronocast.forecast.picture.priors import LookPrior, SizePrior

BLANK = 0.02
"""Frames that show nothing take so much of what others take."""


@dataclass(frozen=True, slots=True)
class PictureAsk:
    """What is known of an output's picture.

    Parameters
    ----------
    name
        The output's.
    family
        What it shares with encodes by the same settings.
    prior
        What is believed before anything is known.
    pieces
        Frames of each piece.
    kept
        Bytes of those in the stock; None where a piece has to be encoded.
    windows
        What each piece shows, whatever recipe it is made by.
    packets
        Log of the source's bits a pixel in each piece; None where that says nothing.
    source_kind
        What kind of packets these are.
    film
        What is shown, whatever part of it and by whatever recipe.
    copied
        Numbers of the pieces whose packets are copied from the source: nothing is lost in them.
    blank
        The share of each piece's frames that show nothing; none of any, if not said.
    look
        What is believed of how like the original it will look; None where nothing is lost, or nothing known.
    """

    name: str
    family: str
    prior: SizePrior
    pieces: Sequence[int]
    kept: Sequence[int | None]
    windows: Sequence[str] = ()
    packets: Sequence[float | None] = ()
    source_kind: str = ""
    film: str = ""
    look: LookPrior | None = None
    copied: frozenset[int] = frozenset()
    blank: Sequence[float] = ()

    def drawn(self, number: int) -> float:
        """Log of what a piece takes of what it would if all its frames showed something."""
        return log(max(BLANK, 1.0 - self.blank[number])) if self.blank else 0.0

    @property
    def shown(self) -> str:
        """Its film, or itself where that isn't known."""
        return self.film or self.name

    @property
    def window_names(self) -> Sequence[str]:
        """What each piece shows; where that isn't known, pieces are told apart by their numbers."""
        return self.windows or [f"{n}" for n in range(len(self.pieces))]


def basis_value(ask: PictureAsk, frames: float) -> float:
    """Bytes that a factor of one stands for: rate × length, or a typical picture's at this quality or grade."""
    return ask.prior.bytes_a_frame * frames
