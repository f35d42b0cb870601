"""Lanes in the real window: dragging, the three orders, stations, times, closer and wider, the night rehearsed; undone."""

from __future__ import annotations

import tempfile
import time
import unittest
from datetime import datetime, timedelta
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from chronocast import __version__
from chronocast.journal.documents import load_batch, save_batch, save_json
from chronocast.journal.places import config_folder
from chronocast.journal.station.house import HouseStore
from chronocast.journal.workspace import Workspace
from chronocast.media.piece.here import libraries_version
from chronocast.model.batch.edits import want_outputs
from chronocast.model.calendar import OpenSpan
from chronocast.model.house import Belonging, Booking, House, Root, StationTold
from chronocast.ui.desk.house_watch import HouseWatch
from chronocast.ui.lanes.lanes import Lanes
from tests.runs import HEAVY, QUICK, small_batch
from tests.ui.hands import Desk


def heard(stations: tuple[StationTold, ...], bookings: tuple[Booking, ...] = ()) -> House:
    return House(hub="tls://hub:1", known_at=time.time(), stations=stations, bookings=bookings)


def station(name: str, **what: object) -> StationTold:
    return StationTold(
        **{"name": name, "version": __version__, "libraries": libraries_version(), "slots": 1, **what}  # type: ignore[arg-type]
    )


