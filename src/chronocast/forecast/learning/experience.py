"""What finished pieces have taught, as the numbers that a forecast learns from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from math import exp, log
from statistics import median
from typing import NamedTuple

from chronocast.forecast.learning.conformal import Widths
from chronocast.forecast.learning.film_seen import FilmSeen, held
from chronocast.forecast.learning.memory import Memory
from chronocast.model.stages import HERE

PACES = 200
"""Of each pace, how many of the newest pieces are remembered."""
OF_FILM = 12
"""Of these, so many of one film: a long film alone would say nothing of how films differ."""
STATE_GAIN = 0.5
"""How far the newest piece moves what is believed of a station's present state."""
STATE_SECONDS = 1800.0
"""How long what a station was like says something of now."""


@dataclass(frozen=True)
class PieceFact:
    """What one encoded piece took.

    Parameters
    ----------
    family, pace, film
        What it shares experience of bytes, of seconds, and of what is shown with.
    frames, seconds
        How long it is.
    pixels
        Its work in pixels, those read for it included.
    bytes
        Its picture's.
    target
        The bytes that a factor of one stands for; 0 where it teaches nothing about bytes.
    cpu_seconds, wall_seconds
        What it took, by the processor and by the clock.
    station
        Where.
    kind
        What it shares what is wrong with the typical bytes with.
    window
        What it shows, whatever recipe it is made by.
    packets
        Log of its source's bits a pixel; None where that says nothing.
    source_kind
        What kind of packets these are.
    rated
        Whether a rate held it.
    time
        When it was finished, in seconds since 1970; 0 where that isn't known.
    xpsnr
        How like its pictures are to those that were encoded, in dB; None where that wasn't measured.
    usual_xpsnr
        What was believed of that for a typical picture at its quality; None where no quality is known.
    look_kind
        What it shares what is wrong with that with.
    """

    family: str
    pace: str
    film: str
    frames: int
    pixels: int
    seconds: float
    bytes: int
    target: int
    cpu_seconds: float
    wall_seconds: float
    station: str = HERE
    kind: str = ""
    window: str = ""
    packets: float | None = None
    source_kind: str = ""
    rated: bool = False
    time: float = 0.0
    xpsnr: float | None = None
    usual_xpsnr: float | None = None
    look_kind: str = ""


class LookSeen(NamedTuple):
    """XPSNR of a window in dB as it was measured, how far off what is typical, and what is typical; None where that isn't known."""

    xpsnr: float
    off: float | None
    usual: float | None = None


@dataclass(frozen=True)
class FamilySeen:
    """What encodes of a film by one recipe took: log factors by window.

    Parameters
    ----------
    kind
        The encode's.
    rated
        Whether a rate held it.
    windows
        Log factors.
    looks
        How like the original its windows were.
    look_kind
        What kind of looks these are.
    """

    kind: str
    rated: bool
    windows: Mapping[str, float]
    looks: Mapping[str, LookSeen] = field(default_factory=dict)
    look_kind: str = ""


@dataclass(frozen=True)
class PaceSeen:
    """What pieces of one pace took on a station, the newest first.

    Parameters
    ----------
    films
        Of each piece, what it shows.
    seconds
        Log of the processor's seconds for a million pixels of work.
    bits
        Log of the bits it wrote for each pixel of work.
    """

    films: Sequence[str]
    seconds: Sequence[float]
    bits: Sequence[float]


@dataclass(frozen=True)
class StationSeen:
    """What a station has shown: its ``paces``, and how much slower than usual it is just now (``state``, in logs).

    ``recent`` says whether that was seen lately.
    """

    paces: Mapping[str, PaceSeen] = field(default_factory=dict)
    state: float = 0.0
    recent: bool = False


@dataclass(frozen=True)
class Experience:
    """What the ledger has taught.

    Parameters
    ----------
    films
        Of each film, what encodes of it took, by family.
    packets
        Of each film, the log of its source's bits a pixel, by window.
    kinds
        Of each kind of encode, what films have shown: (film, what it has shown).
    stations
        What each station has shown.
    widths
        By what bands have to be widened, as finished outputs have shown.
    memory
        What was forecast with just this experience.
    """

    films: Mapping[str, Mapping[str, FamilySeen]] = field(default_factory=dict)
    packets: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    kinds: Mapping[str, Sequence[tuple[str, FilmSeen]]] = field(default_factory=dict)
    stations: Mapping[str, StationSeen] = field(default_factory=dict)
    widths: Widths = field(default_factory=Widths)
    memory: Memory = field(default_factory=Memory, compare=False, repr=False)


