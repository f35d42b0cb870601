"""Rate controls: how it comes about how many bits a picture gets.  One row each; all that depends on one is here."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from chronocast.model.show import rate_bits_text

Mode = Literal["constant", "variable", "two pass", "quality"]


@dataclass(frozen=True)
class RateControlKind:
    """One way to a rate, or to a quality.

    ``rated``: a rate in bit/s is asked for.  ``searched``: one common quality
    is found for the whole output in rounds over its pieces, until the rate is
    met.  ``usual_peak`` is the peak that is kept where none is said, in shares
    of the rate; None where only a peak that was asked for is kept.
    ``eases`` says what is lowered where a piece overruns its peak.
    """

    id: str
    use: str
    rated: bool = False
    searched: bool = False
    usual_peak: float | None = None
    eases: Literal["", "rate", "quality"] = ""
    word: str = ""

    @property
    def even(self) -> bool:
        """Whether the rate is the same at every moment."""
        return self.usual_peak == 1.0

    def peak(self, target: int, asked: int | None) -> int | None:
        """The peak that is kept, in bit/s, for a rate and a peak that were asked for."""
        if self.even:
            return target
        if asked is None:
            return round(target * self.usual_peak) if self.usual_peak else None
        return max(asked, target if self.rated else 0)

    def words(self, target: int, quality: float) -> str:
        """It in a few words: ``3 Mb/s two pass``, ``quality 20``."""
        if not self.rated:
            return f"{self.word} {quality:g}"
        return f"{rate_bits_text(target)} {self.word}".strip()


RATE_CONTROLS: dict[str, RateControlKind] = {
    kind.id: kind
    for kind in (
        RateControlKind(
            "constant",
            "the same rate at every moment: for lines and players that can't store",
            rated=True,
            usual_peak=1.0,
            word="constant",
        ),
        RateControlKind(
            "variable",
            "an average rate, in one pass: quickest, its size is near what is asked",
            rated=True,
            usual_peak=2.0,
            eases="rate",
        ),
        RateControlKind(
            "two pass",
            "an average rate met within 1 %: one quality for the whole film, found in a few rounds",
            rated=True,
            searched=True,
            word="two pass",
        ),
        RateControlKind(
            "quality",
            "the same look everywhere, whatever it takes: its size is forecast, not asked",
            eases="quality",
            word="quality",
        ),
    )
}
GRADED = RateControlKind("grade", "the strength of a mezzanine codec says it")
LOSSLESS = RateControlKind("lossless", "nothing is lost, whatever it takes")
