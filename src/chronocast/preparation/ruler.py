"""What a size ruler shows of outputs: bits a second that they take, and the limits that receivers set."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from chronocast.forecast.weigh import Weighed
from chronocast.model.cards.card import ReceiverCard
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.show import rate_bits_text, size_text
from chronocast.preparation.forecast.judging import Judged
from chronocast.preparation.forecast.output_outlook import OutputOutlook, together

GUESSED = 0.1
"""How far a typical picture's rate is shown to either side, where nothing is forecast."""
MINUTE = 60.0


@dataclass(frozen=True)
class Stop:
    """A limit in bit/s: a ceiling, or a floor; ``broken`` where it is not kept."""

    bits: float
    words: str
    ceiling: bool = True
    broken: bool = False


@dataclass(frozen=True)
class Ruled:
    """What lies on a ruler.

    Parameters
    ----------
    low, likely, safe
        Bit/s of whole files.
    seconds
        Of film in all: turns bit/s into bytes.
    sound
        Bit/s of that which is sound.
    target
        The rate that is asked for and can be dragged; None where none is.
    saved
        The saved recipe's target.
    stops
        Limits.
    files
        How many it is of.
    mixed
        Whether their targets differ.
    """

    low: float = 0.0
    likely: float = 0.0
    safe: float = 0.0
    seconds: float = 0.0
    sound: float = 0.0
    target: float | None = None
    saved: float | None = None
    stops: tuple[Stop, ...] = ()
    files: int = 0
    mixed: bool = False


def target_of(recipe: Recipe | None) -> float | None:
    """The bit/s that a recipe asks for its picture; None where it asks for something else."""
    picture = recipe.picture if recipe else None
    if picture is None or not picture.steering.rated:
        return None
    return float(picture.rate_control.target_bits_per_second)


def ruled_typical(recipe: Recipe, saved: Recipe | None, weighed: Weighed | None) -> Ruled:
    """A minute of a typical picture, where no file of a recipe is forecast.

    Parameters
    ----------
    recipe
        What it is made by.
    saved
        The saved recipe it came from.
    weighed
        What a second of it takes.
    """
    bits, sound = (weighed.bits, weighed.sound) if weighed else (0.0, 0.0)
    low, high = bits * (1 - GUESSED), bits * (1 + GUESSED)
    return Ruled(low, bits, high, MINUTE, sound, target_of(recipe), target_of(saved))


def ruled_files(
    recipe: Recipe,
    saved: Recipe | None,
    items: Sequence[OutputOutlook],
    judged: Sequence[Judged],
    mixed: bool = False,
) -> Ruled:
    """Files that are forecast, together.

    Parameters
    ----------
    recipe, saved
        What they are made by, and the saved recipe it came from.
    items
        Their forecasts, at least one.
    judged
        The same by their receiver cards.
    mixed
        Whether their targets differ.
    """
    seconds = max(sum(item.ready.plan.seconds for item in items), 1e-9)
    whole = together(items).bytes
    low, likely, safe = (size * 8 / seconds for size in (whole.p10, whole.likely, whole.safe))
    sound = sum(item.sound_bytes for item in items) * 8 / seconds
    stops = rate_stops(items, judged)
    return Ruled(
        low, likely, safe, seconds, sound, target_of(recipe), target_of(saved), stops, len(items), mixed
    )


def rate_stops(items: Sequence[OutputOutlook], judged: Sequence[Judged]) -> tuple[Stop, ...]:
    """Receivers' limits of size and rate in bit/s: of each the tightest."""
    lengths = {item.ready.output.id: max(item.ready.plan.seconds, 1e-9) for item in items}
    found: dict[tuple[str, bool], Stop] = {}
    for one in judged:
        for card, verdicts in one.cards:
            broken = {verdict.what for verdict in verdicts if verdict.state == "breaks"}
            for what, stop in _limits(card, lengths.get(one.output, 1.0)):
                key, old = (stop.words, stop.ceiling), found.get((stop.words, stop.ceiling))
                tighter = old is None or (stop.bits < old.bits if stop.ceiling else stop.bits > old.bits)
                if tighter:
                    found[key] = Stop(stop.bits, stop.words, stop.ceiling, what in broken)
    return tuple(found.values())


def _limits(card: ReceiverCard, seconds: float) -> Iterator[tuple[str, Stop]]:
    """A card's limits for a film of that length, each with what it limits."""
    limits = card.limits
    for size, words, ceiling in ((limits.bytes_most, "", True), (limits.bytes_least, "at least ", False)):
        if size:
            yield "size", Stop(size * 8 / seconds, f"{card.name}: {words}{size_text(size)}", ceiling)
    for bits, words, ceiling in ((limits.bits_most, "", True), (limits.bits_least, "at least ", False)):
        if bits:
            yield "bit rate", Stop(float(bits), f"{card.name}: {words}{rate_bits_text(bits)}", ceiling)
