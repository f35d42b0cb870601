"""The forecast of many outputs at once: their bytes and their work, as arrays whose errors are shared."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from chronocast.forecast.band import AT_ONCE, Chance, Draws, kept_draws
from chronocast.forecast.container import CONTAINER_UNSURE, CONTAINER_UNSURE_BYTES, container_bytes
from chronocast.forecast.learning.conformal import widened
from chronocast.forecast.learning.experience import Experience, StationSeen
from chronocast.forecast.picture.ask import PictureAsk
from chronocast.forecast.picture.quality import Looks, picture_looks
from chronocast.forecast.picture.size import picture_bytes
from chronocast.forecast.sound import sound_bytes
from chronocast.forecast.stage import Work, with_draws
from chronocast.forecast.station import Station
from chronocast.forecast.work import CopyAsk, EncodeAsk, OtherAsk, PieceAsk, piece_seconds, stages_of
from chronocast.model.lookup import Same
from chronocast.model.pauses import pause


@dataclass(frozen=True, slots=True)
class SoundAsk:
    """What is known of an output's sound.

    Parameters
    ----------
    name
        In the stock.
    tracks
        How many.
    bits_per_second
        Of one track.
    packets
        Of all tracks.
    kept
        Its bytes where it is in the stock.
    """

    name: str
    tracks: int
    bits_per_second: float
    packets: int
    kept: int | None = None

    def bytes(self, seconds: float) -> float:
        """What it takes within a file: as it is in the stock, else by its rate."""
        if self.kept is not None:  # without what its own file takes
            return self.kept - round(container_bytes("m4a", 0, self.packets))
        return self.tracks * sound_bytes(seconds, self.bits_per_second)


@dataclass(frozen=True, slots=True)
class OutputAsk:
    """All that a forecast must know of one output.

    Parameters
    ----------
    id
        The output's.
    container
        Our own word for it.
    frames
        Of picture.
    seconds
        Of film.
    megapixels
        All its pictures, in millions of pixels.
    picture, sound
        What is known of them; None where it has none.
    pieces
        All its pieces, those in the stock included.
    open
        Which of them are still to be encoded.
    whole
        Whether every frame is a key frame.
    timecode
        Whether its file carries timecode.
    made
        Bytes of its file where it is made already.
    drive
        Where its file is written.
    copies
        Its pieces that are still to be copied from the source; they are not open.
    bases
        Base pieces that are still to be composed, for its open pieces to be encoded from.
    device
        The kind of device that encodes it; "" for the processor.
    base_bytes
        What these take in the stock until it is finished.
    """

    id: str
    container: str
    frames: int
    seconds: float
    megapixels: float
    picture: PictureAsk | None
    sound: SoundAsk | None
    pieces: tuple[PieceAsk, ...]
    open: tuple[bool, ...]
    whole: bool = False
    timecode: bool = False
    made: int | None = None
    drive: str = ""
    copies: tuple[CopyAsk, ...] = ()
    bases: tuple[PieceAsk, ...] = ()
    base_bytes: int = 0
    device: str = ""

    @property
    def open_pieces(self) -> tuple[PieceAsk, ...]:
        """Its pieces that are still to be encoded."""
        return tuple(piece for piece, still in zip(self.pieces, self.open, strict=True) if still)

    @property
    def packets(self) -> int:
        """Of picture and sound."""
        return (self.frames if self.picture else 0) + (self.sound.packets if self.sound else 0)


@dataclass(frozen=True)
class OutputsForecast:
    """What outputs take, a row each, in the order they were asked for.

    Parameters
    ----------
    bytes
        Of their files, shape (outputs, draws).
    seconds
        Of work that is left, by the clock, shape (outputs, draws).
    cpu_seconds
        The same of the processor alone: without what others take of the station.
    saved
        Seconds of work that kept pieces save, shape (outputs,).
    work
        The same work by stages, for the clock.
    rows
        What each output's figures come from: the very same object where nothing of them has changed.
    """

    bytes: Draws
    seconds: Draws
    cpu_seconds: Draws
    saved: Draws
    work: tuple[Work, ...]
    rows: tuple[object, ...] = ()


def picture_draws(asks: Sequence[OutputAsk], chance: Chance, learned: Experience) -> Draws:
    """Bytes of the pictures of outputs that aren't made yet, shape (outputs, draws); 0 of others.

    Parameters
    ----------
    asks
        The outputs.
    chance
        Where the draws come from.
    learned
        What the ledger has taught.
    """
    found = np.zeros((len(asks), chance.draws))
    shown = [row for row, ask in enumerate(asks) if ask.made is None and ask.picture is not None]
    if shown:
        found[shown] = picture_bytes(
            [picture for row in shown if (picture := asks[row].picture)], chance, learned
        )
    return found


def output_looks(asks: Sequence[OutputAsk], chance: Chance, learned: Experience) -> list[Looks | None]:
    """How like the original outputs look; None of one that loses nothing, or of which nothing is known.

    Parameters
    ----------
    asks
        The outputs.
    chance
        Where the draws come from.
    learned
        What the ledger has taught.
    """
    shown = [row for row, ask in enumerate(asks) if ask.picture is not None]
    found: list[Looks | None] = [None] * len(asks)
    told = picture_looks([picture for row in shown if (picture := asks[row].picture)], chance, learned)
    for row, looks in zip(shown, told, strict=True):
        found[row] = looks
    return found


def output_bytes(asks: Sequence[OutputAsk], pictures: Draws, chance: Chance) -> Draws:
    """Bytes of whole files: pictures, sound, and what their containers take.

    Parameters
    ----------
    asks
        The outputs.
    pictures
        Bytes of their pictures, shape (outputs, draws).
    chance
        Where the draws come from.

    Returns
    -------
    array
        Of shape (outputs, draws).
    """
    sound = [ask.sound.bytes(ask.seconds) if ask.sound else 0.0 for ask in asks]
    size: Draws = pictures + np.array(sound)[:, None]
    payload = np.median(size, axis=1) if len(asks) else np.zeros(0)
    for row, ask in enumerate(asks):
        if ask.made is not None:
            size[row] = ask.made
            continue
        around = container_bytes(
            ask.container,
            ask.frames if ask.picture else 0,
            ask.sound.packets if ask.sound else 0,
            seconds=ask.seconds,
            payload=float(payload[row]),
            whole=ask.whole,
            finished=True,
            timecode=ask.timecode,
        )
        unsure = chance.normal("container " + ask.container)
        size[row] += around * np.exp(CONTAINER_UNSURE * unsure)
        if ask.container != "images":
            size[row] += CONTAINER_UNSURE_BYTES * unsure
    return size


def other_ask(ask: OutputAsk, size: Draws) -> OtherAsk:
    """What of an output says how long all but its pieces take.

    Parameters
    ----------
    ask
        The output.
    size
        Draws of its bytes, shape (draws,).
    """
    return OtherAsk(
        output=ask.id,
        sound=ask.sound.name if ask.sound and ask.sound.kept is None else "",
        seconds=ask.seconds,
        megapixels=ask.megapixels if ask.picture else 0.0,
        packets=ask.packets,
        size=size,
        drive=ask.drive,
        copies=ask.copies if ask.made is None else (),
    )


def forecast_outputs(
    asks: Sequence[OutputAsk],
    station: Station,
    learned: Experience,
    chance: Chance,
    *,
    remember: bool = False,
) -> OutputsForecast:
    """Bytes and work of outputs that are made on one station.

    Parameters
    ----------
    asks
        The outputs.
    station
        Where they are made.
    learned
        What the ledger has taught.
    chance
        Where the draws come from.
    remember
        Whether the next forecast of most of these outputs comes soon: then only what an edit touched is worked out.
    """
    pictures = picture_draws(asks, chance, learned)
    rows = []
    for ask, drawn in zip(asks, pictures, strict=True):
        pause()
        rows.append(_remembered(ask, drawn, station, learned=learned, chance=chance))
    missing = [number for number, row in enumerate(rows) if row is None]
    for begin in range(0, len(missing), AT_ONCE):
        pause()
        some = missing[begin : begin + AT_ONCE]
        fresh = _worked_out([asks[n] for n in some], pictures[some], station, learned=learned, chance=chance)
        for number, row in zip(some, fresh, strict=True):
            rows[number] = row
            if remember:
                asked = chance.draws, station.pace, asks[number]
                learned.memory.keep("work of " + asks[number].id, asked, row, most=1)
    known = [row for row in rows if row is not None]
    size, cpu = (
        np.array(drawn, np.float64).reshape(len(asks), chance.draws)
        for drawn in ([row.bytes for row in known], [row.cpu_seconds for row in known])
    )
    stretch = station.load.draws(chance)
    saved = np.array([row.saved for row in known]) * float(np.median(stretch))
    return OutputsForecast(
        size,
        cpu * stretch,
        cpu,
        saved,
        _stretched(known, stretch, station, learned),
        tuple(known),
    )


def _stretched(
    rows: Sequence[_Row], stretch: Draws, station: Station, learned: Experience
) -> tuple[Work, ...]:
    """The rows' work by the clock, where others take some of the station."""
    if (stretch == 1).all():
        return tuple(row.work for row in rows)
    found: list[Work | None] = [
        learned.memory.recall("by the clock " + row.work.output, (Same(row), station.load)) for row in rows
    ]
    missing = [number for number, work in enumerate(found) if work is None]
    fresh = with_draws([rows[number].work for number in missing], lambda draws: draws * stretch)
    for number, work in zip(missing, fresh, strict=True):
        found[number] = work
        learned.memory.keep("by the clock " + work.output, (Same(rows[number]), station.load), work, most=1)
    return tuple(work for work in found if work is not None)


