"""Base pieces: composed once where that pays, the same files as without, gone when nothing waits for them."""

from __future__ import annotations

import os
import shutil
import tempfile
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import mock

from chronocast.journal.documents import load_batch, save_batch
from chronocast.journal.workspace import Workspace
from chronocast.media.files.footage import Format, write_footage
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.exceptions import with_values
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.outlook_json import as_json
from chronocast.preparation.forecast.treatments import bases_told
from chronocast.preparation.today import outlook_now, prepared
from chronocast.run.view import RunView
from tests.footage import counted
from tests.runs import children_did, render, small_batch

HARD = Recipe(
    id="hard",
    name="Hard",
    sound=None,
    picture=PictureRecipe(
        effort="fast",
        size=FrameSize(mode="fixed", width=192, height=108),
        rate="30",
        retime="motion",
        rate_control=RateControl(mode="quality", quality=20),
    ),
)
"""Pictures between pictures, by their motion: composing them costs many times what encoding them does."""


def told(recipe: Recipe, name: str, **values: Any) -> Recipe:
    """The same recipe with other values, under another name."""
    other = with_values(recipe, {f"picture.{key.replace('__', '.')}": value for key, value in values.items()})
    return other.model_copy(update={"id": name, "name": name})


class Bases(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())

    def batch(self, name: str, *recipes: Recipe) -> tuple[Batch, Path]:
        path = small_batch(self.folder / name, 1, 50, recipes, first=77, sound=False)
        return load_batch(path), path

    def made(self, batch: Batch, path: Path) -> list[bytes]:
        """The files of a whole run."""
        return [Path(output.path).read_bytes() for output in self.run_of(batch, path).outputs.values()]

    def run_of(self, batch: Batch, path: Path) -> RunView:
        view = render(batch, path)
        for output in view.outputs.values():
            self.assertEqual(output.state, "proved", output.reason)
        return view

    def view(self, batch: Batch, path: Path) -> Outlook:
        return outlook_now(prepared(batch, path, Workspace()), Workspace())

    @contextmanager
    def empty_home(self) -> Iterator[None]:
        names = ("CHRONOCAST_DATA", "CHRONOCAST_STATE")
        with mock.patch.dict(os.environ, {name: tempfile.mkdtemp(dir=self.folder) for name in names}):
            yield

    def in_stock(self, ending: str = "nut") -> list[Path]:
        """Base pieces that lie in the stock."""
        found = Workspace().stock.folder.glob("??/*.mp4")
        return [path for path in found if path.read_bytes()[:3] == ending.encode()]

    def test_composed_once_for_several_files_which_are_the_same_as_without(self) -> None:
        recipes = (HARD, told(HARD, "small", rate_control__quality=30))
        with self.empty_home():
            batch, path = self.batch("based", *recipes)
            view = self.view(batch, path)
            first, second = view.outputs
            self.assertEqual([stage.kind.id for stage in first.stages], ["base", "encode", "join", "check"])
            self.assertEqual([stage.kind.id for stage in second.stages], ["encode", "join", "check"])
            self.assertIn("1 piece composed once, with 1 other file", bases_told(second))
            self.assertGreater(as_json(view)["outputs"][0]["pieces"]["bases_save_seconds"], 0)
            based = self.made(batch, path)
            self.assertEqual((len(children_did(kind="base")), len(children_did())), (1, 2))
            self.assertEqual(self.in_stock(), [], "nothing waits for it any more")
            with Workspace().ledger() as ledger:
                paces = {fact.pace for fact in ledger.pieces()}
            self.assertLessEqual({"composing", "reading a base piece", "utvideo base by pixels"}, paces)
        with self.empty_home():
            batch, path = self.batch("plain", *(told(recipe, recipe.id, bases="never") for recipe in recipes))
            self.assertEqual(self.made(batch, path), based, "bit by bit")
            self.assertEqual(children_did(kind="base"), [])

    def test_not_where_slots_would_stand_idle_for_longer_than_that_spares(self) -> None:
        """Two short files wait for one base piece, which one slot makes; with more to do meanwhile it is worth it."""
        plain = told(
            HARD, "a", retime="nearest", rate=None, size=FrameSize(mode="fixed", width=960, height=540)
        )
        two = (plain, told(plain, "b", rate_control__quality=30))
        more = [told(HARD, f"more-{n}", bases="never", rate_control__quality=20 + n) for n in range(4)]
        form = Format("libx265", "yuv420p10le", {"preset": "ultrafast", "x265-params": "log-level=none"})
        film, decided = self.folder / "hard.mp4", {}
        write_footage(str(film), counted(77, 60, 2560, 1440), Fraction(25), quality=30, form=form)
        for slots, recipes in (("1", two), ("4", two), ("4", (*two, *more))):
            with self.empty_home(), mock.patch.dict(os.environ, {"CHRONOCAST_SLOTS": slots}):
                path = small_batch(self.folder / f"{slots} {len(recipes)}", 1, 60, recipes, sound=False)
                shutil.copy(film, path.parent / "clip 0.mp4")
                outputs = self.view(load_batch(path), path).outputs[:2]
                decided[slots, len(recipes)] = [len(item.ready.bases.names) for item in outputs]
        self.assertEqual(decided, {("1", 2): [1, 1], ("4", 2): [0, 0], ("4", 6): [1, 1]})

    def test_one_file_is_composed_as_it_is_encoded_and_easy_pictures_for_each(self) -> None:
        easy = told(HARD, "easy", retime="nearest", rate=None)
        for recipes in ((HARD,), (easy, told(easy, "small", rate_control__quality=30))):
            batch, path = self.batch(f"{len(recipes)} alone", *recipes)
            for item in self.view(batch, path).outputs:
                self.assertEqual((item.ready.bases.names, bases_told(item)), (frozenset(), ""))

    def test_kept_for_what_is_changed_later_and_done_without_where_it_is_damaged(self) -> None:
        kept = told(HARD, "kept", bases="kept")
        with self.empty_home():
            batch, path = self.batch("wished", kept)
            self.made(batch, path)
            (base,) = self.in_stock()
            changed = told(kept, "kept", rate_control__quality=27)
            batch = batch.model_copy(update={"recipes": (changed,)})
            save_batch(batch, path)
            (output,) = self.view(batch, path).outputs
            self.assertEqual([stage.kind.id for stage in output.stages], ["encode", "join", "check"])
            os.unlink(self.run_path(batch, path))
            again = self.made(batch, path)
            self.assertEqual((len(children_did(kind="base")), len(children_did())), (1, 2))

            spoilt = bytearray(base.read_bytes())
            spoilt[len(spoilt) // 2 : len(spoilt) // 2 + 400] = bytes(400)
            base.write_bytes(spoilt)
            other = told(kept, "kept", rate_control__quality=33)
            batch = batch.model_copy(update={"recipes": (other,)})
            save_batch(batch, path)
            os.unlink(self.run_path(batch, path))
            without = self.made(batch, path)
            self.assertEqual(self.in_stock(), [], "what is damaged is thrown out")
        with self.empty_home():
            for recipe, expected in ((changed, again), (other, without)):
                batch, path = self.batch(f"fresh {len(expected[0])}", told(recipe, "kept", bases="never"))
                self.assertEqual(self.made(batch, path), expected)

    def run_path(self, batch: Batch, path: Path) -> Path:
        """Where the one file of a batch goes."""
        (output,) = prepared(batch, path, Workspace()).outputs
        return output.path


if __name__ == "__main__":
    unittest.main()
