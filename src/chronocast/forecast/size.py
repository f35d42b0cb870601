"""Bytes of an output before it is encoded."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from chronocast.forecast.band import Chance, Draws
from chronocast.forecast.learn import Belief, update
from chronocast.forecast.priors import SizePrior

# Container: bytes a packet costs in MP4 (sample tables), and once; measured on joined files.
PACKET_BYTES = 17.0
FILE_BYTES = 1400.0


@dataclass(frozen=True)
class PictureAsk:
    """What is known of an output's picture.

    ``pieces`` are frames of each piece, ``kept`` the bytes of those in the
    stock (None where it has to be encoded).
    """

    name: str
    family: str
    prior: SizePrior
    pieces: Sequence[int]
    kept: Sequence[int | None]
    seen: Sequence[float] = field(default=())


def basis_value(ask: PictureAsk, frames: float) -> float:
    """Bytes that a factor of one stands for: rate × length, or a typical picture's at this quality or grade."""
    return ask.prior.bytes_a_frame * frames


def belief(ask: PictureAsk) -> Belief:
    """What is believed of this recipe's factor: the prior, the ledger, and this output's own pieces."""
    known = update(ask.prior.belief, ask.seen)
    own = [
        size / basis_value(ask, frames)
        for frames, size in zip(ask.pieces, ask.kept, strict=True)
        if size is not None
    ]
    known = Belief(known.mean, max(known.sd, 0.6 * known.spread), known.spread, known.seen)
    return update(known, own, correlated=0.2) if own else known


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
        if ask.prior.ceiling is not None:
            factor = np.minimum(factor, ask.prior.ceiling)
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
        return ask.prior.rests_on
    return " and ".join(parts)
