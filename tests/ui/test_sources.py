"""Sources on the desk: found, ordered, read, asked about, relinked, recut; by mouse and keyboard."""

from __future__ import annotations

import shutil
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path

import opentimelineio as otio
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QLineEdit, QMessageBox

from chronocast.journal.documents import load_batch, save_batch
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.ui.places.plan.names_box import NamesBox
from tests.footage import clip
from tests.runs import QUICK, small_batch
from tests.sequences import clip_item, sequence
from tests.ui.hands import Desk

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier

EDL = """TITLE: tour
001  AX       V     C        00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00
* FROM CLIP NAME: clip 0.mp4
002  AX       V     C        00:00:00:05 00:00:01:05 01:00:01:00 01:00:02:00
* FROM CLIP NAME: clip 1.mp4
"""


def answering(do: Callable[[], bool]) -> QTimer:
    """Try again and again, until a dialog is there and answered."""
    timer = QTimer()
    timer.timeout.connect(lambda: timer.stop() if do() else None)
    timer.start(50)
    return timer


class Sources(unittest.TestCase):
    def desk(self, clips: int, frames: int = 40) -> Desk:
        self.folder = Path(tempfile.mkdtemp()) / "films"
        self.path = small_batch(self.folder, clips, frames, (QUICK,), (192, 108), first=120)
        desk = Desk(self.path)
        self.addCleanup(desk.close)
        return desk

    def test_what_is_left_out_of_a_drop_stays_in_a_list_until_it_is_dismissed(self) -> None:
        desk = self.desk(1)
        dropped = Path(tempfile.mkdtemp())
        (dropped / "day").mkdir()
        clip(dropped / "day" / "reef.mp4", 77, 30, width=192, height=108)
        (dropped / "day" / "tides.pdf").write_text("x")
        (dropped / "day" / "broken.mp4").write_bytes(b"no film")
        (dropped / "nothing").mkdir()
        desk.drop([dropped / "day", dropped / "nothing", dropped / "vanished.mp4"])
        desk.until(lambda: "reef" in " ".join(self.titles(desk)), "the good one to come in")
        bar = desk.window.left_out
        desk.until(bar.isVisible, "the list")
        lines = "\n".join(bar.lines)
        for told in ("tides.pdf is no media", "broken.mp4", "nothing has no media", "vanished.mp4"):
            self.assertIn(told, lines)
        self.assertIn("4 things left out", bar.words.text())
        desk.window.other_theme()
        desk.until(lambda: len(desk.windows) == 1 and desk.now is not desk.window, "the other theme")
        bar = desk.now.left_out
        self.assertEqual(len(bar.lines), 4, "it outlives a change of theme")
        desk.click(bar.dismiss)
        self.assertFalse(bar.isVisible())

    def titles(self, desk: Desk) -> list[str]:
        model = desk.window.plan_place.grid.model
        return [
            str(model.data(model.index(row, 0), Qt.ItemDataRole.DisplayRole))
            for row in range(model.rowCount())
        ]

    def test_sources_are_found_and_ordered_by_keyboard(self) -> None:
        desk = self.desk(7)
        place = desk.window.plan_place
        desk.key(Qt.Key.Key_F, CTRL)
        QTest.keyClicks(QApplication.focusWidget(), "clip 3")
        desk.settle()
        self.assertEqual(self.titles(desk), ["Clip 3"])
        self.assertIn("1 of 7", place.finder.count.text())
        desk.key(Qt.Key.Key_Return)
        self.assertTrue(place.grid.table.hasFocus())
        desk.key(Qt.Key.Key_Right)
        desk.key(Qt.Key.Key_Space)
        desk.until(lambda: len(load_batch(self.path).outputs) == 6, "the found source's cell cleared")
        self.assertNotIn("clip-3", {output.source for output in load_batch(self.path).outputs})
        desk.key(Qt.Key.Key_F, CTRL)
        desk.key(Qt.Key.Key_Escape)
        self.assertEqual(len(self.titles(desk)), 7)

    def test_an_edit_list_asks_for_its_rate_and_its_new_cut_is_taken_on_purpose(self) -> None:
        desk = self.desk(2)
        path = self.folder / "tour.edl"
        path.write_text(EDL)

        def say_25() -> bool:
            box = QApplication.activeModalWidget()
            if not isinstance(box, QInputDialog):
                return False
            self.assertIn("tour.edl", box.labelText())
            desk.key(Qt.Key.Key_Return, into=box)
            return True

        timer = answering(say_25)
        desk.drop([path])
        desk.until(lambda: len(desk.session.batch.sources) == 3, "the edit list")
        timer.stop()
        desk.until(lambda: desk.session.prospect and "tour" in desk.session.prospect.sources, "its facts")
        desk.click_cell(2, 0)
        desk.settle()
        self.assertIn("50 frames at 25", desk.window.plan_place.sheet.text.text())
        desk.window.activateWindow()  # the screen of the tests has nobody to give the focus back after a dialog
        desk.click_cell(2, 1)
        desk.key(Qt.Key.Key_Space)
        desk.until(lambda: desk.window.begin.text() == "Begin 3", "an output of it")
        path.write_text(
            EDL.replace("00:00:01:05 01:00:01:00 01:00:02:00", "00:00:01:10 01:00:01:00 01:00:02:05")
        )
        desk.session.forecast()
        desk.until(
            lambda: desk.session.prospect and desk.session.prospect.sources["tour"].changed,
            "the change to be noticed",
        )
        told: list[str] = []

        def take() -> bool:
            box = QApplication.activeModalWidget()
            if not isinstance(box, QMessageBox):
                return False
            told.append(box.informativeText())
            desk.click(next(button for button in box.buttons() if button.text() == "Take it"))
            return True

        timer = answering(take)
        desk.click_cell(2, 0)
        desk.settle()
        desk.click(desk.window.plan_place.sheet.take)
        desk.until(
            lambda: desk.session.prospect and desk.session.prospect.sources["tour"].cut.frames == 55,
            "the new cut",
        )
        timer.stop()
        self.assertIn("50 frames become 55", told[0])

    def test_files_are_named_by_a_pattern_that_is_seen_filled_in(self) -> None:
        desk = self.desk(2)
        told: list[str] = []

        def name() -> bool:
            box = QApplication.activeModalWidget()
            if not isinstance(box, NamesBox):
                return False
            box.pattern.selectAll()
            QTest.keyClicks(box.pattern, "film {nothing}")
            told.append(f"{box.told.text()} {box.yes.isEnabled()}")
            box.pattern.selectAll()
            QTest.keyClicks(box.pattern, "film")
            told.append(box.told.text())
            QTest.keyClicks(box.pattern, " {counter}")
            told.extend(box.table.rows_model.rows)
            desk.click(box.yes)
            return True

        timer = answering(name)
        desk.key(Qt.Key.Key_N, CTRL | SHIFT)
        timer.stop()
        desk.until(lambda: load_batch(self.path).names == "film {counter}", "the pattern on disk")
        self.assertIn("no token", told[0])
        self.assertIn("False", told[0])
        self.assertIn("1 would be called alike", told[1])
        self.assertEqual(told[2:], ["film 001.mp4", "film 002.mp4"])
        desk.until(
            lambda: desk.session.prospect and desk.session.prospect.outputs[0].path.name == "film 001.mp4",
            "its plan",
        )

    def test_missing_media_is_searched_for_and_found(self) -> None:
        self.folder = Path(tempfile.mkdtemp()) / "films"
        self.folder.mkdir()
        media = clip(self.folder / "reef.mp4", 130, 60, width=192, height=108)
        film = self.folder / "film.otio"
        film.write_text(otio.adapters.write_to_string(sequence([clip_item(media, 5, 50)]), "otio_json"))
        elsewhere = Path(tempfile.mkdtemp()) / "archive"
        elsewhere.mkdir()
        shutil.move(media, elsewhere / "reef.mp4")
        batch = add_source(add_recipe(Batch(folder="out"), QUICK), "film.otio", "Film", "sequence")
        self.path = self.folder / "small.batch.json"
        save_batch(fill(batch, [("film", FULL, "quick")]), self.path)
        desk = Desk(self.path)
        self.addCleanup(desk.close)
        self.assertIn("reef.mp4", desk.window.notice.text())
        desk.click_cell(0, 0)
        desk.settle()

        def choose() -> bool:
            box = QApplication.activeModalWidget()
            if not isinstance(box, QFileDialog):
                return False
            line = box.findChild(QLineEdit)
            assert line is not None
            line.selectAll()
            QTest.keyClicks(line, str(elsewhere))
            desk.key(Qt.Key.Key_Return, into=line)
            return True

        timer = answering(choose)
        desk.click(desk.window.plan_place.sheet.search)
        desk.until(lambda: desk.window.begin.text() == "Begin 1", "the film to be usable")
        timer.stop()
        self.assertTrue(desk.session.batch.sources[0].relinked)
