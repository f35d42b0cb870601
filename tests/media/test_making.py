"""Pieces, sound, joins: what is made is exactly what was asked."""

from __future__ import annotations

import unittest
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from chronocast.deliver.checks import judge
from chronocast.media.errors import JoinFailed
from chronocast.media.files.join import join
from chronocast.media.files.prove import prove
from chronocast.media.files.sound import render_sound, sound_blocks
from chronocast.media.piece.encode import encode_pictures, encode_piece
from chronocast.media.piece.settings import encoder_settings
from chronocast.media.source.readers import Readers
from chronocast.model.messages.check import Expected
from chronocast.model.messages.jobs import JoinJob, PieceJob, SoundJob
from chronocast.model.recipe.recipe import PictureRecipe, RateControl
from chronocast.model.source.cutlist import MediaRef, PictureSpan, SoundSpan, plain_span
from tests.footage import RATE, clip, counted, counters, folder


def heard(path: Path) -> np.ndarray:
    """All samples of a file's sound, left channel."""
    with av.open(str(path)) as container:
        return np.concatenate(
            [frame.to_ndarray()[0] for frame in container.decode(container.streams.audio[0])]
        )


def row(*parts: tuple[Path | None, int, int]) -> tuple[PictureSpan, ...]:
    """Spans one after another from (file, its first picture, frames)."""
    at, found = 0, []
    for path, first, frames in parts:
        found.append(plain_span(at, frames, MediaRef(path=str(path)) if path else None, first))
        at += frames
    return tuple(found)


