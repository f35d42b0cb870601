"""Seconds of work before it is done, on one station."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import log

import numpy as np

from chronocast.forecast.band import Chance, Draws
from chronocast.forecast.learn import Belief, update


@dataclass(frozen=True)
class Pace:
    """How fast a station works, each slot, with all slots busy and nobody else at work on it.

    Seconds a million pixels of work: ``encode`` (medium effort, decoding and
    composing included); of pixels: ``decode`` (checking).  ``sound``: seconds a second of sound.
    ``packet``: seconds a packet when joining; ``write``: bytes a second of the
    drive.  ``start``: seconds a task costs before it begins.  ``calibrated`` tells a measured pace from the supplied one;
    ``load`` is how much longer things took by the clock than by the processor while it was measured.
    """

    encode: float = 0.08
    decode: float = 0.009
    sound: float = 0.1
    packet: float = 0.0002
    write: float = 150e6
    start: float = 0.03
    calibrated: bool = False
    load: float = 0.0

    @property
    def busy(self) -> bool:
        """Whether it was measured while others were at work: then it says less."""
        return self.load > BUSY_LOAD


BUSY_LOAD = 0.25

SUPPLIED_PACE = Pace()


@dataclass(frozen=True)
class Load:
    """What others take of a station now: ``stretch`` is how much longer work takes by the clock; 1 is nobody else."""

    stretch: float = 1.0

    def draws(self, chance: Chance) -> Draws:
        """Draws of the stretch, shape (draws,): others come and go, so the more they take the less is sure."""
        sd = 0.10 + 0.5 * log(max(1.0, self.stretch))
        found: Draws = np.maximum(1.0, self.stretch * np.exp(sd * chance.normal("load") - sd * sd / 2))
        return found


@dataclass(frozen=True)
class PieceAsk:
    """A piece that must be encoded: its work in millions of pixels (those read for it included).

    ``factor`` is its encoder's time against x264 at medium effort; ``times`` how often it will be encoded.
    """

    megapixels: float
    factor: float
    pace: str
    times: float = 1.0


def encode_belief(pace: Pace, factor: float, seen: Sequence[float]) -> Belief:
    """Seconds a million pixels for one encoder and effort: the calibration, shifted by finished pieces."""
    sd = 0.8 if not pace.calibrated else 0.6 if pace.busy else 0.35
    prior = Belief(mean=log(pace.encode * factor), sd=sd, spread=0.30)
    return update(prior, seen[:60], correlated=0.3)


def piece_seconds(
    asks: Sequence[PieceAsk], pace: Pace, seen: Mapping[str, Sequence[float]], chance: Chance, name: str
) -> Draws:
    """Draws of each piece's seconds on a slot, shape (pieces, draws).

    The station's error is shared by all its pieces; a content error by the
    pieces of an output; and each has its own.
    """
    if not asks:
        return np.zeros((0, chance.draws))
    beliefs = {ask.pace: encode_belief(pace, ask.factor, seen.get(ask.pace, ())) for ask in asks}
    mean = np.array([log(max(ask.megapixels * ask.times, 1e-6)) + beliefs[ask.pace].mean for ask in asks])
    sd = np.array([np.hypot(beliefs[ask.pace].sd, 0.12) for ask in asks])
    spread = np.array([beliefs[ask.pace].spread for ask in asks])
    shared = chance.normal("station")
    content = chance.normal("content " + name)
    own = chance.normals("piece " + name, len(asks))
    logs = (
        mean[:, None] + sd[:, None] * shared + 0.7 * spread[:, None] * content + 0.7 * spread[:, None] * own
    )
    return np.exp(logs) + pace.start


def other_seconds(
    seconds: float, megapixels: float, packets: int, size: Draws, pace: Pace, chance: Chance
) -> tuple[Draws, Draws, Draws]:
    """Draws of the seconds for sound, joining and checking.  Joining reads and writes each packet once."""
    shared = np.exp(0.35 * chance.normal("station"))
    sound = (seconds * pace.sound + 0.1) * shared
    join = (2 * size / pace.write + 2 * packets * pace.packet + pace.start) * shared
    check = (megapixels * pace.decode + seconds * pace.sound * 0.1 + 0.5) * shared
    return sound, join, check
