"""Odd material: turned, numbered, of high dynamic range, of two sizes, with times that jump or begin again."""

from __future__ import annotations

import struct
import unittest
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import opentimelineio as otio

from chronocast.demo.counter import read
from chronocast.journal.films.facts import FactsStore
from chronocast.media.files.footage import Format, write_footage
from chronocast.media.picture.layers import piece_pictures
from chronocast.media.picture.likeness import likeness
from chronocast.media.piece.encode import encode_piece
from chronocast.media.source.decode import luma
from chronocast.media.source.inspect import inspect_clip
from chronocast.media.source.readers import Readers
from chronocast.model.batch.batch import Source
from chronocast.model.recipe.supplied import BASIC, supplied
from chronocast.model.source.cutlist import CutList
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.plan import plan_output
from chronocast.preparation.source.ready import ready_source
from chronocast.timeline.clip_layout import clip_cut_list
from chronocast.timeline.errors import TimelineError
from tests.footage import RATE, clip, counted, folder
from tests.sequences import clip_item, sequence, span

FAST = {"preset": "veryfast"}
TURN = struct.pack(">9i", 0, 65536, 0, -65536, 0, 0, 0, 0, 1 << 30)
STRAIGHT = struct.pack(">9i", 65536, 0, 0, 0, 65536, 0, 0, 0, 1 << 30)
KIOSK = BASIC[2]


def write_title(path: Path, premultiplied: bool) -> Path:
    """A light bar, its upper half half transparent, on nothing."""
    picture = np.zeros((180, 320, 4), np.uint8)
    picture[60:120, 20:200] = (220, 220, 220, 255)
    picture[60:90, 20:200, 3] = 128
    if premultiplied:
        picture[60:90, 20:200, :3] = 110
    with av.open(str(path), "w") as output:
        stream: Any = output.add_stream("qtrle", rate=25)
        stream.width, stream.height, stream.pix_fmt = 320, 180, "argb"
        for number in range(20):
            frame = av.VideoFrame.from_ndarray(picture, format="rgba").reformat(format="argb")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            output.mux(stream.encode(frame))
        output.mux(stream.encode(None))
    return path


