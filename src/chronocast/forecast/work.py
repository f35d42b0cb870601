"""Seconds of work before it is done, of all outputs at once.

Each kind of work has its price here: ``encode_stages`` for pieces, one
function for each of the others in ``PRICES``.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from math import exp, hypot, log, sqrt
from typing import NamedTuple

import numpy as np

from chronocast.forecast.band import Chance, Draws
from chronocast.forecast.learning.belief import Belief, update, update_by_film
from chronocast.forecast.learning.experience import Experience, PaceSeen, StationSeen
from chronocast.forecast.picture.measured import SECONDS_BY_BITS
from chronocast.forecast.stage import Stage
from chronocast.forecast.station import Pace, Station, device_place
from chronocast.model.stages import BASE, CHECK, COPY, ENCODE, JOIN, SOUND, StageKind

PIECE_WORK = 0.5
"""What beginning and ending a piece costs, in millions of pixels."""
MEASURE_SHARE = 0.35
"""What holding some pictures of a piece against the original takes, against checking all of it; whole films at 720 lines."""
MEASURE_SD = 0.3
"""Error of that (one standard deviation of the log)."""
COMPOSING, BASE_READING = "composing", "reading a base piece"
"""What the ledger calls composing pictures, and reading them from a base piece."""
COMPOSING_SD, COMPOSING_FILM_SD = 0.3, 0.35
"""Errors of what composing costs: of all films together, and of each (standard deviations of the log)."""
SHARED_SD = 0.35
"""Error of a station's pace for sound, joining and checking (one standard deviation of the log)."""


@dataclass(frozen=True, slots=True)
class PieceAsk:
    """A piece that must be encoded.

    Parameters
    ----------
    name
        In the stock.
    megapixels
        Its pictures in millions of pixels, and what beginning it costs.
    factor
        Its encoder's time against x264 at medium effort.
    pace
        What it shares experience with.
    times
        How often it will be encoded.
    measured
        Its pictures in millions of pixels, where it is held against the original; else 0.
    composing
        What composing its pictures costs, in millions of pixels encoded by x264 at medium effort.
    composed
        What that shares experience with.
    tried
        Seconds a million pixels by the clock as its device was tried; 0 for the processor.
    busier
        How many more bits its pictures take than those of its output do on the whole, as a logarithm.
    """

    name: str
    megapixels: float
    factor: float
    pace: str
    times: float = 1.0
    measured: float = 0.0
    composing: float = 0.0
    composed: str = COMPOSING
    tried: float = 0.0
    busier: float = 0.0


class CopyAsk(NamedTuple):
    """A piece whose packets are copied: its name in the stock, bytes, and how many packets.

    ``megapixels`` are decoded in its source and again beside encoded pictures, to prove that it fits; ``encoded``
    are of these pictures.
    """

    name: str
    bytes: float
    packets: int
    megapixels: float = 0.0
    encoded: float = 0.0


@dataclass(frozen=True, slots=True)
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
    drive
        Where its file is written.
    copies
        Its pieces that are copied.
    """

    output: str
    sound: str
    seconds: float
    megapixels: float
    packets: int
    size: Draws
    drive: str = ""
    copies: tuple[CopyAsk, ...] = ()


FILM_SD = 0.12
"""How films differ in seconds beyond what their bits say (one standard deviation of the log)."""
PIECE_SD = 0.10
"""How pieces of a film differ (one standard deviation of the log)."""
ANOTHER_DAY = 0.12
"""How a station differs from day to day, where nothing was seen of it lately."""
A_MOMENT = 0.06
"""How it differs from what it was some minutes ago."""


@dataclass(frozen=True, slots=True)
class EncodeAsk:
    """The pieces of an output that must be encoded.

    Parameters
    ----------
    film
        What they show.
    pieces
        The pieces.
    bits
        Draws of the log of bits written for each pixel, shape (draws,); None for the usual ones.
    bases
        Base pieces that are composed before them.
    device
        The kind of device that encodes them; "" for the processor.
    """

    film: str
    pieces: Sequence[PieceAsk]
    bits: Draws | None = None
    bases: Sequence[PieceAsk] = ()
    device: str = ""


class BitsPace(NamedTuple):
    """How far an encoder's seconds follow the bits it writes, in logs, and the bits at which its pace is said."""

    slope: float
    usual: float

    def of(self, bits: Draws | float) -> Draws | float:
        """What bits other than the usual ones add to the log of seconds."""
        return self.slope * (bits - self.usual)


