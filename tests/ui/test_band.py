"""The filmstrip's sums and gestures, and what the looking child does next: no media needed."""

from __future__ import annotations

import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest

from chronocast.model.source.source_clock import SourceClock
from chronocast.preview.picture_server import Orders
from chronocast.ui import theme as themes
from chronocast.ui.app import make_app
from chronocast.ui.places.range.parts.film_band import Band, FilmBand

NONE = Qt.KeyboardModifier.NoModifier


class Filmstrip(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = make_app()

    def band(self, frames: int) -> FilmBand:
        band = FilmBand(themes.INK)
        band.resize(1200, 130)
        band.show_source(SourceClock(Fraction(25), frames), 16 / 9, ())
        band.show()
        self.addCleanup(band.close)
        return band

    def wheel(self, band: FilmBand, at: float, turns: int, keys: Qt.KeyboardModifier = NONE) -> None:
        place = QPointF(at, 40)
        band.wheelEvent(
            QWheelEvent(
                place,
                place,
                QPoint(),
                QPoint(0, 120 * turns),
                Qt.MouseButton.NoButton,
                keys,
                Qt.ScrollPhase.NoScrollPhase,
                False,
            )
        )

    @given(
        st.integers(1, 500_000),
        st.lists(st.tuples(st.floats(16, 1184), st.integers(-6, 6), st.booleans()), max_size=12),
    )
    def test_zooming_and_moving_never_leave_the_source(
        self, frames: int, turns: list[tuple[float, int, bool]]
    ) -> None:
        band = self.band(frames)
        for at, many, along in turns:
            under = band.frame_of(at)
            self.wheel(band, at, many, Qt.KeyboardModifier.ShiftModifier if along else NONE)
            self.assertGreaterEqual(band.low, 0)
            self.assertLessEqual(band.high, frames + 1e-6)
            self.assertGreater(band.high, band.low)
            if not along and band.low > 0 and band.high < frames:
                self.assertAlmostEqual(band.frame_of(at), under, delta=1e-6 * frames + 1e-6)
        for frame in (band.low, (band.low + band.high) / 2):
            self.assertAlmostEqual(band.frame_of(band.x_of(frame)), frame, delta=1e-6 * frames + 1e-6)

    def test_ends_are_dragged_to_whole_frames_and_never_past_each_other(self) -> None:
        band = self.band(1000)
        band.set_marks((200, 600))
        told: list[tuple[int, int]] = []
        band.marked.connect(lambda start, stop: told.append((start, stop)))
        y = round(band.strip_box().center().y())
        for grip, to in ((200, 300), (200, 900), (600, 100), (600, 5000), (200, -50)):
            begin, end = QPoint(round(band.x_of(grip)), y), QPoint(round(band.x_of(to)), y)
            QTest.mousePress(band, Qt.MouseButton.LeftButton, pos=begin)
            QTest.mouseMove(band, end)
            QTest.mouseRelease(band, Qt.MouseButton.LeftButton, pos=end)
        self.assertAlmostEqual(told[0][0], 300, delta=1)
        self.assertEqual(told[1:], [(599, 600), (200, 201), (200, 1000), (0, 600)])

    def test_scrubbing_seeks_and_ranges_are_chosen_by_a_click(self) -> None:
        band = self.band(1000)
        bands = (Band("one", "One", 100, 500), Band("two", "Two", 300, 700), Band("three", "Three", 700, 900))
        band.set_bands(bands, ())
        sought, chosen = [], []
        band.sought.connect(sought.append)
        band.chosen.connect(chosen.append)
        y = round(band.strip_box().center().y())
        QTest.mousePress(band, Qt.MouseButton.LeftButton, pos=QPoint(round(band.x_of(250.5)), y))
        QTest.mouseMove(band, QPoint(5000, y))
        QTest.mouseRelease(band, Qt.MouseButton.LeftButton, pos=QPoint(5000, y))
        self.assertAlmostEqual(sought[0], 250, delta=1)
        self.assertEqual(sought[-1], 999)
        below = round(band.strip_box().bottom()) + 22
        for frame, row in ((200, 0), (600, 1), (800, 0)):
            QTest.mouseClick(
                band, Qt.MouseButton.LeftButton, pos=QPoint(round(band.x_of(frame)), below + 18 * row)
            )
        self.assertEqual(chosen, ["one", "two", "three"])

    def test_where_it_stands_is_kept_in_view(self) -> None:
        band = self.band(10_000)
        band.zoom_to(100, 200)
        for frame in (150, 5000, 4999, 9999, 0):
            band.set_here(frame)
            self.assertLessEqual(band.low, frame)
            self.assertLess(frame, band.high)


class Next(unittest.TestCase):
    def show(self, slot: str, frame: int) -> dict[str, object]:
        return {"do": "show", "slot": slot, "frame": frame}

    def test_the_newest_order_of_a_slot_stands_for_those_before_and_stills_come_last(self) -> None:
        orders = Orders()
        orders.put({"do": "strip", "frames": [1, 2]})
        for frame in range(50):
            orders.put(self.show("here", frame))
        orders.put(self.show("last", 7))
        orders.put({"do": "ends", "start": 0, "stop": 5})
        orders.put({"do": "open", "source": "film"})
        told = []
        while order := orders.take(wait=False):
            told.append((order["do"], order.get("slot"), order.get("frame")))
        self.assertEqual(
            told,
            [
                ("open", None, None),
                ("show", "here", 49),
                ("show", "last", 7),
                ("ends", None, None),
                ("strip", None, 1),
                ("strip", None, 2),
            ],
        )

    def test_another_strip_takes_the_place_of_the_one_before(self) -> None:
        orders = Orders()
        orders.put({"do": "strip", "frames": [1, 2, 3]})
        self.assertEqual((orders.take(False) or {})["frame"], 1)
        orders.put({"do": "strip", "frames": [9]})
        self.assertEqual((orders.take(False) or {})["frame"], 9)
        self.assertIsNone(orders.take(False))
        orders.end()
        self.assertIsNone(orders.take(wait=True))


if __name__ == "__main__":
    unittest.main()
