"""The forecast asked backwards: limits that are kept, moments that are typed, candidates that are compared."""

from __future__ import annotations

import unittest
from datetime import datetime, timedelta, timezone
from math import log10

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.forecast.band import Chance, band
from chronocast.forecast.inverse import chance_of, largest, rounded_down, send_seconds
from chronocast.forecast.picture.ask import PictureAsk
from chronocast.forecast.picture.priors import size_prior
from chronocast.forecast.picture.size import picture_bytes
from chronocast.forecast.sending import sent_across
from chronocast.model.batch.batch import Batch, read_batch
from chronocast.model.batch.edits import set_asked
from chronocast.model.errors import ModelError
from chronocast.model.recipe.recipe import PictureRecipe, RateControl
from chronocast.model.time.moments import parse_moment

NOW = datetime(2026, 11, 26, 14, 20, tzinfo=timezone(timedelta(hours=1)))  # a Thursday


class Inverses(unittest.TestCase):
    @given(st.floats(1e-2, 1e12), st.floats(1.0, 1e6), st.floats(1.0, 1e4))
    def test_the_largest_that_fits_fits_and_hardly_more_would(
        self, limit: float, low: float, wide: float
    ) -> None:
        found = largest(lambda value: value <= limit, low, low * wide)
        if found is None:
            self.assertGreater(low, limit)
            return
        self.assertLessEqual(found, limit)
        if found < low * wide:
            self.assertTrue(found * 1.02 > limit or found == low, "three digits")

    @given(st.lists(st.tuples(st.floats(0, 1e4), st.floats(1.0, 1e9)), min_size=1, max_size=9))
    def test_files_are_sent_one_after_another_as_they_are_proved(
        self, files: list[tuple[float, float]]
    ) -> None:
        line = 20e6
        proved, sizes = (np.array([column]).T for column in zip(*files, strict=True))
        found = sent_across(proved, sizes, line)
        free = 0.0
        for number in sorted(range(len(files)), key=lambda n: files[n][0]):  # by the rule itself
            begin = max(free, files[number][0])
            free = begin + files[number][1] * 8 / line
            self.assertAlmostEqual(found[number, 0], free, 4)

    @given(st.floats(1e-6, 1e15))
    def test_rounding_never_goes_up_and_leaves_three_digits(self, value: float) -> None:
        found = rounded_down(value)
        self.assertLessEqual(found, value * (1 + 1e-9))
        self.assertGreater(found, value * 0.989)
        digits = found / 10 ** (np.floor(log10(value)) - 2)
        self.assertAlmostEqual(digits, round(digits), 3)

    @settings(max_examples=25, deadline=None)
    @given(st.floats(2e5, 5e7), st.sampled_from(["variable", "two pass"]))
    def test_a_limit_that_is_said_to_be_met_is_met_at_the_safe_size_and_back(
        self, limit: float, mode: str
    ) -> None:
        def size(bits: float) -> float:
            control = RateControl(mode=mode, target_bits_per_second=round(bits))
            prior = size_prior(PictureRecipe(rate_control=control), 640 * 360, 25.0)
            one = PictureAsk("o", "f", prior, [200] * 4, [None] * 4, film="reef")
            return band(picture_bytes([one], Chance())[0]).safe

        bits = largest(lambda value: size(value) <= limit, 20_000, 4e8)
        if bits is None:
            self.assertGreater(size(20_000), limit)
            return
        self.assertLessEqual(size(bits), limit)
        if bits < 4e8:
            again = largest(lambda value: size(value) <= size(bits), 20_000, 4e8)
            assert again is not None
            self.assertLess(abs(again / bits - 1), 0.02, "the inverse of the inverse")

    def test_sending_takes_bits_over_the_line_and_chances_count_draws(self) -> None:
        self.assertEqual(send_seconds(np.array([1e6, 2e6]), 8e6).tolist(), [1.0, 2.0])
        self.assertEqual(chance_of(np.array([1.0, 2.0, 3.0, 4.0]), 3.0), 0.75)
        self.assertEqual(chance_of(np.array([1.0]), -5.0), 0.0)

    def test_a_range_that_is_none_is_refused(self) -> None:
        for low, high in ((0.0, 1.0), (2.0, 1.0), (-1.0, 1.0)):
            with self.assertRaises(ValueError):
                largest(lambda _: True, low, high)


class Moments(unittest.TestCase):
    def test_what_people_type(self) -> None:
        for text, day, hour, minute in (
            ("18:30", 26, 18, 30),
            ("9:00", 27, 9, 0),  # today's has passed
            ("9", 27, 9, 0),
            ("18h30", 26, 18, 30),
            ("tomorrow 9:00", 27, 9, 0),
            ("today 9:00", 26, 9, 0),
            ("fri 17:00", 27, 17, 0),
            ("Thursday 10:00", 3, 10, 0),  # next week's
            ("in 2 h", 26, 16, 20),
            ("+ 45 min", 26, 15, 5),
            ("in 1,5 h", 26, 15, 50),
            ("2026-11-28T06:15", 28, 6, 15),
        ):
            found = parse_moment(text, NOW)
            self.assertEqual((found.day, found.hour, found.minute), (day, hour, minute), text)
            self.assertIsNotNone(found.tzinfo, text)

    @given(st.text(max_size=20))
    def test_any_text_is_a_moment_or_a_sentence(self, text: str) -> None:
        try:
            self.assertIsInstance(parse_moment(text, NOW), datetime)
        except ModelError as error:
            self.assertIn("18:30", error.remedy)

    def test_what_is_no_time_is_refused(self) -> None:
        for text in ("25:00", "noon", "12:75", "blursday 9:00", "in 9999999 h", ""):
            with self.assertRaises(ModelError, msg=text):
                parse_moment(text, NOW)


class Document(unittest.TestCase):
    def test_what_is_asked_is_kept_in_the_batch_and_read_back(self) -> None:
        batch = set_asked(Batch(), wanted=NOW, size_limit=500_000_000, line=20_000_000)
        again = read_batch(batch.model_dump_json())
        self.assertEqual((again.wanted, again.size_limit, again.line), (NOW, 500_000_000, 20_000_000))
        self.assertEqual(set_asked(again, wanted=None, size_limit=None, line=None), Batch())
        with self.assertRaises(ModelError):
            set_asked(Batch(), wanted=None, size_limit=0, line=None)


if __name__ == "__main__":
    unittest.main()
