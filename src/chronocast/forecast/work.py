"""Seconds of work before it is done, of all outputs at once.

Each kind of work has its price here: ``encode_stages`` for pieces, one
function for each of the others in ``PRICES``.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from math import log

import numpy as np

from chronocast.forecast.band import Chance, Draws
from chronocast.forecast.learn import Belief, update
from chronocast.forecast.stage import Stage
from chronocast.forecast.station import Pace, Station
from chronocast.model.stages import CHECK, ENCODE, JOIN, SOUND, StageKind

READ_SHARE = 0.2
"""What reading a pixel (decoding, scaling) costs against encoding one at medium effort; measured with x264 at 720 lines."""
PIECE_WORK = 0.5
"""What beginning and ending a piece costs, in millions of pixels."""
SHARED_SD = 0.35
"""Error of a station's pace for sound, joining and checking (one standard deviation of the log)."""


@dataclass(frozen=True)
class PieceAsk:
    """A piece that must be encoded.

    Parameters
    ----------
    name
        In the stock.
    megapixels
        Its work in millions of pixels, those read for it included.
    factor
        Its encoder's time against x264 at medium effort.
    pace
        What it shares experience with.
    times
        How often it will be encoded.
    """

    name: str
    megapixels: float
    factor: float
    pace: str
    times: float = 1.0


@dataclass(frozen=True)
class OtherAsk:
    """What of an output says how long all but its pieces take.

    Parameters
    ----------
    sound
        Its sound's name in the stock; empty where none is to be made.
    seconds
        Of film.
    megapixels
        All its pictures, in millions of pixels.
    packets
        Of picture and sound.
    size
        Draws of its bytes, shape (draws,).
    """

    output: str
    sound: str
    seconds: float
    megapixels: float
    packets: int
    size: Draws


def encode_belief(pace: Pace, factor: float, seen: Sequence[float]) -> Belief:
    """Seconds a million pixels for one encoder and effort: the calibration, shifted by finished pieces.

    Parameters
    ----------
    pace
        The station's.
    factor
        The encoder's time against x264 at medium effort.
    seen
        Seconds a million pixels that finished pieces took.
    """
    sd = 0.8 if not pace.calibrated else 0.6 if pace.busy else 0.35
    prior = Belief(mean=log(pace.encode * factor), sd=sd, spread=0.30)
    return update(prior, seen[:60], correlated=0.3)


def piece_seconds(
    asks: Mapping[str, Sequence[PieceAsk]], pace: Pace, seen: Mapping[str, Sequence[float]], chance: Chance
) -> dict[str, Draws]:
    """Seconds of each piece on a slot, with nobody else at work.

    The station's error is shared by all its pieces; a content error by the
    pieces of an output; and each has its own.

    Parameters
    ----------
    asks
        The pieces to encode, by output.
    pace
        The station's.
    seen
        Seconds a million pixels that pieces took there, by what they share experience with.
    chance
        Where the draws come from.

    Returns
    -------
    dict
        By output, draws of shape (pieces, draws).
    """
    flat = [ask for group in asks.values() for ask in group]
    if not flat:
        return {output: np.zeros((0, chance.draws)) for output in asks}
    counts = np.array([len(group) for group in asks.values()])
    kinds = {(ask.pace, ask.factor): encode_belief(pace, ask.factor, seen.get(ask.pace, ())) for ask in flat}
    beliefs = [kinds[ask.pace, ask.factor] for ask in flat]
    mean = np.log([max(ask.megapixels * ask.times, 1e-6) for ask in flat]) + [known.mean for known in beliefs]
    sd = np.hypot([known.sd for known in beliefs], 0.12)
    spread = 0.7 * np.array([known.spread for known in beliefs])
    content = np.repeat([chance.normal("content " + output) for output in asks], counts, axis=0)
    own = np.concatenate(
        [chance.normals("piece " + output, len(group)) for output, group in asks.items() if group]
    )
    seconds = np.exp(
        mean[:, None] + sd[:, None] * chance.normal("station") + spread[:, None] * (content + own)
    )
    parts = np.split(seconds + pace.start, np.cumsum(counts)[:-1])
    return dict(zip(asks, parts, strict=True))


def _sound(asks: Sequence[OtherAsk], pace: Pace) -> Draws:
    return np.array([ask.seconds * pace.sound + 0.1 for ask in asks])[:, None]


def _join(asks: Sequence[OtherAsk], pace: Pace) -> Draws:
    """Joining reads and writes each packet once."""
    sizes = np.array([ask.size for ask in asks])
    packets = np.array([ask.packets for ask in asks])
    return 2 * sizes / pace.write + (2 * packets * pace.packet + pace.start)[:, None]


def _check(asks: Sequence[OtherAsk], pace: Pace) -> Draws:
    pictures = np.array([ask.megapixels for ask in asks]) * pace.decode
    return (pictures + np.array([ask.seconds for ask in asks]) * pace.sound * 0.1 + 0.5)[:, None]


PRICES: dict[StageKind, Callable[[Sequence[OtherAsk], Pace], Draws]] = {
    SOUND: _sound,
    JOIN: _join,
    CHECK: _check,
}
"""Of each kind that isn't a piece: likely seconds of each output, shape (outputs, draws) or (outputs, 1)."""


def stages_of(
    pieces: Mapping[str, Sequence[PieceAsk]],
    others: Sequence[OtherAsk],
    station: Station,
    seen: Mapping[str, Sequence[float]],
    chance: Chance,
) -> dict[str, tuple[Stage, ...]]:
    """All the work that outputs take on a station, by the clock.

    Parameters
    ----------
    pieces
        The pieces to encode, by output.
    others
        The outputs that are joined and checked.
    station
        Where it is done.
    seen
        Seconds a million pixels that pieces took there, by what they share experience with.
    chance
        Where the draws come from.

    Returns
    -------
    dict
        By output, its stages in the order it goes through them.
    """
    stretch = station.load.draws(chance)
    found: dict[str, list[Stage]] = {output: [] for output in pieces}
    for output, seconds in piece_seconds(pieces, station.pace, seen, chance).items():
        if pieces[output]:
            names = tuple(ask.name for ask in pieces[output])
            found[output].append(Stage(ENCODE, station.id, names, seconds * stretch))
    shared = np.exp(SHARED_SD * chance.normal("station")) * stretch
    for kind, price in PRICES.items():
        wanted = [ask for ask in others if kind is not SOUND or ask.sound]
        if not wanted:
            continue
        for ask, seconds in zip(wanted, price(wanted, station.pace) * shared, strict=True):
            name = ask.sound if kind is SOUND else ask.output
            found.setdefault(ask.output, []).append(Stage(kind, station.id, (name,), seconds[None, :]))
    return {output: tuple(stages) for output, stages in found.items()}
