"""How like the original outputs will look: what follows from a rate, from what was measured, and whether it holds."""

from __future__ import annotations

import unittest
from collections.abc import Sequence
from dataclasses import replace
from math import log2

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.forecast.band import Chance
from chronocast.forecast.inverse import rounded_up, smallest
from chronocast.forecast.learning.experience import Experience, PieceFact, learn_from
from chronocast.forecast.picture.ask import PictureAsk
from chronocast.forecast.picture.priors import halvings, look_prior, size_prior
from chronocast.forecast.picture.quality import ENCODE_SD, SLOPE_SD, Looks, look_band, of_shots, picture_looks
from chronocast.model.recipe.recipe import PictureRecipe, RateControl

PIXELS, RATE, FRAMES = 1280 * 720, 25.0, 200


def asked(
    picture: PictureRecipe, name: str, packets: Sequence[float | None] = (), **more: object
) -> PictureAsk:
    count = len(packets) or 6
    known: dict[str, object] = {
        "family": name,
        "pieces": [FRAMES] * count,
        "kept": [None] * count,
        "windows": [f"window {n}" for n in range(count)],
        "packets": packets,
        "source_kind": "h264" if packets else "",
        "film": "reef",
    }
    return PictureAsk(
        name=name,
        prior=size_prior(picture, PIXELS, RATE),
        look=look_prior(picture),
        **{**known, **more},  # type: ignore[arg-type]
    )


def at_quality(quality: float) -> PictureRecipe:
    return PictureRecipe(rate_control=RateControl(mode="quality", quality=quality))


def at_rate(bits: float, mode: str = "variable") -> PictureRecipe:
    return PictureRecipe(
        rate_control=RateControl.model_validate({"mode": mode, "target_bits_per_second": round(bits)})
    )


def looks(ask: PictureAsk, known: Experience | None = None) -> Looks:
    (found,) = picture_looks([ask], Chance(), known)
    assert found is not None
    return found


def measured(
    ask: PictureAsk, values: Sequence[float], usual: float | None, film: str = "reef"
) -> list[PieceFact]:
    """What the ledger has of an encode whose windows were measured."""
    return [
        PieceFact(
            ask.family,
            "p",
            film,
            FRAMES,
            1,
            8.0,
            100_000,
            100_000,
            1.0,
            1.0,
            kind=ask.prior.kind,
            window=window,
            rated=ask.prior.rated,
            xpsnr=value,
            usual_xpsnr=usual,
            look_kind=ask.look.kind if ask.look else "",
        )
        for window, value in zip(ask.windows, values, strict=True)
    ]


class Priors(unittest.TestCase):
    def test_a_better_quality_looks_better_by_as_many_halvings(self) -> None:
        good, poor = look_prior(at_quality(18)), look_prior(at_quality(30))
        assert good is not None and poor is not None
        self.assertAlmostEqual(good.typical - poor.typical, 2 * good.per_halving)
        self.assertAlmostEqual(halvings(at_quality(20).kind, 26), -1.0)

    def test_what_loses_nothing_has_no_look_and_a_better_grade_looks_better(self) -> None:
        self.assertIsNone(look_prior(PictureRecipe(codec="ffv1")))
        light, high = (look_prior(PictureRecipe(codec="prores", grade=grade)) for grade in ("lt", "hq"))
        assert light is not None and high is not None
        self.assertGreater(high.typical, light.typical + 1)


class Shots(unittest.TestCase):
    def test_the_worst_is_the_poorest_twentieth_by_length_or_the_poorest_shot_of_a_few(self) -> None:
        few = np.array([[40.0], [30.0], [44.0]])
        mean, worst = of_shots(few, [100, 50, 50])
        self.assertEqual((mean[0], worst[0]), (38.5, 30.0))
        many = np.arange(100.0)[:, None]
        self.assertEqual(of_shots(many, [10] * 100)[1][0], 4.0)
        weights = [1] * 50 + [1000] * 50  # the poorest are too short to be the worst twentieth
        self.assertEqual(of_shots(many, weights)[1][0], 52.0)

    @given(st.floats(1e5, 5e7), st.floats(1.05, 8.0), st.sampled_from(["variable", "two pass"]))
    @settings(max_examples=40, deadline=None)
    def test_more_rate_never_looks_worse(self, bits: float, more: float, mode: str) -> None:
        less, better = looks(asked(at_rate(bits, mode), "a")), looks(asked(at_rate(bits * more, mode), "a"))
        self.assertTrue((better.worst >= less.worst - 1e-9).all())
        self.assertTrue((better.mean >= less.mean - 1e-9).all())

    def test_two_passes_look_better_in_the_worst_shot_of_an_uneven_film_and_not_of_an_even_one(self) -> None:
        even = [-2.0] * 8
        uneven = [-4.0] * 4 + [0.5] * 4
        gain = {}
        for name, packets in {"even": even, "uneven": uneven}.items():
            one, two = (
                look_band(looks(asked(at_rate(1.5e6, mode), "a", packets)).worst).likely
                for mode in ("variable", "two pass")
            )
            gain[name] = two - one
        self.assertGreater(gain["uneven"], 0.3)
        self.assertGreater(gain["uneven"], gain["even"] + 0.2)

    def test_halving_the_rate_of_pictures_that_need_it_takes_what_a_halving_takes(self) -> None:
        picture = at_rate(1e6)
        hard = [1.0] * 6
        one, half = (look_band(looks(asked(p, "a", hard)).mean).likely for p in (picture, at_rate(5e5)))
        look = look_prior(picture)
        assert look is not None
        self.assertAlmostEqual(one - half, look.per_halving, delta=0.25 * look.per_halving)


