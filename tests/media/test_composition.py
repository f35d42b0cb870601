"""What an output's frames show: every frame, for every kind of edit; a piece shows what an unsplit render would."""

from __future__ import annotations

import itertools
import unittest
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from chronocast.demo.counter import read
from chronocast.media.files.footage import Format, woven, write_footage
from chronocast.media.picture.compose import planes
from chronocast.media.picture.layers import piece_pictures
from chronocast.media.piece.encode import encode_piece
from chronocast.media.source.decode import luma
from chronocast.media.source.inspect import inspect_clip
from chronocast.media.source.readers import Readers
from chronocast.model.messages.jobs import EncoderSettings, PieceJob
from chronocast.model.picture.colour import BT601_625, BT709, BT2020
from chronocast.model.picture.geometry import Centre, View
from chronocast.model.picture.weight import Weight
from chronocast.model.recipe.recipe import PictureRecipe, Recipe
from chronocast.model.source.cutlist import CutList, Layer, PictureSpan
from chronocast.model.source.facts import ClipFacts
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.plan import plan_output
from chronocast.timeline.clip_layout import clip_cut_list, clip_layer
from tests.footage import RATE, clip, counted, folder

PLAIN = EncoderSettings(encoder="libx264", options={})
FAST = {"preset": "veryfast"}
KINDS: dict[str, Format] = {
    "long.mp4": Format(options={**FAST, "x264-params": "keyint=40:bframes=3"}),
    "open.mp4": Format(options={**FAST, "x264-params": "open-gop=1:keyint=20:bframes=3"}),
    "hevc.mp4": Format(
        codec="libx265", options={"preset": "veryfast", "x265-params": "keyint=30:open-gop=1:log-level=none"}
    ),
    "mpeg2.mxf": Format(codec="mpeg2video", bit_rate=6_000_000, options={"g": "12", "bf": "2"}),
    "intra.mov": Format(
        codec="prores_ks", pixel_format="yuv422p10le", options={"profile": "0"}, timecode="10:00:00:00"
    ),
    "late.ts": Format(options={**FAST, "x264-params": "keyint=25"}),
    "uneven.mkv": Format(
        options=FAST, times=[n * 40 + (400 if n > 30 else 0) + n % 3 * 7 for n in range(60)]
    ),
    "woven.mxf": Format(
        codec="mpeg2video",
        bit_rate=8_000_000,
        options={"flags": "+ildct+ilme", "g": "12", "bf": "2"},
        interlaced=True,
    ),
}
_FRAMES = 60


def job_of(
    cut: CutList, part: FrameRange, size: tuple[int, int] | None = None, view: View | None = None
) -> PieceJob:
    width, height = size or (cut.width, cut.height)
    return PieceJob(
        name="x",
        target="",
        rate=cut.rate,
        width=width,
        height=height,
        canvas=(cut.width, cut.height),
        view=(view or View()).later(part.start),
        colour=cut.colour,
        spans=cut.picture_in(part),
        settings=PLAIN,
    )


def pictures(job: PieceJob) -> list[NDArray[np.uint8]]:
    """All planes of every picture of a piece, each as one row."""
    readers = Readers()
    try:
        made = list(piece_pictures(job, readers))
        if {(p.width, p.height, p.format.name) for p in made} != {
            (job.width, job.height, job.settings.pixel_format)
        }:
            raise AssertionError("pictures of another kind than the encoder is told")
        return [np.concatenate([plane.ravel() for plane in planes(p)]) for p in made]
    finally:
        readers.close()


def numbers(job: PieceJob) -> list[int | None]:
    readers = Readers()
    try:
        found = [read(luma(picture)) for picture in piece_pictures(job, readers)]
        return [seen[1] if seen else None for seen in found]
    finally:
        readers.close()


def one_layer(
    layer: Layer, frames: int, rate: Fraction = RATE, width: int = 320, height: int = 180
) -> CutList:
    return CutList(
        rate=rate,
        width=width,
        height=height,
        frames=frames,
        picture=(PictureSpan(start=0, frames=frames, layers=(layer,)),),
    )


