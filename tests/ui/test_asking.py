"""*Plan* asked backwards: limits typed and dragged, other ways taken by a click, and all of it taken back."""

from __future__ import annotations

import tempfile
import unittest
from datetime import datetime, timedelta
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from chronocast.forecast.band import Band
from chronocast.journal.documents import load_batch
from chronocast.model.show import size_text
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.ui.places.plan.panel.plot_model import Kept, Plot, Point, dragged, way_told
from chronocast.ui.places.plan.panel.trial_box import TrialBox
from tests.runs import QUICK, RATED, small_batch
from tests.ui.hands import Desk

CTRL, NONE = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.NoModifier
LEFT = Qt.MouseButton.LeftButton


class Asking(unittest.TestCase):
    def desk(self) -> Desk:
        self.path = small_batch(
            Path(tempfile.mkdtemp()) / "films", 2, 200, (RATED.as_saved(), QUICK.as_saved()), first=70
        )
        desk = Desk(self.path)
        self.addCleanup(desk.close)
        desk.click_cell(0, 1)
        desk.until(lambda: desk.window.plan_place.ways, "other ways")
        return desk

    def type_in(self, desk: Desk, name: str, text: str) -> None:
        field = desk.window.plan_place.asked.fields[name]
        desk.click(field)
        field.selectAll()
        QTest.keyClicks(field, text)
        desk.key(Qt.Key.Key_Return, NONE, field)

    def drag(self, desk: Desk, begin: QPoint, end: QPoint) -> None:
        plot = desk.window.plan_place.panel.plot
        QTest.mousePress(plot, LEFT, NONE, begin)
        for step in range(1, 6):
            QTest.mouseMove(plot, begin + (end - begin) * step / 5, 5)
        QTest.mouseRelease(plot, LEFT, NONE, end)

    def test_what_is_typed_is_asked_answered_saved_and_undone(self) -> None:
        desk = self.desk()
        asked = desk.window.plan_place.asked
        self.type_in(desk, "size_limit", "100 kB")
        desk.until(lambda: desk.session.desk.asked and desk.session.desk.asked.too_large, "the answer")
        self.assertIn("may be over 100 kB", asked.answers.text())
        self.assertIn("kb/s keeps it", asked.answers.text())
        self.assertIn("may be over 100 kB", desk.window.plan.headline.size_more)  # type: ignore[union-attr]
        self.type_in(desk, "wanted", "in 3 h")
        desk.until(lambda: "in time: " in asked.answers.text(), "whether it is in time")
        self.type_in(desk, "line", "2M")
        desk.until(lambda: "across the line" in asked.answers.text(), "how long sending takes")
        desk.until(lambda: load_batch(self.path).line == 2_000_000, "the batch on the disk")
        self.type_in(desk, "line", "a lot")
        self.assertIn("no bit rate", desk.window.notice.text())
        self.assertEqual((asked.fields["line"].text(), desk.session.batch.line), ("2 Mb/s", 2_000_000))
        for _ in range(3):
            desk.window.commands.by_id["batch.undo"].trigger()
        self.assertEqual((desk.session.batch.size_limit, desk.session.batch.wanted), (None, None))
        desk.until(lambda: not asked.answers.text(), "nothing to answer")

    def test_lines_are_dragged_in_moved_and_out_again(self) -> None:
        desk = self.desk()
        plot = desk.window.plan_place.panel.plot
        scales = plot.scales()
        right, top = round(scales.left + scales.width), round(scales.top)
        self.drag(desk, QPoint(right - 10, top), QPoint(right - 10, top + 40))
        limit = desk.session.batch.size_limit
        assert limit is not None
        self.assertLess(abs(limit / plot.scales().bytes_at(top + 40) - 1), 0.05)
        desk.until(lambda: plot.plot.kept.limit == limit, "the line where it was left")
        at = round(plot.scales().y(limit))
        self.drag(desk, QPoint(round(scales.left) + 20, at), QPoint(round(scales.left) + 20, top - 30))
        self.assertIsNone(desk.session.batch.size_limit, "dragged out over the edge")
        self.drag(desk, QPoint(right, top + 60), QPoint(right - 60, top + 60))
        wanted = desk.session.batch.wanted
        assert wanted is not None
        self.assertLess(abs(wanted - datetime.now().astimezone()), timedelta(minutes=10))

    def test_another_way_is_taken_for_all_that_is_selected_and_taken_back(self) -> None:
        desk = self.desk()
        place = desk.window.plan_place
        alone = place.ways[0]
        desk.click_cell(1, 1, CTRL)
        desk.click_cell(0, 2, CTRL)
        desk.click_cell(0, 1, CTRL)
        desk.click_cell(0, 1, CTRL)
        desk.until(lambda: place.about.several and place.ways, "other ways of all three")
        self.assertEqual(place.panel.detail.title if place.panel.detail else "", "3 files chosen")
        self.assertGreater(place.ways[0].bytes.likely, 1.5 * alone.bytes.likely)
        desk.settle()
        way = next(one for one in place.ways if "kb/s" in one.words)
        scales = place.panel.plot.scales()
        at = QPoint(round(scales.x(way.seconds.likely)), round(scales.y(way.bytes.likely)))
        self.assertIn("for 2 of 3 files", way_told(way))
        desk.click(place.panel.plot, at)
        own = {output.recipe: output.own for output in desk.session.batch.outputs if output.own}
        self.assertEqual(set(own), {"rated"}, "a rate says nothing of a file made at a quality")
        self.assertIn("for 2 files; 1 other can't be made so", desk.window.notice.text())
        desk.window.commands.by_id["batch.undo"].trigger()
        self.assertFalse(any(output.own for output in desk.session.batch.outputs))
        desk.click_cell(0, 2)
        desk.until(lambda: not place.about.several and place.ways, "one file's own ways")

    def test_very_many_are_added_up_beside_the_window(self) -> None:
        desk = self.desk()
        place = desk.window.plan_place
        with mock.patch("chronocast.ui.places.plan.place.AT_ONCE", 1):
            place.grid.table.selectAll()
            desk.until(lambda: place.panel.detail and place.panel.detail.title == "4 files chosen", "a title")
            desk.until(lambda: place.panel.detail and len(place.panel.detail.lines) > 3, "the sums")
            desk.until(lambda: place.about.several and place.ways, "other ways of all")
        view = desk.session.view
        assert view is not None and place.panel.detail is not None
        self.assertIn(size_text(view.bytes.likely), dict(place.panel.detail.lines)["size"])

    def test_a_trial_is_looked_at_taken_and_may_be_left_in_the_middle(self) -> None:
        desk = self.desk()
        desk.click_cell(0, 2)
        desk.settle()
        desk.window.commands.by_id["plan.try"].trigger()
        first = next(w for w in QApplication.topLevelWidgets() if isinstance(w, TrialBox))
        desk.key(Qt.Key.Key_Escape, NONE, first)
        desk.settle()
        desk.window.commands.by_id["plan.try"].trigger()
        box = next(w for w in QApplication.topLevelWidgets() if isinstance(w, TrialBox) and w.isVisible())
        desk.until(lambda: box.told, "the trial")
        self.assertFalse(box.picture.made.isNull() or box.picture.original.isNull())
        share = box.picture.share
        desk.click(box.picture, QPoint(40, 40))
        self.assertNotEqual(box.picture.share, share, "the line is where the pointer was")
        box.floor.setValue(20.0)
        desk.until(lambda: box.told and box.told.floor == 20.0, "the answer for another floor")
        desk.click(box.take)
        own = [output.own for output in desk.session.batch.outputs if output.recipe == "quick"]
        self.assertIn("picture.rate_control.quality", own[0])
        desk.window.commands.by_id["batch.undo"].trigger()
        self.assertFalse(any(output.own for output in desk.session.batch.outputs))

    def test_what_is_selected_is_encoded_ahead_and_the_same_key_stops_it(self) -> None:
        desk = self.desk()
        place, session = desk.window.plan_place, desk.session
        keys = CTRL | Qt.KeyboardModifier.ShiftModifier
        desk.key(Qt.Key.Key_R, keys, place.grid.table)
        desk.until(lambda: "Encoding ahead" in desk.window.title.text(), "what is going on")
        self.assertIn("ahead take about", desk.window.notice.text())
        desk.key(Qt.Key.Key_R, keys, place.grid.table)
        desk.until(
            lambda: not session.ahead.going and "encoded ahead and kept" in desk.window.notice.text(),
            "its end",
        )
        desk.key(Qt.Key.Key_R, keys, place.grid.table)
        desk.until(lambda: not session.ahead.going, "the rest", 120)
        chosen = place.grid.current_output()
        desk.until(lambda: session.view is not None and all_kept(session.view, chosen), "its pieces kept")


