"""Many outputs by several ways at once: the same as when each is drawn alone, and never absurd."""

from __future__ import annotations

import unittest
from dataclasses import replace
from math import log

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.forecast.band import Chance
from chronocast.forecast.learning.experience import Experience, learn_from
from chronocast.forecast.outputs import OutputAsk, SoundAsk, forecast_outputs, output_looks
from chronocast.forecast.picture.ask import PictureAsk
from chronocast.forecast.picture.priors import look_prior, size_prior
from chronocast.forecast.station import Pace, Station
from chronocast.forecast.ways import Way, forecast_ways
from chronocast.forecast.work import PieceAsk
from chronocast.model.recipe.recipe import PictureRecipe, RateControl
from tests.core.test_forecast import made

PIXELS, RATE, FRAMES = 1280 * 720, 25.0, 200
STATION = Station(slots=2, pace=Pace(calibrated=True))
INDISTINCT = 46.0
"""dB.  From 44 dB on pictures can't be told from their original: how much better still is of no use to anybody."""
FACTORS = {"fast": 0.6, "medium": 1.0, "slow": 2.1}


def way(mode: str = "quality", quality: float = 20.0, kbits: int = 3000, effort: str = "medium") -> Way:
    control = RateControl(mode=mode, quality=quality, target_bits_per_second=kbits * 1000)
    picture = PictureRecipe.model_validate({"rate_control": control, "effort": effort})
    return Way(
        size_prior(picture, PIXELS, RATE),
        look_prior(picture),
        FACTORS[effort],
        f"libx264 {effort} 1 by pixels",
        2.2 if picture.steering.searched else 1.0,
    )


def asked(name: str, one: Way, packets: list[float], kept: list[int | None] | None = None) -> OutputAsk:
    """An output of a film, made one way."""
    count = len(packets)
    kept = kept or [None] * count
    return OutputAsk(
        name,
        "mp4",
        FRAMES * count,
        FRAMES * count / RATE,
        PIXELS * FRAMES * count / 1e6,
        PictureAsk(
            name,
            f"{one.prior.kind} {one.prior.bytes_a_frame}",
            one.prior,
            [FRAMES] * count,
            kept,
            [f"reef {n}" for n in range(count)],
            packets,
            "h264",
            "reef",
            look=one.look,
        ),
        SoundAsk("sound", 1, 128_000, 400),
        tuple(
            PieceAsk(f"{name} {n}", PIXELS * FRAMES / 1e6, one.factor, one.pace, one.times, 5.0, 2.0)
            for n in range(count)
        ),
        tuple(size is None for size in kept),
        drive="d",
    )


WAYS = st.one_of(
    st.builds(way, st.just("quality"), st.floats(16, 32), effort=st.sampled_from(["fast", "medium", "slow"])),
    st.builds(way, st.sampled_from(["variable", "two pass"]), kbits=st.integers(300, 20_000)),
)
PACKETS = st.lists(st.floats(-4, 0), min_size=2, max_size=9)