RATE_BOUND = log(0.72)
"""A rated piece that took less was bound by what its pictures can use, not by its rate."""


def learn_from(facts: Iterable[PieceFact], now: float = 0.0) -> Experience:
    """What pieces have taught.

    Parameters
    ----------
    facts
        The newest first.
    now
        The present, in seconds since 1970.
    """
    known = list(facts)
    films: dict[str, dict[str, FamilySeen]] = {}
    packets: dict[tuple[str, str], list[float]] = {}
    of_windows: dict[str, dict[str, float]] = {}
    for fact in known:
        teaches = bool(fact.target and fact.bytes)
        if not teaches and fact.xpsnr is None:
            continue
        families = films.setdefault(fact.film, {})
        seen = families.setdefault(
            fact.family, FamilySeen(fact.kind, fact.rated, {}, look_kind=fact.look_kind)
        )
        if teaches:
            windows: dict[str, float] = seen.windows  # type: ignore[assignment]
            windows.setdefault(fact.window or f"{len(windows)}", log(fact.bytes / fact.target))
        if fact.xpsnr is not None:
            looks: dict[str, LookSeen] = seen.looks  # type: ignore[assignment]
            off = None if fact.usual_xpsnr is None else fact.xpsnr - fact.usual_xpsnr
            looks.setdefault(fact.window, LookSeen(fact.xpsnr, off, fact.usual_xpsnr))
        if fact.packets is not None:
            packets.setdefault((fact.film, fact.family), []).append(fact.packets)
            of_windows.setdefault(fact.film, {})[fact.window] = fact.packets
    of_windows = {film: said for film, said in of_windows.items() if not held(list(said.values()))}
    kinds: dict[str, list[tuple[str, FilmSeen]]] = {}
    for film, families in films.items():
        for family, seen in families.items():
            said = packets.get((film, family)) if film in of_windows else None
            for kind, values in _values(seen):
                if values:
                    mean = sum(said) / len(said) if said else None
                    shown = FilmSeen(family, sum(values) / len(values), len(values), mean)
                    kinds.setdefault(kind, []).append((film, shown))
    return Experience(films, of_windows, kinds, _stations(known, now))


def _values(seen: FamilySeen) -> tuple[tuple[str, list[float]], ...]:
    """What one encode of a film teaches of others, by kind: log factors of bytes, and dB."""
    sizes = [value for value in seen.windows.values() if not seen.rated or value > RATE_BOUND]
    looks = [look.off for look in seen.looks.values() if look.off is not None]
    return (seen.kind, sizes), (seen.look_kind, looks)


def _stations(facts: Sequence[PieceFact], now: float) -> dict[str, StationSeen]:
    paces: dict[str, dict[str, tuple[list[str], list[float], list[float]]]] = {}
    newest: dict[str, list[tuple[float, str, float]]] = {}
    counts: dict[tuple[str, str, str], int] = {}
    for fact in facts:
        # the processor's seconds: what others took of the machine then says nothing of now
        seconds = fact.cpu_seconds or fact.wall_seconds
        if not fact.pixels or not seconds:
            continue
        films, logs, bits = paces.setdefault(fact.station, {}).setdefault(fact.pace, ([], [], []))
        of_film = counts.get((fact.station, fact.pace, fact.film), 0)
        if len(logs) >= PACES or of_film >= OF_FILM:
            continue
        counts[fact.station, fact.pace, fact.film] = of_film + 1
        films.append(fact.film)
        logs.append(log(seconds / (fact.pixels / 1e6)))
        bits.append(log(max(1.0, 8.0 * fact.bytes) / fact.pixels))
        newest.setdefault(fact.station, []).append((fact.time, fact.pace, logs[-1]))
    found = {}
    for station, by_pace in paces.items():
        usual = {pace: median(logs) for pace, (_, logs, _) in by_pace.items()}
        state = weight = 0.0
        lately = [item for item in newest[station][:12] if now and now - item[0] < STATE_SECONDS]
        for number, (time, pace, value) in enumerate(lately):
            if len(by_pace[pace][1]) < 8:  # too few to know what is usual
                continue
            part = (1 - STATE_GAIN) ** number * exp(-max(0.0, now - time) / STATE_SECONDS)
            state, weight = state + part * (value - usual[pace]), weight + part
        found[station] = StationSeen(
            {pace: PaceSeen(*values) for pace, values in by_pace.items()},
            0.5 * state / weight if weight else 0.0,
            bool(lately),
        )
    return found
