"""Many outputs, each by several ways, in a moment: what is likely of their bytes, seconds and looks, without draws.

The middle of what is believed of each film's windows is worked out once a
film and kind of encode; everything else is sums over arrays of all outputs,
ways and pieces.  How unsure the figures are isn't said here: an output by
another way errs as the output itself does (``preparation/asked/many_ways.py``).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from math import exp, inf, log, sqrt
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.container import container_bytes
from chronocast.forecast.learning.experience import Experience, StationSeen
from chronocast.forecast.outputs import OutputAsk
from chronocast.forecast.picture.ask import PictureAsk
from chronocast.forecast.picture.content import Middles
from chronocast.forecast.picture.film import BEST, FilmEncodes
from chronocast.forecast.picture.priors import LookPrior, SizePrior
from chronocast.forecast.picture.size import smaller
from chronocast.forecast.station import Station
from chronocast.forecast.work import (
    COMPOSING,
    MEASURE_SHARE,
    PieceAsk,
    bits_pace,
    composing_belief,
    copy_seconds,
    encode_belief,
    stage_belief,
)
from chronocast.model.lookup import Same
from chronocast.model.pauses import pause
from chronocast.model.stages import CHECK, JOIN, SOUND

Values = NDArray[np.float64]


class Way(NamedTuple):
    """How a picture could be made.

    Parameters
    ----------
    prior
        What is believed of its bytes.
    look
        What is believed of how like the original it looks; None where nothing is lost, or nothing known.
    factor
        Its encoder's time against x264 at medium effort.
    pace
        What its pieces share experience of seconds with.
    times
        How often each piece is encoded.
    """

    prior: SizePrior
    look: LookPrior | None
    factor: float
    pace: str
    times: float = 1.0

    @property
    def kind(self) -> Kind:
        """What of it a film's windows depend on: neither its rate nor its quality."""
        return Kind(self.prior.kind, self.prior.rated, self.look.kind if self.look else "")


class Kind(NamedTuple):
    """A kind of encode: all that what is likely of a film's windows depends on."""

    kind: str
    rated: bool
    look: str

    @property
    def row(self) -> str:
        """What its row is called among those of a film."""
        return f"way {self.kind}"


class _Several:
    """Ways that many outputs share, a column each."""

    def __init__(self, ways: Sequence[Way]) -> None:
        self.ways = ways
        self.kinds = tuple(way.kind for way in ways)
        self.scalars: Values = np.array([_scalars(way) for way in ways]).T
        paces = list(dict.fromkeys((way.pace, way.factor) for way in ways))
        self.paces = paces
        self.pace_of = np.array([paces.index((way.pace, way.factor)) for way in ways])
        self.by_bits = bits_pace(ways[0].pace)


def _scalars(way: Way) -> tuple[float, ...]:
    """What sums need of a way: ``UNIT`` to ``TIMES``."""
    prior, look = way.prior, way.look
    return (
        prior.bytes_a_frame,
        log(prior.ceiling) if prior.ceiling and prior.rated else inf,
        prior.best,
        look.typical if look else np.nan,
        look.per_halving if look else 0.0,
        float(prior.rated),
        float(prior.searched),
        way.times,
    )


UNIT, CEILING, AT_BEST, TYPICAL, HALVING, RATED, SEARCHED, TIMES = range(8)


class WaysTable(NamedTuple):
    """Likely bytes of files, seconds of work, and XPSNR of poorest shots in dB (NaN where nothing is said), shape (outputs, ways)."""

    bytes: Values
    seconds: Values
    looks: Values