def bits_pace(pace: str) -> BitsPace:
    """How seconds follow bits, by the encoder that a pace's name begins with."""
    return BitsPace(*SECONDS_BY_BITS.get(pace.split(" ")[0], SECONDS_BY_BITS[""]))


def threads_of(pace: str) -> int:
    """How many threads an encode has of its own, as its pace's name says.

    >>> threads_of("libx265 fast 2 by pixels"), threads_of("utvideo base by pixels")
    (2, 1)
    """
    told = pace.split(" ")[2:3]
    return int(told[0]) if told and told[0].isdigit() else 1


def base_pace(encoder: str) -> str:
    """What base pieces share experience of seconds with."""
    return f"{encoder} base by pixels"


def encode_belief(pace: Pace, ask: PieceAsk, seen: PaceSeen | None, film: str) -> Belief:
    """Log seconds a million pixels at the usual bits: the calibration, shifted by finished pieces.

    Parameters
    ----------
    pace
        The station's.
    ask
        A piece of the pace that is asked about.
    seen
        What pieces of that pace took there.
    film
        What is shown.
    """
    sd = 0.8 if not pace.calibrated else 0.6 if pace.busy else 0.3
    spread = sqrt(FILM_SD**2 + PIECE_SD**2)
    likely = ask.tried or pace.encode * ask.factor
    prior = Belief(log(likely), hypot(sd, FILM_SD), PIECE_SD, shared=sd)
    if seen is None or not seen.seconds:
        return replace(prior, spread=spread)
    by_bits = bits_pace(ask.pace)
    films: dict[str, list[float]] = {}
    for shown, seconds, bits in zip(seen.films, seen.seconds, seen.bits, strict=True):
        films.setdefault(shown, []).append(exp(seconds - float(by_bits.of(bits))))
    return update_by_film(prior, films, film)


def piece_seconds(
    asks: Mapping[str, EncodeAsk], pace: Pace, seen: StationSeen, chance: Chance
) -> dict[str, Draws]:
    """Seconds of the processor for each piece.

    The station's error is shared by all its pieces, what a film has of its
    own by all its outputs; each piece has an error of its own.

    Parameters
    ----------
    asks
        The pieces to encode, by output.
    pace
        The station's.
    seen
        What the station has shown.
    chance
        Where the draws come from.

    Returns
    -------
    dict
        By output, draws of shape (pieces, draws).
    """
    flat = [(output, piece) for output, group in asks.items() for piece in group.pieces]
    if not flat:
        return {output: np.zeros((0, chance.draws)) for output in asks}
    beliefs: dict[tuple[str, float, str], Belief] = {}
    common: dict[str, Draws] = {}
    drift = (A_MOMENT if seen.recent else ANOTHER_DAY) * chance.normal("station") + seen.state
    for output, piece in flat:
        film = asks[output].film or output
        key = (piece.pace, piece.factor, film)
        if key not in beliefs:
            beliefs[key] = encode_belief(pace, piece, seen.paces.get(piece.pace), film)
    for output, group in asks.items():
        if not group.pieces:
            continue
        film = group.film or output
        one = group.pieces[0]
        known = beliefs[one.pace, one.factor, film]
        common[output] = (
            known.mean
            + known.common * chance.normal("pace " + one.pace)
            + known.own * chance.normal(f"pace {film} {one.pace}")
            + (0.0 if group.bits is None else bits_pace(one.pace).of(group.bits))
            + drift
        )
    work = np.log([max(piece.megapixels * piece.times, 1e-6) for _, piece in flat])
    work += [bits_pace(piece.pace).slope * piece.busier for _, piece in flat]
    counts = [len(group.pieces) for group in asks.values()]
    shared = np.concatenate(
        [
            np.repeat(common[output][None, :], len(group.pieces), axis=0)
            for output, group in asks.items()
            if group.pieces
        ]
    )
    own = np.concatenate(
        [
            chance.normals("piece " + output, len(group.pieces))
            for output, group in asks.items()
            if group.pieces
        ]
    )
    measured = np.array([piece.measured * piece.times for _, piece in flat]) * pace.decode * MEASURE_SHARE
    looking = measured[:, None] * np.exp(MEASURE_SD * chance.normal("measure") + drift)
    seconds = np.exp(work[:, None] + shared + PIECE_SD * own) + looking + pace.start
    seconds += _composing_seconds(asks, pace, seen, chance) * np.exp(drift)
    return dict(zip(asks, np.split(seconds, np.cumsum(counts)[:-1]), strict=True))


