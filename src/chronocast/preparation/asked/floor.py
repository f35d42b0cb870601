"""The least that still looks right: the lowest rate, or the poorest quality, whose poorest shots keep a floor."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from chronocast.forecast.band import Band, Chance, band
from chronocast.forecast.inverse import largest, rounded_up, smallest
from chronocast.forecast.outputs import forecast_outputs, output_looks
from chronocast.forecast.picture.quality import LookBand, Looks, look_band
from chronocast.model.batch.exceptions import with_values
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.show import db_text, rate_bits_text, size_text
from chronocast.preparation.asked.backwards import LEAST_RATE, MOST_RATE, Circumstances
from chronocast.preparation.asked.candidates import BITS, QUALITY, varied_ask
from chronocast.preparation.forecast.output_ask import output_ask
from chronocast.preparation.forecast.output_outlook import shot_at
from chronocast.preparation.output.output_ready import OutputReady

SHOTS_TOLD = 3


@dataclass(frozen=True)
class FloorAnswer:
    """What keeps a floor of quality.

    Parameters
    ----------
    floor
        XPSNR in dB that the poorest shots have to keep, safely.
    words
        The rate or the quality; empty where none keeps it.
    values
        Fields of the recipe that make it so.
    bytes
        What the file then takes.
    worst
        How its poorest shots then look; where nothing keeps the floor, at best.
    shots
        Where these shots begin, as timecode, the poorest first.
    """

    floor: float
    words: str
    values: dict[str, Any]
    bytes: Band
    worst: LookBand
    shots: tuple[str, ...]

    @property
    def told(self) -> str:
        """A sentence."""
        if not self.words:
            return (
                f"nothing of this codec safely keeps {db_text(self.floor)}: at best {db_text(self.worst.safe)}, "
                f"for {self._where}"
            )
        return (
            f"{self.words} is the least that keeps {db_text(self.floor)}: {size_text(self.bytes.likely)}, "
            f"safe {size_text(self.bytes.safe)}; it hangs on {self._where}"
        )

    @property
    def short(self) -> str:
        """In a few words."""
        if not self.words:
            return f"nothing keeps {db_text(self.floor)}, at {self.shots[0]}"
        return f"{self.words} at least, {size_text(self.bytes.likely)}, for {db_text(self.floor)} at {self.shots[0]}"

    @property
    def _where(self) -> str:
        return f"the shot{'s' if len(self.shots) > 1 else ''} at {', '.join(self.shots)}"


def least_for_floor(ready: OutputReady, floor: float, now: Circumstances) -> FloorAnswer | None:
    """The lowest rate, or the poorest quality, whose poorest shots safely keep a floor; None for codecs with neither.

    Parameters
    ----------
    ready
        The output, planned.
    floor
        XPSNR in dB.
    now
        What the answer rests on.
    """
    picture = ready.recipe.picture
    if picture is None or not picture.kind.modes or ready.look_prior is None:
        return None
    ask = output_ask(ready, now.stock, None)
    known: dict[float, Looks] = {}

    def looks(recipe: Recipe) -> Looks:
        other = varied_ask(ready, ask, recipe)
        (found,) = output_looks([other], Chance(), now.learned)
        assert found is not None
        return found

    def keeps(at: Callable[[float], Recipe]) -> Callable[[float], bool]:
        def fits(value: float) -> bool:
            if value not in known:
                known[value] = looks(at(value))
            return look_band(known[value].worst).safe >= floor

        return fits

    found: float | None
    at: Callable[[float], Recipe]
    values: dict[str, Any]
    if picture.steering.rated:

        def at(bits: float) -> Recipe:
            return with_values(ready.recipe, {BITS: round(bits)})

        found = smallest(keeps(at), LEAST_RATE, MOST_RATE)
        value = MOST_RATE if found is None else rounded_up(found)
        words, values = rate_bits_text(value), {BITS: round(value)}
    elif (scale := picture.kind.quality) is not None:

        def at(share: float) -> Recipe:
            step = (scale.worst - scale.best) * share
            return with_values(ready.recipe, {QUALITY: round(scale.best + step, 1)})

        found = largest(keeps(at), 0.01, 1.0)
        value = found or 0.01
        quality = round(scale.best + (scale.worst - scale.best) * value, 1)
        words, values = f"quality {quality:g}", {QUALITY: quality}
    else:
        return None
    recipe = at(value)
    told = looks(recipe)
    size = forecast_outputs([varied_ask(ready, ask, recipe)], now.station, now.learned, Chance()).bytes[0]
    poorest = sorted(range(len(told.shots)), key=lambda n: told.shots[n])[:SHOTS_TOLD]
    return FloorAnswer(
        floor,
        words if found is not None else "",
        values if found is not None else {},
        band(size),
        look_band(told.worst),
        tuple(shot_at(ready, number) for number in poorest),
    )