class _Film:
    """What is likely of a film's windows for each kind of encode, worked out when it is first asked for."""

    def __init__(self, asks: Sequence[PictureAsk]) -> None:
        self._asks = asks
        self._columns: Mapping[str, int] = {}
        self._middles: dict[str, Middles] = {}
        self._kinds: set[Kind] = set()
        self._blocks: dict[tuple[tuple[str, ...], tuple[Kind, ...]], tuple[Values, ...]] = {}

    def need(self, wanted: Mapping[Kind, Way], learned: Experience) -> None:
        """Work out what is likely for kinds that weren't asked for before: other kinds say nothing of these."""
        fresh = {kind: way for kind, way in wanted.items() if kind not in self._kinds}
        if not fresh:
            return
        asked = [
            replace(
                ask,
                name=kind.row,
                family=kind.row,
                prior=way.prior,
                look=way.look,
                kept=[None] * len(ask.kept),
                copied=frozenset(),
            )
            for ask in self._asks
            for kind, way in fresh.items()
        ]
        film = FilmEncodes([*asked, *(ask for ask in self._asks if _seen(ask))], learned, looks=True)
        self._columns = film.columns
        self._middles |= film.middles()
        self._kinds |= fresh.keys()

    def blocks(self, windows: Sequence[str], kinds: tuple[Kind, ...]) -> tuple[Values, ...]:
        """What is likely of some windows, its variance, both at the best, and their looks, each (windows, kinds)."""
        asked = tuple(windows), kinds
        found = self._blocks.get(asked)
        if found is None:
            places = [self._columns[window] for window in windows]
            zero = np.zeros(len(self._columns))
            none = Middles(zero, zero)
            rows = [self._middles[kind.row] for kind in kinds]
            best = [self._middles.get(BEST + kind.row, none) for kind in kinds]
            looks = [self._middles.get(kind.look, none) for kind in kinds]
            found = self._blocks[asked] = tuple(
                np.array(several).T[places]
                for several in (
                    [row.likely for row in rows],
                    [row.spread for row in rows],
                    [row.likely for row in best],
                    [row.spread for row in best],
                    [row.likely for row in looks],
                )
            )
        return found


def _seen(ask: PictureAsk) -> bool:
    """Whether pieces of it are in the stock, which tell of its film."""
    return any(size is not None and n not in ask.copied for n, size in enumerate(ask.kept))


def _films(asks: Sequence[OutputAsk], ways: Sequence[_Several], learned: Experience) -> Mapping[str, _Film]:
    """The films of some outputs; of those known before only what has changed is worked out."""
    shown: dict[str, list[PictureAsk]] = {}
    kinds: dict[str, dict[Kind, Way]] = {}
    for ask, several in zip(asks, ways, strict=True):
        assert ask.picture is not None
        known = shown.setdefault(ask.picture.shown, [])
        if _seen(ask.picture) or not any(
            one.windows == ask.picture.windows and one.packets == ask.picture.packets for one in known
        ):
            known.append(ask.picture)
        wanted = kinds.setdefault(ask.picture.shown, {})
        for kind, way in zip(several.kinds, several.ways, strict=True):
            if kind not in wanted:
                wanted[kind] = way
    found = {}
    for name, pictures in shown.items():
        pause()
        asked = [(p.windows, p.packets, p.source_kind, p.blank, p if _seen(p) else None) for p in pictures]
        film: _Film | None = learned.memory.recall("middles of " + name, asked)
        if film is None:
            film = _Film(pictures)
            learned.memory.keep("middles of " + name, asked, film)
        film.need(kinds[name], learned)
        found[name] = film
    return found


def forecast_ways(
    asks: Sequence[OutputAsk], ways: Sequence[Sequence[Way]], station: Station, learned: Experience
) -> WaysTable:
    """Bytes, seconds and looks of many outputs, each by several ways.

    Parameters
    ----------
    asks
        The outputs; each has a picture.
    ways
        Of each output as many as of any other; the first is the way that it is made now, with what is in the stock.
    station
        Where they are made.
    learned
        What the ledger has taught.
    """
    shared: dict[int, _Several] = {}
    columns = []
    for several in ways:
        if id(several) not in shared:
            shared[id(several)] = _Several(several)
        columns.append(shared[id(several)])
    films = _films(asks, columns, learned)
    rows: list[tuple[Values, ...] | None] = []
    questions = []
    for ask, several in zip(asks, ways, strict=True):
        assert ask.picture is not None
        asked = (Same(ask), Same(films[ask.picture.shown]), Same(several), station.pace)
        questions.append(asked)
        rows.append(learned.memory.recall("ways of " + ask.id, asked))
    if missing := [number for number, row in enumerate(rows) if row is None]:
        fresh = _worked_out(
            [asks[n] for n in missing], [columns[n] for n in missing], films, station=station, learned=learned
        )
        for place, number in enumerate(missing):
            row = tuple(what[place] for what in fresh)
            rows[number] = row
            learned.memory.keep("ways of " + asks[number].id, questions[number], row, most=2)
    known = [row for row in rows if row is not None]
    return WaysTable(*(np.array([row[n] for row in known]) for n in range(3)))


