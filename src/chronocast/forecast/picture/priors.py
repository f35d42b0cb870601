"""What is believed of a picture's bytes before anything of it was measured: from its codec's row and its rate control."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import exp, log

from chronocast.forecast.picture.content import Character
from chronocast.forecast.picture.measured import (
    CLASSES,
    LOOKS,
    MEASURED,
    PACKETS,
    SIZE_POWER,
    USUAL_PIXELS,
)
from chronocast.model.recipe.formats.codec import PictureCodec, Typical
from chronocast.model.recipe.recipe import PictureRecipe


@dataclass(frozen=True)
class SizePrior:
    """What is believed of a picture's bytes before anything of it was measured.

    Parameters
    ----------
    bytes_a_frame
        At a factor of one.
    character
        How the factor varies.
    ceiling
        The largest factor there can be; None for none.
    rests_on
        What it rests on, in words.
    kind
        Outputs of one kind share what is wrong with it.
    rated
        Whether a rate is asked for, which the pictures may not be able to use.
    searched
        Whether the whole is brought to its rate.
    best
        Of a rated one: log of what a typical picture takes at the best quality there is, against its rate.
    best_kind
        The kind whose experience tells of that.
    """

    bytes_a_frame: float
    character: Character
    ceiling: float | None
    rests_on: str
    kind: str = ""
    rated: bool = False
    searched: bool = False
    best: float = 0.0
    best_kind: str = ""


_RATED = {
    "variable": (Character(log(0.96), 0.03, 0.05, 0.10, 0.08, 0.0, 0.0), 1.08, "rate × length"),
    "constant": (Character(log(0.97), 0.05, 0.02, 0.03, 0.03, 0.0, 0.0), 1.02, "rate × length"),
    "two pass": (Character(0.0, 0.003, 0.003, 0.004, 0.003, 0.0, 0.0), 1.01, "rate × length, met within 1 %"),
}
"""Of each rate control that asks for a rate: bytes against rate × length, their ceiling, and what they rest on."""
_FILLED = Character(log(0.997), 0.005, 0.004, 0.006, 0.006, 0.0, 0.0)
"""A constant rate that is filled up to it."""
_UNMEASURED = "a typical picture, nothing of this recipe measured yet"


_SOURCES = {
    "grade": ("prores", "dnxhd", "mjpeg", "cfhd", "jpeg2000", "dvvideo"),
    "lossless": ("ffv1", "png", "qtrle", "huffyuv", "ffvhuff", "utvideo", "magicyuv", "exr", "tiff"),
    "": ("rawvideo", "v210", "dpx", "bmp", "v410", "r210"),
}
"""Codecs of sources by what the size of their packets tells; with "" it tells nothing."""


def source_kind(codec: str) -> str:
    """What kind of packets a source's are, by the libraries' name of its codec; "" where their size tells nothing."""
    if codec in PACKETS:
        return codec
    return next((kind for kind, codecs in _SOURCES.items() if codec in codecs), "long")


def character_of(kind: str) -> Character:
    """How bytes of a kind of encode vary: as measured, else as its class does."""
    return MEASURED.get(kind) or CLASSES.get(kind.rpartition(" ")[2], CLASSES["quality"])


def quality_bits(typical: Typical, quality: float) -> float:
    """Bits a pixel of a typical picture at a quality on its codec's own scale."""
    if typical.power:
        return float(typical.bits * (typical.quality / max(1.0, quality)) ** typical.power)
    return float(typical.bits * exp(log(2) / typical.halves * (typical.quality - quality)))


@dataclass(frozen=True)
class LookPrior:
    """What is believed of how like the original a picture looks before anything of it was measured.

    Parameters
    ----------
    typical
        XPSNR in dB at what is asked for; where a rate is asked for, at the best there is.
    per_halving
        What halving the bits takes of it, in dB.
    kind
        Outputs of one kind share what is wrong with it.
    character
        How it varies, in dB.
    """

    typical: float
    per_halving: float
    kind: str
    character: Character


def halvings(codec: PictureCodec, quality: float) -> float:
    """How often bits halve from a quality to the codec's usual one; less than 0 for a poorer one."""
    typical, scale = codec.typical, codec.quality
    if typical is None or scale is None:
        return 0.0
    return log(quality_bits(typical, quality) / quality_bits(typical, scale.usual)) / log(2)


def look_prior(picture: PictureRecipe, quality: float | None = None) -> LookPrior | None:
    """What is believed of how like the original a picture looks; None where nothing is lost, or nothing known.

    Parameters
    ----------
    picture
        What is asked for.
    quality
        The quality that was found for it, where it is brought to a rate.
    """
    codec, control, steering = picture.kind, picture.rate_control, picture.steering
    kind = f"{codec.id} look"
    usual, per_halving = LOOKS.get(codec.id, LOOKS[""])
    if codec.typical is not None and codec.quality is not None:
        if quality is None and steering.rated:
            if steering.even and codec.fills_constant:
                return None
            quality = codec.quality.best
        up = halvings(codec, control.quality if quality is None else quality)
    elif (grade := codec.grade(picture.grade)) and codec.kind == "intra" and not steering.rated:
        up = log(grade.bits_a_pixel / USUAL_GRADE) / log(2)
        usual, per_halving = LOOKS.get(codec.id, LOOKS["grade"])
    else:
        return None
    return LookPrior(usual + per_halving * up, per_halving, kind, character_of(kind))


USUAL_GRADE = 1.0
"""Bits a pixel of the grade whose look is said."""


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
        Bytes of its encoder against its format's other one, at the same grade or quality.
    """
    codec, control, steering = picture.kind, picture.rate_control, picture.steering
    # what pictures take at the end of the scale is all they can use, whatever rate is asked for
    best = (
        quality_bits(codec.typical, codec.quality.best) * small_pictures(pixels) * pixels / 8
        if codec.typical and codec.quality
        else 0.0
    )
    if steering.rated and codec.modes:
        character, ceiling, words = _RATED[steering.id]
        target = control.target_bits_per_second
        if not steering.searched and not steering.even:  # a peak near the rate leaves less above it
            ceiling = min(max(picture.peak or target * 2, target) / target, ceiling)
        filled = steering.even and codec.fills_constant
        return SizePrior(
            target / rate / 8,
            _FILLED if filled else character,
            ceiling,
            words,
            f"{codec.id} {steering.id}",
            rated=bool(best) and not filled,
            searched=steering.searched,
            best=log(best / (target / rate / 8)) if best else 0.0,
            best_kind=f"{codec.id} quality",
        )
    if codec.typical is not None:
        bits = quality_bits(codec.typical, control.quality) * small_pictures(pixels) * larger
        kind = f"{codec.id} quality"
        return SizePrior(bits * pixels / 8, character_of(kind), None, _UNMEASURED, kind)
    if grade := codec.grade(picture.grade):
        kind = f"{codec.id} grade"
        mean, sd = codec.graded
        character = MEASURED.get(kind) or replace(CLASSES["grade"], shift=mean, film=sd)
        return SizePrior(
            grade.bits_a_pixel * larger * pixels / 8, character, None, "its grade × frames", kind
        )
    bits, sd = codec.lossless
    kind = f"{codec.id} lossless"
    character = MEASURED.get(kind) or replace(CLASSES["lossless"], film=sd)
    return SizePrior(bits * pixels / 8, character, None, _UNMEASURED, kind)


def small_pictures(pixels: int) -> float:
    """How much more bits a pixel of a small picture takes: it shows more in each."""
    return float((pixels / USUAL_PIXELS) ** SIZE_POWER)
