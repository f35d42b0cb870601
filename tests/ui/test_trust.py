"""Nothing brings the window down, and two windows on one batch never write over each other."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMessageBox, QPushButton

from chronocast.forecast.station import Pace
from chronocast.journal.documents import BatchFile, ChangedOnDisk, load_batch, save_batch
from chronocast.journal.films import facts as facts_room
from chronocast.journal.films.facts import FactsStore
from chronocast.journal.workspace import Workspace
from chronocast.media.errors import NotMedia
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, add_source, fill, remove_source, set_folder
from chronocast.ui import theme as themes
from chronocast.ui.app import make_app
from chronocast.ui.commands import PLAN, RANGE
from chronocast.ui.desk.session import Session
from chronocast.ui.guard import Guard
from chronocast.ui.places.recipe.settings import BITS
from chronocast.ui.window import Window
from tests.hostile import corpus
from tests.runs import QUICK, RATED, small_batch
from tests.ui.hands import Desk


def visit(batch: Path, last: str = "", stay_ms: int = 700) -> subprocess.CompletedProcess[str]:
    """The desktop in a process of its own; what became of it."""
    return subprocess.run(
        [sys.executable, "-m", "tests.ui.visit", str(batch), last, str(stay_ms)],
        capture_output=True,
        text=True,
        timeout=300,
    )


class Lives(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        # measured already, so that no window begins to measure the machine while it is visited
        Workspace().paces.keep(Pace(calibrated=True), measured="now", machine="of these tests")

    def lived(self, done: subprocess.CompletedProcess[str]) -> None:
        self.assertEqual((done.returncode, "visited" in done.stdout), (0, True), done.stderr[-2000:])

    def hostile_batch(self) -> Path:
        folder = Path(tempfile.mkdtemp()) / "films"
        batch = add_recipe(Batch(folder="out"), QUICK)
        for path in corpus(folder):
            if path.name.isprintable():
                batch = add_source(batch, path.name, path.stem, "clip")
        batch = add_source(batch, "gone.mp4", "gone", "clip")
        batch = fill(batch, [(source.id, FULL, "quick") for source in batch.sources])
        save_batch(batch, folder / "hostile.batch.json")
        return folder / "hostile.batch.json"

    def test_damaged_media_are_opened_scrolled_and_closed_again_and_again(self) -> None:
        path = self.hostile_batch()
        for _ in range(2):
            self.lived(visit(path))

    def test_a_batch_that_is_dropped_opens(self) -> None:
        one = small_batch(Path(tempfile.mkdtemp()) / "one", 1, 30)
        two = small_batch(Path(tempfile.mkdtemp()) / "two", 1, 30, first=2)
        drop = (
            "from tests.ui.visit import QApplication, Window\n"
            "from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl, QTimer\n"
            "from PyQt6.QtGui import QDragEnterEvent, QDropEvent\n"
            f"data = QMimeData(); data.setUrls([QUrl.fromLocalFile({str(two)!r})])\n"
            "more = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)\n"
            "enter = QDragEnterEvent(QPoint(9, 9), *more)\n"
            "QApplication.sendEvent(window, enter)\n"
            "event = QDropEvent(QPointF(9, 9), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, "
            "Qt.KeyboardModifier.NoModifier)\n"
            "QApplication.sendEvent(window, event)\n"
            "QTimer.singleShot(1800, lambda: print([str(w.session.path) for w in QApplication.topLevelWidgets() "
            "if isinstance(w, Window) and w.isVisible()], flush=True))\n"
        )
        done = visit(one, drop, 2600)
        self.lived(done)
        self.assertIn(f"['{two}']", done.stdout)

    def test_an_error_nobody_caught_is_said_and_the_window_goes_on(self) -> None:
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 1, 30)
        done = visit(path, "window.title.setText('before'); raise ZeroDivisionError('of a slot')")
        self.lived(done)
        log = Path(os.environ["CHRONOCAST_STATE"]) / "logs" / "desktop.log"
        self.assertIn("ZeroDivisionError: of a slot", log.read_text())

    def test_a_batch_that_ended_its_window_is_opened_with_care_the_next_time(self) -> None:
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 1, 30)
        self.assertEqual(visit(path, "import os; os._exit(9)").returncode, 9)
        for careful in (True, False):
            done = visit(
                path, "print('careful', window.session.desk.careful, window.notice.text(), flush=True)"
            )
            self.lived(done)
            self.assertIn(f"careful {careful}", done.stdout)
            self.assertEqual("ended unexpectedly" in done.stdout, careful)

    def test_one_record_that_makes_no_sense_is_said_and_the_rest_goes_on(self) -> None:
        from chronocast.journal.batches.runs import RunJournal, new_run_path

        path = small_batch(Path(tempfile.mkdtemp()) / "films", 1, 30)
        journal = RunJournal(new_run_path(Path(os.environ["CHRONOCAST_STATE"]), path))
        batch = load_batch(path).model_dump(mode="json")
        journal.append("begin", {"batch": batch, "path": str(path), "options": {}, "pid": 0})
        journal.append("output ready", {"id": "clip-0-quick"})
        journal.close()
        self.lived(visit(path))

    def test_a_window_closed_during_a_slow_first_look_is_gone_at_once(self) -> None:
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 1, 30)
        type(self).app = make_app()
        free = threading.Event()
        self.addCleanup(free.set)
        looked = threading.Event()

        def look(_: str) -> None:
            free.wait(60)
            looked.set()

        with mock.patch.object(facts_room, "inspect_clip", side_effect=look):
            session = Session(path)
            window = Window(session, themes.INK)
            window.show()
            session.open()
            while not any(t.name == "Forecaster" for t in threading.enumerate()):
                time.sleep(0.01)
            time.sleep(0.2)
            window.close()
            self.assertFalse(looked.is_set(), "nobody waited for it")

    def test_a_file_that_brought_its_reader_down_is_read_apart_and_then_left_alone(self) -> None:
        folder = Path(tempfile.mkdtemp())
        film = folder / "film.mp4"
        film.write_bytes(b"x" * 900)
        store = FactsStore(folder / "facts")
        stamp = (str(film), film.stat().st_size, film.stat().st_mtime_ns)
        note = facts_room.note_place(store.folder, stamp)
        note.parent.mkdir(parents=True)
        note.write_text("999999999")
        with (
            mock.patch.object(facts_room, "inspect_clip", side_effect=AssertionError("in this process")),
            self.assertRaises(NotMedia),
        ):
            store.clip(str(film))

    def test_the_guard_says_a_sentence_once_and_not_a_hundred_times(self) -> None:
        type(self).app = make_app()
        guard, told = Guard(), []
        guard.trouble.connect(told.append)
        self.addCleanup(setattr, sys, "excepthook", sys.excepthook)
        self.addCleanup(setattr, threading, "excepthook", threading.excepthook)
        guard.watch()
        for _ in range(100):
            try:
                raise ValueError("the same")
            except ValueError as error:
                sys.excepthook(type(error), error, error.__traceback__)
        self.assertEqual(len(told), 1)
        self.assertIn("ValueError: the same", told[0])


class Two(unittest.TestCase):
    def test_a_file_somebody_else_wrote_is_never_written_over(self) -> None:
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 1, 30)
        mine, theirs = BatchFile(path), BatchFile(path)
        batch = mine.load()
        theirs.load()
        theirs.save(set_folder(batch, "theirs"))
        with self.assertRaises(ChangedOnDisk):
            mine.save(set_folder(batch, "mine"))
        self.assertEqual(load_batch(path).folder, "theirs")
        mine.save(set_folder(batch, "mine"), over_theirs=True)
        self.assertEqual(load_batch(path).folder, "mine")

    def test_a_batch_whose_folder_has_gone_is_not_written_into_one_made_in_its_place(self) -> None:
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 1, 30)
        file = BatchFile(path)
        batch = file.load()
        path.parent.rename(path.parent.with_name("away"))
        with self.assertRaises(Exception) as caught:
            file.save(set_folder(batch, "other"))
        self.assertIn("is missing", str(caught.exception))
        self.assertFalse(path.parent.exists())

    def test_two_windows_on_one_batch_each_hear_of_the_other_and_a_person_decides(self) -> None:
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 1, 30)
        desk = Desk(path)
        self.addCleanup(desk.close)
        other = BatchFile(path)
        other.save(set_folder(other.load(), "theirs"))
        desk.until(desk.window.conflict.isVisible, "the change on disk to be noticed")
        desk.session.edit("mine", set_folder(desk.session.batch, "mine"))
        desk.until(lambda: "changed on disk" in desk.window.notice.text(), "that nothing was written over it")
        self.assertEqual(load_batch(path).folder, "theirs")
        told: list[str] = []
        desk.session.compare_with_disk(told.extend)
        desk.until(lambda: told, "what is different")
        self.assertEqual(told, ["target folder: here “mine”, on disk “theirs”"])
        desk.click(desk.window.conflict.theirs)
        desk.until(lambda: desk.session.batch.folder == "theirs", "theirs")
        desk.until(lambda: not desk.window.conflict.isVisible(), "the question to go")
        desk.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        desk.until(lambda: load_batch(path).folder == "mine", "mine again, by undo")

    def test_the_question_whether_to_replace_files_has_a_safe_answer_by_default(self) -> None:
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 1, 30)
        (path.parent / "out").mkdir()
        desk = Desk(path)
        self.addCleanup(desk.close)
        target = desk.session.view.outputs[0].ready.path
        target.write_bytes(b"precious")
        asked: list[str] = []

        def answer() -> None:
            box = QApplication.activeModalWidget()
            if not isinstance(box, QMessageBox):
                QTimer.singleShot(50, answer)
                return
            default = next(b for b in box.findChildren(QPushButton) if b.isDefault())
            asked.append(default.text())
            desk.key(Qt.Key.Key_Return, into=box)

        QTimer.singleShot(50, answer)
        desk.window.run_actions.begin()
        self.assertEqual(asked, ["Not now"])
        self.assertEqual(target.read_bytes(), b"precious")

    def test_a_drive_that_is_too_small_is_asked_about_and_begun_all_the_same_only_by_choice(self) -> None:
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 1, 30)
        desk = Desk(path)
        self.addCleanup(desk.close)
        answers = iter(("Not now", "Begin all the same"))
        asked: list[str] = []

        def answer() -> None:
            box = QApplication.activeModalWidget()
            if not isinstance(box, QMessageBox):
                QTimer.singleShot(50, answer)
                return
            default = next(b for b in box.findChildren(QPushButton) if b.isDefault())
            asked.append(f"{box.text()} {default.text()}")
            wanted = next(answers)
            desk.click(next(b for b in box.findChildren(QPushButton) if b.text() == wanted))

        usage = shutil.disk_usage(path.parent)
        full = type(usage)(usage.total, usage.used, 1000)
        with mock.patch("shutil.disk_usage", return_value=full):
            for count in (1, 2):
                QTimer.singleShot(50, answer)
                desk.window.run_actions.begin()
                desk.until(lambda count=count: len(asked) == count, "the question")
                self.assertRegex(asked[-1], "kB free.*too little.* Not now")
                if count == 1:
                    QTest.qWait(300)
                    self.assertIsNone(desk.session.run)
        desk.until(
            lambda: desk.session.run and desk.session.run.outcome == "done", "the run begun all the same"
        )


class NothingStale(unittest.TestCase):
    def test_a_difference_is_shown_after_an_edit_and_gone_after_its_undo(self) -> None:
        desk = Desk(small_batch(Path(tempfile.mkdtemp()) / "films", 2, 500, sound=False))
        self.addCleanup(desk.close)

        def changes() -> list[str]:
            """What the headline says of the last change: signed."""
            plan = desk.window.plan
            told = f"{plan.headline.finished_more} · {plan.headline.size_more}" if plan else ""
            return [part for part in told.split(" · ") if part[:1] in ("−", "+")]

        self.assertEqual(changes(), [])
        batch = desk.session.batch
        desk.session.edit("clear", fill(batch, [(batch.sources[0].id, FULL, batch.recipes[0].id)], False))
        desk.until(changes, "the difference")
        desk.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        desk.until(lambda: len(desk.session.batch.outputs) == 2 and not changes(), "no difference")

    def test_range_shows_nothing_of_a_source_that_was_removed(self) -> None:
        desk = Desk(small_batch(Path(tempfile.mkdtemp()) / "films", 2, 40, first=81))
        self.addCleanup(desk.close)
        window, session = desk.window, desk.session
        window.go_to(RANGE)
        place, parts = window.range_place, window.range_place.parts
        first, second = (source.id for source in session.batch.sources)
        place.show_source(second)
        desk.until(lambda: parts.here.image is not None and parts.film.stills, "the pictures of the second")
        old = dict(parts.film.stills)
        session.edit("remove it", remove_source(session.batch, second))
        self.assertEqual(place.standing.source, first)
        desk.until(lambda: parts.film.stills, "the strip of the first, which is as long")
        self.assertFalse(any(image is kept for image in parts.film.stills.values() for kept in old.values()))
        session.edit("remove the other", remove_source(session.batch, first))
        desk.settle()
        self.assertIsNone(parts.here.image)
        self.assertFalse(parts.film.stills)
        self.assertEqual((parts.total.text(), parts.length.text(), parts.clock.text()), ("", "", ""))

    def test_the_column_that_was_opened_by_a_key_is_the_only_one_lit(self) -> None:
        desk = Desk(small_batch(Path(tempfile.mkdtemp()) / "films", 1, 30, (QUICK, RATED), first=85))
        self.addCleanup(desk.close)
        shelf = desk.window.recipe_place.shelf.table
        for column, recipe in ((1, "quick"), (2, "rated"), (1, "quick")):
            desk.window.go_to(PLAN)
            desk.click_cell(0, column)
            desk.key(Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
            desk.settle()
            selection = shelf.selectionModel()
            assert selection is not None
            lit = [shelf.rows_model.rows[index.row()].id for index in selection.selectedRows()]
            self.assertEqual(lit, [recipe])

    def test_what_was_wrong_is_no_longer_said_once_it_is_mended(self) -> None:
        desk = Desk(small_batch(Path(tempfile.mkdtemp()) / "films", 1, 30, (RATED,), first=87))
        self.addCleanup(desk.close)
        desk.click_cell(0, 1)
        desk.key(Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
        desk.settle()
        desk.until(lambda: BITS in desk.window.recipe_place.form.rows, "the form")
        for text, said in (("sixty pears", True), ("500k", False)):
            line = desk.window.recipe_place.form.rows[BITS].line
            assert line is not None
            line.setFocus()
            line.selectAll()
            QTest.keyClicks(line, text)
            desk.key(Qt.Key.Key_Return, into=line)
            desk.settle()
            self.assertEqual(desk.window.notice.isVisible(), said, desk.window.notice.text())


if __name__ == "__main__":
    unittest.main()
