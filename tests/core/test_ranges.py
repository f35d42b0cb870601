"""Ranges: times as typed, edits, ends, shots, framing, playing; known answers and random edits."""

from __future__ import annotations

import unittest
from fractions import Fraction

from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.model.batch.batch import FULL, Batch, Framing, read_batch, write_batch
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.batch.extent import Extent
from chronocast.model.batch.framing import crop_share, framed, shaped_crop, with_centre, with_crop
from chronocast.model.batch.ranges import (
    add_range,
    change_range,
    checked,
    one_for_each_clip,
    remove_ranges,
    rename_range,
    set_framing,
)
from chronocast.model.errors import ModelError, TimecodeError
from chronocast.model.picture.geometry import View
from chronocast.model.picture.weight import Weight
from chronocast.model.recipe.recipe import FrameSize
from chronocast.model.recipe.supplied import BASIC, supplied
from chronocast.model.source.cutlist import CutList, Layer, MediaRef, PictureSpan, plain_span
from chronocast.model.source.range_ends import judge_end
from chronocast.model.source.shown_clips import Shot, shot_at, shots
from chronocast.model.source.source_clock import SourceClock
from chronocast.model.time.shuttle import Shuttle
from chronocast.model.time.timing import FrameRange
from chronocast.preparation.source.source_ready import framing_view

NTSC = Fraction(30000, 1001)


def batch() -> Batch:
    made = add_source(Batch(), "reef.mp4", "Reef", "clip")
    for recipe in BASIC[:2]:
        made = add_recipe(made, recipe)
    return fill(made, [("reef", FULL, BASIC[0].id)])


class Clocks(unittest.TestCase):
    def test_times_mean_what_people_mean(self) -> None:
        clock = SourceClock(Fraction(25), 5000, 90000)
        for text, frame in (
            ("01:00:10:05", 255),
            ("1:00:10:05", 255),
            ("1001005", 255),
            ("10:05", 255),
            ("1005", 255),
            ("12s", 300),
            ("1.5s", 38),
            ("250f", 250),
            ("+48", 148),
            ("-1:00", 75),
            ("+2s", 150),
        ):
            self.assertEqual(clock.typed(text, here=100), frame, text)
        for text, frames in (("20s", 500), ("20:00", 500), ("500", 500), ("500f", 500), ("+1:00", 25)):
            self.assertEqual(clock.span(text), frames, text)
        for text in ("", "x", "1:02:03:25", "10:61:00:00", "1:2:3:4:5", "0f", "-5"):
            with self.assertRaises(TimecodeError, msg=text):
                clock.span(text)

    def test_drop_frame_is_counted_as_the_source_counts(self) -> None:
        drop = SourceClock(NTSC, 20000, 0, True)
        self.assertEqual(drop.timecode(1800), "00:01:00;02")
        self.assertEqual(drop.typed("1:00:02"), 1800)
        self.assertEqual(drop.typed("1:00;02"), 1800)
        with self.assertRaisesRegex(TimecodeError, "leaves out"):
            drop.typed("1:00:00")
        with self.assertRaisesRegex(TimecodeError, "drop-frame time, which 25"):
            SourceClock(Fraction(25), 100).typed("1:00;02")
        with self.assertRaisesRegex(TimecodeError, "does not exist at 25"):
            SourceClock(Fraction(25), 100).typed("0:00:01:28")

    @given(
        st.integers(0, 400_000),
        st.sampled_from([Fraction(24), Fraction(25), NTSC, Fraction(60000, 1001)]),
        st.booleans(),
        st.integers(0, 3_000_000),
    )
    def test_what_is_said_can_be_typed(self, frame: int, rate: Fraction, drop: bool, start: int) -> None:
        clock = SourceClock(rate, 1 << 30, start, drop)
        self.assertEqual(clock.typed(clock.timecode(frame)), frame)

    def test_a_part_never_reads_as_the_whole(self) -> None:
        self.assertEqual(Extent("full", 100, 100, Fraction(25)).text, "full, 4.0 s")
        self.assertEqual(Extent("trim", 500, 2350, Fraction(25)).text, "trim, 20.0 s of 1:34 min, 21 %")
        for frames in (1, 9999):
            self.assertNotIn(Extent("trim", frames, 10000, Fraction(25)).share_text, ("0 %", "100 %"))


