"""Timelines come out frame for frame, or are refused by name."""

from __future__ import annotations

import json
import unittest
from fractions import Fraction
from pathlib import Path
from typing import Any

from chronocast.journal.facts import FactsStore
from chronocast.model.batch import Source
from chronocast.model.cutlist import CutList, MediaRef, PictureSpan, SoundSpan
from chronocast.run.prepare import ready_source
from chronocast.timeline.errors import TimelineError
from chronocast.timeline.read import read_timeline
from chronocast.timeline.write import otio_text
from tests.footage import RATE, clip, folder


class Timelines(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = folder()
        cls.one, cls.two = clip(cls.folder / "one.mp4", 1, 100), clip(cls.folder / "two.mp4", 2, 80)
        one, two = MediaRef(str(cls.one)), MediaRef(str(cls.two))
        cls.cut = CutList(
            RATE, 320, 180, 110,
            (PictureSpan(0, 40, one, 30), PictureSpan(40, 10, None), PictureSpan(50, 60, two, 5)),
            (SoundSpan(Fraction(0), Fraction(40, 25), one, Fraction(30, 25)), SoundSpan(Fraction(2), Fraction(60, 25), two, Fraction(5, 25))),
            90000,
        )  # fmt: skip
        cls.lengths = {str(cls.one): 100, str(cls.two): 80}

    def write(self, change: Any = None) -> Path:
        data = json.loads(otio_text(self.cut, "A film", self.lengths, self.folder))
        if change:
            change(data)
        path = self.folder / "film.otio"
        path.write_text(json.dumps(data))
        return path

    def ready(self, path: Path) -> CutList:
        source = Source(id="s", path=str(path), kind="sequence", name="A film")
        return ready_source(source, self.folder, FactsStore(self.folder / "facts")).cut

    def test_out_and_back_is_the_same_film(self) -> None:
        cut = self.ready(self.write())
        for frame in range(self.cut.frames):
            mine, theirs = self.cut.media_frame(frame), cut.media_frame(frame)
            self.assertEqual(mine and (mine[0].path, mine[1]), theirs and (theirs[0].path, theirs[1]), frame)
        self.assertEqual(
            (cut.rate, cut.width, cut.height, cut.frames, cut.start_timecode), (25, 320, 180, 110, 90000)
        )
        self.assertEqual(
            [(s.start, s.seconds, s.media_start) for s in cut.sound],
            [(s.start, s.seconds, s.media_start) for s in self.cut.sound],
        )

    def test_source_timecode_is_taken_off(self) -> None:
        def late(data: Any) -> None:
            item = data["tracks"]["children"][0]["children"][0]
            next(iter(item["media_references"].values()))["available_range"]["start_time"]["value"] = 90000.0
            item["source_range"]["start_time"]["value"] = 90030.0

        self.assertEqual(self.ready(self.write(late)).media_frame(0), self.ready(self.write()).media_frame(0))

    def refused(self, change: Any, *words: str) -> None:
        with self.assertRaises(TimelineError) as caught:
            self.ready(self.write(change))
        for word in words:
            self.assertIn(word, str(caught.exception))

    def test_missing_media_is_named(self) -> None:
        def gone(data: Any) -> None:
            item = data["tracks"]["children"][0]["children"][2]
            next(iter(item["media_references"].values()))["target_url"] = "nowhere/lost reel.mov"

        self.refused(gone, "lost reel.mov", "missing")

    def test_edits_beyond_the_media_are_refused(self) -> None:
        def long(data: Any) -> None:
            data["tracks"]["children"][0]["children"][2]["source_range"]["duration"]["value"] = 500.0

        self.refused(long, "two.mp4", "80")

    def test_what_cannot_be_rendered_is_named(self) -> None:
        def effect(data: Any) -> None:
            data["tracks"]["children"][0]["children"][0]["effects"] = [
                {"OTIO_SCHEMA": "Effect.1", "name": "", "effect_name": "ripple", "metadata": {}}
            ]

        self.refused(effect, "ripple", "0.00 s")

        def tracks(data: Any) -> None:
            data["tracks"]["children"].append(data["tracks"]["children"][0])

        self.refused(tracks, "2 picture tracks")

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
        for value in (1e300, -5.0, 0.0):

            def absurd(data: Any, value: float = value) -> None:
                data["tracks"]["children"][0]["children"][0]["source_range"]["duration"]["value"] = value

            self.refused(absurd, "lasts")
