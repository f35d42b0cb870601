"""Bytes of an output before it is encoded."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import log

import numpy as np

from chronocast.forecast.band import Chance, Draws
from chronocast.forecast.conformal import widened
from chronocast.forecast.content import Character, Row, factors, held
from chronocast.forecast.content import learned as learned_row
from chronocast.forecast.experience import RATE_BOUND, Experience
from chronocast.forecast.measured import PACKETS
from chronocast.forecast.priors import SizePrior, character_of
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

    Parameters
    ----------
    name
        The output's.
    family
        What it shares with encodes by the same settings.
    prior
        What is believed before anything is known.
    pieces
        Frames of each piece.
    kept
        Bytes of those in the stock; None where a piece has to be encoded.
    windows
        What each piece shows, whatever recipe it is made by.
    packets
        Log of the source's bits a pixel in each piece; None where that says nothing.
    source_kind
        What kind of packets these are.
    film
        What is shown, whatever part of it and by whatever recipe.
    """

    name: str
    family: str
    prior: SizePrior
    pieces: Sequence[int]
    kept: Sequence[int | None]
    windows: Sequence[str] = ()
    packets: Sequence[float | None] = ()
    source_kind: str = ""
    film: str = ""

    @property
    def shown(self) -> str:
        """Its film, or itself where that isn't known."""
        return self.film or self.name

    @property
    def window_names(self) -> Sequence[str]:
        """What each piece shows; where that isn't known, pieces are told apart by their numbers."""
        return self.windows or [f"{n}" for n in range(len(self.pieces))]


def basis_value(ask: PictureAsk, frames: float) -> float:
    """Bytes that a factor of one stands for: rate × length, or a typical picture's at this quality or grade."""
    return ask.prior.bytes_a_frame * frames


BEST = "at its best "
"""Names the row of what a rated encode would take if it spent all that pictures can use."""
OTHER_WINDOWS = 200
"""Of a film, so many windows that aren't asked about are looked at: other ranges of it, trials."""
SOFT = 8.0
"""How sharply the smaller of two bounds is taken."""


def held_by_a_rate(asks: Sequence[PictureAsk]) -> bool:
    """Whether the size of a source's packets says nothing of what it shows, since a rate held it."""
    windows = {
        window: value
        for ask in asks
        for window, value in zip(ask.window_names, ask.packets, strict=False)
        if value is not None
    }
    return held(list(windows.values()))


class _Film:
    """The encodes of one film: those asked for, those remembered, and the source's own packets."""

    def __init__(self, asks: Sequence[PictureAsk], learned: Experience) -> None:
        self.asks = asks
        self.name = asks[0].shown
        self.columns: dict[str, int] = {}
        self.rows: dict[str, Row] = {}
        self.seen: dict[tuple[str, str], float] = {}
        self.own: list[tuple[PictureAsk, Mapping[str, float]]] = []
        kind = next((ask.source_kind for ask in asks if ask.source_kind), "")
        self.packets = None if held_by_a_rate(asks) else PACKETS.get(kind)
        for ask in asks:
            self._add(ask, learned)
        self.asked = len(self.columns)
        for ask, windows in self.own:
            for window, factor in windows.items():
                if (ask.family, window) not in self.seen and self._column(window, learned):
                    self._see(ask, window, factor)
        for family, pieces in learned.films.get(self.name, {}).items():
            if pieces.rated:  # what a rate held down says nothing of what is shown
                continue
            if family not in self.rows:
                self._row(family, pieces.kind, character_of(pieces.kind), learned)
            for window, factor in pieces.windows.items():
                if self._column(window, learned):
                    self.seen.setdefault((family, window), factor)

    def _row(self, name: str, kind: str, character: Character, learned: Experience) -> None:
        others = [seen for film, seen in learned.kinds.get(kind, ()) if film != self.name]
        row = Row(name, kind, character)
        self.rows[name] = learned_row(row, others, self.packets or PACKETS["long"])

    def _add(self, ask: PictureAsk, learned: Experience) -> None:
        prior = ask.prior
        if ask.family not in self.rows:
            self._row(ask.family, prior.kind, prior.character, learned)
        if prior.rated:
            self._row(BEST + ask.family, prior.best_kind, character_of(prior.best_kind), learned)
        for window in ask.window_names:
            self.columns.setdefault(window, len(self.columns))
        for window, frames, size in zip(ask.window_names, ask.pieces, ask.kept, strict=True):
            if size:
                self._see(ask, window, log(size / basis_value(ask, frames)))
        remembered = learned.films.get(ask.shown, {}).get(ask.family)
        self.own.append((ask, remembered.windows if remembered else {}))
        if self.packets:
            self.rows.setdefault("packets", Row("packets", ask.source_kind, self.packets))
            for window, value in zip(ask.window_names, ask.packets, strict=False):
                if value is not None:
                    self.seen[("packets", window)] = value

    def _column(self, window: str, learned: Experience) -> bool:
        """Whether a window tells of the film: one that is asked about, or, of the first so many, another one of it."""
        if window not in self.columns:
            if len(self.columns) - self.asked >= OTHER_WINDOWS:
                return False
            self.columns[window] = len(self.columns)
            said = learned.packets.get(self.name, {}).get(window)
            if self.packets and said is not None:
                self.seen[("packets", window)] = said
        return True

    def _see(self, ask: PictureAsk, window: str, factor: float) -> None:
        prior = ask.prior
        if (
            prior.searched
        ):  # bits move between its pieces: one alone says nothing of the rate that the whole meets
            return
        if prior.rated and factor < RATE_BOUND:
            self.seen[(BEST + ask.family, window)] = factor - prior.best
        else:
            self.seen[(ask.family, window)] = factor

    def draws(self, chance: Chance) -> dict[str, Draws]:
        """Log factors of the rows that are asked for, each of shape (windows, draws)."""
        names = list(self.rows)
        wanted = list(
            dict.fromkeys(
                name for ask in self.asks for name in (ask.family, BEST + ask.family) if name in self.rows
            )
        )
        seen = np.full((len(names), len(self.columns)), np.nan)
        for (name, window), factor in self.seen.items():
            seen[names.index(name), self.columns[window]] = factor
        found = factors(
            [self.rows[name] for name in names],
            seen,
            [names.index(name) for name in wanted],
            self.name,
            chance,
        )
        return dict(zip(wanted, found, strict=True))


