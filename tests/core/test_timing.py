"""Time is exact: ranges, rates, timecode."""

from __future__ import annotations

import doctest
import importlib
import pkgutil
import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

import chronocast.deliver
import chronocast.forecast
import chronocast.media.picture
import chronocast.model
from chronocast.model.errors import ModelError, TimecodeError
from chronocast.model.time.timing import FrameRange, can_drop, format_timecode, parse_rate, parse_timecode

RATES = [
    Fraction(24000, 1001),
    Fraction(24),
    Fraction(25),
    Fraction(30000, 1001),
    Fraction(30),
    Fraction(50),
    Fraction(60000, 1001),
]


class Timecode(unittest.TestCase):
    def test_known_drop_frame_values(self) -> None:
        rate = Fraction(30000, 1001)
        for frame, text in (
            (0, "00:00:00;00"),
            (1799, "00:00:59;29"),
            (1800, "00:01:00;02"),
            (17982, "00:10:00;00"),
            (107892, "01:00:00;00"),
        ):
            self.assertEqual(format_timecode(frame, rate, drop=True), text)
            self.assertEqual(parse_timecode(text, rate), frame)

    @given(st.integers(0, 24 * 3600 * 60), st.sampled_from(RATES), st.booleans())
    def test_formatting_and_parsing_are_inverse(self, frame: int, rate: Fraction, drop: bool) -> None:
        text = format_timecode(frame, rate, drop and can_drop(rate))
        self.assertEqual(parse_timecode(text, rate), frame)

    def test_forms_people_type(self) -> None:
        rate = Fraction(25)
        for text, frame in (
            ("1:02:03:04", 93079),
            ("1020304", 93079),
            ("12s", 300),
            ("1.5s", 38),
            ("250f", 250),
            ("2:00", 50),
            ("7", 7),
        ):
            self.assertEqual(parse_timecode(text, rate), frame, text)
        self.assertEqual(parse_timecode("+48", rate, here=100), 148)
        self.assertEqual(parse_timecode("-1:00", rate, here=100), 75)

    def test_times_that_do_not_exist_are_refused(self) -> None:
        for text in ("00:01:00;00", "00:00:61:00", "00:00:00:30", "", "soon", "1:2:3:4:5", "٣٤"):
            with self.assertRaises(TimecodeError, msg=text):
                parse_timecode(text, Fraction(30000, 1001))
        with self.assertRaises(TimecodeError):
            parse_timecode("00:00:01;00", Fraction(25))

    @given(st.text(max_size=60))
    def test_any_text_is_a_time_or_a_sentence(self, text: str) -> None:
        try:
            self.assertIsInstance(parse_timecode(text, Fraction(25)), int)
        except TimecodeError as error:
            self.assertTrue(error.sentence)


class Rates(unittest.TestCase):
    def test_decimal_forms_mean_the_exact_rate(self) -> None:
        self.assertEqual(parse_rate("29.97"), Fraction(30000, 1001))
        self.assertEqual(parse_rate(23.976), Fraction(24000, 1001))
        self.assertEqual(parse_rate("25"), 25)

    def test_nonsense_is_refused(self) -> None:
        for text in ("0", "-25", "1e9", "nan", "inf", "fast", "1/0"):
            with self.assertRaises(ModelError, msg=text):
                parse_rate(text)


class Ranges(unittest.TestCase):
    @given(st.integers(-50, 50), st.integers(0, 50), st.integers(-50, 50), st.integers(0, 50))
    def test_intersection_is_what_both_contain(self, a: int, n: int, b: int, m: int) -> None:
        one, two = FrameRange(a, a + n), FrameRange(b, b + m)
        both = one.intersect(two)
        self.assertEqual(set(both or ()), set(one) & set(two))

    def test_out_before_in_is_refused(self) -> None:
        with self.assertRaises(ModelError):
            FrameRange(10, 9)


def load_tests(loader: unittest.TestLoader, tests: unittest.TestSuite, _: object) -> unittest.TestSuite:
    """The examples in the documentation are true."""
    for room in (chronocast.model, chronocast.forecast, chronocast.deliver, chronocast.media.picture):
        for found in pkgutil.walk_packages(room.__path__, f"{room.__name__}."):
            module = importlib.import_module(found.name)
            if any(case.examples for case in doctest.DocTestFinder().find(module)):
                tests.addTests(doctest.DocTestSuite(module))
    return tests