class Learned(unittest.TestCase):
    def setUp(self) -> None:
        self.quality = asked(at_quality(20), "quality")
        assert self.quality.look is not None
        self.usual = self.quality.look.typical
        self.values = [self.usual + 4.0] * 6

    def test_pieces_in_the_stock_are_as_they_were_measured(self) -> None:
        known = learn_from(measured(self.quality, self.values, self.usual))
        kept = replace(self.quality, kept=[100_000] * 6)
        told = looks(kept, known)
        np.testing.assert_allclose(told.shots, self.values)
        self.assertEqual((told.measured, float(told.worst.std())), (6, 0.0))

    def test_one_encode_tells_of_another_and_of_another_film_a_little(self) -> None:
        known = learn_from(measured(self.quality, self.values, self.usual))
        other = asked(at_quality(26), "other")
        before, after = looks(other), looks(other, known)
        moved = look_band(after.mean).likely - look_band(before.mean).likely
        self.assertTrue(2.0 < moved < 6.0, moved)
        self.assertLess(after.mean.std(), 0.5 * before.mean.std())
        elsewhere = looks(replace(other, film="harbour", windows=[f"w{n}" for n in range(6)]), known)
        little = look_band(elsewhere.mean).likely - look_band(before.mean).likely
        self.assertTrue(0.0 < little < moved, little)

    def test_pieces_measured_at_a_rate_anchor_what_other_rates_look_like(self) -> None:
        rated = asked(at_rate(2e6), "rated", kept=[2_000_000] * 6)
        assert rated.look is not None
        before = look_band(looks(replace(rated, kept=[None] * 6)).mean).likely
        facts = measured(rated, [before + 6.0] * 6, None)
        other = asked(at_rate(1e6), "half")
        alone = look_band(looks(other).mean).likely
        (_, beside) = picture_looks([rated, other], Chance(), learn_from(facts))
        assert beside is not None
        self.assertGreater(look_band(beside.mean).likely, alone + 3.0)

    def test_safe_holds_nine_times_in_ten_in_simulated_films(self) -> None:
        """Truths drawn as the model has them, half of the windows of a sibling measured."""
        look = self.quality.look
        assert look is not None
        known, dice, held, worlds = look.character, np.random.default_rng(5), 0, 250
        for world in range(worlds):
            common = known.common * dice.standard_normal()
            film = known.film * dice.standard_normal()
            windows = known.window * dice.standard_normal(6)
            first, second = (known.own * dice.standard_normal(6) for _ in range(2))
            off = known.shift + common + film + windows
            name = f"film {world}"
            mine = replace(self.quality, film=name)
            facts = measured(mine, list(self.usual + off + first), self.usual, name)[:3]
            other = replace(asked(at_quality(26), "other"), film=name)
            assert other.look is not None
            apart = other.look.typical - self.usual
            slope, encode = apart * SLOPE_SD * dice.standard_normal(), ENCODE_SD * dice.standard_normal()
            truth = other.look.typical + off + second + slope + encode
            held += float(truth.mean()) >= look_band(looks(other, learn_from(facts)).mean).safe
        self.assertTrue(0.84 <= held / worlds <= 0.96, held / worlds)


class Smallest(unittest.TestCase):
    @given(st.floats(1.0, 1e9))
    def test_it_is_the_inverse_of_what_it_asks(self, wanted: float) -> None:
        found = smallest(lambda value: value >= wanted, 1.0, 1e9)
        assert found is not None
        self.assertTrue(found >= wanted and found <= max(1.0, wanted) * 1.001, (found, wanted))
        self.assertTrue(rounded_up(found) >= wanted)
        self.assertLess(log2(rounded_up(found) / found), 0.015)

    def test_where_nothing_does_there_is_none(self) -> None:
        self.assertIsNone(smallest(lambda _: False, 1.0, 2.0))
        self.assertEqual(smallest(lambda _: True, 1.0, 2.0), 1.0)
        with self.assertRaises(ValueError):
            smallest(lambda _: True, 0.0, 1.0)
