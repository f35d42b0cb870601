"""The desk without a screen: edits and their undo, the file that somebody else writes, what isn't in a run."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from chronocast.journal.documents import BATCH_ENDING, BatchFile, ChangedOnDisk, load_batch
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_source, fill, hold
from chronocast.model.errors import ModelError
from chronocast.run.view import RunView
from chronocast.ui.desk.desk import Desk, new_batch
from chronocast.ui.desk.to_go import ToGo


class Opening(unittest.TestCase):
    def test_the_window_brings_in_no_library_that_takes_long_before_it_is_needed(self) -> None:
        code = (
            "import sys, chronocast.ui.window\n"
            "print([m for m in ('sqlalchemy', 'pyqtgraph', 'scipy', 'distributed', 'opentimelineio') if m in sys.modules])"
        )
        told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(told.stdout.strip(), "[]")


class StillToGo(unittest.TestCase):
    def test_it_is_said_once_it_is_known_and_begins_anew_with_something_else(self) -> None:
        said, clock = list[str](), mock.Mock()
        with mock.patch("chronocast.ui.desk.to_go.time", clock):
            progress = ToGo()
            steps = [(0, 0.0), (1, 0.1), (10, 0.1), (20, 0.5), (25, 1.0), (30, 0.25), (40, 0.5), (41, 0.5)]
            for now, share in steps:
                clock.monotonic.return_value = float(now)
                said.append(progress.left(share))
        self.assertEqual(said[:3], ["", "", ", 1:30 min to go"])
        self.assertEqual(said[3:5], [", 20 s to go", ""], "at its end nothing is left")
        self.assertEqual(said[5:], ["", ", 20 s to go", ", 22 s to go"], "less is done: it is another thing")


class OpenBatch(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.path = self.folder / f"night{BATCH_ENDING}"
        batch = add_source(new_batch(), "jellies.mp4", "Jellies", "clip")
        BatchFile(self.path, new=True).save(batch)
        self.desk = Desk(self.path, Workspace(self.folder / "data", self.folder / "state"))
        self.first = self.desk.batch.recipes[0].id

    def asked(self) -> Batch:
        return fill(self.desk.batch, [("jellies", FULL, self.first)], True)

    def test_an_edit_that_could_not_be_read_again_is_refused(self) -> None:
        """Whatever a field lets through: the file would never open again."""
        before = self.desk.batch
        recipe = before.recipes[0]
        wrong = [
            before.model_copy(update={"title": "t" * 201}),
            before.model_copy(update={"folder": ""}),
            before.model_copy(
                update={"recipes": (recipe.model_copy(update={"name": "n" * 90}), *before.recipes[1:])}
            ),
            before.model_copy(update={"sources": (before.sources[0].model_copy(update={"name": ""}),)}),
            before.model_copy(update={"size_limit": 10**19}),
        ]
        for batch in wrong:
            with self.assertRaises(ModelError) as refused:
                self.desk.edit("spoil it", batch)
            self.assertIn("can't be kept", refused.exception.sentence)
        self.assertIs(self.desk.batch, before)
        self.assertTrue(self.desk.edit("fill a cell", self.asked()))
        self.desk.save()
        self.assertEqual(load_batch(self.path), self.desk.batch)

    def test_an_edit_is_taken_undone_and_done_again(self) -> None:
        desk = self.desk
        self.assertEqual(desk.conditions, frozenset())
        self.assertFalse(desk.edit("nothing", desk.batch))
        self.assertTrue(desk.edit("ask", self.asked()))
        desk.save()
        self.assertEqual(len(load_batch(self.path).outputs), 1)
        self.assertEqual((desk.conditions, desk.undo()), ({"can undo"}, "ask"))
        self.assertEqual((desk.conditions, len(desk.batch.outputs)), ({"can redo"}, 0))
        self.assertEqual((desk.redo(), desk.redo(), len(desk.batch.outputs)), ("ask", "", 1))

    def test_only_an_edit_is_compared_with_what_was_before(self) -> None:
        desk = self.desk
        desk.view = view = mock.Mock()
        desk.edit("ask", self.asked())
        self.assertIs(desk.before, view.without_plan())
        desk.undo()
        self.assertIsNone(desk.before)

    def test_what_somebody_else_wrote_stands_until_a_person_decides(self) -> None:
        desk, other = self.desk, Desk(self.path, self.desk.workspace)
        other.edit("ask", self.asked())
        other.save()
        desk.look_at_file()
        self.assertTrue(desk.conflict)
        desk.edit("remove", desk.batch.model_copy(update={"sources": ()}))
        with self.assertRaises(ChangedOnDisk):
            desk.save()
        self.assertEqual(len(load_batch(self.path).outputs), 1, "theirs is still there")
        self.assertEqual(len(desk.read_theirs().outputs), 1)
        self.assertFalse(desk.conflict)
        desk.write_mine()
        self.assertEqual(load_batch(self.path).sources, ())

    def test_sources_are_brought_in_once(self) -> None:
        more = add_source(
            add_source(Batch(), "jellies.mp4", "Jellies", "clip"), "b/jellies.mp4", "Jellies", "clip"
        )
        self.assertEqual(self.desk.bring_in(more), ["jellies-2"])
        self.assertEqual(self.desk.bring_in(more), [])
        self.assertEqual(self.desk.undo(), "bring in 1 source")

    def test_what_a_run_lacks_is_what_was_asked_for_or_changed_since(self) -> None:
        desk = self.desk
        desk.edit("ask", self.asked())
        desk.run = RunView(batch=json.loads(desk.batch.model_dump_json()))
        self.assertEqual(desk.not_in_run(), [])
        second = desk.batch.recipes[1].id
        desk.edit("ask", fill(desk.batch, [("jellies", FULL, second)], True))
        new = desk.batch.outputs[1].id
        self.assertEqual(desk.not_in_run(), [new])
        desk.edit("hold", hold(desk.batch, [new], True))
        self.assertEqual(desk.not_in_run(), [])
        self.assertEqual(desk.run.moved("unheard of", 1), [])
        desk.run.asked_order = ["a", "b", "c"]
        for name in "abc":
            desk.run.output(name)
        self.assertEqual((desk.run.moved("a", 1), desk.run.moved("c", 9)), (["b", "a", "c"], ["a", "b", "c"]))


if __name__ == "__main__":
    unittest.main()