def _worked_out(
    asks: Sequence[OutputAsk],
    ways: Sequence[_Several],
    films: Mapping[str, _Film],
    *,
    station: Station,
    learned: Experience,
) -> WaysTable:
    pieces = _Pieces(asks, ways, films)
    pictures, looks = pieces.pictures()
    size = pictures + np.array([_beside(ask) for ask in asks])[:, None]
    for row, ask in enumerate(asks):
        if ask.made is not None:
            size[row, 0] = ask.made
    return WaysTable(size, _seconds(asks, ways, pictures, size, station=station, learned=learned), looks)


def _beside(ask: OutputAsk) -> float:
    """Bytes of its sound and its container."""
    sound = ask.sound.bytes(ask.seconds) if ask.sound else 0.0
    packets = ask.sound.packets if ask.sound else 0
    return sound + container_bytes(
        ask.container,
        ask.frames,
        packets,
        seconds=ask.seconds,
        payload=sound,
        whole=ask.whole,
        finished=True,
        timecode=ask.timecode,
    )


NODES = (-sqrt(3.0), 0.0, sqrt(3.0))
SHARES = (1 / 6, 2 / 3, 1 / 6)
"""Gauss and Hermite's rule for three points: what is expected of a normal quantity (Abramowitz & Stegun, 25.4.46)."""


