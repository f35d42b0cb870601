"""A recipe weighed against another without planning anything: about how many bits a second, about how much work."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from math import exp

from chronocast.forecast.composing import BLEND_SHARE, MOTION_SHARE, READ_OTHER
from chronocast.forecast.picture.priors import size_prior
from chronocast.forecast.sound import sound_bits
from chronocast.media.encoders.registry import ENCODERS
from chronocast.model.recipe.formats.codecs import SOUND
from chronocast.model.recipe.recipe import CHANNELS, Recipe, frame_size
from chronocast.model.time.timing import Rate, parse_rate

TWO_PASS_ROUNDS = 2.4


@dataclass(frozen=True)
class Weighed:
    """Bit/s of picture and of sound, and work a second of film (seconds at a pace of one)."""

    picture: float
    sound: float
    work: float

    @property
    def bits(self) -> float:
        """Bit/s in all."""
        return self.picture + self.sound


def weigh(recipe: Recipe, width: int, height: int, rate: Rate) -> Weighed:
    """What a second of a source of that size and rate takes.

    Parameters
    ----------
    recipe
        What it is made by.
    width, height
        Of the source, in pixels.
    rate
        Frames a second of the source.
    """
    sound = 0.0
    if recipe.sound is not None:
        heard = recipe.sound
        codec = SOUND[heard.codec]
        depth = heard.depth if heard.depth != "source" else 24
        sound = sound_bits(
            codec,
            sample_rate=int(heard.sample_rate if heard.sample_rate != "source" else 48000),
            channels=CHANNELS.get(heard.layout, 2),
            depth=int(depth) if codec.lossless else 0,
            bits_per_second=heard.bits_per_second,
        )
    picture = recipe.picture
    if picture is None:
        return Weighed(0.0, sound, 0.2)
    out = frame_size(picture.size, width, height, multiple=picture.kind.multiple)
    pictures = parse_rate(picture.rate) if picture.rate else rate
    if picture.kind.kind == "images" and picture.stills.mode != "every":
        pictures = Fraction(1) / Fraction(max(picture.stills.seconds, 0.04)).limit_denominator(1000)
    encoder = ENCODERS[picture.encoder or picture.kind.encoders[0]]
    prior = size_prior(picture, out[0] * out[1], float(pictures), encoder.larger)
    bits = prior.bytes_a_frame * 8 * float(pictures) * exp(prior.character.shift)
    fields = 2 if picture.scan != "progressive" else 1
    times = TWO_PASS_ROUNDS if picture.steering.searched else 1.0
    encode = out[0] * out[1] / 1e6 * float(pictures) * encoder.effort(picture.effort) * times
    read = width * height / 1e6 * float(min(rate, pictures * fields)) * READ_OTHER
    between = (
        {"nearest": 0.0, "blend": BLEND_SHARE, "motion": MOTION_SHARE}[picture.retime]
        if picture.rate
        else 0.0
    )
    between *= out[0] * out[1] / 1e6 * float(pictures)
    return Weighed(bits, sound, encode + read + between)


def against(one: Weighed, other: Weighed) -> str:
    """What ``one`` takes against ``other``: ``−35 % size, 2.0 × time``; only what differs.

    >>> against(Weighed(2e6, 0, 2), Weighed(4e6, 0, 1))
    '−50 % size, 2.0 × time'
    """
    told = []
    size = one.bits / max(other.bits, 1.0)
    if abs(size - 1) > 0.03:
        told.append(
            f"{size:.0f} × size"
            if size >= 20
            else f"{size:.1f} × size"
            if size >= 2
            else f"{size - 1:+.0%} size".replace("%", " %").replace("-", "−")
        )
    work = one.work / max(other.work, 1e-9)
    if abs(work - 1) > 0.06:
        told.append(f"{work:.1f} × time" if work >= 0.1 else "far less time")
    return ", ".join(told)
