"""Copied packets in real runs: bit by bit what the source has, mixed with what is encoded, and never where it isn't exact."""

from __future__ import annotations

import os
import tempfile
import unittest
from fractions import Fraction
from pathlib import Path
from typing import ClassVar
from unittest import mock

import av
import opentimelineio as otio

from chronocast.crew.local.work import Worker
from chronocast.journal.documents import load_batch, save_batch
from chronocast.journal.workspace import Workspace
from chronocast.media.copy.copied import CopyFailed
from chronocast.media.copy.piece import copy_piece
from chronocast.media.errors import MediaError
from chronocast.media.files.footage import Format, write_footage
from chronocast.media.picture_digest import picture_digest
from chronocast.media.source.readers import Readers
from chronocast.model.batch.batch import FULL, Batch, NamedRange
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.batch.exceptions import with_values
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, Recipe
from chronocast.preparation.forecast.treatments import piece_map, treatments_told
from chronocast.preparation.output.output_ready import OutputReady, Prospect
from chronocast.preparation.today import outlook_now, prepared
from chronocast.run.view import RunView
from tests.footage import clip, counted, counters
from tests.runs import children_did, render
from tests.sequences import clip_item, sequence

SIZE = FrameSize(mode="source")


def mezzanine(codec: str, grade: str, container: str = "mov") -> Recipe:
    return Recipe(
        id=f"{codec}-{grade}-{container}",
        name=f"{codec} {grade}",
        container=container,
        sound=None,
        picture=PictureRecipe(codec=codec, grade=grade, size=SIZE),
    )


LT, STANDARD = mezzanine("prores", "lt"), mezzanine("prores", "standard")
SQ = mezzanine("dnxhr", "sq")


def digests(path: Path, first: int = 0, frames: int | None = None) -> list[bytes]:
    """Of the decoded pictures of a file."""
    with av.open(str(path)) as container:
        found = [picture_digest(picture) for picture in container.decode(container.streams.video[0])]
    return found[first : None if frames is None else first + frames]


