"""Sound: mixed, faded, turned round, mapped, resampled; cut to the sample, without drift."""

from __future__ import annotations

import itertools
import unittest
from dataclasses import replace
from fractions import Fraction

import av
import numpy as np
from numpy.typing import NDArray

from chronocast.deliver.checks import judge
from chronocast.media.files.footage import Format, write_footage
from chronocast.media.files.join import join
from chronocast.media.files.prove import prove
from chronocast.media.files.sound import render_sound, sound_blocks
from chronocast.media.piece.encode import encode_piece
from chronocast.media.source.inspect import inspect_clip
from chronocast.media.source.readers import Readers
from chronocast.model.messages.check import Expected
from chronocast.model.messages.jobs import JoinJob, SoundJob
from chronocast.model.recipe.recipe import Recipe, SoundRecipe
from chronocast.model.recipe.supplied import BASIC
from chronocast.model.source.cutlist import CutList, Fade, MediaRef, SoundSpan, plain_span
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.plan import plan_output
from chronocast.pieces.sound_plan import plan_sound
from chronocast.timeline.clip_layout import clip_cut_list
from tests.footage import RATE, counted, folder

HERE = folder()


def wav(name: str, samples: NDArray[np.float32], rate: int = 48000) -> MediaRef:
    """A WAV file of 16-bit samples, shape (channels, n)."""
    path = HERE / name
    with av.open(str(path), "w") as output:
        layout = {1: "mono", 2: "stereo", 6: "5.1"}[samples.shape[0]]
        stream = output.add_stream("pcm_s16le", rate=rate, layout=layout)
        packed = np.ascontiguousarray((samples.T * 32767).astype(np.int16).reshape(1, -1))
        for at in range(0, samples.shape[1], 4096):
            block = packed[:, at * samples.shape[0] : (at + 4096) * samples.shape[0]]
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block), format="s16", layout=layout)
            frame.sample_rate, frame.pts = rate, at
            output.mux(stream.encode(frame))
        output.mux(stream.encode(None))
    return MediaRef(path=str(path))


def heard(spans: list[SoundSpan], samples: int, channels: int = 1, rate: int = 48000) -> NDArray[np.float32]:
    job = SoundJob(
        name="s",
        target="",
        samples=samples,
        sample_rate=rate,
        channels=channels,
        codec="aac",
        bits_per_second=96_000,
        spans=tuple(spans),
    )
    return np.concatenate(list(sound_blocks(job)), axis=1)


def span(start: Fraction | int, seconds: Fraction | int, media: MediaRef, **more: object) -> SoundSpan:
    return SoundSpan(start=Fraction(start), seconds=Fraction(seconds), media=media, **more)  # type: ignore[arg-type]