class _Row(NamedTuple):
    """What one output takes, and the bytes of its pictures that follow from all of its film."""

    pictures: Draws
    bytes: Draws
    cpu_seconds: Draws
    saved: float
    work: Work


def _remembered(
    ask: OutputAsk, pictures: Draws, station: Station, *, learned: Experience, chance: Chance
) -> _Row | None:
    """What was worked out of the very same output before."""
    kept: _Row | None = learned.memory.recall("work of " + ask.id, (chance.draws, station.pace, ask))
    return kept if kept is not None and np.array_equal(kept.pictures, pictures) else None


def _worked_out(
    asks: Sequence[OutputAsk], pictures: Draws, station: Station, *, learned: Experience, chance: Chance
) -> list[_Row]:
    size = output_bytes(asks, pictures, chance)
    seen = learned.stations.get(station.id, StationSeen())
    still = [(ask, size[row]) for row, ask in enumerate(asks) if ask.made is None]
    others = [other_ask(ask, drawn) for ask, drawn in still]
    encodes = {
        ask.id: replace(_encodes(ask, ask.open_pieces, pictures[row]), bases=ask.bases, device=ask.device)
        for row, ask in enumerate(asks)
        if ask.made is None
    }
    stages = stages_of(encodes, others, station, seen, chance)
    work = with_draws(
        [Work(ask.id, stages.get(ask.id, ())) for ask in asks],
        lambda draws: widened(draws, learned.widths.seconds),
    )
    saved = _saved(asks, pictures, work, station=station, seen=seen, chance=chance)
    return [
        _Row(pictures[row], size[row], kept_draws(item.seconds(chance.draws)), float(saved[row]), item)
        for row, item in enumerate(work)
    ]


