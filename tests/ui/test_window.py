"""Whole tasks in the real window, by mouse and keyboard."""

from __future__ import annotations

import gc
import tempfile
import time
import unittest
import weakref
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox

from chronocast.journal.documents import load_batch
from chronocast.run.runner_lock import runner_lives
from chronocast.ui.commands import CHECK, COMMANDS, PLACES, RUN
from chronocast.ui.desk.workers import wait_for_errands
from chronocast.ui.widgets.finder import Finder
from tests.footage import clip, counters
from tests.runs import HEAVY, QUICK, RATED, small_batch
from tests.ui.hands import Desk

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


class Tasks(unittest.TestCase):
    number = 60

    def desk(
        self,
        clips: int = 2,
        frames: int = 110,
        recipes: tuple = (QUICK, RATED),
        size: tuple[int, int] = (320, 180),
    ) -> Desk:
        Tasks.number += clips
        self.folder = Path(tempfile.mkdtemp()) / "films"
        self.path = small_batch(self.folder, clips, frames, recipes, size, first=Tasks.number)
        self.first = Tasks.number
        desk = Desk(self.path)
        self.addCleanup(desk.close)
        return desk

    def test_plan_render_and_check_by_keyboard_alone(self) -> None:
        desk = self.desk()
        window = desk.window
        self.assertEqual(window.begin.text(), "Begin 4")
        window.plan_place.grid.table.setFocus()
        desk.key(Qt.Key.Key_Home, CTRL)
        desk.key(Qt.Key.Key_Right)
        desk.key(Qt.Key.Key_Right)
        desk.key(Qt.Key.Key_Space)
        desk.until(lambda: window.begin.text() == "Begin 3", "one output less")
        self.assertIn("not asked for", desk.cell_text(0, 2))
        desk.key(Qt.Key.Key_Z, CTRL)
        desk.until(lambda: window.begin.text() == "Begin 4", "the undone edit")
        desk.key(Qt.Key.Key_Z, CTRL | SHIFT)
        desk.until(lambda: window.begin.text() == "Begin 3", "the edit done again")
        self.assertEqual(len(load_batch(self.path).outputs), 3)
        desk.key(Qt.Key.Key_R, CTRL)
        desk.until(lambda: window.place == RUN and desk.session.run is not None, "the run")
        desk.until(lambda: desk.session.run and desk.session.run.outcome == "done", "every file proved")
        desk.settle()
        assert window.run_shown is not None
        self.assertEqual({row.state for row in window.run_shown.rows}, {"proved"})
        desk.key(Qt.Key.Key_5, CTRL)
        self.assertEqual(window.place, CHECK)
        self.assertRegex(window.check_place.title.text(), r": (\d+) of \1 proved")
        self.assertTrue(window.check_place.open_file.isEnabled())
        desk.key(Qt.Key.Key_1, CTRL)
        desk.until(lambda: "made" in desk.cell_text(0, 1), "the plan to know what is made")
        self.assertFalse(window.begin.isEnabled())
        made = sorted((self.folder / "out").iterdir())
        self.assertEqual(len(made), 3)
        self.assertEqual(counters(made[0]), [(self.first, n) for n in range(110)])
        self.assertLess(desk.heart.percentile(0.99, own=True), 0.050, "the interface held itself up")

    def test_of_very_many_files_what_an_edit_touched_is_told_before_the_plan(self) -> None:
        for place in ("preparation.touched", "ui.desk.workers", "ui.desk.session"):
            patch = mock.patch(f"chronocast.{place}.MANY", new=1)
            patch.start()
            self.addCleanup(patch.stop)
        desk = self.desk()
        window, told, first = desk.window, list[tuple[bool, str, str]](), desk.session.view

        def note(touched: frozenset[str]) -> None:
            view = desk.session.view
            if "forecast" in touched and view is not None and view is not first:
                told.append((view.settled, window.headline.headline.finished_more, desk.cell_text(0, 2)))

        desk.session.changed.connect(note)
        desk.click_cell(0, 2)
        desk.key(Qt.Key.Key_Space)
        desk.until(lambda: any(settled for settled, *_ in told), "the plan")
        self.assertFalse(told[0][0])
        self.assertIn("the plan is being worked out", told[0][1])
        self.assertIn("not asked for", told[0][2])
        self.assertNotIn("worked out", told[-1][1])
        desk.key(Qt.Key.Key_Z, CTRL)
        desk.until(lambda: told[-1][0] and "not asked for" not in told[-1][2], "the cell and its plan again")
        desk.key(Qt.Key.Key_Space)
        desk.window.close()  # before it is saved, which takes its time of so many
        wait_for_errands()
        self.assertEqual(len(load_batch(self.path).outputs), 3)

    def test_of_very_many_files_what_each_takes_is_told_before_the_plan_of_all(self) -> None:
        for place in ("chronocast.ui.desk.workers.MANY", "chronocast.preparation.in_groups.FIRST_GROUP"):
            patch = mock.patch(place, new=1)
            patch.start()
            self.addCleanup(patch.stop)
        self.number += 3
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 3, 60, (QUICK, RATED), first=self.number)
        desk = Desk(path, wait=False)
        self.addCleanup(desk.close)
        told: list[tuple[str, str, str, bool]] = []

        def note(touched: frozenset[str]) -> None:
            if "forecast" in touched and desk.session.view is None:
                more, waits = desk.window.headline.headline.size_more, desk.cell_text(2, 1)
                told.append((more, desk.cell_text(0, 1), waits, desk.window.begin.isEnabled()))

        desk.session.changed.connect(note)
        desk.until(lambda: desk.session.view is not None, "the forecast")
        self.assertEqual(
            [more for more, *_ in told], [f"so far · {n} of 6 files looked at" for n in (2, 4, 6)]
        )
        first, last = told[0], told[-1]
        self.assertTrue("kB" in first[1] and "kB" not in first[2], first)
        self.assertTrue("kB" in last[2] and not last[3], last)
        self.assertEqual(desk.cell_text(0, 1), last[1], "it is what the forecast says")
        desk.until(lambda: not desk.session.busy, "nothing more to wait for")

    def test_files_dropped_anywhere_become_sources_and_bad_ones_are_named(self) -> None:
        desk = self.desk(clips=1)
        window = desk.window
        extra = clip(self.folder / "extra film.mp4", 90, 40)
        (self.folder / "broken.mp4").write_bytes(b"not a film")
        window.run_place.table.setFocus()
        desk.drop([extra, self.folder / "broken.mp4"])
        desk.until(lambda: len(desk.session.batch.sources) == 2, "the dropped source")
        desk.until(lambda: "broken.mp4" in "".join(window.left_out.lines), "the bad file to be named")
        desk.until(lambda: "320×180" in desk.cell_text(1, 0), "its facts")
        desk.click_cell(1, 1)
        QTest.mouseDClick(
            window.plan_place.grid.table.viewport(),
            Qt.MouseButton.LeftButton,
            pos=window.plan_place.grid.table.visualRect(window.plan_place.grid.model.index(1, 1)).center(),
        )
        desk.until(lambda: len(load_batch(self.path).outputs) == 3, "the filled cell on disk")
        desk.click_cell(1, 0)
        desk.key(Qt.Key.Key_Delete, CTRL)
        desk.until(lambda: len(desk.session.batch.sources) == 1, "the source to go")
        self.assertTrue(extra.exists())
        desk.key(Qt.Key.Key_Z, CTRL)
        desk.until(lambda: len(desk.session.batch.sources) == 2, "the source to come back")

    def test_a_row_of_cells_is_filled_and_cleared_at_once(self) -> None:
        desk = self.desk(clips=3)
        desk.click_cell(0, 1)
        desk.click_cell(2, 2, SHIFT)
        desk.key(Qt.Key.Key_Space)
        desk.until(lambda: not desk.session.batch.outputs, "all six to be cleared")
        self.assertEqual(desk.window.begin.text(), "Begin")
        desk.key(Qt.Key.Key_Space)
        desk.until(lambda: len(desk.session.batch.outputs) == 6, "all six to be filled")
        desk.key(Qt.Key.Key_H, CTRL)
        desk.until(lambda: all(output.held for output in desk.session.batch.outputs), "all six to be held")
        desk.until(lambda: "held" in desk.cell_text(1, 1), "held cells to say so")

    def test_a_click_on_a_sum_selects_the_files_it_is_of(self) -> None:
        desk = self.desk(2, 30)
        place, totals = desk.window.plan_place, desk.window.plan_place.grid.totals
        for column, count in ((1, 2), (0, 4)):
            x = place.grid.table.columnViewportPosition(column) + 20
            QTest.mouseClick(totals, Qt.MouseButton.LeftButton, pos=QPoint(x, totals.height() // 2))
            desk.until(lambda count=count: len(place.selected_outputs()) == count, f"column {column}")

    def test_pause_resume_and_stop_by_mouse(self) -> None:
        desk = self.desk(clips=2, frames=650, recipes=(HEAVY,), size=(256, 144))
        window = desk.window
        desk.click(window.begin)
        desk.until(lambda: desk.session.run and desk.session.run.tasks, "the run to be busy")
        desk.click(window.run_place.pause)
        desk.until(lambda: window.run_place.pause.text() == "Resume", "the pause")
        self.assertIn("paused", {row.state for row in window.run_shown.rows} if window.run_shown else set())
        desk.click(window.run_place.pause)
        desk.until(lambda: window.run_place.pause.text() == "Pause", "the run to go on")
        desk.click(window.run_place.stop)
        desk.until(lambda: desk.session.run and desk.session.run.outcome == "stopped", "the stop")
        journal = desk.session.desk.journal
        assert journal is not None
        desk.until(lambda: not runner_lives(journal), "the runner to leave")
        desk.until(lambda: window.begin.isEnabled(), "another beginning to be possible")

    def test_outputs_asked_for_while_a_run_goes_on_join_it_and_are_moved_first(self) -> None:
        desk = self.desk(clips=2, frames=450, recipes=(HEAVY, QUICK), size=(256, 144))
        window = desk.window
        desk.click_cell(1, 2)
        desk.key(Qt.Key.Key_Space)
        desk.until(lambda: window.begin.text() == "Begin 3", "three outputs")
        desk.click(window.begin)
        desk.until(lambda: desk.session.run and desk.session.run.tasks, "the run to be busy")
        desk.key(Qt.Key.Key_1, CTRL, window)
        self.assertFalse(window.begin.isEnabled())
        desk.click_cell(1, 2)
        desk.key(Qt.Key.Key_Space)
        desk.until(lambda: window.begin.text() == "Add 1 to the run", "the offer to add it")
        desk.click(window.begin)
        desk.until(lambda: desk.session.run and len(desk.session.run.outputs) == 4, "the fourth output")
        desk.key(Qt.Key.Key_4, CTRL, window)
        desk.key(Qt.Key.Key_End, CTRL, window.run_place.table)
        desk.key(Qt.Key.Key_Down, into=window.run_place.table)
        last = window.run_place.table.chosen().id
        for _ in range(2):
            place = desk.session.run.order.index(last) if desk.session.run else 0
            desk.key(Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier, window)
            desk.until(
                lambda place=place: desk.session.run and desk.session.run.order.index(last) < place,
                "it to move up",
            )
        desk.until(lambda: desk.session.run and desk.session.run.outcome == "done", "every file proved")

    def test_files_of_the_same_name_are_asked_about(self) -> None:
        desk = self.desk(clips=1, recipes=(QUICK,))
        there = self.folder / "out" / "Clip 0 - quick.mp4"
        there.parent.mkdir()
        there.write_text("precious")
        asked: list[str] = []

        def say_no() -> None:
            box = QApplication.activeModalWidget()
            if isinstance(box, QMessageBox):
                asked.append(box.text())
                desk.click(next(button for button in box.buttons() if button.text() == "Not now"))

        timer = QTimer()
        timer.timeout.connect(say_no)
        timer.start(50)
        desk.click(desk.window.begin)
        timer.stop()
        self.assertEqual(len(asked), 1)
        self.assertIn("already", asked[0])
        self.assertEqual(there.read_text(), "precious")
        self.assertIsNone(desk.session.desk.journal)

    def test_a_new_batch_or_a_copy_never_writes_over_one_that_is_there(self) -> None:
        desk = self.desk(clips=1)
        there = Path(tempfile.mkdtemp()) / "monday.batch.json"
        there.write_text("precious")
        name = str(there).removesuffix(
            ".batch.json"
        )  # as it is typed: nobody was asked about the file itself
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(name, "")):
            for command in ("batch.new", "batch.save_copy", "batch.move"):
                desk.window.commands.by_id[command].trigger()
                self.assertIn("was not touched", desk.window.notice.text(), command)
                self.assertEqual(there.read_text(), "precious", command)
        self.assertTrue(desk.session.path.exists())

    def test_a_moved_batch_keeps_its_films_and_what_can_be_undone(self) -> None:
        desk = self.desk(clips=1)
        before = desk.session.batch
        desk.click_cell(0, 1)
        desk.key(Qt.Key.Key_Space)
        desk.until(lambda: len(desk.session.batch.outputs) == 1, "one output less")
        there = Path(tempfile.mkdtemp()) / "archive" / "tuesday.batch.json"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(there), "")):
            desk.window.commands.by_id["batch.move"].trigger()
        desk.until(lambda: desk.now.session.path == there, "the window to go with it")
        moved = desk.now.session
        self.assertFalse(self.path.exists())
        desk.until(lambda: moved.view is not None and len(moved.view.outputs) == 1, "its films to be found")
        desk.key(Qt.Key.Key_Z, CTRL, desk.now)
        desk.until(lambda: len(moved.batch.outputs) == 2, "what was undone")
        desk.until(lambda: moved.view is not None and len(moved.view.outputs) == 2, "its film to be found")
        self.assertEqual(moved.batch.outputs, before.outputs)

    def test_a_window_that_is_closed_is_freed(self) -> None:
        desk = self.desk(clips=1)
        window = weakref.ref(desk.window)
        desk.close()
        del desk.window

        def gone() -> bool:
            gc.collect()
            return window() is None

        end = time.monotonic() + 20
        while not gone() and time.monotonic() < end:
            QTest.qWait(50)
        self.assertIsNone(window())

    def assert_finds(self, finder: Finder, typed: str, first: str) -> None:
        finder.line.clear()
        QTest.keyClicks(finder.line, typed)
        shown = [finder.list.item(n).text() for n in range(finder.list.count())]
        self.assertTrue(any(words.startswith(first) for words in shown[:3]), (typed, shown[:5]))

    def test_both_themes_larger_text_and_the_command_finder(self) -> None:
        desk = self.desk(clips=1)
        desk.key(Qt.Key.Key_T, CTRL | SHIFT, desk.now)
        desk.until(lambda: desk.now.theme.name == "Paper", "the other theme")
        before = desk.now.headline.sizeHint().height()
        for key, larger in ((Qt.Key.Key_Plus, True), (Qt.Key.Key_Minus, False)):
            last = desk.now
            desk.key(key, CTRL, last)
            desk.until(lambda last=last: desk.windows != [last] and len(desk.windows) == 1, "another window")
            self.assertEqual(desk.now.headline.sizeHint().height() > before, larger)
        desk.key(Qt.Key.Key_K, CTRL, desk.now)
        finder = QApplication.activePopupWidget()
        assert isinstance(finder, Finder)
        self.assert_finds(finder, "card", "Receiver cards…")
        self.assert_finds(finder, "render", "Begin")
        source, recipe = desk.session.batch.sources[0], desk.session.batch.recipes[0]
        self.assert_finds(finder, source.name, f"{source.name}   source")
        self.assert_finds(finder, recipe.name, f"{recipe.name}   recipe")
        finder.line.clear()
        QTest.keyClicks(finder.line, "other th")
        desk.key(Qt.Key.Key_Return, into=finder.line)
        desk.until(lambda: desk.now.theme.name == "Ink", "the first theme")

    def test_everything_has_a_name_for_a_screen_reader(self) -> None:
        desk = self.desk(clips=1)
        window = desk.window
        self.assertIn("Finished", window.headline.accessibleDescription())
        for widget in (
            window.headline,
            window.plan_place.grid.table,
            window.plan_place.panel,
            window.plan_place.lanes,
            window.run_place.table,
            window.check_place.outputs,
            window.run_place.fan,
        ):
            self.assertTrue(widget.accessibleName())

    def test_the_table_of_commands_is_what_the_window_does(self) -> None:
        window = self.desk(clips=1).window
        self.assertEqual(
            set(window.command_actions()), {command.id for command in COMMANDS}, "each is done, and no more"
        )
        for name in PLACES:
            window.go_to(name)
            holds = window.session.desk.conditions
            on = {identifier for identifier, action in window.commands.by_id.items() if action.isEnabled()}
            self.assertEqual(
                on, {command.id for command in COMMANDS if command.can_be_used(name, holds)}, name
            )
        shown = [action.text() for action in window.commands.menu_at("column").actions()]
        self.assertEqual(shown, [command.words for command in COMMANDS if "column" in command.at])

    def test_a_new_batch_invites_and_trouble_is_a_sentence(self) -> None:
        desk = Desk(None)
        self.addCleanup(desk.close)
        self.assertTrue(desk.window.plan_place.invitation.isVisible())
        self.assertFalse(desk.window.begin.isEnabled())
        media = clip(Path(tempfile.mkdtemp()) / "one.mp4", 99, 60)
        desk.drop([media.parent])
        desk.until(lambda: len(desk.session.batch.sources) == 1, "the folder's media")
        desk.until(lambda: not desk.window.plan_place.invitation.isVisible(), "the grid")


if __name__ == "__main__":
    unittest.main()
