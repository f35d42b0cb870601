"""The source's frame with what is cut off dimmed; the crop is dragged by its sides, the centre by its middle."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from chronocast.ui.theme import Theme
from chronocast.ui.widgets.picture import PictureBox

Crop = tuple[float, float, float, float]
REACH = 9

MIDDLE = 0.008
"""A centre that is dragged no further from the middle stays there."""


class CropPicture(PictureBox):
    """``CropPicture(theme)``; ``set_crop`` and ``set_window`` in shares of the picture.

    ``cropping`` and ``cropped`` bring (left, top, right, bottom) while
    dragging and after it, ``centring`` and ``centred`` (x, y) of the centre.
    """

    cropping = pyqtSignal(float, float, float, float)
    cropped = pyqtSignal(float, float, float, float)
    centring = pyqtSignal(float, float)
    centred = pyqtSignal(float, float)

    def __init__(self, theme: Theme, name: str, parent: QWidget | None = None) -> None:
        super().__init__(theme, name, parent)
        self.crop: Crop = (0, 0, 0, 0)
        self.window_box = QRectF(0, 0, 1, 1)
        self.movable = False
        self.active = False
        self._grip: set[str] = set()
        self._from = QPointF()
        self._before: Crop = (0, 0, 0, 0)
        self.setMouseTracking(True)

    def set_crop(self, crop: Crop, window: QRectF, movable: bool, active: bool) -> None:
        """The shares cut off, what is really taken (as shares of the picture), whether that can be moved."""
        self.crop, self.window_box, self.movable, self.active = crop, window, movable, active
        self.update()

    def _place(self, box: QRectF, shares: QRectF) -> QRectF:
        return QRectF(
            box.left() + shares.left() * box.width(),
            box.top() + shares.top() * box.height(),
            shares.width() * box.width(),
            shares.height() * box.height(),
        )

    def crop_box(self) -> QRectF:
        """The crop on the widget."""
        left, top, right, bottom = self.crop
        return self._place(self.picture_box(), QRectF(left, top, 1 - left - right, 1 - top - bottom))

    def paint_over(self, painter: QPainter, box: QRectF) -> None:
        if not self.active:
            super().paint_over(painter, box)
            return
        t = self.theme
        taken, crop = self._place(box, self.window_box), self.crop_box()
        dark = t.color("ground", 175)
        for part in (
            QRectF(box.left(), box.top(), box.width(), taken.top() - box.top()),
            QRectF(box.left(), taken.bottom(), box.width(), box.bottom() - taken.bottom()),
            QRectF(box.left(), taken.top(), taken.left() - box.left(), taken.height()),
            QRectF(taken.right(), taken.top(), box.right() - taken.right(), taken.height()),
        ):
            if part.width() > 0 and part.height() > 0:
                painter.fillRect(part, dark)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(t.color("text", 200), 1, Qt.PenStyle.DashLine))
        painter.drawRect(crop)
        painter.setPen(QPen(t.color("tide"), 2))
        painter.drawRect(taken)
        painter.setPen(QPen(t.color("text"), 3))
        for at, across in (
            (QPointF(crop.left(), crop.center().y()), False),
            (QPointF(crop.right(), crop.center().y()), False),
            (QPointF(crop.center().x(), crop.top()), True),
            (QPointF(crop.center().x(), crop.bottom()), True),
        ):
            half = QPointF(9, 0) if across else QPointF(0, 9)
            painter.drawLine(at - half, at + half)
        if self.movable:
            painter.setPen(QPen(t.color("lichen"), 2))
            middle = taken.center()
            painter.drawLine(middle - QPointF(8, 0), middle + QPointF(8, 0))
            painter.drawLine(middle - QPointF(0, 8), middle + QPointF(0, 8))

    def _grips(self, at: QPointF) -> set[str]:
        crop = self.crop_box()
        found = set()
        if crop.top() - REACH <= at.y() <= crop.bottom() + REACH:
            found |= {
                side
                for side, x in (("left", crop.left()), ("right", crop.right()))
                if abs(at.x() - x) <= REACH
            }
        if crop.left() - REACH <= at.x() <= crop.right() + REACH:
            found |= {
                side
                for side, y in (("top", crop.top()), ("bottom", crop.bottom()))
                if abs(at.y() - y) <= REACH
            }
        if not found and crop.contains(at):
            found = {"centre"} if self.movable else {"all"} if any(self.crop) else set()
        return found

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.active and event.button() == Qt.MouseButton.LeftButton:
            self._grip, self._from, self._before = self._grips(event.position()), event.position(), self.crop
            if "centre" in self._grip:
                self.centring.emit(*self._centre(event.position()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.active:
            return
        if not event.buttons():
            self.setCursor(_cursor(self._grips(event.position())))
        elif "centre" in self._grip:
            self.centring.emit(*self._centre(event.position()))
        elif self._grip:
            self.cropping.emit(*self._dragged(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._grip:
            if "centre" in self._grip:
                self.centred.emit(*self._centre(event.position()))
            elif event.position() != self._from:
                self.cropped.emit(*self._dragged(event.position()))
        self._grip = set()

    def _centre(self, at: QPointF) -> tuple[float, float]:
        """A place of the widget as shares of the crop; about the middle it is the middle."""
        crop = self.crop_box()
        shares = ((at.x() - crop.left()) / crop.width(), (at.y() - crop.top()) / crop.height())
        x, y = (0.5 if abs(share - 0.5) < MIDDLE else min(1.0, max(0.0, share)) for share in shares)
        return x, y

    def _dragged(self, at: QPointF) -> Crop:
        box = self.picture_box()
        dx, dy = (at.x() - self._from.x()) / box.width(), (at.y() - self._from.y()) / box.height()
        left, top, right, bottom = self._before
        if "all" in self._grip:
            dx, dy = min(max(dx, -left), right), min(max(dy, -top), bottom)
            return left + dx, top + dy, right - dx, bottom - dy
        if "left" in self._grip:
            left = min(max(0.0, left + dx), 0.9 - right)
        if "right" in self._grip:
            right = min(max(0.0, right - dx), 0.9 - left)
        if "top" in self._grip:
            top = min(max(0.0, top + dy), 0.9 - bottom)
        if "bottom" in self._grip:
            bottom = min(max(0.0, bottom - dy), 0.9 - top)
        return left, top, right, bottom


def _cursor(grips: set[str]) -> Qt.CursorShape:
    shapes: dict[frozenset[str], Qt.CursorShape] = {
        frozenset({"left"}): Qt.CursorShape.SizeHorCursor,
        frozenset({"right"}): Qt.CursorShape.SizeHorCursor,
        frozenset({"top"}): Qt.CursorShape.SizeVerCursor,
        frozenset({"bottom"}): Qt.CursorShape.SizeVerCursor,
        frozenset({"left", "top"}): Qt.CursorShape.SizeFDiagCursor,
        frozenset({"right", "bottom"}): Qt.CursorShape.SizeFDiagCursor,
        frozenset({"right", "top"}): Qt.CursorShape.SizeBDiagCursor,
        frozenset({"left", "bottom"}): Qt.CursorShape.SizeBDiagCursor,
    }
    return shapes.get(frozenset(grips), Qt.CursorShape.SizeAllCursor if grips else Qt.CursorShape.ArrowCursor)
