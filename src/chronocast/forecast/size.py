"""Bytes of an output before it is encoded."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from chronocast.forecast.band import Chance, Draws
from chronocast.forecast.learn import Belief, update, update_by_film
from chronocast.forecast.priors import SizePrior


@dataclass(frozen=True)
class ContainerCost:
    """Bytes a container takes: once, a frame (``whole``: where every frame is a key frame), a packet of sound, a second.

    ``share`` is of what is put in; ``tags`` and ``timecode`` are what a finished
    file's titles and its track of timecode take, which pieces don't have.
    Measured on joined files of 25 to 1,000 frames at 160×96, each codec it is
    used with, and on tagged films with several channels (2026-11).
    """

    once: float
    frame: float
    whole: float
    sound: float
    second: float = 0.0
    share: float = 0.0
    tags: float = 0.0
    timecode: float = 0.0


CONTAINER_COSTS = {
    "mp4": ContainerCost(850, 11.1, 5.0, 10.2, tags=740.0, timecode=620.0), "mov": ContainerCost(900, 11.1, 4.2, 6.2, tags=1_100.0, timecode=620.0),
    "mkv": ContainerCost(600, 7.5, 40.0, 7.2, tags=420.0, timecode=65.0), "webm": ContainerCost(600, 7.1, 40.0, 7.1, tags=350.0),
    "ts": ContainerCost(800, 92.0, 92.0, 112.0, 3760.0, 0.0217), "mxf": ContainerCost(11_500, 980.0, 980.0, 10.0),
    "m4a": ContainerCost(900, 0.0, 0.0, 5.0, tags=400.0), "wav": ContainerCost(90, 0.0, 0.0, 0.0, tags=450.0), "flac": ContainerCost(8_300, 0.0, 0.0, 0.0),
    "mp3": ContainerCost(500, 0.0, 0.0, 0.0), "opus": ContainerCost(400, 0.0, 0.0, 2.5), "images": ContainerCost(0, 0.0, 0.0, 0.0),
}  # fmt: skip
CONTAINER_UNSURE = 0.12
"""Relative error of these figures (one standard deviation)."""
CONTAINER_UNSURE_BYTES = 300.0
"""What titles, languages and layouts make of it besides (one standard deviation)."""


@dataclass(frozen=True)
class PictureAsk:
    """What is known of an output's picture.

    ``pieces`` are frames of each piece, ``kept`` the bytes of those in the
    stock (None where it has to be encoded); ``seen`` factors of finished
    pieces of its family by film, ``film`` its own.
    """

    name: str
    family: str
    prior: SizePrior
    pieces: Sequence[int]
    kept: Sequence[int | None]
    seen: Mapping[str, Sequence[float]] = field(default_factory=dict)
    film: str = ""


def basis_value(ask: PictureAsk, frames: float) -> float:
    """Bytes that a factor of one stands for: rate × length, or a typical picture's at this quality or grade."""
    return ask.prior.bytes_a_frame * frames


def belief(ask: PictureAsk) -> Belief:
    """What is believed of this recipe's factor: the prior, the ledger, and this output's own pieces."""
    known = update_by_film(ask.prior.belief, ask.seen, ask.film)
    own = [
        size / basis_value(ask, frames)
        for frames, size in zip(ask.pieces, ask.kept, strict=True)
        if size is not None
    ]
    if not own:
        return known
    # its own pieces say most of what it shows, and that isn't shared with others
    shown = update(known, own, correlated=0.2)
    return Belief(shown.mean, shown.sd, shown.spread, shown.seen, min(shown.common, shown.sd * 0.3))


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
        # what is wrong with a prior is wrong for every output of its kind; what a film shows, for all made of it
        common = known.common * chance.normal("bytes kind " + ask.prior.kind)
        film = known.own * chance.normal("bytes film " + (ask.film or ask.name))
        factor = np.exp(known.mean + common + film + own)
        if ask.prior.ceiling is not None:
            factor = np.minimum(factor, ask.prior.ceiling)
        total += weights @ factor
    return total


def sound_bytes(seconds: float, bits_per_second: float) -> float:
    """Bytes of an output's sound at its rate."""
    return seconds * bits_per_second / 8


def container_bytes(
    container: str, frames: int, sound_packets: int, seconds: float = 0.0, payload: float = 0.0, whole: bool = False,
    finished: bool = False, timecode: bool = False,
) -> float:  # fmt: skip
    """Bytes the container adds.

    Parameters
    ----------
    container
        Our own word for it.
    frames, sound_packets
        How many packets it holds.
    seconds
        How long it lasts.
    payload
        Bytes that are put in.
    whole
        Whether every frame is a key frame.
    finished
        Whether it is a finished file, with its titles, and not a piece.
    timecode
        Whether it carries timecode.
    """
    cost = CONTAINER_COSTS.get(container, CONTAINER_COSTS["mp4"])
    each = cost.whole if whole else cost.frame
    return (
        cost.once
        + each * frames
        + cost.sound * sound_packets
        + cost.second * seconds
        + cost.share * payload
        + cost.tags * finished
        + cost.timecode * timecode
    )


def why(ask: PictureAsk) -> str:
    """What the forecast of bytes rests on, in a few words."""
    kept = sum(1 for size in ask.kept if size is not None)
    if kept == len(ask.pieces):
        return f"all {kept} pieces are in the stock"
    parts = []
    if kept:
        parts.append(f"{kept} kept piece{'s' if kept != 1 else ''}")
    if count := sum(len(values) for values in ask.seen.values()):
        films = len(ask.seen)
        of = f" of {films} sources" if films > 1 else ""
        parts.append(f"{count} finished piece{'s' if count != 1 else ''}{of} by this recipe")
    if not parts:
        return ask.prior.rests_on
    return " and ".join(parts)