class Edits(unittest.TestCase):
    def test_bad_ranges_are_refused_with_what_is_wrong(self) -> None:
        for start, stop, frames, words in (
            (50, 40, 100, "10 frames before the in point"),
            (0, 101, 100, "1 frames beyond the end"),
            (-3, 5, 100, "3 frames before Reef begins"),
            (7, 7, 100, "no frames"),
            (0, 1, 0, "no pictures"),
        ):
            with self.assertRaisesRegex(ModelError, words):
                checked(start, stop, frames, "Reef")
        self.assertEqual(checked(0, 1, 1, "Reef"), FrameRange(0, 1))
        with self.assertRaises(ModelError):
            add_range(batch(), "nowhere", "x", FrameRange(0, 5))

    def test_one_file_for_each_clip_is_named_and_counted(self) -> None:
        clips = [
            Shot("reef", FrameRange(0, 50)),
            Shot("ray", FrameRange(50, 80)),
            Shot("reef", FrameRange(80, 200)),
        ]
        made = one_for_each_clip(batch(), "reef", clips, [BASIC[0].id], instead=True)
        self.assertEqual([part.name for part in made.sources[0].ranges], ["1 reef", "2 ray", "3 reef"])
        self.assertEqual({o.range for o in made.outputs}, {part.id for part in made.sources[0].ranges})
        again = one_for_each_clip(made, "reef", clips, [BASIC[1].id], instead=False)
        self.assertEqual(len(again.sources[0].ranges), 3)
        self.assertEqual(len(again.outputs), 6)

    @settings(max_examples=150, deadline=None)
    @given(
        st.lists(
            st.tuples(
                st.sampled_from(["add", "change", "rename", "remove", "fill", "frame"]),
                st.integers(0, 99),
                st.integers(1, 60),
                st.sampled_from(["Pick", "pick", "Pick 1", " full ", "Ü/x", "a" * 90]),
            ),
            max_size=25,
        )
    )
    def test_any_edits_leave_a_batch_that_can_be_read_back(
        self, edits: list[tuple[str, int, int, str]]
    ) -> None:
        made = batch()
        for what, at, length, name in edits:
            parts = made.sources[0].ranges
            chosen = parts[at % len(parts)].id if parts else ""
            if what == "add":
                made, chosen = add_range(made, "reef", name, FrameRange(at, at + length))
            elif what == "fill":
                made = fill(made, [("reef", chosen or FULL, BASIC[1].id)], at % 3 > 0)
            elif what == "frame":
                made = set_framing(made, [o.id for o in made.outputs], Framing(left=at / 250))
            elif not chosen:
                continue
            elif what == "change":
                made = change_range(made, "reef", chosen, FrameRange(at, at + length))
            elif what == "rename":
                made = rename_range(made, "reef", chosen, name)
            else:
                made = remove_ranges(made, "reef", [chosen])
        names = [part.name.casefold() for part in made.sources[0].ranges]
        self.assertEqual(len(set(names)), len(names))
        self.assertNotIn(FULL, names)
        self.assertEqual(read_batch(write_batch(made)), made)


class Ends(unittest.TestCase):
    def test_slips_are_told_from_what_was_meant(self) -> None:
        moving = [3.0] * 13
        for luma, differences, shown, kind, frames in (
            ([16] * 2 + [90] * 12, [0, 74] + [3.0] * 11, [], "black", 2),
            ([80.0] * 14, [0.0, 0.1, *moving[:11]], [], "repeated", 2),
            ([120.0] + [80.0] * 13, [40.0, *moving[:12]], [], "another shot", 1),
            ([80.0] * 14, moving, [4] + [3] * 13, "another shot", 1),
        ):
            found = judge_end(luma, differences, shown)
            self.assertIsNotNone(found, kind)
            assert found
            self.assertEqual((found.kind, found.frames), (kind, frames))
        for why, luma, differences, shown in (
            ("a fade", [16, 18, 22, 28, 34, 42, 50, 60, 70, 80, 90, 95, 99, 100], [3.0] * 13, []),
            ("a long black", [16.0] * 14, [0.0] * 13, []),
            ("a still", [80.0] * 14, [0.0] * 13, []),
            ("a fast pan", [80.0] * 14, [30.0] * 13, []),
            ("a short last shot", [80.0] * 14, moving, [4] * 6 + [3] * 8),
            ("one picture", [16.0], [], []),
        ):
            self.assertIsNone(judge_end(luma, differences, shown), why)


