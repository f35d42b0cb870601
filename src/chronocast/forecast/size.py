"""Bytes of an output before it is encoded."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from math import log

import numpy as np

from chronocast.forecast.band import Chance, Draws
from chronocast.forecast.learn import Belief, update

# Container: bytes a packet costs in MP4 (sample tables), and once; measured on joined files.
PACKET_BYTES = 17.0
FILE_BYTES = 1400.0

RATE_PRIOR = Belief(mean=log(0.94), sd=0.16, spread=0.30)
"""Bytes against rate × length in one pass over pieces: easy content undershoots (down to 0.77 was
measured), uneven content comes out at 1.0 and a little above."""

QUALITY_PRIOR = Belief(mean=log(0.055), sd=0.75, spread=0.8)
"""Bits a pixel at constant quality 20, over all kinds of content."""
QUALITY_STEP = log(2) / 6
"""A step of constant quality halves the rate every six."""


@dataclass(frozen=True)
class PictureAsk:
    """What is known of an output's picture.

    ``pieces`` are frames of each piece, ``kept`` the bytes of those in the
    stock (None where it has to be encoded).
    """

    name: str
    family: str
    pixels: int
    rate: float
    mode: str
    target_bits_per_second: float
    peak_bits_per_second: float
    quality: float
    pieces: Sequence[int]
    kept: Sequence[int | None]
    seen: Sequence[float] = field(default=())


def basis_value(ask: PictureAsk, frames: float) -> float:
    """Bytes that a factor of one stands for: rate × length, or a bit a pixel at this quality."""
    if ask.mode == "quality":
        return ask.pixels * frames / 8 * float(np.exp(QUALITY_STEP * (20 - ask.quality)))
    return ask.target_bits_per_second * frames / ask.rate / 8


def belief(ask: PictureAsk) -> Belief:
    """What is believed of this recipe's factor: the prior, the ledger, and this output's own pieces."""
    prior = QUALITY_PRIOR if ask.mode == "quality" else RATE_PRIOR
    known = update(prior, ask.seen)
    own = [
        size / basis_value(ask, frames)
        for frames, size in zip(ask.pieces, ask.kept, strict=True)
        if size is not None
    ]
    if not own:
        return Belief(known.mean, max(known.sd, 0.6 * known.spread), known.spread, known.seen)
    return update(
        Belief(known.mean, max(known.sd, 0.6 * known.spread), known.spread, known.seen), own, correlated=0.2
    )


def picture_bytes(ask: PictureAsk, chance: Chance) -> Draws:
    """Draws of the picture's bytes: kept pieces exact, the rest a shared and an own error."""
    total = np.zeros(chance.draws)
    open_frames = []
    for frames, size in zip(ask.pieces, ask.kept, strict=True):
        if size is not None:
            total += size
        else:
            open_frames.append(frames)
    if open_frames:
        known = belief(ask)
        weights = np.array([basis_value(ask, count) for count in open_frames])
        own = chance.normals("bytes " + ask.name, len(open_frames)) * known.spread * 0.8
        factor = np.exp(known.mean + known.sd * chance.normal("bytes family " + ask.family + ask.name) + own)
        if ask.mode != "quality":
            ceiling = max(ask.peak_bits_per_second / ask.target_bits_per_second, 1.0)
            factor = np.minimum(factor, min(ceiling, 1.08))
        total += weights @ factor
    return total


def sound_bytes(seconds: float, bits_per_second: float) -> float:
    """Bytes of an output's sound at its rate."""
    return seconds * bits_per_second / 8


def container_bytes(frames: int, sound_packets: int) -> float:
    """Bytes the container adds."""
    return FILE_BYTES + PACKET_BYTES * frames + 8.0 * sound_packets


def why(ask: PictureAsk) -> str:
    """What the forecast of bytes rests on, in a few words."""
    kept = sum(1 for size in ask.kept if size is not None)
    if kept == len(ask.pieces):
        return f"all {kept} pieces are in the stock"
    parts = []
    if kept:
        parts.append(f"{kept} kept piece{'s' if kept != 1 else ''}")
    if ask.seen:
        parts.append(f"{len(ask.seen)} finished piece{'s' if len(ask.seen) != 1 else ''} of this recipe")
    if not parts:
        return (
            "rate × length"
            if ask.mode != "quality"
            else "a typical picture, nothing of this recipe measured yet"
        )
    return " and ".join(parts)
