"""Bytes of an output before it is encoded."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from chronocast.forecast.band import Chance, Draws
from chronocast.forecast.learn import Belief, update, update_by_film
from chronocast.forecast.priors import SizePrior
from chronocast.model.recipe.codecs import SoundCodec


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
    "mp4": ContainerCost(850, 11.1, 5.0, 10.2, tags=740.0, timecode=620.0),
    "mov": ContainerCost(900, 11.1, 4.2, 6.2, tags=1_100.0, timecode=620.0),
    "mkv": ContainerCost(600, 7.5, 40.0, 7.2, tags=420.0, timecode=65.0),
    "webm": ContainerCost(600, 7.1, 40.0, 7.1, tags=350.0),
    "ts": ContainerCost(800, 92.0, 92.0, 112.0, 3760.0, 0.0217),
    "mxf": ContainerCost(11_500, 980.0, 980.0, 10.0),
    "m4a": ContainerCost(900, 0.0, 0.0, 5.0, tags=400.0),
    "wav": ContainerCost(90, 0.0, 0.0, 0.0, tags=450.0),
    "flac": ContainerCost(8_300, 0.0, 0.0, 0.0),
    "mp3": ContainerCost(500, 0.0, 0.0, 0.0),
    "opus": ContainerCost(400, 0.0, 0.0, 2.5),
    "images": ContainerCost(0, 0.0, 0.0, 0.0),
}
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


def picture_bytes(asks: Sequence[PictureAsk], chance: Chance) -> Draws:
    """Bytes of several outputs' pictures: kept pieces exact, the rest in error together.

    What is wrong with a prior is wrong for every output of its kind, what a
    film shows for all made of it, and each piece has an error of its own.

    Parameters
    ----------
    asks
        The outputs.
    chance
        Where the draws come from.

    Returns
    -------
    array
        Of shape (outputs, draws).
    """
    total = np.array([float(sum(size for size in ask.kept if size is not None)) for ask in asks])
    bytes_ = np.repeat(total[:, None], chance.draws, axis=1)
    open_frames = [
        [frames for frames, size in zip(ask.pieces, ask.kept, strict=True) if size is None] for ask in asks
    ]
    rows = [row for row, frames in enumerate(open_frames) if frames]
    if not rows:
        return bytes_
    known = [belief(asks[row]) for row in rows]
    counts = np.array([len(open_frames[row]) for row in rows])
    shared = np.array(
        [
            now.mean
            + now.common * chance.normal("bytes kind " + asks[row].prior.kind)
            + now.own * chance.normal("bytes film " + (asks[row].film or asks[row].name))
            for now, row in zip(known, rows, strict=True)
        ]
    )
    own = np.concatenate(
        [
            chance.normals("bytes " + asks[row].name, count) * (now.spread * 0.8)
            for now, row, count in zip(known, rows, counts, strict=True)
        ]
    )
    ceilings = np.array([asks[row].prior.ceiling or np.inf for row in rows])
    factor = np.minimum(np.exp(np.repeat(shared, counts, axis=0) + own), np.repeat(ceilings, counts)[:, None])
    weights = np.array([basis_value(asks[row], count) for row in rows for count in open_frames[row]])
    bytes_[rows] += np.add.reduceat(weights[:, None] * factor, np.cumsum(counts) - counts, axis=0)
    return bytes_


def sound_bits(
    codec: SoundCodec, *, sample_rate: int, channels: float, depth: int, bits_per_second: float
) -> float:
    """Bit/s of one track of sound: what is asked for, or of a codec that loses nothing its share of PCM.

    Parameters
    ----------
    codec
        Its row.
    sample_rate
        Hz.
    channels
        How many.
    depth
        Bits a sample; 0 for a codec with a rate.
    bits_per_second
        What is asked of a codec with a rate.
    """
    return sample_rate * channels * depth * codec.share if depth else float(bits_per_second)


def sound_bytes(seconds: float, bits_per_second: float) -> float:
    """Bytes of one track of sound at its rate."""
    return seconds * bits_per_second / 8


def container_bytes(
    container: str,
    frames: int,
    sound_packets: int,
    *,
    seconds: float = 0.0,
    payload: float = 0.0,
    whole: bool = False,
    finished: bool = False,
    timecode: bool = False,
) -> float:
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