class Shots(unittest.TestCase):
    def test_shots_are_what_is_seen_most(self) -> None:
        one, two = MediaRef(path="/a/reef.mp4"), MediaRef(path="/a/ray.mp4")
        spans = [
            plain_span(0, 50, one),
            plain_span(50, 10, None),
            plain_span(60, 40, two),
            plain_span(100, 20, two, 40),
        ]
        cut = CutList(rate=Fraction(25), width=64, height=36, frames=120, picture=tuple(spans))
        self.assertEqual(
            [(shot.name, shot.part.start, shot.part.stop) for shot in shots(cut)],
            [("reef", 0, 50), ("black", 50, 60), ("ray", 60, 120)],
        )
        self.assertEqual([shot_at(cut, frame) for frame in (0, 49, 50, 60, 119)], [0, 0, 1, 2, 2])

    def test_a_dissolve_changes_over_in_its_middle(self) -> None:
        one, two = MediaRef(path="/a/reef.mp4"), MediaRef(path="/a/ray.mp4")
        rise = Weight.rise(20)
        both = (Layer(media=one, start=Fraction(40), weight=rise.rest()), Layer(media=two, weight=rise))
        spans = (
            plain_span(0, 40, one),
            PictureSpan(start=40, frames=20, layers=both),
            PictureSpan(start=60, frames=40, layers=(Layer(media=two, start=Fraction(20)),)),
        )
        cut = CutList(rate=Fraction(25), width=64, height=36, frames=100, picture=spans)
        self.assertEqual(
            [(s.name, s.part.start, s.part.stop) for s in shots(cut)], [("reef", 0, 50), ("ray", 50, 100)]
        )

    def test_a_later_start_of_the_same_file_is_another_shot(self) -> None:
        one = MediaRef(path="/a/reef.mp4")
        cut = CutList(
            rate=Fraction(25),
            width=64,
            height=36,
            frames=60,
            picture=(
                PictureSpan(start=0, frames=30, layers=(Layer(media=one),)),
                PictureSpan(start=30, frames=30, layers=(Layer(media=one, start=Fraction(90)),)),
            ),
        )
        self.assertEqual(len(shots(cut)), 2)


class Frames(unittest.TestCase):
    def test_crops_are_typed_and_never_disagree_with_the_size(self) -> None:
        self.assertEqual([crop_share(t, 1920) for t in ("192", "10%", "10 %", "192 px", "192,0")], [0.1] * 5)
        for text in ("", "-3", "1920", "99%", "wide"):
            with self.assertRaises(ModelError, msg=text):
                crop_share(text, 1920)
        with self.assertRaisesRegex(ModelError, "twentieth"):
            with_crop(Framing(), 0.5, 0, 0.5, 0)
        upright = FrameSize(mode="fixed", width=1080, height=1920)
        cut = shaped_crop(Framing(), (1920, 1080), (1080, 1920))
        recipe = supplied("web-720")
        assert recipe
        said = framed((1920, 1080), framing_view(cut, recipe), upright)
        self.assertEqual(said.bars, (0, 0, 0, 0))
        self.assertEqual(said.warnings(), ["Enlarged to 178%: it can't be sharper than its source."])
        plain = framed(
            (1920, 1080), framing_view(with_crop(Framing(), 0.25, 0, 0.25, 0), recipe), FrameSize()
        )
        self.assertEqual(plain.output, (960, 1080))
        self.assertEqual(plain.bars, (0, 0, 0, 0))

    def test_squeezed_people_are_called_out(self) -> None:
        said = framed((1920, 1080), View(placing="stretch"), FrameSize(mode="fixed", width=1080, height=1080))
        self.assertIn("44% too narrow", said.warnings()[0])
        self.assertEqual(framed((1920, 1080), View(), FrameSize()).warnings(), [])

    @given(
        st.lists(st.tuples(st.integers(0, 500), st.floats(0, 1), st.floats(0, 1)), min_size=1, max_size=8),
        st.integers(0, 600),
    )
    def test_a_moving_centre_stays_inside_and_hits_its_keys(
        self, keys: list[tuple[int, float, float]], frame: int
    ) -> None:
        framing = Framing()
        for at, x, y in keys:
            framing = with_centre(framing, at, x, y, moving=True)
        recipe = supplied("upright-720")
        assert recipe
        view = framing_view(framing, recipe)
        x, y, w, h = framed((1280, 720), view, recipe.picture.size, frame).lies.crop
        self.assertTrue(x >= 0 and x + w <= 1280 and y >= 0 and y + h <= 720)
        for at, cx, _ in framing.centres:
            self.assertAlmostEqual(float(view.centre(at)[0]), cx, places=3)


class Playing(unittest.TestCase):
    def test_the_shuttle_goes_where_the_keys_say(self) -> None:
        at = Shuttle(Fraction(25), 1000, 500)
        play = at.faster(1, 0.0)
        self.assertEqual([play.at(t) for t in (0.0, 1.0, 100.0)], [500, 525, 999])
        fast = play.faster(1, 1.0)
        self.assertEqual((fast.speed, fast.at(2.0)), (2, 575))
        back = fast.faster(-1, 2.0)
        self.assertEqual((back.speed, back.at(3.0)), (-1, 550))
        self.assertTrue(back.ended(50.0))
        self.assertEqual(back.stand(3.0).at(99.0), 550)
        self.assertEqual(Shuttle(Fraction(25), 1000, 999).run(Fraction(1), 0).frame, 0)
        self.assertEqual(at.go(5000, 0).frame, 999)


if __name__ == "__main__":
    unittest.main()