class _Pieces:
    """All pieces of some outputs in a row, a column for each way."""

    def __init__(
        self, asks: Sequence[OutputAsk], ways: Sequence[_Several], films: Mapping[str, _Film]
    ) -> None:
        shown = [ask.picture for ask in asks if ask.picture is not None]
        self.counts = np.array([len(ask.pieces) for ask in shown])
        self.begins = np.concatenate([[0], np.cumsum(self.counts)[:-1]])
        blocks = [
            films[ask.shown].blocks(ask.window_names, several.kinds)
            for ask, several in zip(shown, ways, strict=True)
        ]
        self.likely, self.spread, self.best, self.best_spread, self.looks = (
            np.concatenate([block[n] for block in blocks]) for n in range(5)
        )
        self.frames = np.concatenate([np.asarray(ask.pieces, float) for ask in shown])
        self.drawn = np.concatenate(
            [
                [ask.drawn(n) for n in range(len(ask.pieces))] if ask.blank else np.zeros(len(ask.pieces))
                for ask in shown
            ]
        )
        # bytes that are as they are, whatever is made of the rest
        self.there = np.full(self.likely.shape, np.nan)
        copied = [
            [size if n in ask.copied else None for n, size in enumerate(ask.kept)] if ask.copied else None
            for ask in shown
        ]
        for begin, ask, still in zip(self.begins, shown, copied, strict=True):
            end = begin + len(ask.pieces)
            if any(size is not None for size in ask.kept):
                self.there[begin:end, 0] = np.array(ask.kept, float)
            if still:
                self.there[begin:end, 1:] = np.array(still, float)[:, None]
        scalars = np.array([several.scalars for several in ways])
        self.unit, self.ceiling, self.at_best, self.typical, self.halving = (
            scalars[:, n] for n in (UNIT, CEILING, AT_BEST, TYPICAL, HALVING)
        )
        self.rated, self.searched = scalars[:, RATED] > 0, scalars[:, SEARCHED] > 0

    def each(self, values: Values) -> Values:
        """Values of outputs for each of their pieces."""
        found: Values = np.repeat(values, self.counts, axis=0)
        return found

    def sums(self, values: Values) -> Values:
        """Values of pieces for each output."""
        found: Values = np.add.reduceat(values, self.begins, axis=0)
        return found

    def pictures(self) -> tuple[Values, Values]:
        """Likely bytes of the outputs' pictures, and XPSNR of their poorest shots in dB, each of shape (outputs, ways)."""
        basis = self.each(self.unit) * self.frames[:, None]
        ceiling, rated = self.each(self.ceiling), np.repeat(self.rated, self.counts, axis=0)
        best = self.best + self.each(self.at_best) + self.drawn[:, None]
        plain = np.minimum(self.likely + self.drawn[:, None] + self.spread / 2, ceiling)
        found = np.where(rated, 0.0, np.exp(np.minimum(plain, 700.0)))
        held = np.nonzero(rated)
        missing = np.zeros(found.shape)
        if held[0].size:
            found[held] = _held(
                self.likely[held], self.spread[held], best[held], self.best_spread[held], ceiling[held]
            )
            missing[held] = best[held] - smaller(self.likely[held], best[held])
        there = ~np.isnan(self.there)
        total = self.sums(np.where(there, self.there, basis * found))
        if self.searched.any():
            whole, lacks = self._brought(basis, best)
            total = np.where(self.searched, whole, total)
            missing = np.where(np.repeat(self.searched, self.counts, axis=0), self.each(lacks), missing)
        shots = (
            self.each(self.typical) + self.looks - self.each(self.halving) * np.maximum(0, missing) / log(2)
        )
        poorest = np.minimum.reduceat(shots, self.begins, axis=0)
        return total, poorest

    def _brought(self, basis: Values, best: Values) -> tuple[Values, Values]:
        """Bytes of pictures whose whole is brought to a rate, and how much (in logs) they lack at it."""
        counts = self.counts[:, None]
        kept = self.sums(np.nan_to_num(self.there))
        open_basis = self.sums(np.where(np.isnan(self.there), basis, 0.0))
        factor = self.sums(self.likely) / counts
        target = np.maximum(self.sums(basis) * np.exp(factor) - kept, 0.02 * open_basis)
        most = self.sums(
            np.where(np.isnan(self.there), basis, 0.0)
            * np.exp(np.minimum(best + self.best_spread / 2, 700.0))
        )
        target, most = np.log(np.maximum(target, 1.0)), np.log(np.maximum(most, 1.0))
        whole = smaller(target, most)
        return np.where(open_basis > 0, np.exp(whole), 0.0) + kept, most - whole


def _held(likely: Values, spread: Values, best: Values, best_spread: Values, ceiling: Values) -> Values:
    """Expected factors of pieces that a rate holds, where some can't use it: all of shape (pieces,)."""
    found = np.zeros(likely.shape)
    for node, share in zip(NODES, SHARES, strict=True):
        rate = likely + node * np.sqrt(spread)
        for other, weight in zip(NODES, SHARES, strict=True):
            bound = smaller(rate, best + other * np.sqrt(best_spread))
            found += share * weight * np.exp(np.minimum(bound, ceiling))
    return found


