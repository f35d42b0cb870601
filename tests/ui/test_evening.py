"""An evening from drop to proof, in the real window: one file left out, gone on with, and everything told at the end."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from unittest import mock

from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog

from chronocast.journal.documents import load_batch, save_batch
from chronocast.journal.library import Library
from chronocast.journal.places import config_folder
from chronocast.model.batch.batch import Batch
from chronocast.run.client import last_run
from chronocast.run.moving import move_batch
from chronocast.run.runner_lock import runner_lives
from chronocast.ui.commands import CHECK, PLAN, RUN
from chronocast.ui.widgets.finder import Finder
from tests.footage import clip, counted, counters
from tests.runs import HEAVY
from tests.ui.hands import Desk

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)


class Evening(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        day = self.folder / "the day"
        (day / "plates").mkdir(parents=True)
        for number, picture in enumerate(counted(9, 30)):
            Image.fromarray(picture).save(day / "plates" / f"reef_{number + 1:04d}.png")
        clip(day / "kelp.mp4", 3, 60)
        clip(day / "rays.mp4", 4, 400)
        (day / "notes.txt").write_text("feed the rays at six")
        self.path = self.folder / "evening.batch.json"
        save_batch(Batch(title="Evening", folder="out"), self.path)
        Library(config_folder()).save_recipe(HEAVY)
        self.desk = Desk(self.path)
        self.addCleanup(self.desk.close)

    def find(self, typed: str) -> None:
        finder = QApplication.activePopupWidget()
        assert isinstance(finder, Finder)
        QTest.keyClicks(finder.line, typed)
        self.desk.key(Qt.Key.Key_Return, into=finder.line)

    def test_a_day_s_material_is_dropped_asked_for_made_and_proved(self) -> None:
        desk, window = self.desk, self.desk.window
        with mock.patch.object(QInputDialog, "getItem", return_value=("25", True)) as asked:
            desk.drop([self.folder / "the day"])
            desk.until(lambda: len(desk.session.batch.sources) == 3, "three sources")
        self.assertIn("reef_####.png", asked.call_args.args[2])
        told = [window.left_out.list.item(n).text() for n in range(window.left_out.list.count())]
        self.assertTrue(any("notes.txt" in line for line in told), told)
        desk.until(window.plan_place.add_column.isVisible, "how to add a recipe")
        desk.click(window.plan_place.add_column)
        self.find("heavy")
        desk.until(lambda: desk.session.batch.recipes, "the column")
        desk.click_cell(0, 1)
        desk.key(Qt.Key.Key_D, CTRL | SHIFT, window.plan_place.grid.table)
        desk.until(
            lambda: desk.session.view is not None and len(desk.session.view.outputs) == 3, "the forecast"
        )
        self.assertIn("Finished", window.headline.accessibleDescription())

        wanted = window.plan_place.asked.fields["wanted"]
        wanted.setFocus()
        QTest.keyClicks(wanted, "in 2 h")
        desk.key(Qt.Key.Key_Return, into=wanted)
        desk.until(lambda: desk.session.batch.wanted, "when it is wanted")
        desk.until(lambda: window.begin.isEnabled() and "3" in window.begin.text(), "something to begin")
        desk.key(Qt.Key.Key_R, CTRL, window)
        desk.until(lambda: window.place == RUN and window.run_shown, "the run")

        rays = next(output.id for output in desk.session.batch.outputs if "rays" in output.source)
        names = [row.id for row in window.run_shown.rows]
        table = window.run_place.table
        table.selectRow(names.index(rays))
        menu = window.run_place.menu_of(table.chosen())
        self.assertIn("Leave it out of this run", [action.text() for action in menu.actions()])
        desk.key(Qt.Key.Key_Delete, ALT, window)
        desk.until(lambda: desk.session.run and desk.session.run.outcome, "the rest")
        states = {row.id: row.state for row in window.run_shown.rows}
        self.assertEqual(states.pop(rays), "stopped")
        self.assertEqual(set(states.values()), {"proved"})
        self.assertIn("2 files proved", window.run_place.ending.text())
        self.assertIn("1 not made", window.run_place.ending.text())

        desk.key(Qt.Key.Key_1, CTRL, window)
        self.assertEqual(window.place, PLAN)
        desk.until(lambda: window.begin.isEnabled() and "Begin 1" in window.begin.text(), "what is left")
        desk.key(Qt.Key.Key_R, CTRL, window)
        desk.until(lambda: window.place == RUN and desk.session.going, "the run goes on")
        desk.until(lambda: desk.session.run and desk.session.run.outcome == "done", "all of it")
        desk.until(
            lambda: "3 files proved, 2 of them made before" in window.run_place.ending.text(), "the end"
        )
        table.selectRow([row.id for row in window.run_shown.rows].index(rays))
        desk.settle()
        self.assertIn("XPSNR", window.run_place.seen.accessibleDescription())
        self.assertFalse(window.run_place.seen.made.isNull())

        desk.key(Qt.Key.Key_5, CTRL, window)
        self.assertEqual(window.place, CHECK)
        self.assertRegex(window.check_place.title.text(), r": (\d+) of \1 proved")
        made = load_batch(self.path)
        self.assertEqual([s.name for s in made.sources], [s.name for s in desk.session.batch.sources])
        out = self.folder / "out"
        seen = {path.name.split(" - ")[0]: counters(path) for path in out.glob("*.mp4")}
        self.assertEqual(seen["reef"], [(9, number) for number in range(30)])
        self.assertEqual(seen["kelp"], [(3, number) for number in range(60)])
        self.assertEqual(len(seen["rays"]), 400)

        runs = last_run(self.path)
        assert runs is not None
        moved = self.folder / "archive" / "evening.batch.json"
        desk.until(lambda: not runner_lives(runs), "the runner to leave")
        move_batch(made, self.path, moved)
        self.assertEqual((last_run(moved) or moved).name, runs.name, "runs go with it")
        self.assertIsNone(last_run(self.path))


if __name__ == "__main__":
    unittest.main()
