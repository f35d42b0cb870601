"""What devices can't do: every rule shown with its reason, alone and together with others."""

from __future__ import annotations

import itertools
import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from chronocast.forecast.station import Station
from chronocast.media.encoders.registry import ENCODERS
from chronocast.media.piece.settings import sampling_of
from chronocast.model.device import TriedEncoder
from chronocast.model.recipe.formats.codecs import PICTURE
from chronocast.model.recipe.recipe import PictureRecipe, Recipe
from chronocast.model.recipe.routes import RULES, Wanted, hardware_route, refusals
from chronocast.preparation.output.routed import routed

HERE = TriedEncoder(
    encoder="h264_standin",
    family="stand-in device",
    codec="h264",
    formats=("yuv420p",),
    largest=(1920, 1080),
    sessions=2,
    seconds_a_megapixel=0.01,
    driver="1.0",
    stand_in=True,
)
GONE = HERE.model_copy(update={"why_not": "no driver: it isn't here"})
TWICE = {"mode": "two pass", "target_bits_per_second": 2_000_000}
BREAKS: dict[str, tuple[dict[str, Any], tuple[int, int]]] = {
    "passes": ({"rate_control": TWICE}, (1280, 720)),
    "depth": ({"depth": 10}, (1280, 720)),
    "colour": ({"chroma": "4:2:2"}, (1280, 720)),
    "profile": ({"profile": "baseline"}, (1280, 720)),
    "level": ({"level": "4.1"}, (1280, 720)),
    "large frame": ({}, (3840, 2160)),
    "small frame": ({}, (128, 72)),
    "fields": ({"scan": "top first"}, (1280, 720)),
    "peak": (
        {"rate_control": {"target_bits_per_second": 2_000_000, "peak_bits_per_second": 3_000_000}},
        (1280, 720),
    ),
    "copies": ({"copies": "alike"}, (1280, 720)),
}
"""By rule: what a recipe must ask for to break it, and at which size."""


def wanted(*rules: str) -> Wanted:
    """What breaks some rules at once."""
    values: dict[str, Any] = {}
    size = (1280, 720)
    for rule in rules:
        more, other = BREAKS[rule]
        values |= more
        size = other if other != (1280, 720) else size
    picture = PictureRecipe.model_validate(values)
    return Wanted(picture, size, sampling_of(picture))


def recipe(route: str, **values: Any) -> Recipe:
    picture = PictureRecipe.model_validate({"route": route, **values})
    return Recipe(id="r", name="R", picture=picture, sound=None)


class Rules(unittest.TestCase):
    def test_each_is_broken_alone_and_says_why_and_what_would_free_it(self) -> None:
        self.assertEqual(refusals(wanted(), HERE), ())
        for rule in BREAKS:
            (found,) = refusals(wanted(rule), HERE)
            self.assertEqual(found.rule, rule)
            self.assertTrue(found.sentence.startswith("stand-in device: ") and found.cure.endswith("."))
        self.assertEqual({rule.name for rule in RULES} - set(BREAKS), {"device", "alpha"})

    def test_every_two_of_them_are_both_told(self) -> None:
        pairs = 0
        for one, other in itertools.combinations(BREAKS, 2):
            both = wanted(one, other)
            if {one, other} in ({"passes", "peak"}, {"large frame", "small frame"}):
                continue  # they exclude each other
            told = {found.rule for found in refusals(both, HERE)}
            self.assertLessEqual({one, other}, told, (one, other))
            pairs += 1
        self.assertGreater(pairs, 40)

    def test_one_that_is_not_here_is_told_by_that_alone(self) -> None:
        (found,) = refusals(wanted("depth"), GONE)
        self.assertEqual(
            (found.rule, found.sentence), ("device", "stand-in device: no driver: it isn't here")
        )

    @given(st.lists(st.sampled_from(sorted(BREAKS)), max_size=3))
    def test_a_route_is_open_exactly_where_nothing_is_refused(self, rules: list[str]) -> None:
        what = wanted(*rules)
        route = hardware_route(what, [GONE, HERE])
        self.assertEqual(route.encoder is None, bool(refusals(what, HERE)))

    def test_every_encoder_of_a_codec_is_known_and_says_what_it_writes(self) -> None:
        for codec in PICTURE.values():
            for name in codec.hardware:
                on = ENCODERS[name].on
                assert on is not None
                self.assertEqual(on.codec, codec.id)
        known = {name for codec in PICTURE.values() for name in codec.hardware}
        self.assertEqual(known, {encoder.name for encoder in ENCODERS.values() if encoder.on})


class Chosen(unittest.TestCase):
    def test_hardware_is_refused_with_the_reason_that_is_easiest_to_lift(self) -> None:
        found = routed(recipe("hardware", depth=10), (1280, 720), [GONE, HERE], Station())
        assert found.refused is not None
        self.assertIn("10 bits a sample", found.refused[0])
        self.assertEqual(found.refused[1], "Choose 8 bits, or software.")

    def test_either_takes_what_is_sooner_and_says_so(self) -> None:
        quick = routed(recipe("either"), (1280, 720), [HERE], Station(slots=2))
        self.assertEqual(quick.recipe.picture and quick.recipe.picture.encoder, "h264_standin")
        self.assertIn("a stand-in for a device, 8.0 × as quick as software", quick.taken.told)
        slow = HERE.model_copy(update={"seconds_a_megapixel": 0.5})
        other = routed(recipe("either"), (1280, 720), [slow], Station(slots=2))
        self.assertIsNone(other.taken.device)
        self.assertIn("would take 6.2 × as long", other.taken.told)

    def test_either_goes_without_and_says_why(self) -> None:
        found = routed(recipe("either", rate_control=TWICE), (1280, 720), [HERE], Station())
        self.assertIsNone(found.refused)
        self.assertTrue(
            found.taken.told.startswith("software, since stand-in device: a device encodes in one pass")
        )
        self.assertIn("weren't tried yet", routed(recipe("either"), (1280, 720), [], Station()).taken.told)
        self.assertIn(
            "no device encodes ProRes",
            routed(recipe("either", codec="prores"), (1280, 720), [HERE], Station()).taken.told,
        )

    def test_a_device_that_failed_gives_way_where_that_was_chosen(self) -> None:
        resting = HERE.model_copy(update={"why_not": "left alone for a while (it hung)", "resting": True})
        for choice, refused in (("software", False), ("wait", True)):
            found = routed(recipe("hardware", without_device=choice), (1280, 720), [resting], Station())
            self.assertEqual(found.refused is not None, refused)

    def test_a_recipe_that_is_as_it_was_saved_stays_so(self) -> None:
        asked = recipe("hardware")
        asked = asked.model_copy(update={"saved": asked.mark})
        found = routed(asked, (1280, 720), [HERE], Station())
        self.assertEqual(found.recipe.picture and found.recipe.picture.encoder, "h264_standin")
        self.assertEqual(found.recipe.title, "R", "the encoder that was chosen is no change of a person's")

    def test_software_asks_nothing(self) -> None:
        self.assertEqual(routed(recipe("software"), (1280, 720), [HERE], Station()).taken.told, "")


if __name__ == "__main__":
    unittest.main()