class InLanes(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        for patch in (  # there is no hub: what was heard of it stays as it is
            mock.patch.object(HouseWatch, "begin", return_value=None),
            mock.patch.object(HouseStore, "known_now", HouseStore.heard),
        ):
            patch.start()
            cls.addClassCleanup(patch.stop)
        cls.folder = Path(tempfile.mkdtemp())
        space = Workspace()
        (cls.folder / "kept").mkdir()
        save_json(config_folder() / "settings.json", {"kept_in": str(cls.folder / "kept")})
        root = Root(name="shared", path=str(cls.folder))
        space.house.keep_belonging(Belonging(name="desk", hub="tls://hub:1", roots=(root,)))
        now = time.time()
        hours = (OpenSpan(begin=now - 60, end=now + 3600), OpenSpan(begin=now + 50_000, end=now + 90_000))
        space.house.keep_heard(
            heard(
                (station("Plover"), station("Dunlin", spans=hours)),
                (Booking(run="another", station="Plover", seconds=4),),
            )
        )
        cls.path = small_batch(cls.folder / "films", 3, 120, (QUICK, HEAVY), first=120, sound=False)
        batch = load_batch(cls.path)
        wanted = datetime.now().astimezone() + timedelta(seconds=40)
        last = batch.outputs[-1].id
        save_batch(want_outputs(batch, [last], wanted).model_copy(update={"wanted": wanted}), cls.path)
        cls.desk = Desk(cls.path)
        cls.addClassCleanup(cls.desk.close)
        cls.desk.until(lambda: cls.lanes().data is not None, "the lanes")

    @classmethod
    def lanes(cls) -> Lanes:
        return cls.desk.window.plan_place.lanes

    def setUp(self) -> None:
        self.desk.until(lambda: self.settled(), "the forecast of what is on screen")
        self.before = self.desk.session.batch
        self.addCleanup(self.undo_all)

    def settled(self) -> bool:
        view, data = self.desk.session.view, self.lanes().data
        names = [o.id for o in self.desk.session.batch.outputs]
        shown = set(data.order) if data else set()
        return view is not None and data is not None and not data.night and shown == set(names)

    def undo_all(self) -> None:
        while self.desk.session.batch != self.before:
            self.desk.session.undo()
        self.desk.settle()

    def middle(self, output: str) -> QPointF:
        """The middle of an output's first block."""
        self.lanes().grab()
        box = self.lanes().box_of(output)
        assert box is not None
        return box.center()

    def drag(self, begin: QPointF, end: QPointF, drop: bool = True) -> None:
        lanes = self.lanes()
        left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier

        def send(kind: QEvent.Type, at: QPointF, held: Qt.MouseButton = left) -> None:
            button = left if kind != QEvent.Type.MouseMove else Qt.MouseButton.NoButton
            QApplication.sendEvent(lanes, QMouseEvent(kind, at, lanes.mapToGlobal(at), button, held, none))

        send(QEvent.Type.MouseButtonPress, begin)
        for step in range(1, 6):
            send(QEvent.Type.MouseMove, begin + (end - begin) * step / 5)
        if drop:
            send(QEvent.Type.MouseButtonRelease, end, Qt.MouseButton.NoButton)

    def order(self) -> list[str]:
        return [output.id for output in self.desk.session.batch.outputs]

    def test_a_block_that_is_dragged_is_made_earlier_every_finish_moves_and_undo_takes_it_back(self) -> None:
        before, view = self.order(), self.desk.session.view
        last = before[-1]
        at = self.middle(last)
        self.drag(at, QPointF(self.lanes().x_of(0.0) + 1, at.y()))
        self.assertEqual(self.order(), [last, *before[:-1]])
        self.desk.until(lambda: self.desk.session.view is not view, "a fresh forecast")
        now = self.desk.session.view
        self.assertLess(now.output(last).finish.likely, view.output(last).finish.likely)
        self.desk.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier, self.desk.window)
        self.assertEqual(self.order(), before)

    def test_a_block_dropped_on_another_station_is_kept_to_it(self) -> None:
        first = self.order()[0]
        at = self.middle(first)
        rows = [group.station for group in self.lanes().data.groups for _ in range(group.slots)]
        self.assertEqual(rows[0], "desk")
        self.drag(at, QPointF(at.x(), self.lanes().middle_of(rows.index("Plover"))))
        self.assertEqual(self.desk.session.batch.output(first).stations, ("Plover",))
        view = self.desk.session.view
        self.desk.until(lambda: self.desk.session.view is not view, "a fresh forecast")
        spans = self.desk.session.view.spans
        self.assertEqual({span.station for span in spans if span.output == first}, {"Plover"})
        self.assertIn(
            "On any station",
            [a.text() for a in self.desk.window.plan_place.lane_desk.menu_of(first).actions()],
        )
        self.desk.window.plan_place.lane_desk.keep_to((), [first])
        self.assertEqual(self.desk.session.batch.output(first).stations, ())

    def test_a_block_dropped_below_the_rows_is_held_back_and_dragged_up_again_it_is_released(self) -> None:
        last = self.order()[-1]
        self.drag(self.middle(last), self.lanes().shelf.center())
        self.assertTrue(self.desk.session.batch.output(last).held)
        self.desk.settle()
        self.assertNotIn(last, {block.output for block in self.lanes().data.blocks})
        self.assertIn("held back", self.lanes().accessibleDescription())
        self.drag(self.middle(last), QPointF(self.lanes().x_of(0.0) + 1, self.lanes().middle_of(0)))
        self.assertFalse(self.desk.session.batch.output(last).held)
        self.assertEqual(self.order()[0], last)

    def test_folded_small_the_lanes_stay_and_the_line_above_them_goes(self) -> None:
        plan = self.desk.window.plan_place
        sizes = plan.splitter.sizes()
        plan.splitter.setSizes([sum(sizes), 1])
        self.desk.settle()
        self.assertLessEqual(plan.splitter.sizes()[1], 60)
        self.assertFalse(plan.plan_bar.isVisible())
        plan.splitter.setSizes(sizes)
        self.desk.settle()
        self.assertTrue(plan.plan_bar.isVisible())

    def test_escape_lets_a_dragged_block_go_where_it_was(self) -> None:
        before = self.desk.session.batch
        at = self.middle(self.order()[-1])
        self.drag(at, at + QPointF(-200, 0), drop=False)
        self.desk.key(Qt.Key.Key_Escape, into=self.lanes())
        self.assertIs(self.desk.session.batch, before)

    def test_the_three_orders_stand_side_by_side_with_what_each_gives(self) -> None:
        bar = self.desk.window.plan_place.plan_bar
        self.desk.until(lambda: ":" in bar.wishes["finish"].text(), "what each gives")
        self.assertIn("in time", bar.wishes["in time"].text())
        self.assertIn("No plan could end before", bar.help.toolTip())
        self.desk.click(bar.wishes["in time"])
        self.assertEqual(self.desk.session.batch.wish, "in time")
        self.assertTrue(bar.wishes["in time"].isChecked())

    def test_what_is_wanted_flies_a_flag_and_closed_hours_and_others_work_are_drawn(self) -> None:
        data = self.lanes().data
        self.assertTrue(any("in time" in flag.words for flag in data.flags))
        by_name = {group.name: group for group in data.groups}
        self.assertEqual(by_name["Plover"].booked, 4.0)
        self.assertEqual(len(by_name["Dunlin"].windows), 2)
        self.assertIn("wanted", self.lanes().accessibleDescription())

    def test_time_comes_closer_by_the_wheel_and_by_keys_and_a_double_click_shows_all(self) -> None:
        lanes = self.lanes()
        whole = lanes.view
        at = QPointF(lanes.width() / 2, lanes.height() - 3)
        moment = lanes.seconds_at(at.x())
        wheel = QWheelEvent(
            at,
            lanes.mapToGlobal(at),
            QPointF(0, 0).toPoint(),
            QPointF(0, 240).toPoint(),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(lanes, wheel)
        self.assertLess(lanes.view.end - lanes.view.begin, whole.end - whole.begin)
        self.assertAlmostEqual(lanes.seconds_at(at.x()), moment, 3)
        self.desk.key(Qt.Key.Key_Right, into=lanes)
        self.assertGreater(lanes.view.begin, 0)
        QTest.mouseDClick(lanes, Qt.MouseButton.LeftButton, pos=at.toPoint())
        self.assertTrue(lanes.view.is_whole)

    def test_the_night_goes_by_and_the_plan_comes_back(self) -> None:
        plan = self.desk.window.plan_place
        self.desk.click(plan.plan_bar.rehearse)
        self.desk.until(lambda: self.lanes().data.night, "the night")
        self.assertIn("nights it ends", plan.plan_bar.help.text())
        now = self.lanes().data.now
        self.desk.until(lambda: self.lanes().data.now > now, "time to go by")
        self.desk.click(plan.plan_bar.rehearse)
        self.assertFalse(self.lanes().data.night)
        self.assertTrue(plan.plan_bar.wishes["order"].isVisible())


if __name__ == "__main__":
    unittest.main()
