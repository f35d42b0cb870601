"""Picture n is picture n: whatever codec, container and times do."""

from __future__ import annotations

import random
import unittest
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from unittest import mock

import av

from chronocast.media.errors import DecodeFailed, MediaError, NotMedia
from chronocast.media.files.footage import Format, write_footage
from chronocast.media.picture_digest import picture_digest
from chronocast.media.source import on_device
from chronocast.media.source.decode import FrameReader
from chronocast.media.source.index import scan
from chronocast.media.source.inspect import inspect_clip
from chronocast.media.source.on_device import DeviceReader
from tests.footage import clip, counted, counter_at, folder


def shifted(source: Path, target: Path, frames: int, muxer: str) -> Path:
    """The packets of a clip, moved by a number of pictures (before zero: an edit list hides those)."""
    with (
        av.open(str(source)) as old,
        av.open(str(target), "w", format=muxer, options={"avoid_negative_ts": "disabled"}) as new,
    ):
        stream = old.streams.video[0]
        out = new.add_stream_from_template(stream)
        step = round(1 / (stream.average_rate * stream.time_base))
        for packet in old.demux(stream):
            if packet.dts is None:
                continue
            packet.pts += frames * step
            packet.dts += frames * step
            packet.stream = out
            new.mux(packet)
    return target


