"""Timelines come out as they say, or say what is done instead, or are refused by name."""

from __future__ import annotations

import json
import unittest
from fractions import Fraction
from pathlib import Path
from typing import Any

import opentimelineio as otio

from chronocast.journal.films.facts import FactsStore
from chronocast.media.files.footage import Format, write_footage
from chronocast.model.batch.batch import Source
from chronocast.model.source.cutlist import CutList
from chronocast.preparation.source.ready import notices, ready_source
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.timeline.described import Cross
from chronocast.timeline.errors import TimelineError
from chronocast.timeline.read import read_timeline
from chronocast.timeline.write import edit_lists, otio_text
from tests.footage import RATE, clip, counted, folder
from tests.sequences import clip_item, gap, sequence, span

Shown = list[tuple[str, int] | None]


class Footage(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = folder()
        cls.one = clip(cls.folder / "one.mp4", 1, 100)
        cls.two = clip(cls.folder / "two.mp4", 2, 80)
        cls.slow = clip(cls.folder / "slow.mp4", 3, 48, rate=Fraction(24))
        cls.mute = clip(cls.folder / "mute.mp4", 4, 60, sound=False)
        cls.store = FactsStore(cls.folder / "kept" / "facts")

    def ready(self, timeline: Any, name: str = "film.otio", **more: Any) -> SourceReady:
        path = self.folder / name
        path.write_text(
            timeline if isinstance(timeline, str) else otio.adapters.write_to_string(timeline, "otio_json")
        )
        source = Source(id="s", path=str(path), kind="sequence", name="A film", **more)
        return ready_source(source, self.folder, self.store)

    def shown(self, cut: CutList) -> Shown:
        found = [cut.media_frame(frame) for frame in range(cut.frames)]
        return [(Path(seen[0].path).stem, seen[1]) if seen else None for seen in found]

    def told(self, ready: SourceReady) -> list[str]:
        return [problem.sentence for problem in notices(ready)]


class Timelines(Footage):
    def test_cuts_and_gaps(self) -> None:
        ready = self.ready(sequence([clip_item(self.one, 30, 40), gap(10), clip_item(self.two, 5, 60)]))
        wanted = [("one", n) for n in range(30, 70)] + [None] * 10 + [("two", n) for n in range(5, 65)]
        self.assertEqual(self.shown(ready.cut), wanted)

    def test_upper_tracks_lie_over_lower_ones_and_disabled_ones_do_not(self) -> None:
        hidden = clip_item(self.mute, 0, 50)
        hidden.enabled = False
        ready = self.ready(
            sequence([clip_item(self.one, 0, 60)], [gap(20), clip_item(self.two, 0, 20)], [hidden])
        )
        wanted = (
            [("one", n) for n in range(20)]
            + [("two", n) for n in range(20)]
            + [("one", n) for n in range(40, 60)]
        )
        self.assertEqual(self.shown(ready.cut), wanted)

    def test_opacity_and_dissolves_weigh_every_frame_exactly(self) -> None:
        upper = clip_item(self.two, 0, 40)
        upper.metadata["chronocast"] = {"opacity": 0.25}
        cross = otio.schema.Transition(
            transition_type="SMPTE_Dissolve",
            in_offset=otio.opentime.RationalTime(4, 25),
            out_offset=otio.opentime.RationalTime(6, 25),
        )
        track = [clip_item(self.one, 10, 40), cross, clip_item(self.slow, 8, 20, rate=24)]
        ready = self.ready(sequence(track, [upper]))
        for frame in range(ready.cut.frames):
            part = ready.cut.span_at(frame)
            assert part is not None
            weights = {
                Path(layer.media.path).stem: layer.weight.at(frame - part.start)
                for layer in part.layers
                if layer.media
            }
            rise = min(Fraction(1), max(Fraction(0), Fraction(2 * (frame - 36) + 1, 20)))
            over = Fraction(1, 4) if frame < 40 else Fraction(0)
            wanted = {"one": (1 - rise) * (1 - over), "slow": rise * (1 - over), "two": over}
            self.assertEqual(weights, {name: share for name, share in wanted.items() if share}, frame)

    def test_a_dissolve_to_nothing_shows_what_lies_below(self) -> None:
        cross = otio.schema.Transition(
            transition_type="SMPTE_Dissolve",
            in_offset=otio.opentime.RationalTime(10, 25),
            out_offset=otio.opentime.RationalTime(0, 25),
        )
        ready = self.ready(
            sequence([clip_item(self.one, 0, 60)], [clip_item(self.two, 0, 30), cross, gap(30)])
        )
        part = ready.cut.span_at(24)
        assert part is not None
        self.assertEqual([float(layer.weight.at(24 - part.start)) for layer in part.layers], [0.45, 0.55])

    def test_speeds_freezes_and_reverse(self) -> None:
        fast, back, still = (
            clip_item(self.one, 10, 20),
            clip_item(self.one, 10, 20),
            clip_item(self.one, 33, 5),
        )
        fast.effects.append(otio.schema.LinearTimeWarp(time_scalar=2))
        back.effects.append(otio.schema.LinearTimeWarp(time_scalar=-1))
        still.effects.append(otio.schema.FreezeFrame())
        half = clip_item(self.one, 10, 6)
        half.effects.append(otio.schema.LinearTimeWarp(time_scalar=0.5))
        ready = self.ready(sequence([fast, back, still, half]))
        wanted = (
            [10 + 2 * n for n in range(20)]
            + [29 - n for n in range(20)]
            + [33] * 5
            + [10, 10, 11, 11, 12, 12]
        )
        self.assertEqual(self.shown(ready.cut), [("one", n) for n in wanted])

    def test_other_rates_show_the_picture_that_is_on(self) -> None:
        ready = self.ready(sequence([clip_item(self.slow, 0, 48, rate=24)]))
        self.assertEqual(ready.cut.frames, 50)
        self.assertEqual(self.shown(ready.cut), [("slow", n * 24 // 25) for n in range(50)])
        self.assertTrue(any("converted from 24 to 25" in problem for problem in self.told(ready)))

    def test_nested_sequences_are_trimmed_retimed_and_layered(self) -> None:
        inner = otio.schema.Stack(name="inner", source_range=span(10, 30))
        low, high = otio.schema.Track(kind="Video"), otio.schema.Track(kind="Video")
        low.extend([clip_item(self.one, 0, 60)])
        high.extend([gap(20), clip_item(self.two, 0, 10)])
        inner.extend([low, high])
        ready = self.ready(sequence([clip_item(self.one, 90, 5), inner]))
        wanted = [("one", n) for n in range(90, 95)] + [("one", n) for n in range(10, 20)]
        wanted += [("two", n) for n in range(10)] + [("one", n) for n in range(30, 40)]
        self.assertEqual(self.shown(ready.cut), wanted)
        inner.effects.append(otio.schema.LinearTimeWarp(time_scalar=-1))
        back = self.ready(sequence([inner]))
        self.assertEqual(self.shown(back.cut), wanted[:4:-1])

    def test_what_cannot_be_rendered_is_named_with_what_is_done_instead(self) -> None:
        item = clip_item(self.one, 0, 40)
        item.effects.append(otio.schema.Effect(effect_name="ripple"))
        wipe = otio.schema.Transition(
            transition_type="SMPTE_Wipe",
            in_offset=otio.opentime.RationalTime(5, 25),
            out_offset=otio.opentime.RationalTime(5, 25),
        )
        told = " ".join(self.told(self.ready(sequence([item, wipe, clip_item(self.two, 20, 40)]))))
        for word in (
            "ripple",
            "10:00:00:00",
            "SMPTE_Wipe",
            "10:00:01:15",
            "dissolve of its length",
            "without it",
        ):
            self.assertIn(word, told)

    def test_a_dissolve_without_handles_holds_a_picture_and_says_so(self) -> None:
        cross = otio.schema.Transition(
            transition_type="SMPTE_Dissolve",
            in_offset=otio.opentime.RationalTime(5, 25),
            out_offset=otio.opentime.RationalTime(5, 25),
        )
        ready = self.ready(sequence([clip_item(self.one, 50, 50), cross, clip_item(self.two, 20, 40)]))
        self.assertIn("frames too few for its dissolve", " ".join(self.told(ready)))

    def test_source_timecode_is_taken_off(self) -> None:
        item = clip_item(self.one, 30, 40)
        item.media_reference.available_range = span(90000, 100)
        item.source_range = span(90030, 40)
        self.assertEqual(self.ready(sequence([item])).cut.media_frame(0)[1], 30)  # type: ignore[index]

    def test_the_file_s_own_timecode_is_followed_where_the_sequence_is_wrong_about_it(self) -> None:
        path = self.folder / "coded.mov"
        write_footage(
            str(path),
            counted(6, 100),
            RATE,
            quality=24,
            form=Format(timecode="01:00:00:00", options={"preset": "ultrafast"}),
        )
        item = clip_item(path, 90_030, 20)
        item.media_reference.available_range = span(89_900, 250)
        ready = self.ready(sequence([item]))
        self.assertEqual(self.shown(ready.cut)[0], ("coded", 30))
        self.assertIn("the file's timecode is followed", " ".join(self.told(ready)))

    def test_places_in_drop_frame_media_are_told_in_their_own_timecode(self) -> None:
        path = self.folder / "dropped.mov"
        rate = Fraction(30000, 1001)
        write_footage(
            str(path),
            counted(6, 100),
            rate,
            quality=24,
            form=Format(timecode="01:10:00;00", options={"preset": "ultrafast"}),
        )
        item = clip_item(path, 105_030, 20)
        item.media_reference.available_range = span(104_900, 250)
        told = " ".join(self.told(self.ready(sequence([item]))))
        self.assertRegex(told, r"its media begins at 01:09:5\d;\d\d, but the file begins at 01:10:00;00")

    def test_out_and_back_is_the_same_film(self) -> None:
        fast = clip_item(self.one, 10, 20)
        fast.effects.append(otio.schema.LinearTimeWarp(time_scalar=2))
        cross = otio.schema.Transition(
            transition_type="SMPTE_Dissolve",
            in_offset=otio.opentime.RationalTime(5, 25),
            out_offset=otio.opentime.RationalTime(5, 25),
        )
        inner = otio.schema.Stack(name="inner", source_range=span(2, 30))
        low = otio.schema.Track(kind="Video")
        low.extend([clip_item(self.two, 0, 60)])
        inner.append(low)
        timeline = sequence(
            [clip_item(self.one, 10, 30), cross, clip_item(self.two, 10, 30), gap(5), fast],
            [gap(70), inner],
            sounds=[[clip_item(self.one, 0, 50)]],
        )
        first = self.ready(timeline)
        assert first.timeline
        again = self.ready(otio_text(first.timeline, self.folder), "again.otio")
        assert again.timeline
        self.assertEqual(
            again.timeline.model_copy(update={"path": "", "name": ""}),
            first.timeline.model_copy(update={"path": "", "name": ""}),
        )
        self.assertEqual(again.cut, first.cut)

    def refused(self, timeline: Any, *words: str) -> None:
        with self.assertRaises(TimelineError) as caught:
            self.ready(timeline, "refused.otio")
        for word in words:
            self.assertIn(word, str(caught.exception))

    def test_missing_media_and_edits_beyond_it_are_named(self) -> None:
        self.refused(sequence([clip_item(self.folder / "lost reel.mov", 0, 10)]), "lost reel.mov", "missing")
        self.refused(sequence([clip_item(self.two, 5, 500)]), "two.mp4", "80")

    def test_hostile_files_are_sentences(self) -> None:
        path = self.folder / "bad.otio"
        for text, word in (
            ("", "empty"),
            ("{", "not an open timeline"),
            ("[" * 100_000, "nested"),
            ('{"OTIO_SCHEMA": "Timeline.1"}', "not an open timeline"),
            ('{"a": ' * 300 + "1" + "}" * 300, "nested"),
            ('"[[[["', ""),
        ):
            path.write_text(text)
            with self.assertRaises(TimelineError, msg=text[:20]) as caught:
                read_timeline(path)
            self.assertIn(word, str(caught.exception))
        path.write_bytes(b"\xff\xfe\x00{")
        with self.assertRaises(TimelineError):
            read_timeline(path)

    def test_absurd_times_are_refused(self) -> None:
        for value in (1e300, -5.0):
            data = json.loads(
                otio.adapters.write_to_string(sequence([clip_item(self.one, 0, 40)]), "otio_json")
            )
            data["tracks"]["children"][0]["children"][0]["source_range"]["duration"]["value"] = value
            self.refused(json.dumps(data), "lasts")


EDL = """TITLE: Hall of tides
FCM: NON-DROP FRAME

001  ONE      V     C        00:00:01:00 00:00:02:00 01:00:00:00 01:00:01:00
* FROM CLIP NAME: one.mp4
002  ONE      V     C        00:00:02:00 00:00:02:00 01:00:01:00 01:00:01:00
002  TWO      V     D    010 00:00:00:10 00:00:01:10 01:00:01:00 01:00:02:00
* FROM CLIP NAME: one.mp4
* TO CLIP NAME: two.mp4
003  ONE      V     C        00:00:00:00 00:00:02:00 01:00:02:00 01:00:03:00
M2   ONE      050.0                      00:00:00:00
* FROM CLIP NAME: one.mp4
004  ONE      V     C        00:00:01:00 00:00:02:00 01:00:03:00 01:00:04:00
M2   ONE      -025.0                     00:00:01:00
* FROM CLIP NAME: one.mp4
"""


class EditLists(Footage):
    def test_an_edit_list_comes_out_frame_for_frame(self) -> None:
        ready = self.ready(EDL, "cut.edl", rate="25")
        wanted = [("one", n) for n in range(25, 50)] + [("two", n) for n in range(10, 35)]
        wanted += [("one", n * 2) for n in range(25)] + [("one", 49 - n) for n in range(25)]
        self.assertEqual(self.shown(ready.cut)[10 + 25 :], wanted[10 + 25 :])
        self.assertEqual(self.shown(ready.cut)[:25], wanted[:25])
        self.assertEqual(ready.cut.start_timecode, 90000)
        part = ready.cut.span_at(30)
        assert part is not None
        self.assertEqual([float(layer.weight.at(30 - part.start)) for layer in part.layers], [0.45, 0.55])

    def test_drop_frame_time_is_29_97(self) -> None:
        clip(self.folder / "news.mp4", 8, 90, rate=Fraction(30000, 1001))
        text = (
            "TITLE: news\nFCM: DROP FRAME\n"
            "001  AX       V     C        00:00:01;00 00:00:02;00 00:00:59;15 00:01:00;17\n* FROM CLIP NAME: news.mp4\n"
        )
        ready = self.ready(text, "news.edl")
        self.assertEqual((ready.cut.rate, ready.cut.start_timecode), (Fraction(30000, 1001), 59 * 30 + 15))
        self.assertEqual(self.shown(ready.cut), [("news", n) for n in range(30, 60)])

    def test_a_motion_effect_of_a_drop_frame_list_is_carried_out(self) -> None:
        clip(self.folder / "news.mp4", 8, 90, rate=Fraction(30000, 1001))
        text = (
            "TITLE: news\nFCM: DROP FRAME\n"
            "001  AX       V     C        00:00:00;10 00:00:01;10 01:00:02;00 01:00:04;00\n"
            "M2   AX       015.0                00:00:00;10\n* FROM CLIP NAME: news.mp4\n"
        )
        ready = self.ready(text, "slow.edl")
        self.assertEqual(self.shown(ready.cut)[::2], [("news", n) for n in range(10, 40)])

    def test_paths_of_another_system_are_linked_by_their_names(self) -> None:
        for place in ("D:\\Reels\\reef\\", "\\\\server\\share\\"):
            text = (
                "TITLE: win\nFCM: NON-DROP FRAME\n"
                "001  AX       V     C        00:00:01:00 00:00:02:00 01:00:00:00 01:00:01:00\n"
                f"* FROM CLIP NAME: {place}one.mp4\n"
            )
            ready = self.ready(text, "win.edl", rate="25")
            self.assertEqual(self.shown(ready.cut), [("one", n) for n in range(25, 50)])

    def test_the_outgoing_side_of_a_dissolve_is_the_one_the_list_names(self) -> None:
        text = (
            "TITLE: cross\nFCM: NON-DROP FRAME\n"
            "001  A        V     C        00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00\n* FROM CLIP NAME: one.mp4\n"
            "002  B        V     C        00:00:01:00 00:00:01:00 01:00:01:00 01:00:01:00\n* FROM CLIP NAME: two.mp4\n"
            "002  C        V     D    010 00:00:00:00 00:00:01:00 01:00:01:00 01:00:02:00\n"
            "* FROM CLIP NAME: two.mp4\n* TO CLIP NAME: one.mp4\n"
        )
        part = self.ready(text, "cross.edl", rate="25").cut.span_at(26)
        assert part is not None
        self.assertEqual(
            [Path(layer.media.path).name if layer.media else "" for layer in part.layers],
            ["two.mp4", "one.mp4"],
        )

    def test_its_rate_is_asked_for(self) -> None:
        with self.assertRaises(TimelineError) as caught:
            self.ready(EDL, "cut.edl")
        self.assertIn("rate", str(caught.exception))

    def test_a_reel_that_is_nowhere_is_named(self) -> None:
        with self.assertRaises(TimelineError) as caught:
            self.ready(EDL.replace("one.mp4", "elsewhere.mp4").replace("ONE ", "TAPE7"), "cut.edl", rate="25")
        self.assertIn("elsewhere", str(caught.exception))

    def test_a_reel_can_be_relinked_beside_the_batch(self) -> None:
        text = EDL.replace("one.mp4", "elsewhere.mp4")
        ready = self.ready(text, "moved.edl", rate="25", relinked={"elsewhere.mp4": "one.mp4"})
        self.assertEqual(self.shown(ready.cut)[:25], [("one", n) for n in range(25, 50)])

    def test_what_an_edit_list_cannot_say_leaves_the_other_tracks(self) -> None:
        ready = self.ready(sequence([clip_item(self.one, 30, 40), clip_item(self.two, 5, 60)]))
        assert ready.timeline
        (track,) = [track for track in ready.timeline.tracks if track.kind == "picture"]
        first, second = track.placed
        backwards = (first, second.model_copy(update={"speed": Fraction(-1)}))
        fade = (Cross(at=Fraction(0), before=Fraction(0), after=Fraction(2, 5)),)
        tracks = [
            track,
            track.model_copy(update={"name": "Back", "placed": backwards}),
            track.model_copy(update={"name": "Fade", "crosses": fade}),
        ]
        found = edit_lists(ready.timeline.model_copy(update={"tracks": tuple(tracks)}), self.folder)
        self.assertEqual(list(found.texts), [track.name or "V1"])
        back, faded = found.left_out
        self.assertIn("Back can't be written as an edit list: it holds clips that play backwards", back)
        self.assertIn("Fade can't be written as an edit list: it holds dissolves from or to nothing", faded)

    def test_cuts_go_out_as_an_edit_list_and_come_back(self) -> None:
        ready = self.ready(sequence([clip_item(self.one, 30, 40), clip_item(self.two, 5, 60)]))
        assert ready.timeline
        (text,) = edit_lists(ready.timeline, self.folder).texts.values()
        again = self.ready(text, "back.edl", rate="25")
        self.assertEqual(self.shown(again.cut), self.shown(ready.cut))
