"""Receiver cards: judged with headroom, read safely, never contradicting in silence."""

from __future__ import annotations

import json
import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from chronocast.model.cards.bucket import Bucket, overruns, run_through
from chronocast.model.cards.card import Limits, ReceiverCard, fits_name, read_card, write_card
from chronocast.model.cards.fits import Offer, contradictions, headroom, judge, worst
from chronocast.model.cards.words import demands
from chronocast.model.errors import ModelError
from chronocast.ui.places.recipe.card_fields import card_typed, said


def card(called: str = "Hall", **limits: object) -> ReceiverCard:
    return ReceiverCard(
        id=called.lower().replace(" ", "-"), name=called, limits=Limits.model_validate(limits)
    )


OFFER = Offer(
    "HALL_reef_v01.mp4",
    "mp4",
    100.0,
    (45_000_000, 50_000_000, 60_000_000),
    "h264",
    "high",
    1280,
    720,
    Fraction(25),
    "progressive",
    8_000_000,
    8_000_000,
    None,
    "aac",
    "stereo",
    48000,
)


def state(made: ReceiverCard, offer: Offer = OFFER) -> str:
    return worst(judge(made, offer))


class Judging(unittest.TestCase):
    def test_every_kind_of_limit_fits_and_breaks(self) -> None:
        for fits, breaks in (
            ({"bytes_most": 70_000_000}, {"bytes_most": 40_000_000}),
            ({"bytes_least": 10}, {"bytes_least": 61_000_000}),
            ({"seconds_most": 100}, {"seconds_most": 99.9}),
            ({"seconds_least": 100}, {"seconds_least": 101}),
            ({"bits_most": 5_000_000}, {"bits_most": 3_500_000}),
            ({"bits_least": 3_000_000}, {"bits_least": 4_900_000}),
            ({"peak_bits_most": 8_000_000}, {"peak_bits_most": 7_000_000}),
            ({"width_most": 1280}, {"width_most": 1279}),
            ({"height_least": 720}, {"height_least": 721}),
            ({"sizes": ["1280x720", "1920x1080"]}, {"sizes": ["1920x1080"]}),
            ({"rates": ["25", "50"]}, {"rates": ["24"]}),
            ({"scans": ["progressive"]}, {"scans": ["top first"]}),
            ({"codecs": ["h264"]}, {"codecs": ["hevc"]}),
            ({"containers": ["mp4"]}, {"containers": ["mxf"]}),
            ({"sound": "needed"}, {"sound": "none"}),
            ({"sound_codecs": ["aac"]}, {"sound_codecs": ["pcm"]}),
            ({"layouts": ["stereo"]}, {"layouts": ["5.1"]}),
            ({"sample_rates": [48000]}, {"sample_rates": [44100]}),
            ({"level_most": {"h264": "3.1"}}, {"level_most": {"h264": "3"}}),
            ({"name": "HALL_*_v##.mp4"}, {"name": "DOOR_*"}),
            ({"name_longest": 17}, {"name_longest": 16}),
            ({"free_bytes": 60_000_000}, {"free_bytes": 1000}),
        ):
            with self.subTest(fits):
                self.assertEqual(state(card(**fits)), "fits")
                broken = judge(card(**breaks), OFFER)
                self.assertEqual(worst(broken), "breaks")
                self.assertTrue(all(verdict.wanted and verdict.have for verdict in broken))
        for limits in ({"bytes_most": 55_000_000}, {"bytes_most": 48_000_000}, {"bytes_least": 48_000_000}):
            self.assertEqual(state(card(**limits)), "tight", "a forecast that may fit doesn't break")
        self.assertEqual(state(card(loudness=-23, true_peak_most=-1, legal_range=True)), "unknown")

    def test_measured_things_are_judged_once_they_are_known(self) -> None:
        made = Offer(**{**OFFER.__dict__, "loudness": -23.4, "true_peak": -0.5, "legal": False})
        self.assertEqual(state(card(loudness=-23), made), "fits")
        self.assertEqual(state(card(loudness=-16), made), "breaks")
        self.assertEqual(state(card(true_peak_most=-1), made), "breaks")
        self.assertEqual(state(card(legal_range=True), made), "breaks")

    def test_headroom_as_people_say_it(self) -> None:
        self.assertEqual(headroom(0.21), "uses 21 % of the limit, room for 4.8×")
        told = judge(card(bytes_most=250_000_000), OFFER)[0].told
        self.assertEqual(told, "size: 50.0 MB of at most 250 MB; uses 20 % of the limit, room for 5.0×")

    def test_cards_that_cannot_both_be_met_are_told(self) -> None:
        one, two = (
            card("One", codecs=["h264"], bytes_least=100),
            card("Two", codecs=["prores"], bytes_most=50),
        )
        self.assertEqual(len(contradictions([one, two])), 2)
        self.assertEqual(contradictions([one, card("Three", codecs=["h264", "hevc"])]), [])


