"""A forecast of 1,000 outputs: at first, after edits, and a dozen other ways for each of them."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from chronocast.forecast.band import Chance
from chronocast.forecast.learning.experience import Experience
from chronocast.forecast.outputs import OutputAsk, OutputsForecast, forecast_outputs, output_looks
from chronocast.forecast.picture.ask import PictureAsk
from chronocast.forecast.picture.priors import look_prior, size_prior
from chronocast.forecast.station import Station
from chronocast.forecast.ways import Way, forecast_ways
from chronocast.forecast.work import PieceAsk
from chronocast.media.encoders.registry import ENCODERS
from chronocast.model.recipe.recipe import PictureRecipe, RateControl
from chronocast.schedule.clock import simulate

FILMS, PIECES, FRAMES, WAYS = 100, 10, 200, 12
PIXELS, RATE = 1280 * 720, 25.0
RECIPES = (
    *(RateControl(mode="quality", quality=float(q)) for q in (18, 20, 22, 24, 26)),
    *(RateControl(target_bits_per_second=bits) for bits in (1_000_000, 2_000_000, 3_000_000, 5_000_000)),
    RateControl(mode="two pass", target_bits_per_second=2_000_000),
)


def asked(film: int, number: int, packets: list[float], effort: str = "medium") -> OutputAsk:
    """One output of a film by one of the recipes."""
    picture = PictureRecipe.model_validate({"rate_control": RECIPES[number], "effort": effort})
    windows = [f"{film} {n}" for n in range(PIECES)]
    name = f"output {film} {number} {effort}"
    return OutputAsk(
        name,
        "mp4",
        FRAMES * PIECES,
        FRAMES * PIECES / RATE,
        PIXELS * FRAMES * PIECES / 1e6,
        PictureAsk(
            name=name,
            family=f"recipe {number} {effort}",
            prior=size_prior(picture, PIXELS, RATE),
            pieces=[FRAMES] * PIECES,
            kept=[None] * PIECES,
            windows=windows,
            packets=packets,
            source_kind="h264",
            film=f"film {film}",
            look=look_prior(picture),
        ),
        None,
        tuple(
            PieceAsk(f"{name} {n}", PIXELS * FRAMES / 1e6, 1.0, "libx264 medium 1 by pixels")
            for n in range(PIECES)
        ),
        (True,) * PIECES,
    )


def one_way(control: RateControl, effort: str = "medium", codec: str = "h264") -> Way:
    """How a picture would be made."""
    picture = PictureRecipe.model_validate({"rate_control": control, "effort": effort, "codec": codec})
    name = {"h264": "libx264", "hevc": "libx265"}[codec]
    encoder = ENCODERS[name]
    return Way(
        size_prior(picture, PIXELS, RATE),
        look_prior(picture),
        encoder.effort(effort),
        f"{name} {effort} 1 by pixels",
    )


def dozen(now: RateControl, codec: str = "h264") -> tuple[Way, ...]:
    """Twelve ways, the first as it is: two efforts, and nine rates and qualities."""
    efforts = [one_way(now, effort, codec) for effort in ("medium", "fast", "slow")]
    return (*efforts, *(one_way(control, codec=codec) for control in RECIPES[:9]))


def ways_of_all(asks: list[OutputAsk], station: Station) -> list[tuple[str, str, str]]:
    """A dozen ways of each of 1,000 outputs: at first, and after edits."""
    known = [Experience()]
    columns = [dozen(control) for control in RECIPES]
    ways = [columns[number % len(RECIPES)] for number in range(len(asks))]

    def spent(asks: list[OutputAsk], ways: list[tuple[Way, ...]]) -> float:
        begin = time.perf_counter()
        forecast_ways(asks, ways, station, known[0])
        return time.perf_counter() - begin

    def film(number: int) -> list[OutputAsk]:
        return [
            replace(
                a, picture=replace(a.picture, packets=[p + 0.01 * number for p in a.picture.packets if p])
            )
            if a.picture and a.picture.film == "film 0"
            else a
            for a in asks
        ]

    def column(chosen: set[int], others: list[tuple[Way, ...]]) -> float:
        """Some recipes changed: their outputs are asked about anew."""
        changed = [
            replace(a, picture=replace(a.picture, prior=others[n % len(RECIPES)][0].prior))
            if a.picture and n % len(RECIPES) in chosen
            else a
            for n, a in enumerate(asks)
        ]
        several = [
            (others if n % len(RECIPES) in chosen else columns)[n % len(RECIPES)] for n in range(len(asks))
        ]
        return spent(changed, several)

    def steps(number: int) -> list[tuple[Way, ...]]:
        return [
            dozen(
                control.model_copy(
                    update={
                        "quality": control.quality + 0.1 * number,
                        "target_bits_per_second": control.target_bits_per_second + 1000 * number,
                    }
                )
            )
            for control in RECIPES
        ]

    def codec() -> float:
        """A kind of encode that nothing is known of yet."""
        known[0] = Experience()
        spent(asks, ways)
        return column({2}, [dozen(control, "hevc") for control in RECIPES])

    tries = range(1, 6)
    first = spent(asks, ways)
    rows = [
        ("of one film", min(spent(film(number), ways) for number in tries)),
        ("of one recipe's quality", min(column({2}, steps(number)) for number in tries)),
        ("of every recipe's rate or quality", min(column(set(range(10)), steps(number)) for number in tries)),
        ("of one recipe's codec", min(codec() for _ in tries)),
    ]
    return [
        ("12 ways of each of 1,000 outputs, what is likely of them, at first", f"{first * 1000:.0f} ms", ""),
        *((f"these ways after an edit {what}", f"{took * 1000:.0f} ms", "< 100 ms") for what, took in rows),
    ]


def measure(_folder: Path) -> list[tuple[str, str, str]]:
    """Wall seconds, the best of some tries; one process."""
    dice = np.random.default_rng(1)
    packets = [list(dice.normal(-2, 0.5, PIECES)) for _ in range(FILMS)]
    asks = [asked(film, number, packets[film]) for film in range(FILMS) for number in range(len(RECIPES))]
    station, known = Station(slots=2), Experience()

    def all_of(wanted: list[OutputAsk]) -> None:
        forecast_outputs(wanted, station, known, Chance(), remember=True)
        output_looks(wanted, Chance(), known)

    def best(do: Callable[[int], None], times: int = 5) -> str:
        found = []
        for number in range(times):
            begin = time.perf_counter()
            do(number)
            found.append(time.perf_counter() - begin)
        return f"{min(found) * 1000:.0f} ms"

    def edit(number: int) -> None:
        """The first film's source is looked at anew: all that is made of it changes."""
        other = [value + 0.01 * (number + 1) for value in packets[0]]
        changed = [
            replace(a, picture=replace(a.picture, packets=other)) if a.picture else a
            for a in asks[: len(RECIPES)]
        ]
        all_of([*changed, *asks[len(RECIPES) :]])

    def ways(number: int) -> None:
        other = [value + 0.001 * (number + 1) for value in packets[1]]
        tried = [asked(1, n % len(RECIPES), other, ("fast", "slow")[n % 2]) for n in range(WAYS)]
        forecast_outputs(
            [replace(a, id=f"{a.id} {n}") for n, a in enumerate(tried)], station, known, Chance()
        )
        output_looks(tried, Chance(), known)

    def by_the_clock(told: OutputsForecast) -> None:
        simulate(told.work, {station.id: station.slots}, 400)

    begin = time.perf_counter()
    all_of(asks)
    first = time.perf_counter() - begin
    told = forecast_outputs(asks, station, known, Chance(), remember=True)
    return [
        (
            "1,000 outputs of 100 films, 10,000 pieces: bytes, seconds and looks at first",
            f"{first:.2f} s",
            "",
        ),
        ("the same after an edit of one film", best(edit), "< 100 ms"),
        ("a dozen other ways of one output, with draws", best(ways), "< 100 ms"),
        (
            "when each is finished, by the clock of two slots",
            best(lambda _: by_the_clock(told), 2),
            "",
        ),
        *ways_of_all(asks, station),
    ]