class FrameExact(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = folder()
        cls.frames = 90
        kinds = {
            "b-frames": {"bf": "3", "g": "24"},
            "one-key-frame": {"g": "600", "sc_threshold": "0"},
            "open-gop": {"g": "15", "x264-params": "open-gop=1:bframes=3:scenecut=0"},
            "intra": {"g": "1"},
        }
        cls.files = {
            name: clip(cls.folder / f"{name}.mp4", 5, cls.frames, options=options)
            for name, options in kinds.items()
        }
        cls.files["mkv"] = clip(cls.folder / "m.mkv", 5, cls.frames, options=kinds["b-frames"])
        cls.files["ts"] = clip(cls.folder / "m.ts", 5, cls.frames, options=kinds["b-frames"])
        cls.files["mov 29.97"] = clip(
            cls.folder / "n.mov", 5, cls.frames, rate=Fraction(30000, 1001), options=kinds["b-frames"]
        )
        cls.files["late start"] = shifted(cls.files["b-frames"], cls.folder / "late.ts", 250, "mpegts")

    def test_every_picture_in_order(self) -> None:
        for name, path in self.files.items():
            with self.subTest(name), FrameReader(str(path)) as reader:
                self.assertEqual(len(reader.index), self.frames)
                self.assertEqual(
                    [counter_at(reader, n) for n in range(self.frames)], [(5, n) for n in range(self.frames)]
                )

    def test_any_picture_after_any_other(self) -> None:
        chance = random.Random(4)
        for name, path in self.files.items():
            with self.subTest(name), FrameReader(str(path)) as reader:
                for number in [self.frames - 1, 0, *(chance.randrange(self.frames) for _ in range(25))]:
                    self.assertEqual(counter_at(reader, number), (5, number))

    def test_pictures_hidden_by_an_edit_list_are_not_counted(self) -> None:
        path = shifted(self.files["b-frames"], self.folder / "edit.mp4", -30, "mp4")
        with FrameReader(str(path)) as reader:
            shown = len(reader.index)
            self.assertLess(shown, self.frames)
            first = counter_at(reader, 0)
            assert first is not None
            self.assertEqual(first[1], self.frames - shown)
            self.assertEqual(
                [counter_at(reader, n) for n in (shown - 1, 3, 11)],
                [(5, n + first[1]) for n in (shown - 1, 3, 11)],
            )

    def by_device(self, path: Path, behaves: Callable[[int, av.VideoFrame], av.VideoFrame]) -> list[str]:
        """Read by a made-up device, the processor's decoder behind it: what decodes it after each picture.

        Every picture is held against the processor's.
        """
        plain = FrameReader.frame

        def decoded(reader: FrameReader, number: int) -> av.VideoFrame:
            picture = plain(reader, number)
            if isinstance(reader, DeviceReader) and reader.family:
                return behaves(number, picture.reformat(format="nv12"))
            return picture

        with FrameReader(str(path)) as wanted:
            right = [picture_digest(plain(wanted, number)) for number in range(20)]
            index = wanted.index
        told = []
        with (
            mock.patch.object(on_device, "device", return_value=None),
            mock.patch.object(FrameReader, "frame", decoded),
            DeviceReader(str(path), index, "made up", listen=True) as reader,
        ):
            for number in range(20):
                self.assertEqual(picture_digest(reader.frame(number)), right[number])
                told.append(reader.family)
            self.assertEqual(reader.complaints, {})
        return told

    def test_a_device_s_pictures_are_the_processor_s_or_the_processor_decodes(self) -> None:
        path = self.files["b-frames"]
        self.assertEqual(self.by_device(path, lambda _, picture: picture), ["made up"] * 20)
        grey = av.VideoFrame(320, 180, "nv12")
        self.assertEqual(self.by_device(path, lambda _, picture: grey), [""] * 20)

        def lost(number: int, picture: av.VideoFrame) -> av.VideoFrame:
            if number >= 7:
                raise av.error.ExternalError(1, "the device is gone")
            return picture

        self.assertEqual(self.by_device(path, lost), ["made up"] * 7 + [""] * 13)

    def test_what_devices_aren_t_tried_with_or_aren_t_here_the_processor_decodes(self) -> None:
        deep = self.folder / "deep.mp4"
        form = Format("libx264", "yuv420p10le", {"preset": "veryfast"})
        write_footage(str(deep), counted(5, 20), Fraction(25), quality=22, form=form)
        self.assertEqual(self.by_device(deep, lambda _, picture: picture), [""] * 20)
        path = str(self.files["b-frames"])
        for family in ("cuda", "no such kind"):
            with self.subTest(family), DeviceReader(path, scan(path), family, listen=True) as reader:
                self.assertEqual((counter_at(reader, 3), reader.family, reader.complaints), ((5, 3), "", {}))

    def test_beyond_the_end_is_a_sentence(self) -> None:
        with FrameReader(str(self.files["mkv"])) as reader, self.assertRaises(DecodeFailed) as caught:
            reader.frame(self.frames)
        self.assertIn(f"{self.frames} pictures", str(caught.exception))


class Facts(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = folder()

    def test_facts_are_true(self) -> None:
        path = clip(
            self.folder / "a 'clip' with “quotes”, 🐟\nand a line.mp4", 1, 40, rate=Fraction(24000, 1001)
        )
        facts = inspect_clip(str(path))
        self.assertEqual(
            (facts.frames, facts.rate, facts.width, facts.height), (40, Fraction(24000, 1001), 320, 180)
        )
        self.assertEqual((facts.video_codec, facts.scan, facts.audio[0].channels), ("h264", "progressive", 2))
        self.assertEqual(facts.bytes, path.stat().st_size)
        self.assertEqual(facts.problems, ())

    def test_every_container_counts_the_same(self) -> None:
        for ending in ("mp4", "mov", "mkv", "ts", "avi"):
            facts = inspect_clip(str(clip(self.folder / f"c.{ending}", 2, 31, options={"bf": "0"})))
            self.assertEqual((facts.frames, facts.rate), (31, Fraction(25)), ending)

    def test_a_clip_cut_short_says_so(self) -> None:
        whole = clip(self.folder / "whole.mp4", 3, 120, options={"movflags": "+faststart"})
        data = whole.read_bytes()
        short = self.folder / "short.ts"
        short.write_bytes(clip(self.folder / "w.ts", 3, 120).read_bytes()[: len(data) // 2])
        self.assertLess(inspect_clip(str(short)).frames, 120)
        broken = self.folder / "broken.mp4"
        broken.write_bytes(data[: len(data) // 2])
        with self.assertRaises(NotMedia) as caught:
            inspect_clip(str(broken))
        self.assertIn("cut short", str(caught.exception))

    def test_what_is_no_media_is_a_sentence(self) -> None:
        (self.folder / "empty.mp4").write_bytes(b"")
        (self.folder / "text.mp4").write_text("this is no film\n" * 50)
        (self.folder / "noise.mov").write_bytes(random.Random(1).randbytes(5000))
        for name, word in (
            ("empty.mp4", "empty"),
            ("text.mp4", "not a media file"),
            ("noise.mov", "not a media"),
            ("gone.mp4", "missing"),
            (".", "folder"),
        ):
            with self.assertRaises(MediaError, msg=name) as caught:
                inspect_clip(str(self.folder / name))
            self.assertIn(word, str(caught.exception))


if __name__ == "__main__":
    unittest.main()