def all_kept(view: Outlook, output: str) -> bool:
    """Whether no piece of an output is to be encoded."""
    item = view.output(output)
    return item is not None and item.pieces_kept == item.pieces_total


class Lines(unittest.TestCase):
    def test_a_line_dragged_to_where_it_is_stays_and_beyond_the_edge_there_is_none(self) -> None:
        points = (Point("Reef", Band(10, 20, 40), Band(1e6, 2e6, 3e6), True),)
        plot = Plot(points)
        scales = plot.scales(20, 20, 200, 100)
        for name, x, y in (("limit", 60.0, 50.0), ("wanted", 120.0, 70.0)):
            kept = dragged(plot, scales, name, x, y)  # type: ignore[arg-type]
            found = Plot(points, kept=kept).line_at(scales, x, y)
            self.assertEqual(found, name)
        self.assertIsNone(dragged(plot, scales, "limit", 60, -40).limit)
        self.assertIsNone(dragged(plot, scales, "wanted", 400, 60).left)

    def test_a_file_sent_by_a_line_has_less_time_to_be_made(self) -> None:
        plot = Plot(kept=Kept(left=100.0, line=8e6))
        self.assertEqual(plot.line_seconds(50e6), 50.0)
        self.assertEqual(Plot(kept=Kept(left=100.0)).line_seconds(50e6), 100.0)


if __name__ == "__main__":
    unittest.main()