def drawn(asks: list[OutputAsk], known: Experience) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Likely bytes, seconds and poorest shots of outputs, from draws."""
    chance = Chance(1600)
    told, looks = forecast_outputs(asks, STATION, known, chance), output_looks(asks, chance, known)
    return (
        np.median(told.bytes, axis=1),
        np.median(told.seconds, axis=1),
        np.array([np.median(one.worst) if one else np.nan for one in looks]),
    )


class Ways(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(WAYS, st.lists(WAYS, min_size=1, max_size=3), PACKETS, st.booleans())
    def test_what_is_likely_is_what_draws_say(
        self, now: Way, others: list[Way], packets: list[float], learned: bool
    ) -> None:
        known = learn_from(made("reef", 1.6, 2) + made("kelp", 0.7)) if learned else Experience()
        ask = asked("o", now, packets)
        each = [asked(f"o {n}", one, packets) if n else ask for n, one in enumerate([now, *others])]
        bytes_, seconds, looks = drawn(each, known)
        table = forecast_ways([ask], [[now, *others]], STATION, known)
        np.testing.assert_allclose(table.bytes[0], bytes_, rtol=0.08)
        np.testing.assert_allclose(table.seconds[0], seconds, rtol=0.08)
        told, seen = np.minimum(table.looks[0], INDISTINCT), np.minimum(looks, INDISTINCT)
        moved, likely = told - told[0], seen - seen[0]
        off = np.abs(moved - likely) - np.maximum(3.0, 0.3 * np.abs(likely))
        self.assertLess(off.max(), 0.0, (moved, likely))

    @settings(max_examples=60, deadline=None)
    @given(st.sampled_from(["variable", "two pass"]), st.integers(100, 30_000), st.floats(1.05, 4), PACKETS)
    def test_more_rate_is_never_fewer_bytes_and_looks_no_worse(
        self, mode: str, kbits: int, more: float, packets: list[float]
    ) -> None:
        several = [way(mode, kbits=kbits), way(mode, kbits=round(kbits * more))]
        table = forecast_ways([asked("o", several[0], packets)], [several], STATION, Experience())
        self.assertLessEqual(table.bytes[0, 0], table.bytes[0, 1] * (1 + 1e-9))
        self.assertLessEqual(table.looks[0, 0], table.looks[0, 1] + 1e-9)
        self.assertTrue(np.isfinite(table.seconds).all() and (table.seconds > 0).all())

    def test_pieces_in_the_stock_are_spared_now_and_encoded_again_by_another_way(self) -> None:
        now, other = way(), way(quality=20.0, effort="slow")
        packets = [-2.0] * 4
        none = forecast_ways([asked("o", now, packets)], [[now, other]], STATION, Experience())
        piece = round(none.bytes[0, 0] / 4)
        kept = [piece, piece, None, None]
        half = forecast_ways([asked("o", now, packets, kept)], [[now, other]], STATION, Experience())
        self.assertLess(half.seconds[0, 0], 0.65 * none.seconds[0, 0])
        self.assertGreater(half.seconds[0, 1], 0.9 * none.seconds[0, 1])
        done = replace(asked("o", now, packets, [piece] * 4), made=4 * piece + 900)
        table = forecast_ways([done], [[now, other]], STATION, Experience())
        self.assertEqual((table.bytes[0, 0], round(table.seconds[0, 0], 6)), (4 * piece + 900, 0.0))
        self.assertGreater(table.seconds[0, 1], 10)

    def test_outputs_together_are_what_they_are_alone_and_only_what_changed_is_worked_out_anew(self) -> None:
        known = Experience()
        packets = [[-2.0 + 0.1 * n, -1.0, -3.0] for n in range(6)]
        ways = [
            [way(quality=q), way("variable", kbits=900), way("two pass")] for q in (18, 20, 22, 24, 26, 28)
        ]
        asks = [asked(f"o {n}", ways[n][0], packets[n]) for n in range(6)]
        asks = [
            replace(ask, picture=replace(ask.picture, film=f"film {n % 3}")) if ask.picture else ask
            for n, ask in enumerate(asks)
        ]
        forecast_ways(asks, ways, STATION, known)
        assert asks[4].picture is not None
        asks[4] = replace(asks[4], picture=replace(asks[4].picture, packets=[-1.0] * 3))
        after = forecast_ways(asks, ways, STATION, known)
        fresh = forecast_ways(asks, ways, STATION, Experience())
        for one, other in zip(after, fresh, strict=True):
            np.testing.assert_allclose(one, other, rtol=1e-9)
        alone = forecast_ways(asks[:1], ways[:1], STATION, Experience())
        film = [n for n in range(6) if n % 3 == 0]
        pair = forecast_ways([asks[n] for n in film], [ways[n] for n in film], STATION, Experience())
        np.testing.assert_allclose(pair.bytes[0], fresh.bytes[0], rtol=1e-9)
        self.assertLess(
            abs(log(alone.bytes[0, 0] / pair.bytes[0, 0])), 0.2, "the same film shows more with a second"
        )
