"""What is believed of a picture's bytes before anything of it was measured: from its codec's row and its rate control."""

from __future__ import annotations

from dataclasses import dataclass
from math import exp, log

from chronocast.forecast.learn import Belief
from chronocast.model.recipe.codecs import Typical
from chronocast.model.recipe.recipe import PictureRecipe


@dataclass(frozen=True)
class SizePrior:
    """Bytes a frame at a factor of one, what is believed of the factor, its ceiling, and what it rests on in words.

    Outputs of one ``kind`` share what is wrong with it.
    """

    bytes_a_frame: float
    belief: Belief
    ceiling: float | None
    rests_on: str
    kind: str = ""


_RATED = {
    "variable": (Belief(mean=log(0.94), sd=0.16, spread=0.30), 1.08, "rate × length"),
    "constant": (Belief(mean=log(0.97), sd=0.05, spread=0.05), 1.02, "rate × length"),
    "two pass": (Belief(mean=log(1.0), sd=0.004, spread=0.004), 1.01, "rate × length, met within 1 %"),
}
"""Of each rate control that asks for a rate: bytes against rate × length, their ceiling, and what they rest on.

In one pass easy content undershoots (down to 0.77 was measured).
"""
_FILLED = Belief(mean=log(0.997), sd=0.006, spread=0.01)
"""A constant rate that is filled up to it."""
_UNMEASURED = "a typical picture, nothing of this recipe measured yet"


def quality_bits(typical: Typical, quality: float) -> float:
    """Bits a pixel of a typical picture at a quality on its codec's own scale."""
    if typical.power:
        return float(typical.bits * (typical.quality / max(1.0, quality)) ** typical.power)
    return float(typical.bits * exp(log(2) / typical.halves * (typical.quality - quality)))


def size_prior(picture: PictureRecipe, pixels: int, rate: float, larger: float = 1.0) -> SizePrior:
    """What is believed of a picture's bytes before anything of it was measured.

    Parameters
    ----------
    picture
        What is asked for.
    pixels
        Of a frame.
    rate
        Frames a second.
    larger
        Bytes of its encoder against its format's other one, at the same grade.
    """
    codec, control, steering = picture.kind, picture.rate_control, picture.steering
    kind = f"{codec.id} {steering.id}"
    if steering.rated:
        belief, ceiling, words = _RATED[steering.id]
        target = control.target_bits_per_second
        if not steering.searched and not steering.even:  # a peak near the rate leaves less above it
            ceiling = min(max(picture.peak or target * 2, target) / target, ceiling)
        if steering.even and codec.fills_constant:
            belief = _FILLED
        return SizePrior(target / rate / 8, belief, ceiling, words, kind)
    if codec.typical is not None:
        bits = quality_bits(codec.typical, control.quality)
        return SizePrior(bits * pixels / 8, Belief(0.0, codec.typical.sd, 0.8), None, _UNMEASURED, kind)
    if grade := codec.grade(picture.grade):
        mean, sd = codec.graded
        return SizePrior(
            grade.bits_a_pixel * larger * pixels / 8,
            Belief(mean, sd, min(sd, 0.3)),
            None,
            "its grade × frames",
            kind,
        )
    bits, sd = codec.lossless
    return SizePrior(bits * pixels / 8, Belief(0.0, sd, min(sd, 0.4)), None, _UNMEASURED, kind)