def composing_belief(pace: Pace, composed: str, seen: PaceSeen | None, film: str) -> Belief:
    """Log seconds for what costs as much as encoding a million pixels: the calibration, shifted by finished pieces.

    Parameters
    ----------
    pace
        The station's.
    composed
        Composing, or reading a base piece.
    seen
        What that took there.
    film
        What is shown.
    """
    film_sd = COMPOSING_FILM_SD if composed == COMPOSING else FILM_SD
    prior = Belief(log(pace.encode), hypot(COMPOSING_SD, film_sd), PIECE_SD, shared=COMPOSING_SD)
    if seen is None or not seen.seconds:
        return prior
    films: dict[str, list[float]] = {}
    for shown, seconds in zip(seen.films, seen.seconds, strict=True):
        films.setdefault(shown, []).append(exp(seconds))
    return update_by_film(prior, films, film)


def composing_pace(film: str, station: Station, learned: Experience) -> float:
    """Likely seconds for composing what costs as much as encoding a million pixels, of one film on a station.

    Parameters
    ----------
    film
        What is shown.
    station
        Where it is composed.
    learned
        What the ledger has taught.
    """
    seen = learned.stations.get(station.id, StationSeen()).paces.get(COMPOSING)
    return exp(composing_belief(station.pace, COMPOSING, seen, film).mean)


def _composing_seconds(asks: Mapping[str, EncodeAsk], pace: Pace, seen: StationSeen, chance: Chance) -> Draws:
    """Seconds of the processor for composing each piece, shape (pieces, draws)."""
    found: list[Draws] = []
    rates: dict[tuple[str, str], Draws] = {}
    for output, group in asks.items():
        film = group.film or output
        kinds = dict.fromkeys(piece.composed for piece in group.pieces)
        works = {
            kind: [p.composing * p.times if p.composed == kind else 0.0 for p in group.pieces]
            for kind in kinds
        }
        total = np.zeros((len(group.pieces), chance.draws))
        for composed, work in works.items():
            if (composed, film) not in rates:
                known = composing_belief(pace, composed, seen.paces.get(composed), film)
                rates[composed, film] = np.exp(
                    known.mean
                    + known.common * chance.normal("pace " + composed)
                    + known.own * chance.normal(f"pace {film} {composed}")
                )
            total += np.multiply.outer(np.array(work), rates[composed, film])
        found.append(total)
    return np.concatenate(found)


def _processor_share(ask: EncodeAsk, seconds: Draws, pace: Pace, seen: StationSeen, chance: Chance) -> float:
    """The share of seconds on a device in which the processor composes, or holds pictures against the original."""
    composing = float(_composing_seconds({ask.film: ask}, pace, seen, chance).mean())
    looking = (
        float(np.mean([piece.measured * piece.times for piece in ask.pieces])) * pace.decode * MEASURE_SHARE
    )
    return min(1.0, (composing + looking) / max(1e-6, float(seconds.mean())))


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


def copy_seconds(ask: CopyAsk, pace: Pace) -> float:
    """Likely seconds for a piece that is copied: read, written, read again, and proved."""
    moved = 3 * ask.bytes / pace.write + 2 * ask.packets * pace.packet + pace.start
    return moved + 2 * ask.megapixels * pace.decode + ask.encoded * pace.encode


