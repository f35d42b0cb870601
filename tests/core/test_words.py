"""Numbers, times and paths as people read and type them: what is shown can be typed back."""

from __future__ import annotations

import os
import unittest
from datetime import UTC, datetime, timedelta
from fractions import Fraction

from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.forecast.band import Band, Chance, band, exact
from chronocast.forecast.room import RESERVE_SHARE, Room, reserve_on
from chronocast.model.errors import ModelError
from chronocast.model.paths import path_text, real_path, shown
from chronocast.model.picture.colour import BT709, UNTAGGED, assumed, is_wide, same_look, same_tags, tags_for
from chronocast.model.picture.weight import Weight
from chronocast.model.recipe.typed import parse_bits, parse_bytes
from chronocast.model.show import clock_text, counted, rate_bits_text, size_text, time_text


def seconds_said(text: str) -> int:
    """Seconds of a length of time as it is shown."""
    figures, unit = text.rsplit(" ", 1)
    if unit == "s":
        return int(figures)
    whole, part = (int(figure) for figure in figures.split(":"))
    return (whole * 60 + part) * {"min": 1, "h": 60}[unit]


class Shown(unittest.TestCase):
    @given(st.integers(0, 9 * 10**14))
    def test_a_size_is_typed_back_within_half_a_percent(self, value: int) -> None:
        text = size_text(value)
        self.assertLessEqual(abs(parse_bytes(text) - value), max(0.5, value * 0.0051), text)
        self.assertLessEqual(len(text), 7)

    @given(st.integers(1_000, 4 * 10**9))
    def test_a_rate_is_typed_back_within_half_a_percent(self, value: int) -> None:
        text = rate_bits_text(value)
        self.assertLessEqual(abs(parse_bits(text) - value), max(500, value * 0.0051), text)

    @given(st.floats(0, 400_000))
    def test_a_length_of_time_is_right_to_the_second_or_to_the_minute_and_says_its_unit(
        self, seconds: float
    ) -> None:
        said = seconds_said(time_text(seconds))
        self.assertLessEqual(abs(said - round(seconds)), 0 if seconds < 3599 else 30)

    def test_nonsense_is_refused_with_an_example(self) -> None:
        for text in ("", "sixty", "3 parsecs", "-4 MB", "1e9", "4 MB and more"):
            with self.assertRaises(ModelError) as refused:
                parse_bytes(text)
            self.assertIn("Type it as", str(refused.exception))

    def test_decimal_and_binary_units_are_told_apart(self) -> None:
        self.assertEqual((parse_bytes("1 MB"), parse_bytes("1 MiB")), (10**6, 2**20))
        self.assertEqual((parse_bytes("1,5 GB"), parse_bytes("1.5gb")), (1_500_000_000, 1_500_000_000))

    def test_things_are_counted_and_days_are_named(self) -> None:
        self.assertEqual(
            (counted(0, "file"), counted(1, "file"), counted(2, "file")), ("0 files", "1 file", "2 files")
        )
        now = datetime(2026, 3, 14, 22, 0, tzinfo=UTC)
        self.assertEqual(clock_text(now + timedelta(hours=1), now), "23:00")
        self.assertEqual(clock_text(now + timedelta(hours=3), now), "01:00 tomorrow")
        self.assertEqual(clock_text(now + timedelta(days=4), now), "Wed 18 Mar 22:00")

    @given(st.binary(min_size=1, max_size=40).filter(lambda name: b"/" not in name and b"\0" not in name))
    def test_any_name_of_a_file_survives_as_text_and_can_be_shown(self, name: bytes) -> None:
        path = os.fsdecode(b"/films/" + name)
        text = path_text(path)
        text.encode("utf-8")
        self.assertEqual(os.fsencode(real_path(text)), b"/films/" + name)
        shown(text).encode("utf-8")


class Bands(unittest.TestCase):
    @given(st.floats(-5, 5), st.floats(0.01, 2))
    def test_a_band_is_in_order_and_moves_with_what_is_added(self, mean: float, sd: float) -> None:
        drawn = mean + sd * Chance().normal("anything")
        found = band(drawn)
        self.assertTrue(found.p10 <= found.likely <= found.safe)
        self.assertAlmostEqual((found + 3).likely, found.likely + 3)
        self.assertAlmostEqual(found.likely, mean, 6, "draws are balanced")

    def test_a_cause_has_the_same_draws_each_time_and_another_one_others(self) -> None:
        one, again, other = (Chance().normal(name) for name in ("rain", "rain", "wind"))
        self.assertTrue((one == again).all())
        self.assertFalse((one == other).all())
        self.assertEqual(Chance(20).normals("rain", 3).shape, (3, 20))
        self.assertEqual(exact(4.0), Band(4.0, 4.0, 4.0))

    @given(st.integers(0, 10**14), st.integers(0, 10**13))
    def test_a_reserve_never_takes_more_than_its_share_of_a_drive(self, total: int, wanted: int) -> None:
        kept = reserve_on(total, wanted)
        self.assertLessEqual(kept, wanted)
        self.assertLessEqual(kept, total * RESERVE_SHARE + 1)

    def test_a_drive_that_cannot_be_written_never_fits(self) -> None:
        room = Room("d", 10**12, exact(1), writable=False, why_not="it is read-only")
        self.assertEqual((room.fits, room.tight, room.fit), (False, False, "read-only"))
        self.assertIn("it is read-only", room.told)


colours = st.tuples(
    st.sampled_from([1, 2, 5, 6, 9]),
    st.sampled_from([1, 2, 13, 16]),
    st.sampled_from([1, 2, 5, 6, 9]),
    st.sampled_from([0, 1, 2]),
)


class Colours(unittest.TestCase):
    @given(colours, st.integers(2, 4320))
    def test_what_is_assumed_is_wholly_said_and_assumed_again_the_same(
        self, tags: tuple[int, int, int, int], height: int
    ) -> None:
        found = assumed(tags, height)
        self.assertNotIn(2, found[:3])
        self.assertIn(found[3], (1, 2))
        self.assertEqual(assumed(found, height), found)

    @settings(max_examples=400)
    @given(colours, st.integers(16, 4320), st.integers(16, 4320))
    def test_what_is_written_is_read_as_it_was_composed(
        self, tags: tuple[int, int, int, int], height: int, made: int
    ) -> None:
        composed = assumed(tags, height)
        written = tags_for(tags, composed, made)
        self.assertTrue(same_look(assumed(written, made), composed), (tags, composed, written))
        self.assertTrue(same_tags(written, written))

    def test_known_colours(self) -> None:
        self.assertEqual(assumed(UNTAGGED, 1080)[:3], BT709[:3])
        self.assertFalse(is_wide(BT709))
        self.assertTrue(is_wide((9, 16, 9, 1)))


class Weights(unittest.TestCase):
    @given(st.fractions(0, 1), st.fractions(0, 1))
    def test_constant_weights_multiply_and_add(self, one: Fraction, other: Fraction) -> None:
        a, b = Weight.constant(one), Weight.constant(other)
        self.assertEqual(a.times(b).at(7), one * other)
        if one + other <= 1:
            self.assertEqual(a.plus(b).at(7), one + other)
        self.assertEqual(Weight.constant(Fraction(1)).is_all, True)
        self.assertEqual(Weight.constant(Fraction(0)).is_none, True)


if __name__ == "__main__":
    unittest.main()