class Making(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = folder()
        cls.one = clip(cls.folder / "one.mp4", 1, 120, options={"bf": "3", "g": "50"})
        cls.two = clip(cls.folder / "two.mp4", 2, 100, width=640, height=360)
        cls.settings = encoder_settings(
            PictureRecipe(effort="fast"), 320, 180, rate=RATE, colour=(1, 1, 1, 1)
        )
        cls.readers = Readers()

    @classmethod
    def tearDownClass(cls) -> None:
        cls.readers.close()

    def piece(self, name: str, *spans: tuple[Path | None, int, int]) -> Path:
        job = PieceJob(
            name=name,
            target=str(self.folder / f"{name}.mp4"),
            rate=RATE,
            width=320,
            height=180,
            canvas=(320, 180),
            settings=self.settings,
            spans=row(*spans),
        )
        encode_piece(job, self.readers)
        return Path(job.target)

    def test_what_became_of_pictures_is_measured_and_changes_nothing(self) -> None:
        """Every so many pictures against those that the encoder was given: the better the encode, the more alike."""
        told = {}
        for name, settings in {
            "good": PictureRecipe(effort="fast", rate_control=RateControl(mode="quality", quality=14)),
            "poor": PictureRecipe(effort="fast", rate_control=RateControl(mode="quality", quality=42)),
            "same": PictureRecipe(codec="ffv1"),
        }.items():
            job = PieceJob(
                name=name,
                target=str(self.folder / f"{name}.mov"),
                rate=RATE,
                width=320,
                height=180,
                canvas=(320, 180),
                settings=encoder_settings(settings, 320, 180, rate=RATE, colour=(1, 1, 1, 1)),
                spans=row((self.one, 10, 25)),
                measure_every=8,
            )
            measured = encode_piece(job, self.readers)
            plain = encode_piece(job.model_copy(update={"measure_every": 0}), self.readers)
            self.assertEqual((measured.packets, plain.likeness), (plain.packets, {}))
            self.assertEqual(list(measured.likeness), [4, 12, 20])
            told[name] = list(measured.likeness.values())
        for good, poor, same in zip(*told.values(), strict=True):
            self.assertEqual((same.ssim, same.psnr, same.xpsnr), (1.0, 100.0, 100.0))
            self.assertLess(poor.ssim, good.ssim)
            self.assertLess(poor.psnr + 5, good.psnr)
            self.assertLess(poor.xpsnr + 3, good.xpsnr)

    def test_a_piece_shows_what_its_spans_say(self) -> None:
        path = self.piece("spans", (self.one, 33, 20), (None, 0, 5), (self.two, 7, 15), (self.one, 0, 10))
        wanted = (
            [(1, n) for n in range(33, 53)]
            + [None] * 5
            + [(2, n) for n in range(7, 22)]
            + [(1, n) for n in range(10)]
        )
        self.assertEqual(counters(path), wanted)

    def test_the_same_piece_is_the_same_bytes(self) -> None:
        self.assertEqual(
            self.piece("again-1", (self.one, 5, 60)).read_bytes(),
            self.piece("again-2", (self.one, 5, 60)).read_bytes(),
        )

    def test_a_join_shows_every_picture_once_and_keeps_the_packets(self) -> None:
        lengths = (50, 37, 33)
        at, pieces = 0, []
        for length in lengths:
            pieces.append((str(self.piece(f"part{at}", (self.one, at, length))), length))
            at += length
        sound = self.sound("join-sound", [(0, 120 * 1920, self.one, "0")], 120 * 1920)
        target = self.folder / "joined.mp4"
        join(
            JoinJob(
                name="j",
                target=str(target),
                container="mp4",
                rate="25",
                pieces=tuple(pieces),
                sound=str(sound),
                title="A film",
            )
        )
        self.assertEqual(counters(target), [(1, n) for n in range(120)])
        packets = [packet for path, _ in pieces for packet in self.packets(Path(path))]
        self.assertEqual(self.packets(target), packets)
        found = prove(str(target))
        expected = Expected(120, 320, 180, "25", "h264", "mp4", "aac", 120 * 1920, 48000, 2)
        self.assertEqual([check for check in judge(found, expected) if not check.ok], [])
        with av.open(str(target)) as container:
            self.assertEqual(container.metadata["title"], "A film")
            times = [packet.dts for packet in container.demux(container.streams.video[0]) if packet.size]
            self.assertEqual(times, sorted(set(times)))

    def test_films_of_one_and_two_pictures_are_made_in_every_long_codec(self) -> None:
        for codec in ("h264", "hevc", "av1", "vp9", "mpeg2"):
            settings = encoder_settings(
                PictureRecipe(codec=codec, effort="fast"), 160, 96, rate=RATE, colour=(1, 1, 1, 1)
            )
            # what was never set is what a film before left there: wrong in every fourth file
            for frames in (25, 1, 2) * (12 if codec == "hevc" else 1):
                target = self.folder / f"{codec} {frames}"
                encode_pictures(
                    (av.VideoFrame.from_ndarray(picture) for picture in counted(3, frames, 160, 96)),
                    str(target),
                    RATE,
                    width=160,
                    height=96,
                    settings=settings,
                )
                self.assertEqual(len(self.packets(target)), frames, codec)

    def packets(self, path: Path) -> list[bytes]:
        with av.open(str(path)) as container:
            return [bytes(packet) for packet in container.demux(container.streams.video[0]) if packet.size]

    def test_pieces_that_do_not_fit_are_refused(self) -> None:
        good = self.piece("good", (self.one, 0, 50))
        other = encoder_settings(
            PictureRecipe(effort="slow", rate_control=RateControl(mode="quality")),
            320,
            180,
            rate=RATE,
            colour=(1, 1, 1, 1),
        )
        job = PieceJob(
            name="odd",
            target=str(self.folder / "odd.mp4"),
            rate=RATE,
            width=320,
            height=180,
            canvas=(320, 180),
            settings=other,
            spans=row((self.one, 0, 50)),
        )
        encode_piece(job, self.readers)
        for pieces in (((str(good), 49),), ((str(good), 50), (job.target, 50))):
            with self.assertRaises(JoinFailed):
                join(
                    JoinJob(
                        name="x",
                        target=str(self.folder / "x.mp4"),
                        container="mp4",
                        rate="25",
                        pieces=pieces,
                        sound=None,
                    )
                )

    def sound(self, name: str, spans: list[tuple[int, int, Path, str]], samples: int) -> Path:
        job = SoundJob(
            name=name,
            target=str(self.folder / f"{name}.mp4"),
            samples=samples,
            sample_rate=48000,
            channels=2,
            codec="aac",
            bits_per_second=128_000,
            spans=tuple(
                SoundSpan(
                    start=Fraction(a, 48000),
                    seconds=Fraction(n, 48000),
                    media=MediaRef(path=str(m)),
                    media_start=Fraction(s),
                )
                for a, n, m, s in spans
            ),
        )
        self.assertEqual(sum(block.shape[1] for block in sound_blocks(job)), samples)
        result = render_sound(job)
        self.assertEqual(result.samples, samples)
        return Path(job.target)

    def test_sound_lies_where_it_should_to_the_millisecond(self) -> None:
        # one second of silence, then the clip from its second 1.5: its click at 2.0 sounds at 1.5
        path = self.sound("placed", [(48000, 96000, self.one, "3/2")], 150_000)
        samples = heard(path)
        self.assertLess(float(np.abs(samples[:46000]).max()), 0.02)
        loud = np.flatnonzero(np.abs(samples) > 0.4)
        self.assertLess(abs(int(loud[0]) - 72000), 48)

    def test_what_a_file_lacks_is_silence(self) -> None:
        path = self.sound("beyond", [(0, 96000, self.one, "4")], 96000)
        samples = heard(path)
        self.assertGreater(float(np.abs(samples[2000:30000]).max()), 0.05)
        self.assertLess(float(np.abs(samples[45000:]).max()), 0.02)

    def test_silence_is_known_to_be_silent(self) -> None:
        job = SoundJob(
            name="s",
            target=str(self.folder / "s.mp4"),
            samples=4800,
            sample_rate=48000,
            channels=1,
            codec="aac",
            bits_per_second=64_000,
            spans=(),
        )
        self.assertTrue(render_sound(job).silent)


class Checking(unittest.TestCase):
    def test_every_check_can_fail(self) -> None:
        path = clip(folder() / "made.mp4", 1, 50)
        found = prove(str(path))
        right = Expected(50, 320, 180, "25", "h264", "mp4", "aac", 96000, 48000, 2, colour=(1, 1, 1, 1))
        self.assertTrue(all(check.ok for check in judge(found, right)), judge(found, right))
        wrong = Expected(
            51, 322, 182, "24", "hevc", "matroska", "opus", 97921, 44100, 1, colour=(9, 16, 9, 1)
        )
        failed = {check.name for check in judge(found, wrong) if not check.ok}
        self.assertEqual(
            failed,
            {
                "frames",
                "frame size",
                "frame rate",
                "picture codec",
                "container",
                "sound",
                "sound length",
                "colour tags",
            },
        )
        self.assertFalse(
            all(
                check.ok
                for check in judge(found, Expected(50, 320, 180, "25", "h264", "mp4", None, None, 0, 0))
            )
        )

    def test_damage_and_silence_are_found(self) -> None:
        path = clip(folder() / "made.mp4", 1, 75)
        data = bytearray(path.read_bytes())
        middle = len(data) // 3
        data[middle : middle + 400] = bytes(400)
        path.write_bytes(data)
        right = Expected(75, 320, 180, "25", "h264", "mp4", "aac", 144000, 48000, 2)
        self.assertFalse(all(check.ok for check in judge(prove(str(path)), right)))
        mute = clip(folder() / "mute.mp4", 1, 25, sound=False)
        checks = judge(prove(str(mute)), Expected(25, 320, 180, "25", "h264", "mp4", "aac", 48000, 48000, 2))
        self.assertIn("sound", {check.name for check in checks if not check.ok})


if __name__ == "__main__":
    unittest.main()