class Composition(unittest.TestCase):
    facts: dict[str, ClipFacts]

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = folder()
        cls.facts = {}
        for number, (name, form) in enumerate(KINDS.items()):
            shown = counted(number + 1, _FRAMES * 2 if form.interlaced else _FRAMES)
            write_footage(
                str(cls.folder / name),
                woven(shown) if form.interlaced else shown,
                RATE,
                quality=20,
                form=form,
            )
            cls.facts[name] = inspect_clip(str(cls.folder / name))

    def layer(self, name: str, **change: object) -> Layer:
        return clip_layer(self.facts[name]).model_copy(update=change)

    def test_every_frame_of_every_kind_of_file_forwards_and_backwards(self) -> None:
        for name, facts in self.facts.items():
            cut = clip_cut_list(facts)
            whole = list(range(_FRAMES))
            if facts.variable_timing:
                times = [t - KINDS[name].times[0] for t in KINDS[name].times or ()]
                whole = [
                    max(n for n, t in enumerate(times) if t <= (k + 0.5) * 40) for k in range(cut.frames)
                ]
                self.assertEqual(cut.frames, 70)
            elif facts.interlaced:
                whole = [2 * n for n in range(_FRAMES)]
            with self.subTest(name):
                self.assertEqual(numbers(job_of(cut, FrameRange(0, cut.frames))), whole)
                back = self.layer(name, start=Fraction(cut.frames), step=Fraction(-1))
                self.assertEqual(
                    numbers(job_of(one_layer(back, cut.frames), FrameRange(0, cut.frames))), whole[::-1]
                )

    def test_each_field_becomes_a_picture_at_twice_the_rate(self) -> None:
        cut = clip_cut_list(self.facts["woven.mxf"]).at_rate(Fraction(50), "nearest")
        self.assertEqual(numbers(job_of(cut, FrameRange(0, 120))), list(range(120)))

    def test_other_rates_take_the_picture_that_is_on(self) -> None:
        cut = clip_cut_list(self.facts["long.mp4"])
        for rate in (
            Fraction(24000, 1001),
            Fraction(30),
            Fraction(60000, 1001),
            Fraction(50),
            Fraction(25, 2),
        ):
            made = cut.at_rate(rate, "nearest")
            self.assertEqual(made.frames, round(_FRAMES * rate / 25))
            wanted = [min(59, int(k * 25 / rate)) for k in range(made.frames)]
            self.assertEqual(numbers(job_of(made, FrameRange(0, made.frames))), wanted, rate)

    def operations(self) -> dict[str, tuple[CutList, View, tuple[int, int]]]:
        small, upright = (320, 180), (102, 180)
        long = clip_cut_list(self.facts["long.mp4"])
        moving = View(
            placing="fill", centres=(Centre(frame=0, x=Fraction(1, 5)), Centre(frame=59, x=Fraction(4, 5)))
        )
        half = Fraction(1, 2)
        rise = Weight.rise(60)
        cross = CutList(
            rate=RATE,
            width=320,
            height=180,
            frames=60,
            picture=(
                PictureSpan(
                    start=0,
                    frames=60,
                    layers=(
                        self.layer("long.mp4", weight=rise.rest(), last=59),
                        self.layer(
                            "long.mp4",
                            start=Fraction(60),
                            step=Fraction(-1),
                            weight=rise.times(Weight.constant(half)),
                        ),
                    ),
                ),
            ),
        )
        return {
            "plain": (long, View(), small),
            "double speed": (one_layer(self.layer("open.mp4", step=Fraction(2)), 30), View(), small),
            "backwards": (
                one_layer(self.layer("hevc.mp4", start=Fraction(60), step=Fraction(-1)), 60),
                View(),
                small,
            ),
            "slow, blended": (
                one_layer(self.layer("long.mp4", step=Fraction(2, 5), retime="blend"), 60),
                View(),
                small,
            ),
            "fast, blended": (
                one_layer(self.layer("long.mp4", step=Fraction(5, 2), retime="blend"), 24),
                View(),
                small,
            ),
            "slow, by motion": (
                one_layer(self.layer("long.mp4", step=half, retime="motion"), 24),
                View(),
                (160, 90),
            ),
            "frames of fields": (clip_cut_list(self.facts["woven.mxf"]), View(), small),
            "fields": (
                clip_cut_list(self.facts["woven.mxf"]).at_rate(Fraction(50), "nearest"),
                View(),
                small,
            ),
            "uneven": (clip_cut_list(self.facts["uneven.mkv"]), View(), small),
            "frozen": (
                one_layer(self.layer("long.mp4", start=Fraction(17), step=Fraction(0)), 30),
                View(),
                small,
            ),
            "a dissolve into itself": (cross, View(), small),
            "a moving centre": (long, moving, upright),
            "bars": (one_layer(Layer(fill="bars"), 30), View(), small),
            "another rate, blended": (long.at_rate(Fraction(30), "blend"), View(), small),
        }

    def test_pieces_show_what_an_unsplit_render_shows(self) -> None:
        for what, (cut, view, size) in self.operations().items():
            with self.subTest(what):
                whole = pictures(job_of(cut, FrameRange(0, cut.frames), size, view))
                self.assertEqual(len(whole), cut.frames)
                marks = [0, cut.frames // 4 + 1, cut.frames // 2, cut.frames]
                parts = []
                for first, stop in itertools.pairwise(marks):
                    parts += pictures(job_of(cut, FrameRange(first, stop), size, view))
                different = [
                    n for n, (a, b) in enumerate(zip(whole, parts, strict=True)) if not np.array_equal(a, b)
                ]
                self.assertEqual(different, [])

    def test_motion_goes_between(self) -> None:
        """A bar that moves 8 pixels a picture lies half way where a picture was made between two."""

        def bar(frames: int) -> list[NDArray[np.uint8]]:
            found = []
            for frame in range(frames):
                picture = np.full((96, 256, 3), 30, np.uint8)
                picture[20:76, 20 + frame * 8 : 60 + frame * 8] = 220
                found.append(picture)
            return found

        path = self.folder / "bar.mp4"
        write_footage(str(path), bar(20), RATE, quality=8, options=FAST)
        layer = clip_layer(inspect_clip(str(path))).model_copy(
            update={"step": Fraction(1, 2), "retime": "motion"}
        )
        cut = one_layer(layer, 30, width=256, height=96)
        readers = Readers()
        for frame, picture in enumerate(piece_pictures(job_of(cut, FrameRange(0, 30)), readers)):
            row = luma(picture)[48].astype(float)
            middle = float((np.arange(256) * (row > 120)).sum() / (row > 120).sum())
            if 2 < frame < 28:
                self.assertLess(abs(middle - (39.5 + 4 * frame)), 2.0, frame)
        readers.close()

    def test_dissolves_are_linear_to_a_code_value(self) -> None:
        levels = {}
        for name, grey in (("dark", 40), ("light", 200)):
            path = self.folder / f"{name}.mp4"
            write_footage(
                str(path), [np.full((64, 64, 3), grey, np.uint8)] * 20, RATE, quality=4, options=FAST
            )
            levels[name] = clip_layer(inspect_clip(str(path)))
        rise = Weight.rise(20)
        layers = (
            levels["dark"].model_copy(update={"weight": rise.rest()}),
            levels["light"].model_copy(update={"weight": rise}),
        )
        cut = CutList(
            rate=RATE,
            width=64,
            height=64,
            frames=20,
            picture=(PictureSpan(start=0, frames=20, layers=layers),),
        )
        found = [float(row[: 64 * 64].mean()) for row in pictures(job_of(cut, FrameRange(0, 20)))]
        low, high = 16 + 40 * 219 / 255, 16 + 200 * 219 / 255
        for frame, value in enumerate(found):
            self.assertLess(abs(value - (low + (high - low) * (2 * frame + 1) / 40)), 1.0, frame)


class Worked(unittest.TestCase):
    """What pictures are scaled with, and the bits they are composed in."""

    def pictures(self, **told: Any) -> list[NDArray[np.float32]]:
        """What the encoder is given: the first planes of a few pictures."""
        cut = clip_cut_list(inspect_clip(str(clip(folder() / "worked.mp4", 7, 40, sound=False))))
        picture = PictureRecipe.model_validate({"codec": "ffv1", "size": {"mode": "source"}, **told})
        recipe = Recipe(id="w", name="w", container="mkv", picture=picture, sound=None)
        facts = {media.path: inspect_clip(media.path) for media in cut.media}
        job = plan_output(cut, FrameRange(0, 20), recipe, facts=facts).pieces[0]
        target = str(folder() / "worked.mkv")
        with Readers() as readers:
            encode_piece(job.model_copy(update={"target": target}), readers)
        with av.open(target) as container:
            return [planes(shown)[0].astype(np.float32) for shown in container.decode(video=0)]

    def test_what_is_only_read_comes_out_the_same(self) -> None:
        plain = self.pictures()
        for told in ({"working_depth": 16}, {"working_depth": 10}, {"kernel": "lanczos"}):
            for one, other in zip(plain, self.pictures(**told), strict=True):
                np.testing.assert_array_equal(one, other)

    def test_what_is_mixed_is_rounded_once_at_the_end(self) -> None:
        mixed = {"rate": "30", "retime": "blend"}
        one, deep = self.pictures(**mixed), self.pictures(**mixed, working_depth=16)
        off = np.concatenate([np.abs(a - b).ravel() for a, b in zip(one, deep, strict=True)])
        self.assertGreater(off.max(), 0)
        self.assertLessEqual(off.max(), 1, "no more than what rounding is")

    def test_a_sharper_kernel_scales_sharper(self) -> None:
        small = {"size": {"mode": "fixed", "width": 160, "height": 90}}

        def edges(kernel: str) -> float:
            shown = self.pictures(**small, kernel=kernel)[0]
            return float(np.abs(np.diff(shown, axis=1)).mean())

        self.assertLess(edges("area"), edges("bicubic"))
        self.assertLess(edges("bicubic"), edges("lanczos"))


class Colours(unittest.TestCase):
    """Bars come through every conversion within one code value."""

    COLOURS = (
        (191, 191, 191),
        (191, 191, 0),
        (0, 191, 191),
        (0, 191, 0),
        (191, 0, 191),
        (191, 0, 0),
        (0, 0, 191),
        (16, 16, 16),
    )

    def values(
        self, colour: tuple[int, int, int, int], rgb: tuple[float, float, float]
    ) -> tuple[float, float, float]:
        kr, kb = {1: (0.2126, 0.0722), 9: (0.2627, 0.0593)}.get(colour[2], (0.299, 0.114))
        r, g, b = (value / 255 for value in rgb)
        y = kr * r + (1 - kr - kb) * g + kb * b
        cb, cr = (b - y) / (2 * (1 - kb)), (r - y) / (2 * (1 - kr))
        if colour[3] == 2:
            return y * 255, cb * 255 + 128, cr * 255 + 128
        return 16 + y * 219, 128 + cb * 224, 128 + cr * 224

    def again(
        self, colour: tuple[int, int, int, int], values: tuple[float, ...], target: tuple[int, int, int, int]
    ) -> tuple[float, float, float]:
        """Whole code values of one colour in another, by the standards' equations."""
        kr, kb = {1: (0.2126, 0.0722)}.get(colour[2], (0.299, 0.114))
        whole = [float(round(value)) for value in values]
        if colour[3] == 2:
            y, cb, cr = whole[0] / 255, (whole[1] - 128) / 255, (whole[2] - 128) / 255
        else:
            y, cb, cr = (whole[0] - 16) / 219, (whole[1] - 128) / 224, (whole[2] - 128) / 224
        r, b = y + 2 * (1 - kr) * cr, y + 2 * (1 - kb) * cb
        g = (y - kr * r - kb * b) / (1 - kr - kb)
        return self.values(target, (r * 255, g * 255, b * 255))

    def test_matrix_and_range(self) -> None:
        place = folder()
        forms = {
            "709": Format(codec="ffv1", pixel_format="yuv444p", colour=BT709),
            "601": Format(codec="ffv1", pixel_format="yuv444p", colour=BT601_625),
            "full": Format(codec="ffv1", pixel_format="yuv444p", colour=(1, 1, 1, 2)),
        }
        for name, form in forms.items():
            path = place / f"{name}.mkv"
            write_values(path, [self.values(form.colour, rgb) for rgb in self.COLOURS], form)
            facts = inspect_clip(str(path))
            for target in (BT709, BT601_625, (1, 1, 1, 2)):
                cut = clip_cut_list(facts).model_copy(update={"colour": target})
                (row,) = pictures(job_of(cut, FrameRange(0, 1)))
                y, u, v = row[: 256 * 64].reshape(64, 256), *row[256 * 64 :].reshape(2, 32, 128)
                for number, rgb in enumerate(self.COLOURS):
                    wanted = self.again(form.colour, self.values(form.colour, rgb), target)
                    found = (y[32, number * 32 + 16], u[16, number * 16 + 8], v[16, number * 16 + 8])
                    for one, two in zip(found, wanted, strict=True):
                        self.assertLessEqual(abs(float(one) - two), 1.0, (name, target, rgb, found, wanted))

    def test_wide_gamut_white_and_grey_stay(self) -> None:
        path = folder() / "wide.mkv"
        greys = ((255, 255, 255), (128, 128, 128)) * 4
        form = Format(codec="ffv1", pixel_format="yuv444p", colour=BT2020)
        write_values(path, [self.values(BT2020, rgb) for rgb in greys], form)
        cut = clip_cut_list(inspect_clip(str(path))).model_copy(update={"colour": BT709})
        (row,) = pictures(job_of(cut, FrameRange(0, 1)))
        y = row[: 256 * 64].reshape(64, 256)
        for number, rgb in enumerate(greys):
            self.assertLessEqual(abs(float(y[32, number * 32 + 16]) - self.values(BT709, rgb)[0]), 1.5)


def write_values(path: Path, values: list[tuple[float, float, float]], form: Format) -> None:
    """One picture of 256×64 with a bar of each value, as Y'CbCr numbers."""
    picture = av.VideoFrame(256, 64, "yuv444p")
    for plane, channel in zip(picture.planes, range(3), strict=True):
        lines = np.frombuffer(memoryview(plane), np.uint8).reshape(64, plane.line_size)
        for number, value in enumerate(values):
            lines[:, number * 32 : (number + 1) * 32] = round(value[channel])
    with av.open(str(path), "w") as output:
        stream = output.add_stream(form.codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = 256, 64, "yuv444p"
        context = stream.codec_context
        context.color_primaries, context.color_trc, context.colorspace, context.color_range = form.colour
        picture.pts = 0
        output.mux(stream.encode(picture))
        output.mux(stream.encode(None))
