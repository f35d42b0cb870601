"""*House* in the real window: what was forecast against what came, by mouse and keys; a pace learned anew."""

from __future__ import annotations

import csv
import tempfile
import unittest
from pathlib import Path

from PyQt6.QtCore import QPointF, Qt, QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QInputDialog, QMessageBox

from chronocast.forecast.learning.experience import PieceFact
from chronocast.journal.station.ledger import MadeFile
from chronocast.journal.workspace import Workspace
from chronocast.ui.commands import HOUSE
from tests.runs import small_batch
from tests.ui.hands import Desk

CTRL = Qt.KeyboardModifier.ControlModifier


def piece(number: int) -> PieceFact:
    return PieceFact(
        "f", "libx264 fast 1 by pixels", f"film {number}", 200, 184_000_000, 8.0, 500_000, 400_000, 9.0, 10.0
    )


class House(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        with Workspace().ledger() as ledger:
            for number in range(9):
                ledger.add_piece(piece(number))
                fact = 1_000_000 + 300_000 * number
                forecast = {
                    "bytes": {"p10": 900_000, "likely": 1_500_000, "safe": 2_400_000},
                    "cpu_seconds": {"p10": 5.0, "likely": 9.0, "safe": 14.0},
                    "looks": {"worst": {"likely": 38.0, "safe": 34.0}},
                }
                ledger.add_made(
                    f"/out/film {number}.mp4",
                    MadeFile(
                        "d",
                        fact,
                        1,
                        4.0,
                        8.0,
                        forecast=forecast,
                        looks={"xpsnr": 40.0, "worst": 30.0 + number},
                    ),
                )

    def setUp(self) -> None:
        self.desk = Desk(small_batch(Path(tempfile.mkdtemp()) / "films", 1, 60, first=190))
        self.addCleanup(self.desk.close)
        self.place = self.desk.window.house_place

    def enter(self) -> None:
        self.desk.key(Qt.Key.Key_6, CTRL)
        self.assertEqual(self.desk.window.place, HOUSE)
        self.desk.until(lambda: self.place.model is not None, "what is known of this machine")

    def test_forecast_against_fact_is_seen_pointed_at_and_taken_along(self) -> None:
        self.enter()
        assert self.place.plot is not None
        self.assertEqual(len(self.place.plot.outcomes), 9)
        self.assertIn("9 files: in the middle the fact is 1.47 × what was likely", self.place.told.text())
        self.assertIn("in 56 %", self.place.told.text())
        poorest = next(b for b in self.place.choices.buttons() if b.text() == "poorest shot")
        self.desk.click(poorest)
        self.assertIn("9 files: the fact lay between P10 and safe in 56 %", self.place.told.text())
        box = self.place.plot.view.getPlotItem().getViewBox()
        self.desk.settle()
        one = self.place.plot.outcomes[0]
        at = self.place.plot.view.mapFromScene(box.mapViewToScene(QPointF(one.likely, one.fact)))
        self.assertEqual(self.place.plot.at(at.x() + 2, at.y() - 2), one)
        self.assertIsNone(self.place.plot.at(-50, -50))
        folder = Path(tempfile.mkdtemp())
        self.place.plot.save(folder / "plot.png", table=False)
        self.assertGreater(QImage(str(folder / "plot.png")).width(), 200)
        self.place.plot.save(folder / "plot.csv", table=True)
        rows = list(csv.reader((folder / "plot.csv").open()))
        self.assertEqual((rows[0][-1], len(rows)), ("fact dB", 10))
        self.place.plot.save(folder / "plot.csv" / "within a file.csv", table=True)
        self.assertIn("plot.csv", self.desk.window.notice.text())

    def test_a_pace_is_learned_anew_only_when_it_is_meant(self) -> None:
        self.enter()
        assert self.place.model is not None
        row = next(row for row in self.place.model.paces if row.work.startswith("H.264"))
        self.assertEqual(row.done, "9 times")

        def answer(button: QMessageBox.StandardButton) -> None:
            box = QApplication.activeModalWidget()
            assert isinstance(box, QMessageBox)
            chosen = box.button(button)
            assert chosen is not None
            self.desk.click(chosen)

        for button, left in ((QMessageBox.StandardButton.Cancel, 1), (QMessageBox.StandardButton.Yes, 0)):
            QTimer.singleShot(200, lambda b=button: answer(b))
            self.desk.click(self.place.reset)
            self.desk.until(
                lambda n=left: (
                    self.place.model is not None
                    and sum(row.work.startswith("H.264") for row in self.place.model.paces) == n
                ),
                "the paces that are left",
            )
        self.assertIn("9 pieces no longer speak of this machine's pace", self.desk.window.notice.text())
        self.assertEqual(len(self.place.plot.outcomes if self.place.plot else ()), 9, "files stay remembered")

    def test_the_stock_is_made_smaller_once_its_cost_was_told(self) -> None:
        stock = Workspace().stock
        for name in ("ab01", "cd02"):
            part = stock.temporary(name, "1")
            part.write_bytes(bytes(500_000))
            stock.keep(part, name, {"bytes": 500_000, "cpu_seconds": 60.0})
        self.enter()
        self.desk.until(
            lambda: "1.00 MB, 2:00 min of work" in self.place.stock.text(), "what the stock holds"
        )
        asked: list[str] = []

        def type_size() -> None:
            box = QApplication.activeModalWidget()
            assert isinstance(box, QInputDialog)
            box.setTextValue("0.6 MB")
            QTimer.singleShot(300, agree)
            box.accept()

        def agree() -> None:
            box = QApplication.activeModalWidget()
            if not isinstance(box, QMessageBox):
                QTimer.singleShot(100, agree)
                return
            asked.append(box.text())
            yes = box.button(QMessageBox.StandardButton.Yes)
            assert yes is not None
            self.desk.click(yes)

        QTimer.singleShot(200, type_size)
        self.desk.click(self.place.tidy)
        self.desk.until(lambda: "1 piece, 500 kB" in self.place.stock.text(), "the smaller stock")
        self.assertIn("1 piece, 500 kB, would go; making them again would take 1:00 min of work.", asked[0])
        self.assertIn("came free", self.desk.window.notice.text())