def _encodes(ask: OutputAsk, pieces: Sequence[PieceAsk], pictures: Draws) -> EncodeAsk:
    """Pieces of an output, with the bits that are written for each pixel."""
    work = sum(piece.megapixels for piece in ask.pieces) * 1e6
    film = ask.picture.shown if ask.picture else ask.id
    if not work or not pictures.any():
        return EncodeAsk(film, pieces)
    return EncodeAsk(film, pieces, np.log(np.maximum(pictures, 1.0) * 8 / work))


def _saved(
    asks: Sequence[OutputAsk],
    pictures: Draws,
    work: Sequence[Work],
    *,
    station: Station,
    seen: StationSeen,
    chance: Chance,
) -> Draws:
    """Likely seconds that encoding everything once more would take, less what is left to encode and to copy."""
    rows = [row for row, ask in enumerate(asks) if ask.made is not None or not all(ask.open)]
    saved = np.zeros(len(asks))
    anew = {
        asks[row].id: _encodes(
            asks[row],
            [replace(piece, times=1.0, measured=0.0) for piece in asks[row].pieces],
            pictures[row],
        )
        for row in rows
    }
    drawn = piece_seconds(anew, station.pace, seen, chance)
    for row in rows:
        whole = np.median(drawn[asks[row].id].sum(axis=0))
        stages = (stage for stage in work[row].stages if stage.kind.id in ("base", "encode", "copy"))
        left = sum(float(np.median(stage.seconds)) for stage in stages)
        saved[row] = max(0.0, whole - left)
    return saved
