"""The filmstrip of a source over its clock: stills, edits, ranges, in and out, where it stands.  Reports gestures; decides nothing."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass
from typing import Literal

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from chronocast.model.source.source_clock import SourceClock
from chronocast.preparation.forecast.treatments import Treatment
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw
from chronocast.ui.widgets.later import Later

AXIS, STRIP, GAP, LANE, PIECES = 18, 56, 4, 18, 9
LEAST_FRAMES = 24
Grip = Literal["", "here", "in", "out", "pan"]


@dataclass(frozen=True)
class Band:
    """A range drawn below the strip."""

    part: str
    name: str
    start: int
    stop: int
    chosen: bool = False
    draft: bool = False


@dataclass(frozen=True)
class PieceBand:
    """A piece of the chosen file, in frames of the source."""

    start: float
    stop: float
    treatment: Treatment


class FilmBand(QWidget):
    """``FilmBand(theme)``: ``show_source``, ``set_here``, ``set_marks``.

    ``sought`` brings a frame while scrubbing; ``marking`` and ``marked`` bring
    (start, stop) while an end is dragged and when it is let go; ``chosen``
    the range that was clicked; ``want`` frames whose stills are missing.
    """

    sought = pyqtSignal(int)
    marking = pyqtSignal(int, int)
    marked = pyqtSignal(int, int)
    chosen = pyqtSignal(str)
    want = pyqtSignal(list, int, int)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.clock = SourceClock()
        self.low, self.high = 0.0, 1.0
        self.here = 0
        self.marks: tuple[int, int] | None = None
        self.edges: tuple[int, ...] = ()
        self.bands: tuple[Band, ...] = ()
        self.pieces: tuple[PieceBand, ...] = ()
        self.keys: tuple[int, ...] = ()
        self.stills: dict[int, QImage] = {}
        self.shape = 16 / 9
        self._grip: Grip = ""
        self._hover = -1
        self._pan_from = 0.0
        self._asked: list[int] = []
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Filmstrip with in and out")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._later = Later(80, self._ask, self)

    # What is shown

    def show_source(self, clock: SourceClock, shape: float, edges: tuple[int, ...]) -> None:
        """Another source, or another cut of it: no stills yet, and all of it in view unless its times are the same."""
        if clock != self.clock:
            self.low, self.high = 0.0, float(max(1, clock.frames))
        self.clock, self.shape, self.edges = clock, shape, edges
        self.stills, self._asked, self.marks, self.bands, self.pieces = {}, [], None, (), ()
        self._later.start()
        self.update()

    def set_here(self, frame: int) -> None:
        """Where it stands; it is kept in view."""
        self.here = frame
        if not self.low <= frame < self.high:
            span = self.high - self.low
            self._see(frame - span * (0.1 if frame >= self.high else 0.9), span)
        self.update()

    def set_marks(self, marks: tuple[int, int] | None) -> None:
        """In and out (exclusive) of the chosen range or of what is being marked."""
        self.marks = marks
        self.update()

    def set_bands(
        self, bands: tuple[Band, ...], pieces: tuple[PieceBand, ...], keys: tuple[int, ...] = ()
    ) -> None:
        """The ranges, the pieces of the chosen file, and the key positions of its moving centre."""
        if (bands, pieces, keys) != (self.bands, self.pieces, self.keys):
            self.bands, self.pieces, self.keys = bands, pieces, keys
            self.updateGeometry()
            self.update()

    def add_still(self, frame: int, image: QImage) -> None:
        """A still has come."""
        self.stills[frame] = image
        self.update()

    def nearest_still(self, frame: int) -> tuple[int, QImage] | None:
        """The still nearest to a frame."""
        if not self.stills:
            return None
        near = min(self.stills, key=lambda n: abs(n - frame))
        return near, self.stills[near]

    def zoom_to(self, start: float, stop: float) -> None:
        """See a stretch with some room around it."""
        room = max(LEAST_FRAMES / 2, (stop - start) * 0.08)
        self._see(start - room, stop - start + 2 * room)

    def zoom_all(self) -> None:
        """See all of it."""
        self._see(0, self.clock.frames)

    def zoom(self, factor: float, around: float | None = None) -> None:
        """See less (above 1) or more, around a frame."""
        around = float(self.here) if around is None else around
        span = self._allowed((self.high - self.low) / factor)
        share = (around - self.low) / (self.high - self.low)
        self._see(around - span * share, span)

    def _allowed(self, span: float) -> float:
        """So many frames, but no more than there are and no fewer than can be told apart."""
        whole = float(max(1, self.clock.frames))
        return min(whole, max(min(whole, LEAST_FRAMES), span))

    def _see(self, low: float, span: float) -> None:
        whole = float(max(1, self.clock.frames))
        span = self._allowed(span)
        self.low = min(max(0.0, low), whole - span)
        self.high = self.low + span
        self._later.start()
        self.update()

    # Geometry

    def sizeHint(self) -> QSize:
        rows = 1 + max((row for _, row in self._rows()), default=0)
        return QSize(600, round((AXIS + STRIP + 2 * GAP + PIECES + min(3, rows) * LANE + 4) * scale()))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def x_of(self, frame: float) -> float:
        """Where a frame begins on the widget."""
        return 16 + (frame - self.low) / (self.high - self.low) * (self.width() - 32)

    def frame_of(self, x: float) -> float:
        """The frame, with its part, at a place of the widget."""
        return self.low + (x - 16) / max(1, self.width() - 32) * (self.high - self.low)

    def strip_box(self) -> QRectF:
        """Where the stills lie."""
        return QRectF(16, AXIS * scale(), self.width() - 32, STRIP * scale())

    def _tile_frames(self) -> list[tuple[int, QRectF]]:
        box = self.strip_box()
        width = box.height() * min(2.4, max(0.5, self.shape))
        count = max(1, int(box.width() // width))
        each = box.width() / count
        found = []
        for n in range(count):
            place = QRectF(box.left() + n * each, box.top(), each, box.height())
            frame = int(min(self.clock.frames - 1, max(0, self.frame_of(place.center().x()))))
            found.append((frame, place))
        return found

    def _rows(self) -> list[tuple[Band, int]]:
        """Bands in rows, so that none lies over another."""
        ends: list[float] = []
        found = []
        for band in self.bands:
            row = next((n for n, end in enumerate(ends) if end <= band.start), len(ends))
            if row == len(ends):
                ends.append(0)
            ends[row] = band.stop
            found.append((band, row))
        return found

    def _ask(self) -> None:
        if self.clock.frames <= 0 or self.width() < 100:
            return
        span = (self.high - self.low) / max(1, len(self._tile_frames()))
        frames = [
            frame
            for frame, _ in self._tile_frames()
            if not any(abs(known - frame) < span * 0.2 for known in self.stills)
        ]
        if frames and frames != self._asked:
            self._asked = frames
            height = round(STRIP * scale() * self.devicePixelRatioF() / 2) * 2
            self.want.emit(frames, max(16, round(height * self.shape / 2) * 2), height)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._later.start()

    # Painting

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter, t = QPainter(self), self.theme
        painter.fillRect(self.rect(), t.color("ground"))
        if self.clock.frames <= 0:
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        self._paint_axis(painter)
        box = self.strip_box()
        for frame, place in self._tile_frames():
            self._paint_still(painter, frame, place)
        if self.marks:
            self._paint_outside(painter, box)
        self._paint_edges(painter, box)
        unit = scale()
        pieces = QRectF(box.left(), box.bottom() + GAP * unit, box.width(), PIECES * unit)
        painter.setClipRect(QRectF(15, 0, self.width() - 30, self.height()))
        for piece in self.pieces:
            place = QRectF(
                self.x_of(piece.start) + 0.5,
                pieces.top(),
                self.x_of(piece.stop) - self.x_of(piece.start) - 1,
                pieces.height() - 2,
            )
            draw.TREATMENTS[piece.treatment](painter, place, t)
        top = pieces.bottom() + GAP * unit / 2
        for band, row in self._rows():
            if row < 3:
                self._paint_band(painter, band, top + row * LANE * unit)
        painter.setClipping(False)
        self._paint_grips(painter, box)
        if self.hasFocus():
            painter.setPen(QPen(t.color("tide", 130), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(-3, -2, 3, 2))

    def _paint_axis(self, painter: QPainter) -> None:
        t, unit = self.theme, scale()
        rate = float(self.clock.rate)
        least = 96 * unit / max(1, self.width() - 32) * (self.high - self.low)
        steps = [1, 2, 5, 10] + [s * rate for s in (1, 2, 5, 10, 30, 60, 120, 300, 600, 1800, 3600, 7200)]
        step = next((s for s in steps if s >= least), steps[-1])
        number = int(self.low // step)
        while (at := number * step) < self.high:
            x = self.x_of(at)
            if 16 <= x <= self.width() - 60:
                painter.setPen(QPen(t.color("line"), 1))
                painter.drawLine(QPointF(x, 2), QPointF(x, AXIS * unit))
                words = QRectF(x + 4, 0, 100 * unit, (AXIS - 2) * unit)
                draw.text(
                    painter, words, self.clock.timecode(round(at)), font(12, narrow=True), t.color("quiet")
                )
            number += 1

    def _paint_still(self, painter: QPainter, frame: int, place: QRectF) -> None:
        inner = place.adjusted(0.5, 0, -0.5, 0)
        painter.fillRect(inner, self.theme.color("raised"))
        span = (self.high - self.low) / max(1.0, self.width() / place.width())
        near = self.nearest_still(frame)
        if near is None or abs(near[0] - frame) > max(1.0, span):
            return
        image = near[1]
        wide = inner.width() / inner.height()
        if image.width() / image.height() > wide:
            width = image.height() * wide
            painter.drawImage(inner, image, QRectF((image.width() - width) / 2, 0, width, image.height()))
        else:
            width = inner.height() * image.width() / image.height()
            painter.drawImage(
                QRectF(inner.center().x() - width / 2, inner.top(), width, inner.height()), image
            )

    def _paint_outside(self, painter: QPainter, box: QRectF) -> None:
        assert self.marks
        left, right = (min(max(self.x_of(frame), box.left()), box.right()) for frame in self.marks)
        dark = self.theme.color("ground", 190)
        painter.fillRect(QRectF(box.left(), box.top(), left - box.left(), box.height()), dark)
        painter.fillRect(QRectF(right, box.top(), box.right() - right, box.height()), dark)

    def _paint_edges(self, painter: QPainter, box: QRectF) -> None:
        first, last = bisect_left(self.edges, self.low), bisect_left(self.edges, self.high)
        painter.setPen(QPen(self.theme.color("text", 150), 1))
        drawn = -9.0
        for edge in self.edges[first:last]:
            x = self.x_of(edge)
            if x - drawn >= 3:
                painter.drawLine(QPointF(x, box.bottom() - 9), QPointF(x, box.bottom()))
                drawn = x

    def _paint_band(self, painter: QPainter, band: Band, top: float) -> None:
        t, unit = self.theme, scale()
        left, right = self.x_of(band.start), self.x_of(band.stop)
        place = QRectF(left, top + 2, max(3.0, right - left), (LANE - 4) * unit)
        if band.draft:
            painter.setPen(QPen(t.color("tide"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(place.adjusted(0.5, 0.5, -0.5, -0.5))
        else:
            painter.fillRect(place, t.color("tide", 90 if band.chosen else 40))
            for x in (place.left(), place.right() - 2):
                painter.fillRect(QRectF(x, place.top(), 2, place.height()), t.color("tide"))
        inner = place.adjusted(6, 0, -4, 0)
        inner.setLeft(max(inner.left(), 20))
        if inner.width() > 18:
            draw.text(
                painter,
                inner,
                band.name,
                font(12.5, 600 if band.chosen else 400, narrow=True),
                t.color("text"),
            )

    def _paint_grips(self, painter: QPainter, box: QRectF) -> None:
        t = self.theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.marks:
            for frame, way in ((self.marks[0], 1), (self.marks[1], -1)):
                x = self.x_of(frame)
                if box.left() - 1 <= x <= box.right() + 1:
                    painter.setPen(QPen(t.color("tide"), 2.4))
                    painter.drawPolyline(
                        QPolygonF(
                            [
                                QPointF(x + 7 * way, box.top() - 3),
                                QPointF(x, box.top() - 3),
                                QPointF(x, box.bottom() + 3),
                                QPointF(x + 7 * way, box.bottom() + 3),
                            ]
                        )
                    )
        for key in self.keys:
            x = self.x_of(key + 0.5)
            if box.left() <= x <= box.right():
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(t.color("lichen"))
                painter.drawPolygon(
                    QPolygonF(
                        [
                            QPointF(x, box.top() + 3),
                            QPointF(x + 5, box.top() + 8),
                            QPointF(x, box.top() + 13),
                            QPointF(x - 5, box.top() + 8),
                        ]
                    )
                )
        if self.low <= self.here < self.high:
            x, wide = self.x_of(self.here), self.x_of(self.here + 1) - self.x_of(self.here)
            if wide > 4:
                painter.fillRect(QRectF(x, box.top(), wide, box.height()), t.color("text", 46))
            painter.setPen(QPen(t.color("text"), 1.4))
            painter.drawLine(QPointF(x, 1), QPointF(x, self.height() - 2))
            painter.setBrush(t.color("text"))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawPolygon(QPolygonF([QPointF(x - 5, 0), QPointF(x + 5, 0), QPointF(x, 7)]))

    # Gestures

    def _grip_at(self, at: QPointF) -> Grip:
        box = self.strip_box()
        if self.marks and box.top() - 6 <= at.y() <= box.bottom() + 6:
            left, right = (self.x_of(frame) for frame in self.marks)
            to_left, to_right = abs(left - at.x()), abs(right - at.x())
            if min(to_left, to_right) <= 6:
                return "in" if to_left < to_right or (to_left == to_right and at.x() <= left) else "out"
        return "here" if at.y() <= box.bottom() + 2 else ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.clock.frames <= 0:
            return
        at = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._grip, self._pan_from = "pan", self.frame_of(at.x())
            return
        self._grip = self._grip_at(at)
        if self._grip == "here":
            self._seek(at.x())
        elif not self._grip:
            unit = scale()
            top = self.strip_box().bottom() + (GAP * 1.5 + PIECES) * unit
            row = int((at.y() - top) // (LANE * unit))
            frame = self.frame_of(at.x())
            hit = [
                band
                for band, n in self._rows()
                if n == row and band.start <= frame < max(band.stop, band.start + 1)
            ]
            if hit:
                self.chosen.emit(hit[0].part)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        if not event.buttons():
            grip = self._grip_at(at)
            self.setCursor(
                Qt.CursorShape.SizeHorCursor if grip in ("in", "out") else Qt.CursorShape.ArrowCursor
            )
            return
        if self._grip == "here":
            self._seek(at.x())
        elif self._grip == "pan":
            self._see(self.low + self._pan_from - self.frame_of(at.x()), self.high - self.low)
        elif self._grip in ("in", "out") and self.marks:
            self.marking.emit(*self._dragged(at.x()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._grip in ("in", "out") and self.marks:
            self.marked.emit(*self._dragged(event.position().x()))
        self._grip = ""

    def _dragged(self, x: float) -> tuple[int, int]:
        """In and out with the dragged one at a place: whole frames, at least one between them, never outside."""
        assert self.marks
        frame = round(self.frame_of(x))
        start, stop = self.marks
        if self._grip == "in":
            return min(max(0, frame), stop - 1), stop
        return start, max(start + 1, min(frame, self.clock.frames))

    def _seek(self, x: float) -> None:
        self.sought.emit(max(0, min(self.clock.frames - 1, int(self.frame_of(x)))))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turn = event.angleDelta().y() or event.angleDelta().x()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            span = self.high - self.low
            self._see(self.low - turn / 120 * span * 0.15, span)
        else:
            self.zoom(1.25 ** (turn / 120), self.frame_of(event.position().x()))
        event.accept()
