"""Groups of pictures copied out of long-GOP films in real runs: each codec, closed and open, bit by bit and wherever one begins to read."""

from __future__ import annotations

import random
import tempfile
import unittest
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any, ClassVar, NamedTuple
from unittest import mock

import av
import numpy as np
import opentimelineio as otio
from numpy.typing import NDArray

from chronocast.crew.local.work import Worker
from chronocast.journal.documents import load_batch, save_batch
from chronocast.journal.workspace import Workspace
from chronocast.media.copy import seams
from chronocast.media.copy.copied import CopyFailed
from chronocast.media.copy.piece import copy_piece
from chronocast.media.copy.run import Run
from chronocast.media.files.footage import Format, write_footage
from chronocast.media.files.prove import Found, prove
from chronocast.media.picture_digest import picture_digest
from chronocast.media.source.inspect import inspect_clip
from chronocast.media.source.opening import opened
from chronocast.media.source.readers import Readers
from chronocast.model.batch.batch import FULL, Batch, NamedRange
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe, SoundRecipe
from chronocast.preparation.forecast.treatments import treatments_told
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.today import outlook_now, prepared
from chronocast.run.view import OutputView, RunView
from tests.footage import counted, counters, tone
from tests.runs import render
from tests.sequences import clip_item, sequence

FILM, CUT, STARTS = 200, 90, (3, 57, 105)


class Film(NamedTuple):
    """A film whose groups are copied: its file, its encoder and what that is told, our codec, the file made of it."""

    name: str
    encoder: str
    options: dict[str, str]
    codec: str
    made: str = "mp4"
    samples: str = "yuv420p"


FILMS = (
    Film("closed.mp4", "libx264", {"g": "10"}, "h264"),
    Film("open.mp4", "libx264", {"g": "10", "x264-params": "open-gop=1:slices=3:ref=4"}, "h264", "mov"),
    Film("open.ts", "libx264", {"g": "10", "x264-params": "open-gop=1"}, "h264", "mkv"),
    Film("ten bits.mkv", "libx264", {"g": "10"}, "h264", "ts", "yuv420p10le"),
    Film("hevc open.mp4", "libx265", {"g": "10", "x265-params": "log-level=none:open-gop=1"}, "hevc"),
    Film("hevc.mkv", "libx265", {"g": "10", "x265-params": "log-level=none:open-gop=0"}, "hevc", "mkv"),
    Film("broadcast.ts", "mpeg2video", {"g": "10", "bf": "2", "qmin": "2", "qmax": "4"}, "mpeg2", "mxf"),
)


def alike(codec: str, container: Any = "mp4", **told: Any) -> Recipe:
    """A recipe that copies what it can, and encodes the rest at a constant quality."""
    control = RateControl(mode="quality", quality=4 if codec == "mpeg2" else 20)
    told = {"size": FrameSize(mode="source"), "copies": "alike", "rate_control": control, **told}
    return Recipe(
        id=f"{codec}-{container}",
        name=f"{codec} as it is",
        container=container,
        sound=None,
        picture=PictureRecipe(codec=codec, effort="fast", **told),
    )


def digests(path: Path) -> list[bytes]:
    """Of the decoded pictures of a file, in order, by plain decoding."""
    with av.open(str(path)) as container:
        return [picture_digest(picture) for picture in container.decode(container.streams.video[0])]