def _seconds(
    asks: Sequence[OutputAsk],
    ways: Sequence[_Several],
    pictures: Values,
    size: Values,
    *,
    station: Station,
    learned: Experience,
) -> Values:
    """Likely seconds of the processor for all the work of outputs, shape (outputs, ways)."""
    pace, seen = station.pace, learned.stations.get(station.id, StationSeen())
    paces = _Paces(station, seen)
    shifts: dict[str, tuple[float, float, float]] = {}
    work = np.array([max(1e-6, sum(piece.megapixels for piece in ask.pieces)) for ask in asks])
    bits = np.log(np.maximum(pictures, 1.0) * 8 / (work[:, None] * 1e6))
    slope, usual = (np.array([several.by_bits[n] for several in ways])[:, None] for n in range(2))
    likely = np.array([paces.encodes(several, ask) for ask, several in zip(asks, ways, strict=True)])
    rate = np.exp(likely + slope * (bits - usual))
    pairs = [_amounts(ask, paces, several.by_bits.slope) for ask, several in zip(asks, ways, strict=True)]
    now, other = (np.array([pair[n] for pair in pairs]) for n in range(2))
    times = np.array([several.scalars[TIMES] for several in ways])
    amounts = np.repeat(other[:, None, :], times.shape[1], axis=1)
    amounts[:, 0] = now
    found: Values = times * (rate * amounts[:, :, 0] + amounts[:, :, 1]) + amounts[:, :, 2]
    for row, ask in enumerate(asks):
        if ask.drive not in shifts:
            sound, join, check = (
                exp(stage_belief(kind, seen, ask.drive).mean) for kind in (SOUND, JOIN, CHECK)
            )
            shifts[ask.drive] = sound, join, check
        sound, join, check = shifts[ask.drive]
        steps = join * (2 * size[row] / pace.write + 2 * ask.packets * pace.packet + pace.start)
        steps += check * (ask.megapixels * pace.decode + ask.seconds * pace.sound * 0.1 + 0.5)
        if ask.sound and ask.sound.kept is None:
            steps += sound * (ask.seconds * pace.sound + 0.1)
        if ask.made is not None:
            steps[0] = 0.0
        found[row] += steps
    return found


class _Paces:
    """What a station's work costs for films, each asked for once."""

    def __init__(self, station: Station, seen: StationSeen) -> None:
        self.pace, self._seen = station.pace, seen
        self._encodes: dict[tuple[str, float, str], float] = {}
        self._composes: dict[tuple[str, str], float] = {}

    def encodes(self, several: _Several, ask: OutputAsk) -> Values:
        """Log seconds a million pixels at the usual bits, shape (ways,)."""
        film = ask.picture.shown if ask.picture else ask.id
        each: Values = np.array([self._encode(pace, factor, film) for pace, factor in several.paces])
        found: Values = each[several.pace_of]
        return found

    def _encode(self, pace: str, factor: float, film: str) -> float:
        asked = pace, factor, film
        if asked not in self._encodes:
            known = encode_belief(
                self.pace, PieceAsk("", 0.0, factor, pace), self._seen.paces.get(pace), film
            )
            self._encodes[asked] = known.mean + self._seen.state
        return self._encodes[asked]

    def compose(self, composed: str, film: str) -> float:
        """Seconds for what costs as much as encoding a million pixels."""
        if (composed, film) not in self._composes:
            known = composing_belief(self.pace, composed, self._seen.paces.get(composed), film)
            self._composes[composed, film] = exp(known.mean + self._seen.state)
        return self._composes[composed, film]


class _Amounts(NamedTuple):
    """Of pieces that are encoded: millions of pixels, seconds beside that each time, and seconds once."""

    work: float
    beside: float
    once: float


def _amounts(ask: OutputAsk, paces: _Paces, slope: float) -> tuple[_Amounts, _Amounts]:
    """What is encoded of an output as it is now, and by another way."""
    assert ask.picture is not None
    film, copied = ask.picture.shown, ask.picture.copied
    once = sum(copy_seconds(copy, paces.pace) for copy in ask.copies)
    once += sum(
        base.megapixels * base.factor * paces.pace.encode + base.composing * paces.compose(COMPOSING, film)
        for base in ask.bases
    )
    every = [piece for n, piece in enumerate(ask.pieces) if n not in copied] if copied else ask.pieces
    other = _amount(every, paces, film, slope=slope, once=once)
    if all(ask.open) and not copied:
        return other, other
    return _amount(ask.open_pieces, paces, film, slope=slope, once=once), other


def _amount(pieces: Sequence[PieceAsk], paces: _Paces, film: str, *, slope: float, once: float) -> _Amounts:
    work = beside = 0.0
    for piece in pieces:
        work += piece.megapixels * exp(slope * piece.busier) if piece.busier else piece.megapixels
        beside += piece.measured * paces.pace.decode * MEASURE_SHARE
        if piece.composing:
            beside += piece.composing * paces.compose(piece.composed, film)
    return _Amounts(work, beside, once + paces.pace.start * len(pieces))
