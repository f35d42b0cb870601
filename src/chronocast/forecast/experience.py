"""What finished pieces have taught, as the numbers that a forecast learns from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from chronocast.model.stages import HERE

RECENT = 200
"""Of each family and each pace, how many pieces are remembered."""


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


@dataclass(frozen=True)
class Experience:
    """``size``: factors of bytes by family and film; ``pace``: seconds a million pixels by station and pace."""

    size: Mapping[str, Mapping[str, Sequence[float]]] = field(default_factory=dict)
    pace: Mapping[str, Mapping[str, Sequence[float]]] = field(default_factory=dict)


def learn_from(facts: Iterable[PieceFact]) -> Experience:
    """What pieces have taught; ``facts`` are the newest first."""
    size: dict[str, dict[str, list[float]]] = {}
    pace: dict[str, dict[str, list[float]]] = {}
    counts: dict[tuple[str, ...], int] = {}

    def recent(*key: str) -> bool:
        counts[key] = counts.get(key, 0) + 1
        return counts[key] <= RECENT

    for fact in facts:
        if recent("family", fact.family) and fact.target and fact.bytes:
            films = size.setdefault(fact.family, {})
            films.setdefault(fact.film, []).append(fact.bytes / fact.target)
        # the processor's seconds: what others took of the machine then says nothing of now
        seconds = fact.cpu_seconds or fact.wall_seconds
        if recent("pace", fact.station, fact.pace) and fact.pixels and seconds:
            paces = pace.setdefault(fact.station, {})
            paces.setdefault(fact.pace, []).append(seconds / (fact.pixels / 1e6))
    return Experience(size, pace)