class Odd(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = folder()

    def shown(self, cut: CutList) -> list[av.VideoFrame]:
        plan = plan_output(cut, FrameRange(0, cut.frames), KIOSK)
        readers = Readers()
        self.addCleanup(readers.close)
        return [picture for piece in plan.pieces for picture in piece_pictures(piece, readers)]

    def ready(self, timeline: object, name: str = "film.otio") -> CutList:
        path = self.folder / name
        path.write_text(otio.adapters.write_to_string(timeline, "otio_json"))
        source = Source(id="s", path=str(path), kind="sequence", name="A film")
        return ready_source(source, self.folder, FactsStore(self.folder / "k" / "facts")).cut

    def test_a_phone_s_film_stands_upright(self) -> None:
        path = clip(self.folder / "phone.mp4", 1, 10)
        data = bytearray(path.read_bytes())
        at = data.find(STRAIGHT, data.find(b"tkhd"))
        data[at : at + 36] = TURN
        path.write_bytes(data)
        facts = inspect_clip(str(path))
        cut = clip_cut_list(facts)
        self.assertEqual((facts.turned, cut.width, cut.height), (90, 180, 320))
        picture = luma(self.shown(cut)[4])
        self.assertEqual(picture.shape, (320, 180))
        import numpy as np

        self.assertEqual(read(np.rot90(picture)), (1, 4), "turned back by a quarter it is as it was drawn")

    def test_numbered_images_are_a_source_and_a_missing_one_is_named(self) -> None:
        for number, picture in enumerate(counted(5, 12)):
            av.VideoFrame.from_ndarray(picture, format="rgb24").to_image().save(
                self.folder / f"plate.{number + 1:04d}.png"
            )
        reference = otio.schema.ImageSequenceReference(
            target_url_base=".",
            name_prefix="plate.",
            name_suffix=".png",
            start_frame=1,
            frame_zero_padding=4,
            rate=25,
            available_range=span(0, 12),
        )
        film = sequence([otio.schema.Clip(name="plate", media_reference=reference, source_range=span(3, 8))])
        cut = self.ready(film)
        self.assertEqual([read(luma(picture)) for picture in self.shown(cut)], [(5, n) for n in range(3, 11)])
        (self.folder / "plate.0007.png").unlink()
        with self.assertRaises(TimelineError) as caught:
            self.ready(film, "again.otio")
        self.assertIn("1 of 12 images are missing (number 7)", str(caught.exception))

    def test_high_dynamic_range_keeps_its_tags_and_is_not_mixed(self) -> None:
        wide = self.folder / "wide.mp4"
        form = Format(
            codec="libx265",
            pixel_format="yuv420p10le",
            colour=(9, 16, 9, 1),
            options={**FAST, "x265-params": "log-level=none"},
        )
        write_footage(str(wide), counted(1, 10), RATE, quality=20, form=form)
        cut = clip_cut_list(inspect_clip(str(wide)))
        self.assertEqual(cut.tags, (9, 16, 9, 1))
        plain = clip(self.folder / "plain.mp4", 2, 20)
        with self.assertRaises(TimelineError) as caught:
            self.ready(sequence([clip_item(wide, 0, 8), clip_item(plain, 0, 8)]))
        self.assertIn("tone mapping", str(caught.exception))

    def test_mastering_and_light_levels_of_hdr10_are_carried(self) -> None:
        path = self.folder / "bright.mkv"
        form = Format(
            codec="libx265",
            pixel_format="yuv420p10le",
            colour=(9, 16, 9, 1),
            options={
                "x265-params": "log-level=none:hdr10=1:repeat-headers=1:max-cll=900,300:"
                "master-display=G(13250,34500)B(7500,3000)R(34000,16000)WP(15635,16450)L(10000000,50)",
            },
        )
        write_footage(str(path), counted(5, 12), RATE, quality=24, options={"preset": "ultrafast"}, form=form)
        was = inspect_clip(str(path))
        self.assertTrue(was.mastering and was.light)
        phone = supplied("phone-540")
        assert phone and phone.picture
        recipe = phone.model_copy(
            update={"sound": None, "picture": phone.picture.model_copy(update={"depth": 10})}
        )
        plan = plan_output(clip_cut_list(was), FrameRange(0, 12), recipe)
        made = self.folder / "made.mp4"
        readers = Readers()
        self.addCleanup(readers.close)
        encode_piece(plan.pieces[0].model_copy(update={"target": str(made)}), readers)
        now = inspect_clip(str(made))
        self.assertEqual((now.mastering, now.light), (was.mastering, was.light))

    def test_a_title_with_alpha_lets_through_what_lies_below_it(self) -> None:
        below = self.folder / "below.mov"
        grey = np.full((180, 320, 3), 60, np.uint8)
        write_footage(
            str(below),
            [grey] * 20,
            RATE,
            quality=0,
            sound=None,
            form=Format(codec="prores_ks", pixel_format="yuv422p10le"),
        )
        for premultiplied in (False, True):
            title = write_title(self.folder / f"title {premultiplied}.mov", premultiplied)
            film = sequence([clip_item(below, 0, 20)], [clip_item(title, 0, 20)])
            path = self.folder / f"film {premultiplied}.otio"
            path.write_text(otio.adapters.write_to_string(film, "otio_json"))
            source = Source(
                id="s",
                path=str(path),
                kind="sequence",
                name="A film",
                alpha="premultiplied" if premultiplied else "straight",
            )
            cut = ready_source(source, self.folder, FactsStore(self.folder / "k" / "facts")).cut
            picture = self.shown(cut)[5].to_ndarray(format="rgb24").astype(int)
            for (row, column), wanted in (((20, 60), 60), ((100, 60), 220), ((75, 60), 140)):
                with self.subTest(premultiplied=premultiplied, row=row):
                    self.assertLess(abs(picture[row, column] - wanted).max(), 7, picture[row, column])

    def two(self, second: dict[str, object], frames: int = 30) -> Path:
        """Two transport streams one after another in one file."""
        for name, number, more in (("a.ts", 2, {}), ("b.ts", 3, second)):
            write_footage(
                str(self.folder / name), counted(number, frames, **more), RATE, quality=20, options=FAST
            )  # type: ignore[arg-type]
        path = self.folder / "both.ts"
        path.write_bytes((self.folder / "a.ts").read_bytes() + (self.folder / "b.ts").read_bytes())
        return path

    def test_pictures_as_small_as_an_icon_are_measured(self) -> None:
        for width, height in ((16, 16), (46, 44), (46, 46), (500, 8)):
            first, second = (
                av.VideoFrame.from_ndarray(np.full((height, width, 3), level, np.uint8), "rgb24").reformat(
                    format="yuv420p"
                )
                for level in (60, 68)
            )
            (same,), (other,) = likeness([(first, first)]), likeness([(first, second)])
            self.assertEqual((same.psnr, same.xpsnr), (100.0, 100.0), (width, height))
            self.assertTrue(25 < other.xpsnr < 45 and 25 < other.psnr < 45, (width, height, other))

    def test_times_that_begin_again_are_told(self) -> None:
        facts = inspect_clip(str(self.two({"width": 640, "height": 360})))
        self.assertIn("begin again", " ".join(facts.problems))
        found = [read(luma(picture)) for picture in self.shown(clip_cut_list(facts))]
        self.assertEqual(found, [(2, n) for n in range(30)])

    def test_a_stream_that_changes_its_size_is_composed_to_one(self) -> None:
        path = self.folder / "grows.mkv"
        with av.open(str(path), "w") as output:
            stream = output.add_stream("mjpeg", rate=25)
            stream.width, stream.height, stream.pix_fmt = 320, 180, "yuvj420p"
            for number, size in enumerate([(320, 180)] * 5 + [(640, 360)] * 5):
                (picture,) = list(counted(6, number + 1, *size))[-1:]
                context = av.CodecContext.create("mjpeg", "w")
                context.width, context.height, context.pix_fmt, context.time_base = (
                    *size,
                    "yuvj420p",
                    Fraction(1, 25),
                )
                (packet,) = context.encode(
                    av.VideoFrame.from_ndarray(picture, format="rgb24").reformat(format="yuvj420p")
                )
                fresh = av.Packet(bytes(packet))
                fresh.pts = fresh.dts = number
                fresh.time_base, fresh.stream, fresh.is_keyframe = Fraction(1, 25), stream, True
                output.mux(fresh)
        pictures = self.shown(clip_cut_list(inspect_clip(str(path))))
        self.assertEqual({(picture.width, picture.height) for picture in pictures}, {(320, 180)})
        self.assertEqual([read(luma(picture)) for picture in pictures], [(6, n) for n in range(10)])

    def test_times_that_jump_are_told_and_the_pictures_follow_one_another(self) -> None:
        path = self.folder / "jumps.mkv"
        times = [n * 40 + (90_000_000 if n >= 20 else 0) for n in range(40)]
        write_footage(str(path), counted(7, 40), RATE, quality=20, form=Format(times=times, options=FAST))
        facts = inspect_clip(str(path))
        self.assertIn("jump", " ".join(facts.problems))
        self.assertEqual((facts.frames, facts.rate), (40, 25))
        found = [read(luma(picture)) for picture in self.shown(clip_cut_list(facts))]
        self.assertEqual(found, [(7, n) for n in range(40)])