def stage_pace(kind: StageKind, drive: str = "") -> str:
    """What finished work of a kind that isn't a piece shares experience of seconds with: of joins, their drive, too.

    Parameters
    ----------
    kind
        Sound, join or check.
    drive
        Where the file is written.
    """
    return f"stage {kind.id} on {drive}" if drive and kind is JOIN else f"stage {kind.id}"


def stage_price(kind: StageKind, ask: OtherAsk, pace: Pace) -> float:
    """Likely seconds of the processor for one output's work of a kind that isn't a piece, by the calibration alone.

    Parameters
    ----------
    kind
        Sound, join or check.
    ask
        The output.
    pace
        The station's.
    """
    return float(np.median(PRICES[kind]([ask], pace)))


def stage_belief(kind: StageKind, seen: StationSeen, drive: str = "") -> Belief:
    """Log of what a kind of work takes against its price: finished work of that kind shifts it.

    Parameters
    ----------
    kind
        Sound, join or check.
    seen
        What the station has shown.
    drive
        Where the file is written.
    """
    prior, found = Belief(0.0, SHARED_SD, 0.3), seen.paces.get(stage_pace(kind, drive))
    return update(prior, [exp(value) for value in found.seconds[:60]], correlated=0.3) if found else prior


def stages_of(
    pieces: Mapping[str, EncodeAsk],
    others: Sequence[OtherAsk],
    station: Station,
    seen: StationSeen,
    chance: Chance,
) -> dict[str, tuple[Stage, ...]]:
    """All the work that outputs take on a station, in seconds of the processor.

    Parameters
    ----------
    pieces
        The pieces to encode, by output.
    others
        The outputs that are joined and checked.
    station
        Where it is done.
    seen
        What the station has shown.
    chance
        Where the draws come from.

    Returns
    -------
    dict
        By output, its stages in the order it goes through them.
    """
    found: dict[str, list[Stage]] = {output: [] for output in pieces}
    bases = {output: EncodeAsk(ask.film, ask.bases) for output, ask in pieces.items() if ask.bases}
    for output, seconds in piece_seconds(bases, station.pace, seen, chance).items():
        found[output].append(
            Stage(BASE, station.id, tuple(ask.name for ask in bases[output].pieces), seconds)
        )
    for output, seconds in piece_seconds(pieces, station.pace, seen, chance).items():
        if pieces[output].pieces:
            longest = np.argsort(-seconds.mean(axis=1), kind="stable")  # the last to end is then a short one
            names = tuple(pieces[output].pieces[number].name for number in longest)
            where = device_place(station.id, pieces[output].device)
            hands, beside = threads_of(pieces[output].pieces[0].pace), 0.0
            if pieces[output].device:
                hands, beside = 1, _processor_share(pieces[output], seconds, station.pace, seen, chance)
            found[output].append(Stage(ENCODE, where, names, seconds[longest], hands=hands, beside=beside))
    shared_copies = np.exp(SHARED_SD * chance.normal("station"))
    for ask in others:
        if ask.copies:
            seconds = np.array([copy_seconds(copy, station.pace) for copy in ask.copies])[:, None]
            names = tuple(copy.name for copy in ask.copies)
            found.setdefault(ask.output, []).append(Stage(COPY, station.id, names, seconds * shared_copies))
    for kind, price in PRICES.items():
        wanted = [ask for ask in others if kind is not SOUND or ask.sound]
        if not wanted:
            continue
        shared: dict[str, Draws] = {}
        for drive in {ask.drive for ask in wanted}:
            known = stage_belief(kind, seen, drive)
            shared[drive] = np.exp(known.mean + known.sd * chance.normal("station"))
        for ask, seconds in zip(wanted, price(wanted, station.pace), strict=True):
            name = ask.sound if kind is SOUND else ask.output
            took = (seconds * shared[ask.drive])[None, :]
            hands = station.slots if kind is CHECK else 1
            found.setdefault(ask.output, []).append(Stage(kind, station.id, (name,), took, hands=hands))
    return {output: tuple(stages) for output, stages in found.items()}