class Reading(unittest.TestCase):
    def test_a_card_s_file_reads_back_the_same(self) -> None:
        made = card(
            "Hall of players",
            bytes_most=10**9,
            rates=["25", "30000/1001"],
            level_most={"h264": "4.1"},
            name="H_*_v##.mp4",
        )
        self.assertEqual(read_card(write_card(made)), made)

    def test_impossible_and_hostile_cards_are_refused_with_a_sentence(self) -> None:
        good = json.loads(write_card(card(bytes_most=100)))
        for limits in (
            {"bytes_least": 10, "bytes_most": 5},
            {"bytes_most": -1},
            {"bytes_most": 10**30},
            {"rates": ["25 or so"]},
            {"codecs": ["realmagic"]},
            {"level_most": {"h264": "9"}},
            {"level_most": {"prores": "4"}},
            {"name": "../*"},
            {"name": "*" * 50},
            {"name": "a" * 500},
            {"sizes": ["big"]},
            {"sound": "none", "layouts": ["stereo"]},
            {"loudness": 5},
            {"seconds_most": float("nan")},
        ):
            with self.subTest(limits), self.assertRaises(ModelError) as told:
                read_card(json.dumps({**good, "limits": limits}))
            self.assertTrue(str(told.exception).startswith("The receiver card can't be used"))
        for text in (
            "",
            "{",
            "[1]",
            json.dumps({**good, "version": 2}),
            json.dumps({**good, "version": True}),
            json.dumps({**good, "id": "../x"}),
        ):
            with self.assertRaises(ModelError):
                read_card(text)

    @given(st.text("ab*?#.", max_size=12), st.text("ab12.", max_size=30))
    def test_name_patterns_never_take_long_and_match_themselves(self, pattern: str, name: str) -> None:
        if pattern.count("*") <= 4:
            fits_name(pattern, name * 8)
        plain = name.replace("*", "").replace("?", "").replace("#", "")
        self.assertTrue(fits_name(plain, plain))


class Buckets(unittest.TestCase):
    @given(st.lists(st.integers(0, 40_000), min_size=1, max_size=200))
    def test_a_stream_below_the_peak_never_runs_dry_and_fullness_stays_in_bounds(
        self, sizes: list[int]
    ) -> None:
        bucket = Bucket(1_000_000, 1_000_000, 25, 0.7)
        told = run_through(bucket, sizes)
        self.assertLessEqual(told.last, 1)
        if max(sizes) * 8 <= bucket.peak / bucket.rate:
            self.assertTrue(told.holds)

    @given(st.lists(st.lists(st.integers(0, 25_000), min_size=1, max_size=30), min_size=1, max_size=6))
    def test_whoever_runs_it_dry_is_named(self, pieces: list[list[int]]) -> None:
        bucket = Bucket(1_000_000, 1_000_000, 25, 0.7)
        whole = run_through(bucket, [size for piece in pieces for size in piece])
        guilty = [item.piece for item in overruns(bucket, pieces)]
        self.assertEqual(whole.holds, not guilty)
        self.assertTrue(all(0 <= n < len(pieces) for n in guilty))


class InWords(unittest.TestCase):
    """A card read as a page, and changed line by line."""

    FULL = Limits(
        bytes_least=1_000_000,
        bytes_most=500_000_000,
        seconds_least=2,
        seconds_most=600,
        bits_least=1_000_000,
        bits_most=8_000_000,
        peak_bits_most=12_000_000,
        buffer_bits=12_000_000,
        width_least=640,
        width_most=1920,
        height_least=360,
        height_most=1080,
        sizes=("1920x1080", "1280x720"),
        rates=("25", "50"),
        scans=("progressive",),
        codecs=("h264", "hevc"),
        containers=("mp4",),
        sound="needed",
        sound_codecs=("aac",),
        layouts=("stereo",),
        sample_rates=(48_000,),
        loudness=-23,
        loudness_within=0.4,
        true_peak_most=-1,
        legal_range=True,
        level_most={"h264": "4.1", "hevc": "5"},
        name="HALL_*.mp4",
        name_longest=40,
        free_bytes=20_000_000_000,
    )

    def test_what_is_saved_unchanged_is_what_it_was(self) -> None:
        card = ReceiverCard(id="wall", name="Wall", note="loops", limits=self.FULL)
        kept = card_typed(card, "wall", "Wall", "loops", said(self.FULL))
        self.assertEqual(kept.limits, self.FULL)
        self.assertEqual((kept.id, kept.name, kept.note), ("wall", "Wall", "loops"))

    def test_each_demand_is_told_in_its_group(self) -> None:
        told = {group: " · ".join(lines) for group, lines in demands(self.FULL)}
        self.assertEqual(set(told), {"file", "picture", "rate", "sound", "receiver"})
        everything = " ".join(told.values())
        for words in (
            "500 MB",
            "10:00 min",
            "1920×1080",
            "1080",
            "H.264 up to level 4.1",
            "12 Mbit",
            "48 kHz",
            "−23",
        ):
            self.assertIn(words.replace("−", "-"), everything)
        for field in Limits.model_fields:
            if field in ("buffer_bits", "loudness_within"):  # of another's line
                continue
            alone = Limits.model_validate({field: self.FULL.model_dump(mode="json")[field]})
            self.assertTrue(demands(alone), field)

    def test_what_can_t_be_read_is_refused_with_an_example(self) -> None:
        for field, text in (
            ("level_most", "h264"),
            ("sample_rates", "high"),
            ("codecs", "Betamax"),
            ("bytes_most", "big"),
        ):
            with self.assertRaises(ModelError) as refused:
                card_typed(None, "new", "New", "", {field: text})
            self.assertTrue(str(refused.exception))
