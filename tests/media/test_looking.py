"""Looking and listening: any picture in any order, the ends of ranges, sound at any speed either way."""

from __future__ import annotations

import random
import subprocess
import sys
import unittest
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from chronocast.demo.counter import read
from chronocast.media.files.footage import Format, woven, write_footage
from chronocast.media.source.inspect import inspect_clip
from chronocast.media.viewing.playback import SAMPLE_RATE, heard
from chronocast.media.viewing.stills import Frame, LookingReaders, Stills
from chronocast.model.batch.batch import Source
from chronocast.model.batch.framing import framed
from chronocast.model.picture.geometry import Centre, View
from chronocast.model.recipe.recipe import FrameSize
from chronocast.model.source.cutlist import CutList
from chronocast.model.time.timing import FrameRange
from chronocast.preparation.ranging import look_at, typed_range
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.timeline.clip_layout import clip_cut_list
from tests.footage import RATE, clip, counted, folder
from tests.media.test_composition import KINDS, job_of, numbers

SIZE = Frame((320, 180))


def gray(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    found: NDArray[np.uint8] = np.rint(picture @ np.array([0.2126, 0.7152, 0.0722])).astype(np.uint8)
    return found


def source(cut: CutList) -> SourceReady:
    made = Source(id="film", path="film.mp4", kind="clip", name="Film")
    return SourceReady(made, folder(), cut, {}, "Film")


class Looking(unittest.TestCase):
    def test_any_picture_in_any_order_whatever_the_codec_does(self) -> None:
        place = folder()
        for name, form in KINDS.items():
            shown = woven(counted(7, 120)) if form.interlaced else counted(7, 60)
            write_footage(str(place / name), shown, RATE, quality=20, sound=None, form=form)
            cut = clip_cut_list(inspect_clip(str(place / name)))
            wanted = numbers(job_of(cut, FrameRange(0, cut.frames)))
            readers = LookingReaders(threads=2, hurry=True)
            stills = Stills(cut, readers)
            order = [
                *random.Random(name).sample(range(cut.frames), 24),
                cut.frames - 1,
                0,
                30,
                29,
                28,
                31,
                55,
                10,
            ]
            for frame in order:
                seen = read(gray(stills.picture(frame, SIZE)))
                self.assertEqual(seen and seen[1], wanted[frame], (name, frame))
            readers.close()

    def test_a_framed_picture_shows_what_the_numbers_say(self) -> None:
        path = clip(folder() / "a.mp4", 3, 50)
        cut = clip_cut_list(inspect_clip(str(path)))
        readers = LookingReaders(hurry=True)
        view = View(placing="fill", centres=(Centre(frame=0, x=Fraction(0)), Centre(frame=40, x=Fraction(1))))
        size = FrameSize(mode="fixed", width=90, height=180)
        stills = Stills(cut, readers)
        for frame in (0, 20, 40):
            whole = stills.picture(frame, SIZE)
            seen = stills.picture(frame, Frame((90, 180), view)).astype(int)
            x, _, w, _ = framed((320, 180), view, size, frame).lies.crop
            self.assertLess(np.abs(seen - whole[:, x : x + w].astype(int)).mean(), 3.0, frame)
        readers.close()

    def test_stray_pictures_at_the_ends_are_seen_and_what_was_meant_is_not(self) -> None:
        place = folder()
        still = next(counted(1, 1))
        black = np.full((180, 320, 3), 16, np.uint8)
        moving = list(counted(1, 60))
        fade = [
            np.clip(p * share, 0, 255).astype(np.uint8)
            for p, share in zip(moving[40:], np.linspace(1, 0, 20), strict=True)
        ]
        for name, pictures, wanted in (
            ("late", [*moving, black], ("black", 1)),
            ("held", [*moving, moving[-1], moving[-1]], ("repeated", 2)),
            ("next", [*moving, next(counted(5, 1))[::-1]], ("another shot", 1)),
            ("clean", moving, None),
            ("fade", [*moving[:40], *fade], None),
            ("still", [still] * 40, None),
        ):
            path = place / f"{name}.mp4"
            write_footage(
                str(path), iter(pictures), RATE, quality=16, sound=None, options={"preset": "veryfast"}
            )
            ready = source(clip_cut_list(inspect_clip(str(path))))
            first, last = look_at(ready, FrameRange(0, ready.cut.frames))
            self.assertIsNone(first, name)
            self.assertEqual((last.kind, last.frames) if last else None, wanted, name)
            if wanted:
                mended = FrameRange(0, ready.cut.frames - wanted[1])
                self.assertEqual(look_at(ready, mended), (None, None), name)

    def test_a_late_in_point_is_seen_too(self) -> None:
        path = folder() / "early.mp4"
        write_footage(
            str(path),
            iter([np.full((180, 320, 3), 16, np.uint8), *counted(2, 40)]),
            RATE,
            quality=16,
            sound=None,
        )
        first, last = look_at(source(clip_cut_list(inspect_clip(str(path)))), FrameRange(0, 41))
        self.assertEqual((first and first.kind, last), ("black", None))

    def test_typed_ranges_mean_what_was_said(self) -> None:
        ready = source(clip_cut_list(inspect_clip(str(clip(folder() / "a.mp4", 3, 100)))))
        self.assertEqual(typed_range(ready, "1:00", "+2s"), FrameRange(25, 75))
        self.assertEqual(typed_range(ready, "", "3s"), FrameRange(0, 75))
        self.assertEqual(typed_range(ready, "+5", "", FrameRange(10, 90)), FrameRange(15, 90))


class Damaged(unittest.TestCase):
    def test_a_damaged_film_is_left_in_mid_decoding_without_a_wait(self) -> None:
        """Decoder threads complain while they are closed; that must not wait for Python, which waits for them."""
        path = folder() / "broken.mkv"
        clip(path, 4, 120, width=640, height=360, options={"x264-params": "keyint=20"})
        data = bytearray(path.read_bytes())
        dice = random.Random(5)
        for _ in range(600):
            data[dice.randrange(3000, len(data) - 3000)] ^= 1 << dice.randrange(8)
        path.write_bytes(data)
        done = subprocess.run(
            [sys.executable, "-c", LEAVING, str(path)], capture_output=True, text=True, timeout=90
        )
        self.assertEqual(done.returncode, 0, done.stderr[-500:])
        level, shown, complained = done.stdout.split()
        self.assertEqual(
            level, "None", "how often it would wait depends on the moment; that it can't doesn't"
        )
        shown, complained = int(shown), int(complained)
        self.assertGreater(shown, 10)
        self.assertGreater(complained, 10)


LEAVING = """
import sys
import av
from chronocast.media.source.readers import Readers
from chronocast.model.errors import ChronocastError
shown = complained = 0
for n in range(70):
    readers = Readers(threads=4)
    for frame in (n * 7 % 100, n * 7 % 100 + 2):
        try:
            readers.source(sys.argv[1]).frame(frame)
            shown += 1
        except ChronocastError:
            pass
    complained += bool(readers.complaints())
    readers.close()
print(av.logging.get_level(), shown, complained)
"""


class Listening(unittest.TestCase):
    def test_sound_from_any_frame_at_any_speed_either_way(self) -> None:
        place = folder()
        at = np.arange(4 * SAMPLE_RATE) / SAMPLE_RATE
        ramp = (at / 8).astype(np.float32)  # its level tells the time
        wave = np.stack([ramp, -ramp])
        write_footage(
            str(place / "ramp.mov"),
            counted(1, 100, 128, 72),
            RATE,
            quality=30,
            sound=wave,
            form=Format(sound_codec="pcm_s16le"),
        )
        cut = clip_cut_list(inspect_clip(str(place / "ramp.mov")))
        for frame, speed in ((0, 1), (25, 1), (50, 2), (10, 4), (99, -1), (60, -2), (30, Fraction(1, 2))):
            samples = np.concatenate(list(heard(cut, frame, Fraction(speed))))
            begin = (frame + (1 if speed < 0 else 0)) / 25
            length = (4 - begin if speed > 0 else begin) / abs(speed)
            self.assertEqual(len(samples), int(length * SAMPLE_RATE), (frame, speed))
            for moment in np.linspace(0.05, float(length) - 0.05, 9):
                told = samples[int(moment * SAMPLE_RATE)] / 32767 * 8
                self.assertAlmostEqual(
                    told[0], begin + moment * float(speed), delta=0.004, msg=f"{frame} {speed} {moment}"
                )
                self.assertAlmostEqual(told[1], -told[0], delta=0.001)


if __name__ == "__main__":
    unittest.main()