def _open_bytes(ask: PictureAsk, film: _Film, drawn: Mapping[str, Draws]) -> Draws:
    """Bytes of the pieces that aren't in the stock, shape (draws,)."""
    prior = ask.prior
    still = [n for n, size in enumerate(ask.kept) if size is None]
    places = [film.columns[ask.window_names[n]] for n in still]
    weights = np.array([basis_value(ask, ask.pieces[n]) for n in still])
    factor = drawn[ask.family][places]
    if prior.rated:
        best = drawn[BEST + ask.family][places] + prior.best
        if prior.searched:  # bits move between pieces until the whole comes to its target
            kept = sum(size for size in ask.kept if size)
            whole = sum(basis_value(ask, frames) for frames in ask.pieces)
            target = np.maximum(whole * np.exp(factor.mean(axis=0)) - kept, 0.02 * weights.sum())
            most: Draws = weights @ np.exp(best)
            least: Draws = np.exp(-np.logaddexp(-SOFT * np.log(target), -SOFT * np.log(most)) / SOFT)
            return least
        factor = -np.logaddexp(-SOFT * factor, -SOFT * best) / SOFT
    if prior.ceiling:
        factor = np.minimum(factor, log(prior.ceiling))
    total: Draws = weights @ np.exp(factor)
    return total


def _film_bytes(name: str, asks: Sequence[PictureAsk], chance: Chance, learned: Experience) -> Draws:
    """Bytes of the pieces of one film's outputs that aren't in the stock, shape (outputs, draws)."""
    kept = learned.memory.get(name)
    if kept is not None and kept[0] == asks and kept[1].shape[1] == chance.draws:
        remembered: Draws = kept[1]
        return remembered
    film = _Film(asks, learned)
    drawn = film.draws(chance)
    found = np.array([widened(_open_bytes(ask, film, drawn), learned.widths.bytes) for ask in asks])
    learned.memory[name] = (asks, found)
    return found


def picture_bytes(asks: Sequence[PictureAsk], chance: Chance, learned: Experience | None = None) -> Draws:
    """Bytes of several outputs' pictures: kept pieces exact, the rest in error together.

    What is wrong with a prior is wrong for every output of its kind, what a
    film shows for all made of it, and each piece has an error of its own.

    Parameters
    ----------
    asks
        The outputs.
    chance
        Where the draws come from.
    learned
        What the ledger has taught.

    Returns
    -------
    array
        Of shape (outputs, draws).
    """
    total = np.array([float(sum(size for size in ask.kept if size is not None)) for ask in asks])
    found = np.repeat(total[:, None], chance.draws, axis=1)
    films: dict[str, list[int]] = {}
    for row, ask in enumerate(asks):
        if any(size is None for size in ask.kept):
            films.setdefault(ask.shown, []).append(row)
    known = learned or Experience()
    for name, rows in films.items():
        found[rows] += _film_bytes(name, [asks[row] for row in rows], chance, known)
    return found


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


def why(ask: PictureAsk, learned: Experience | None = None) -> str:
    """What the forecast of bytes rests on, in a few words.

    Parameters
    ----------
    ask
        What is known of the picture.
    learned
        What the ledger has taught.
    """
    kept = sum(1 for size in ask.kept if size is not None)
    if kept == len(ask.pieces):
        return f"all {kept} pieces are in the stock"
    parts = []
    if kept:
        parts.append(f"{kept} kept piece{'s' if kept != 1 else ''}")
    known = learned or Experience()
    wanted = set(ask.window_names)
    siblings = [
        seen.windows.keys() & wanted
        for family, seen in known.films.get(ask.shown, {}).items()
        if family != ask.family and not seen.rated
    ]
    if count := len(set().union(*siblings)) if siblings else 0:
        parts.append(f"{count} of its moments made by other recipes")
    if films := {film for film, seen in known.kinds.get(ask.prior.kind, ()) if film != ask.shown}:
        parts.append(f"{len(films)} other source{'s' if len(films) != 1 else ''} by this kind of recipe")
    if (
        not ask.prior.searched
        and any(value is not None for value in ask.packets)
        and ask.source_kind in PACKETS
    ):
        parts.append("how large the source's own pictures are")
    if not parts:
        return ask.prior.rests_on
    return " and ".join([", ".join(parts[:-1]), parts[-1]] if len(parts) > 1 else parts)