class Sound(unittest.TestCase):
    def test_overlapping_sound_is_added(self) -> None:
        one = wav("one.wav", np.full((1, 96000), 0.25, np.float32))
        two = wav("two.wav", np.full((1, 96000), 0.5, np.float32))
        found = heard([span(0, 2, one), span(1, 2, two, gain=Fraction(1, 2))], 144_000)[0]
        for at, level in ((1000, 0.25), (60_000, 0.5), (120_000, 0.25)):
            self.assertAlmostEqual(float(found[at]), level, 3)

    def test_a_crossfade_keeps_its_level(self) -> None:
        same = wav("same.wav", np.full((1, 240_000), 0.5, np.float32))
        going = span(0, 3, same, fade=Fade(whole=Fraction(3), fall=Fraction(1)))
        coming = span(2, 3, same, fade=Fade(whole=Fraction(3), rise=Fraction(1)))
        found = heard([going, coming], 240_000)[0]
        self.assertLess(float(np.abs(found - 0.5).max()), 0.001)

    def test_backwards_and_at_other_speeds(self) -> None:
        ramp = np.linspace(-0.9, 0.9, 96_000, dtype=np.float32)[None]
        media = wav("ramp.wav", ramp)
        back = heard([span(0, 1, media, media_start=Fraction(3, 2), speed=Fraction(-1))], 48_000)[0]
        self.assertLess(float(np.abs(back - ramp[0, 24_000:72_000][::-1]).max()), 0.001)
        fast = heard([span(0, 1, media, speed=Fraction(2))], 48_000)[0]
        self.assertLess(float(np.abs(fast[100:-100] - ramp[0, ::2][100:-100]).max()), 0.01)

    def test_mono_tracks_become_the_channels_of_one_sound(self) -> None:
        path = HERE / "tracks.mov"
        left, right = np.full((1, 48_000), 0.5, np.float32), np.full((1, 48_000), -0.25, np.float32)
        write_footage(
            str(path),
            counted(1, 25),
            RATE,
            quality=30,
            sound=[left, right],
            sample_rate=48_000,
            options={"preset": "ultrafast"},
            form=Format(sound_codec="pcm_s16le"),
        )
        found = heard([span(0, 1, MediaRef(path=str(path)), tracks=(0, 1))], 48_000, 2)
        self.assertAlmostEqual(float(found[0, 20_000]), 0.5, 2)
        self.assertAlmostEqual(float(found[1, 20_000]), -0.25, 2)

    def test_five_point_one_to_stereo_keeps_left_left(self) -> None:
        five = np.zeros((6, 48_000), np.float32)
        five[0] = 0.5
        found = heard([span(0, 1, wav("five.wav", five))], 48_000, 2)
        self.assertGreater(float(found[0, 20_000]), 0.1)
        self.assertLess(abs(float(found[1, 20_000])), 0.001)
        self.assertEqual(heard([span(0, 1, wav("five.wav", five))], 48_000, 6).shape, (6, 48_000))

    def test_each_track_can_stay_a_track_of_its_own(self) -> None:
        """Three discrete mono tracks in, three out: sound, join and check, each with its own level."""
        path = HERE / "discrete.mov"
        levels = (0.5, 0.25, 0.125)
        wave = np.sin(2 * np.pi * 440 * np.arange(96_000) / 48_000).astype(np.float32)[None]
        write_footage(
            str(path),
            counted(1, 50),
            RATE,
            quality=30,
            sound=[wave * level for level in levels],
            sample_rate=48_000,
            options={"preset": "ultrafast"},
            form=Format(sound_codec="pcm_s16le"),
        )
        cut = clip_cut_list(inspect_clip(str(path)))
        self.assertEqual((len(cut.sound_tracks), cut.sound[0].tracks), (3, (0, 1, 2)))
        recipe = BASIC[1].model_copy(update={"sound": SoundRecipe(layout="mono", tracks="each")})
        plan = plan_output(cut, FrameRange(5, 45), recipe)
        assert plan.sound
        targets = [str(HERE / f"part {n}.mp4") for n in range(len(plan.pieces))]
        readers = Readers()
        for piece, target in zip(plan.pieces, targets, strict=True):
            encode_piece(piece.model_copy(update={"target": target}), readers)
        readers.close()
        sound = plan.sound.model_copy(update={"target": str(HERE / "three.mp4")})
        self.assertEqual(render_sound(sound).samples, 76_800)
        joined = str(HERE / "joined three.mp4")
        parts = tuple((target, piece.frames) for target, piece in zip(targets, plan.pieces, strict=True))
        join(JoinJob(name="j", target=joined, container="mp4", rate="25", pieces=parts, sound=sound.target))
        with av.open(joined) as container:
            for number, level in enumerate(levels):
                container.seek(0)
                heard_level = np.concatenate([f.to_ndarray()[0] for f in container.decode(audio=number)])[
                    10_000:60_000
                ]
                self.assertAlmostEqual(float(np.abs(heard_level).max()), level, delta=0.05)
        right = Expected(
            40, plan.width, plan.height, "25", "h264", "mp4", "aac", 76_800, 48_000, 1, sound_tracks=3
        )
        self.assertEqual([check for check in judge(prove(joined), right) if not check.ok], [])
        two = [c.name for c in judge(prove(joined), replace(right, sound_tracks=2)) if not c.ok]
        self.assertEqual(two, ["sound tracks"])

    def test_another_sampling_rate_lies_to_the_sample(self) -> None:
        clicks = np.zeros((1, 44_100 * 4), np.float32)
        clicks[0, :: 44_100 // 2] = 0.9
        media = wav("clicks.wav", clicks, 44_100)
        found = heard([span(0, 4, media)], 192_000)[0]
        loud = np.flatnonzero(found > 0.4)
        for number in range(1, 8):
            self.assertLessEqual(int(np.abs(loud - number * 24_000).min()), 1)

    def test_an_hour_at_29_97_does_not_drift_by_a_sample(self) -> None:
        """A click a minute, heard through three hundred edits of an hour of 29.97 footage."""
        rate, sampling = Fraction(30000, 1001), 8000
        frames = 3600 * 30000 // 1001
        seconds = Fraction(frames) / rate
        line = np.zeros((1, int(seconds * sampling) + 1), np.float32)
        line[0, :: sampling * 60] = 0.9
        media = wav("hour.wav", line, sampling)
        marks = [frames * n // 300 for n in range(301)]
        spans = tuple(
            span(Fraction(a) / rate, Fraction(b - a) / rate, media, media_start=Fraction(a) / rate)
            for a, b in itertools.pairwise(marks)
        )
        cut = CutList(
            rate=rate,
            width=320,
            height=180,
            frames=frames,
            picture=(plain_span(0, frames, None),),
            sound=spans,
        )
        heard = SoundRecipe().model_copy(update={"sample_rate": sampling, "layout": "mono"})
        recipe = Recipe(id="a", name="A", container="m4a", picture=None).model_copy(update={"sound": heard})
        job = plan_sound(cut, FrameRange(0, frames), recipe)
        self.assertEqual(job.samples, round(seconds * sampling))
        found = np.concatenate(list(sound_blocks(job)), axis=1)[0]
        loud = np.flatnonzero(found > 0.4)
        self.assertEqual(found.shape[0], job.samples)
        for minute in range(60):
            self.assertLessEqual(int(np.abs(loud - minute * 60 * sampling).min()), 1, minute)