class Copying(unittest.TestCase):
    folder: ClassVar[Path]
    lt: ClassVar[Path]
    sq: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(tempfile.mkdtemp())
        clip(cls.folder / "camera.mp4", 201, 230, sound=False)
        batch = Batch(title="Masters", folder="masters")
        for recipe in (LT, SQ):
            batch = add_recipe(batch, recipe)
        batch = add_source(batch, "camera.mp4", "Camera", "clip")
        batch = fill(batch, [("camera", FULL, recipe.id) for recipe in (LT, SQ)])
        path = cls.folder / "masters.batch.json"
        save_batch(batch, path)
        made = render(batch, path).outputs
        # beside the batches that use them
        cls.lt, cls.sq = cls.folder / "lt.mov", cls.folder / "sq.mov"
        for recipe, master in ((LT, cls.lt), (SQ, cls.sq)):
            os.replace(made[f"camera-{recipe.id}"].path, master)

    def batch(
        self, name: str, sources: dict[str, Path], *recipes: Recipe, part: tuple[int, int] = (0, 0)
    ) -> Path:
        batch = Batch(title=name, folder=f"out {name}")
        for recipe in recipes:
            batch = add_recipe(batch, recipe)
        for title, path in sources.items():
            kind = "sequence" if path.suffix == ".otio" else "clip"
            batch = add_source(batch, path.name, title, kind)
        ranges = FULL
        if part[1]:
            ranges = "cut"
            sources_with = tuple(
                s.model_copy(
                    update={"ranges": (NamedRange(id="cut", name="Cut", start=part[0], stop=part[1]),)}
                )
                for s in batch.sources
            )
            batch = batch.model_copy(update={"sources": sources_with})
        batch = fill(batch, [(s.id, ranges, r.id) for s in batch.sources for r in batch.recipes])
        path = self.folder / f"{name}.batch.json"
        save_batch(batch, path)
        return path

    def run_of(self, path: Path) -> RunView:
        view = render(load_batch(path), path)
        self.assertEqual(
            {o.state for o in view.outputs.values()}, {"proved"}, [o.reason for o in view.outputs.values()]
        )
        return view

    def ready(self, path: Path) -> list[OutputReady]:
        return prepared(load_batch(path), path, Workspace()).outputs

    def test_a_part_of_a_master_is_copied_bit_by_bit_and_nothing_is_encoded(self) -> None:
        for name, source, recipe, first in (
            ("lt", self.lt, LT, 13),
            ("sq", self.sq, SQ, 13),
            ("mkv", self.lt, mezzanine("prores", "lt", "mkv"), 14),
        ):
            with self.subTest(name):
                path = self.batch(name, {"master": source}, recipe, part=(first, first + 206))
                before = set(children_did())
                view = outlook_now(prepared_of(path), Workspace())
                (item,) = view.outputs
                self.assertEqual([run.treatment for run in piece_map(item)], ["copied"])
                self.assertIn("all copied", treatments_told(item))
                self.assertIsNone(item.looks, "nothing is lost")
                self.assertEqual(view.copied_share, 1.0)
                (output,) = self.run_of(path).outputs.values()
                self.assertEqual(set(children_did()) - before, set())
                self.assertEqual((output.copied, output.encoded), (len(item.ready.plan.pieces), 0))
                self.assertEqual(digests(Path(output.path)), digests(source, first, 206))
                told = {check["name"]: check for check in output.checks}
                self.assertTrue(told["copied"]["ok"])
                size = os.path.getsize(Path(output.path))
                self.assertTrue(item.bytes.p10 * 0.99 <= size <= item.bytes.safe * 1.01, (size, item.bytes))

    def test_copied_and_encoded_pieces_stand_in_one_file(self) -> None:
        plain = clip(self.folder / "plain.mp4", 203, 150, sound=False)
        path = self.folder / "film.otio"
        parts = [(self.lt, 20), (plain, 10), (self.lt, 120)]
        otio.adapters.write_to_file(sequence([clip_item(p, at, 75) for p, at in parts]), str(path))
        batch = self.batch("mixed", {"film": path}, LT)
        (ready,) = self.ready(batch)
        self.assertEqual([piece.copied for piece in ready.plan.pieces], [True, False, True])
        self.assertIn("its source is h264", ready.why_encoded)
        (output,) = self.run_of(batch).outputs.values()
        self.assertEqual((output.copied, output.encoded), (2, 1))
        made = Path(output.path)
        self.assertEqual(digests(made, 0, 75), digests(self.lt, 20, 75))
        self.assertEqual(digests(made, 150, 75), digests(self.lt, 120, 75))
        self.assertEqual(counters(made)[75:150], [(203, n) for n in range(10, 85)])

    def test_what_is_not_exact_is_encoded_and_says_why(self) -> None:
        path = self.batch("why", {"master": self.lt}, LT)
        (ready,) = self.ready(path)
        self.assertTrue(all(piece.copied for piece in ready.plan.pieces))
        for values, why in (
            ({"picture.grade": "hq"}, "ProRes LT, HQ is asked for"),
            ({"picture.size": {"mode": "fixed", "width": 160, "height": 90}}, "smaller"),
            ({"picture.rate": "50"}, "rate"),
            ({"picture.copies": False}, "the recipe asks for everything"),
            ({"picture.codec": "dnxhr", "picture.grade": "sq", "picture.depth": 8}, "not DNxHR"),
        ):
            with self.subTest(why):
                other = with_values(LT, values)
                (changed,) = self.ready(self.batch("why", {"master": self.lt}, other))
                self.assertFalse(any(piece.copied for piece in changed.plan.pieces))
                self.assertIn(why, changed.why_encoded)
                self.assertNotEqual(changed.plan.pieces[0].name, ready.plan.pieces[0].name)

    def test_pictures_that_are_tagged_otherwise_than_their_file_are_encoded(self) -> None:
        path = self.folder / "untagged.mov"
        form = Format("prores_ks", "yuv422p10le", {"profile": "1"})
        write_footage(str(path), counted(204, 60), Fraction(25), quality=20, form=form)
        (ready,) = self.ready(self.batch("untagged", {"master": path}, LT))
        self.assertFalse(any(piece.copied for piece in ready.plan.pieces))
        self.assertIn("tagged with other colours", ready.why_encoded)

    def test_packets_that_can_t_be_had_are_encoded_instead_and_the_reason_is_kept(self) -> None:
        (ready,) = self.ready(self.batch("fall", {"master": self.lt}, LT))
        piece = ready.plan.pieces[0]
        job = piece.model_copy(update={"target": str(self.folder / "fall.mov")})
        worker = Worker(lambda **_: None)
        with mock.patch(
            "chronocast.crew.local.work.copy_piece", side_effect=CopyFailed("Picture 3 isn't whole.")
        ):
            told = worker.do(job, 1)
        self.assertEqual((told["encoded_because"], "copied" in told), ("Picture 3 isn't whole.", False))
        self.assertEqual(counters(Path(job.target)), [(201, n) for n in range(job.frames)])

    def test_a_shortened_source_is_never_copied_as_if_it_were_whole(self) -> None:
        (ready,) = self.ready(self.batch("short", {"master": self.lt}, LT))
        piece = ready.plan.pieces[-1]
        layer = piece.spans[0].layers[0]
        beyond = layer.model_copy(update={"start": layer.start + 5})
        job = piece.model_copy(
            update={
                "target": str(self.folder / "short.mov"),
                "spans": (piece.spans[0].model_copy(update={"layers": (beyond,)}),),
            }
        )
        with Readers() as readers, self.assertRaises(MediaError):
            copy_piece(job, readers)


def prepared_of(path: Path) -> Prospect:
    return prepared(load_batch(path), path, Workspace())