class Groups(unittest.TestCase):
    folder: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(tempfile.mkdtemp())
        for number, film in enumerate(FILMS):
            cls.film(film, 210 + number)

    @classmethod
    def film(cls, film: Film, number: int, frames: int = FILM) -> Path:
        path = cls.folder / film.name
        options = {"preset": "veryfast", **film.options}
        form = Format(film.encoder, film.samples, options, bit_rate=4_000_000)
        write_footage(str(path), counted(number, frames), Fraction(25), quality=22, form=form)
        return path

    def batch(self, name: str, source: Path, *recipes: Recipe) -> Path:
        batch = Batch(title=name, folder=f"out {name}")
        for recipe in recipes:
            batch = add_recipe(batch, recipe)
        batch = add_source(batch, source.name, name, "sequence" if source.suffix == ".otio" else "clip")
        batch = fill(batch, [(batch.sources[0].id, FULL, recipe.id) for recipe in recipes])
        path = self.folder / f"{name}.batch.json"
        save_batch(batch, path)
        return path

    def cut(self, name: str, *parts: tuple[Path, int, int]) -> Path:
        path = self.folder / f"{name}.otio"
        items = [clip_item(film, start, frames) for film, start, frames in parts]
        otio.adapters.write_to_file(sequence(items), str(path))
        return path

    def ready(self, path: Path) -> OutputReady:
        (ready,) = prepared(load_batch(path), path, Workspace()).outputs
        return ready

    def made(self, path: Path) -> OutputView:
        view: RunView = render(load_batch(path), path)
        (output,) = view.outputs.values()
        self.assertEqual(output.state, "proved", output.reason)
        return output

    def test_three_cuts_of_a_film_are_copied_but_for_what_is_around_them(self) -> None:
        batch = Batch(title="Cuts", folder="out cuts")
        for number, film in enumerate(FILMS):
            source = self.folder / film.name
            cut = self.cut(f"film {number}", *((source, start, CUT) for start in STARTS))
            recipe = alike(film.codec, film.made, **({"depth": 10} if "10" in film.samples else {}))
            batch = add_recipe(batch, recipe.model_copy(update={"id": f"as-it-is-{number}"}))
            batch = add_source(batch, cut.name, f"Film {number}", "sequence")
        wanted = [(s.id, FULL, r.id) for s, r in zip(batch.sources, batch.recipes, strict=True)]
        path = self.folder / "cuts.batch.json"
        save_batch(fill(batch, wanted), path)
        told = outlook_now(prepared(load_batch(path), path, Workspace()), Workspace())
        made = render(load_batch(path), path).outputs
        for item, film in zip(told.outputs, FILMS, strict=True):
            with self.subTest(film.name):
                ready, output = item.ready, made[item.ready.output.id]
                self.assertEqual(output.state, "proved", output.reason)
                copied = sum(piece.frames for piece in ready.plan.pieces if piece.copied)
                self.assertGreaterEqual(copied / ready.plan.frames, 0.8)
                self.assertIn(f"{copied} frames copied", treatments_told(item))
                self.assertEqual(output.copied, sum(piece.copied for piece in ready.plan.pieces))
                self.assertEqual(
                    {c["name"]: c["ok"] for c in output.checks if c["name"] in ("copied", "around joins")},
                    {"copied": True, "around joins": True},
                )
                self.assertEqual("hev1" in str(output.checks), (film.codec, film.made) == ("hevc", "mp4"))
                self.same_as_its_source(Path(output.path), self.folder / film.name, ready)
                self.reads_from_anywhere(Path(output.path))

    def same_as_its_source(self, made: Path, source: Path, ready: OutputReady) -> None:
        wanted, found = digests(source), digests(made)
        self.assertEqual(len(found), ready.plan.frames)
        at = 0
        for piece in ready.plan.pieces:
            layer = piece.spans[0].layers[0]
            if piece.copied:
                first = int(layer.start)
                self.assertEqual(found[at : at + piece.frames], wanted[first : first + piece.frames])
            at += piece.frames
        shown = counters(source)
        self.assertEqual(counters(made), [shown[start + n] for start in STARTS for n in range(CUT)])

    def reads_from_anywhere(self, made: Path) -> None:
        """Whoever begins to read at any place sees what whoever reads from the beginning sees."""
        with av.open(str(made)) as container:
            stream = container.streams.video[0]
            whole = {picture.pts: picture_digest(picture) for picture in container.decode(stream)}
        chance = random.Random(7)
        for time in chance.sample(sorted(whole), 12):
            with av.open(str(made)) as container:
                stream = container.streams.video[0]
                container.seek(time, stream=stream)
                found = next(picture for picture in container.decode(stream) if picture.pts >= time)
                self.assertEqual(picture_digest(found), whole[found.pts])

    def test_films_whose_parameter_sets_can_t_be_called_otherwise_are_not_mixed(self) -> None:
        plain = {"g": "10", "refs": "5", "bf": "0", "x264-params": "cabac=0"}
        fixed = self.film(Film("fixed.mp4", "libx264", plain, "h264"), 230)
        cut = self.cut("two", (self.folder / "closed.mp4", 0, 60), (fixed, 0, 60))
        path = self.batch("two", cut, alike("h264"))
        self.assertEqual([piece.copied for piece in self.ready(path).plan.pieces], [True, False])
        self.assertIn("parameter sets have the same number", self.ready(path).why_encoded)
        self.assertEqual(self.made(path).copied, 1)

    def test_films_of_several_cameras_are_copied_into_one_file(self) -> None:
        """Their parameter sets have the same number: those of later ones get others, in the sets and in every slice."""
        other = self.film(Film("other.mp4", "libx264", {"g": "10", "refs": "5", "bf": "0"}, "h264"), 230)
        films = (self.folder / "closed.mp4", other, self.folder / "open.mp4", self.folder / "closed.mp4")
        cut = self.cut("cameras", *((film, 13, 60) for film in films))
        path = self.batch("cameras", cut, alike("h264"))
        ready = self.ready(path)
        copied = [piece for piece in ready.plan.pieces if piece.copied]
        self.assertEqual([piece.sets_moved for piece in copied], [0, 1, 2, 0])
        output = self.made(path)
        self.assertEqual(output.copied, len({piece.name for piece in copied}))
        found, at = digests(Path(output.path)), 0
        for piece in ready.plan.pieces:
            layer = piece.spans[0].layers[0]
            if piece.copied and layer.media:
                first = int(layer.start)
                wanted = digests(Path(layer.media.path))[first : first + piece.frames]
                self.assertEqual(found[at : at + piece.frames], wanted)
            at += piece.frames
        self.reads_from_anywhere(Path(output.path))

    def test_parameter_sets_of_hevc_are_told_by_each_piece(self) -> None:
        cut = self.cut("several", (self.folder / "hevc open.mp4", 0, 60), (self.folder / "hevc.mkv", 20, 60))
        path = self.batch("several", cut, alike("hevc"))
        self.assertEqual(self.made(path).copied, 2, "each says its own where it begins")

    def test_what_doesn_t_fit_is_encoded_and_says_why(self) -> None:
        closed = self.folder / "closed.mp4"
        rated = RateControl(mode="variable", target_bits_per_second=500_000)
        for told, why in (
            ({"rate_control": rated}, "a rate or a peak is asked for"),
            ({"depth": 10}, "other samples"),
            ({"level": "5.1"}, "another level"),
            ({"profile": "main"}, "not main"),
            ({"rate": "50"}, "another rate"),
            ({"size": FrameSize(mode="fixed", width=160, height=90)}, "smaller"),
        ):
            with self.subTest(why):
                ready = self.ready(self.batch("why", closed, alike("h264", **told)))
                self.assertFalse(any(piece.copied for piece in ready.plan.pieces))
                self.assertIn(why, ready.why_encoded)
        ready = self.ready(self.batch("why", closed, alike("h264", copies="exact")))
        self.assertEqual((ready.why_encoded, ready.plan.pieces[0].copied), ("", False))

    def test_what_isn_t_known_to_work_is_encoded(self) -> None:
        for name, told, why in (
            ("cavlc.mp4", {"x264-params": "open-gop=1:cabac=0", "g": "10"}, "only whole groups"),
            ("fields.mp4", {"x264-params": "tff=1", "g": "10", "flags": "+ildct+ilme"}, "fields"),
            ("one group.mp4", {"g": "900"}, "only whole groups"),
        ):
            with self.subTest(name):
                film = self.film(Film(name, "libx264", told, "h264"), 231, 60)
                cut = self.cut(name.partition(".")[0], (film, 15, 40))
                ready = self.ready(self.batch(name, cut, alike("h264")))
                self.assertFalse(any(piece.copied for piece in ready.plan.pieces))
                self.assertIn(why, ready.why_encoded)

    def test_from_where_on_a_run_is_decoded_as_before_follows_from_its_headers(self) -> None:
        """A decoder holds the same pictures, and slices mean the same ones; whatever is otherwise is decoded."""
        path = str(self.folder / "open.mp4")
        with Readers() as readers:
            index = readers.reader(path, "open").index
        first = index.number[index.keys[3][0]]
        for moved_by in (0, 1):
            with opened(path) as film:
                plain = Run.read(film, index, first, FILM, moved_by)
            run = plain.begun()

            def settled(packets: Sequence[bytes], plain: Run = plain) -> int:
                return plain.stream.settled(plain.packets, packets, plain.dropped)

            self.assertGreater(len(run.keys), 5)
            self.assertLessEqual(settled(run.packets), run.keys[1], "the pictures before it are forgotten")
            self.assertEqual(
                settled(plain.packets) if not moved_by else 0, 0, "the same packets need no proof"
            )
            cut_short = (*run.packets[:4], run.packets[4][:6], *run.packets[5:])
            self.assertEqual(settled(cut_short), len(run.packets), "what can't be read isn't known")
            for place in (run.keys[3], run.keys[3] + 2, len(run.packets) - 1):
                packet = bytearray(run.packets[place])
                packet[-9] ^= 1
                spoilt = (*run.packets[:place], bytes(packet), *run.packets[place + 1 :])
                self.assertEqual(settled(spoilt), place + 1, "other bits")
                foreign = (*run.packets[:place], run.packets[place - 1], *run.packets[place + 1 :])
                self.assertGreater(settled(foreign), place, "another picture")

    def test_groups_that_don_t_prove_are_encoded_and_the_reason_is_told(self) -> None:
        ready = self.ready(self.batch("fall", self.folder / "closed.mp4", alike("h264")))
        job = ready.plan.pieces[0].model_copy(update={"target": str(self.folder / "fall.mp4")})
        real = Path(job.spans[0].layers[0].media.path)  # type: ignore[union-attr]
        for broken, why in (
            ({"digests": ("a", "b", "c")}, "decode otherwise"),
            ({"frames": 3}, "decode"),
            ({"uneven": 2}, "not in their place"),
            ({"complaints": ("mmco: unref short failure",)}, "complains"),
        ):

            def proved(path: str, told: dict[str, Any] = broken, **asked: Any) -> Found:
                found = prove(path, **asked)
                return replace(found, **told) if path.endswith("joined.mp4") else found

            with self.subTest(why), mock.patch.object(seams, "prove", proved):
                told = Worker(lambda **_: None).do(job, 1)
                self.assertIn(why, told["encoded_because"])
                self.assertNotIn("copied", told)
                self.assertEqual(counters(Path(job.target)), counters(real))

    def test_a_run_that_isn_t_whole_groups_is_refused(self) -> None:
        ready = self.ready(self.batch("part", self.folder / "open.ts", alike("h264")))
        job, layer = ready.plan.pieces[0], ready.plan.pieces[0].spans[0].layers[0]
        for start, frames in ((1, 40), (10, 45)):
            span = job.spans[0].model_copy(
                update={"frames": frames, "layers": (layer.model_copy(update={"start": Fraction(start)}),)}
            )
            wrong = job.model_copy(update={"target": str(self.folder / "part.mp4"), "spans": (span,)})
            with self.subTest(start), Readers() as readers, self.assertRaises(CopyFailed):
                copy_piece(wrong, readers)

    def test_an_open_film_begun_in_the_middle_isn_t_taken_for_a_damaged_one(self) -> None:
        """Decoders complain of pictures that commands to forget aim at, and that were never read."""
        cut = self.cut("middle", *((self.folder / "open.mp4", start, 30) for start in (33, 77, 121)))
        plain = alike("h264", "mkv", copies="exact")
        self.made(self.batch("middle", cut, plain))
        self.assertEqual(inspect_clip(str(self.folder / "open.mp4")).damage, ())

    def test_sound_comes_along_as_it_is_where_its_packets_can(self) -> None:
        frames = 160
        heard = tone(frames / 25)
        for name, container, told in (("heard.mp4", "mp4", ""), ("heard.mkv", "mov", "to the sample")):
            with self.subTest(name):
                film = self.folder / name
                form = Format(options={"preset": "veryfast", "g": "10"})
                write_footage(
                    str(film), counted(232, frames), Fraction(25), quality=22, sound=heard, form=form
                )
                recipe = alike("h264", container).model_copy(
                    update={"sound": SoundRecipe(bits_per_second=96_000)}
                )
                path = self.batch(name.replace(".", " "), film, recipe)
                batch = load_batch(path)
                part = NamedRange(id="cut", name="Cut", start=33, stop=140)
                source = batch.sources[0].model_copy(update={"ranges": (part,)})
                batch = batch.model_copy(update={"sources": (source,), "outputs": ()})
                save_batch(fill(batch, [(source.id, "cut", recipe.id)]), path)
                self.assertTrue(self.ready(path).plan.sound.copies)  # type: ignore[union-attr]
                output = self.made(path)
                checks = {check["name"]: check for check in output.checks}
                self.assertEqual("sound copied" in checks, not told)
                if told:
                    self.assertIn(told, checks["encoded instead"]["found"])
                first, made = round(33 / 25 * 48000), self.samples(Path(output.path))
                count = round(107 / 25 * 48000)
                self.assertGreaterEqual(made.shape[1], count)
                off = made[:, :count] - self.samples(film)[:, first : first + count]
                energy = float(np.square(made[:, :count]).sum())
                self.assertLess(float(np.square(off).sum()), energy * (1e-3 if not told else 0.05))

    @staticmethod
    def samples(path: Path) -> NDArray[np.float32]:
        with av.open(str(path)) as container:
            return np.concatenate([frame.to_ndarray() for frame in container.decode(audio=0)], axis=1)
