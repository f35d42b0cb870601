"""Stations in the real window, with a real hub and a station: joining by a code, what it does, hours, giving way, leaving."""

from __future__ import annotations

import tempfile
import time
import unittest
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMessageBox, QPlainTextEdit, QPushButton

from chronocast.crew.house.joining import CodeBook
from chronocast.demo.house import StandIn, StandInHouse
from chronocast.journal.documents import save_json
from chronocast.journal.places import config_folder
from chronocast.journal.workspace import Workspace
from chronocast.ui.commands import HOUSE, PLAN
from chronocast.ui.places.house.boxes import HoursBox, JoinBox
from tests.runs import small_batch
from tests.ui.hands import Desk


def type_into(field: object, words: str) -> None:
    field.selectAll()  # type: ignore[attr-defined]
    QTest.keyClicks(field, words)  # type: ignore[call-overload]


class Stations(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.house = StandInHouse(Path(tempfile.mkdtemp()), (StandIn("Plover"),))
        cls.house.begin()
        kept = cls.house.shared / "kept"
        kept.mkdir()
        save_json(config_folder() / "settings.json", {"kept_in": str(kept)})

    @classmethod
    def tearDownClass(cls) -> None:
        cls.house.end()

    def setUp(self) -> None:
        self.desk = Desk(small_batch(Path(tempfile.mkdtemp()) / "films", 1, 60, first=190))
        self.addCleanup(self.desk.close)
        self.desk.until(lambda: self.desk.session.view is not None, "the first forecast")
        self.desk.window.go_to(HOUSE)
        self.part = self.desk.window.house_place.stations

    def press(self, button: QPushButton) -> None:
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def code(self) -> str:
        return CodeBook(self.house.folder / "hub" / "config" / "hub").give_out("desktop")

    def test_a_machine_joins_by_a_code_sees_the_stations_and_leaves_again(self) -> None:
        self.assertIn("renders alone", self.part.told.text())
        port = self.house.join_port

        def fill_in() -> None:
            box = QApplication.activeModalWidget()
            assert isinstance(box, JoinBox)
            type_into(box.hub, f"127.0.0.1:{port}")
            type_into(box.code, "ABCD")
            self.assertFalse(box.yes.isEnabled())
            self.assertIn("these are 4", box.trouble.text())
            type_into(box.code, self.code().lower())
            type_into(box.name, "reception")
            assert isinstance(box.roots, QPlainTextEdit)
            QTest.keyClicks(box.roots, "exhibition")
            self.assertFalse(box.yes.isEnabled(), "a root without its path")
            QTest.keyClicks(box.roots, f"={self.house.shared}")
            self.assertTrue(box.yes.isEnabled(), box.trouble.text())
            self.press(box.yes)

        QTimer.singleShot(300, fill_in)
        self.press(self.part.join)
        self.desk.until(
            lambda: "1 of 1 station takes" in self.part.told.text().replace("take ", "takes "),
            "the station",
            60,
        )
        self.assertEqual(self.part.table.model().rowCount(), 1)
        first = self.part.table.model().index(0, 0).data(Qt.ItemDataRole.AccessibleTextRole)
        self.assertIn("Plover · stand-in", str(first))
        # the forecast counts on it, and the lanes show it
        lanes = self.desk.window.plan_place.lanes
        self.desk.window.go_to(PLAN)
        self.desk.until(
            lambda: lanes.data and any("Plover" in group.name for group in lanes.data.groups), "its lane"
        )
        self.assertIn("Plover", lanes.accessibleDescription())
        self.desk.window.go_to(HOUSE)
        self.hours()
        self.give_way()

        def agree() -> None:
            box = QApplication.activeModalWidget()
            assert isinstance(box, QMessageBox)
            yes = box.button(QMessageBox.StandardButton.Yes)
            assert yes is not None
            self.press(yes)

        QTimer.singleShot(300, agree)
        self.press(self.part.leave)
        self.desk.until(lambda: "renders alone" in self.part.told.text(), "it has left", 30)
        self.assertFalse((Workspace().house.folder / "own.key").exists())

    def hours(self) -> None:
        """Drag Saturday and Sunday shut."""

        def drag() -> None:
            box = QApplication.activeModalWidget()
            assert isinstance(box, HoursBox)
            grid = box.grid
            top = round(grid.height() * 0.85)
            begin, end = QPoint(grid.width() - 4, top), QPoint(50, grid.height() - 4)
            QTest.mousePress(grid, Qt.MouseButton.LeftButton, pos=begin)
            QTest.mouseMove(grid, end)
            QTest.mouseRelease(grid, Qt.MouseButton.LeftButton, pos=end)
            self.kept = box.said.text()
            self.press(next(b for b in box.findChildren(QPushButton) if b.text() == "Keep these hours"))

        QTimer.singleShot(300, drag)
        self.press(self.part.hours)
        self.assertIn("Mon–Fri 00:00–24:00", self.kept)
        calendar = Workspace().house.belonging().calendar
        self.assertEqual([item.told for item in calendar.hours], ["Mon–Fri 00:00–24:00"])

    def give_way(self) -> None:
        self.press(self.part.give_way)
        self.assertGreater(Workspace().house.yields_until(), time.time() + 3000)
        self.assertEqual(self.part.give_way.text(), "Go on")
        self.press(self.part.give_way)
        self.assertEqual(Workspace().house.yields_until(), 0.0)


if __name__ == "__main__":
    unittest.main()
