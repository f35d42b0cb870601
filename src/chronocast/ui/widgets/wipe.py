"""A picture beside what became of it, by a wipe."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw


class WipePicture(QWidget):
    """``WipePicture(theme)``: the encode to the left of a line, the original to its right; drag it, or use the arrow keys.

    The wheel, or the keys up and down, go closer.
    """

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.made, self.original = QImage(), QImage()
        self.share = 0.5
        self.zoom, self.centre = 1.0, QPointF(0.5, 0.5)
        self.setMinimumSize(320, 200)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SplitHCursor)
        self.setAccessibleName("The encode to the left, the original to the right")

    def show_pair(self, made: QImage, original: QImage) -> None:
        """Show another pair."""
        self.made, self.original = made, original
        self.update()

    def area(self) -> QRectF:
        """Where the pictures lie."""
        if self.original.isNull():
            return QRectF(self.rect())
        fitted = self.original.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        width, height = fitted.width() * self.zoom, fitted.height() * self.zoom
        left = self.width() / 2 - width * self.centre.x()
        top = self.height() / 2 - height * self.centre.y()
        return QRectF(left, top, width, height)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter, area = QPainter(self), self.area()
        painter.fillRect(self.rect(), self.theme.color("raised"))
        if self.original.isNull() or self.made.isNull():
            return
        # enlarged, every pixel is shown as it is
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.zoom == 1.0)
        painter.drawImage(area, self.original)
        seen = area.intersected(QRectF(self.rect()))
        line = seen.left() + seen.width() * self.share
        painter.save()
        painter.setClipRect(QRectF(seen.left(), seen.top(), line - seen.left(), seen.height()))
        painter.drawImage(area, self.made)
        painter.restore()
        painter.setPen(QPen(self.theme.color("tide"), 2))
        painter.drawLine(QPointF(line, seen.top()), QPointF(line, seen.bottom()))
        for words, x, align in (("encode", line - 70, draw.RIGHT), ("original", line + 8, draw.LEFT)):
            place = QRectF(x, seen.top() + 6, 62, 18 * scale())
            painter.fillRect(place.adjusted(-3, -1, 3, 1), self.theme.color("ground", 190))
            draw.text(painter, place, words, font(13, narrow=True), self.theme.color("text"), align=align)

    def _to(self, x: float) -> None:
        seen = self.area().intersected(QRectF(self.rect()))
        self.share = min(1.0, max(0.0, (x - seen.left()) / max(1.0, seen.width())))
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event:
            self._to(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event:
            self._to(event.position().x())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or self.original.isNull():
            return
        area, at = self.area(), event.position()
        seen = QPointF((at.x() - area.left()) / area.width(), (at.y() - area.top()) / area.height())
        self.zoom_to(self.zoom * (2.0 if event.angleDelta().y() > 0 else 0.5), seen)

    def zoom_to(self, zoom: float, centre: QPointF) -> None:
        """Closer to a place in the picture (shares of its sides), or back to all of it."""
        self.zoom = min(8.0, max(1.0, zoom))
        inside = [min(1.0, max(0.0, value)) for value in (centre.x(), centre.y())]
        self.centre = QPointF(*inside) if self.zoom > 1.0 else QPointF(0.5, 0.5)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.zoom_to(self.zoom * (2.0 if event.key() == Qt.Key.Key_Up else 0.5), self.centre)
            return
        step = {Qt.Key.Key_Left: -0.05, Qt.Key.Key_Right: 0.05}.get(Qt.Key(event.key())) if event else None
        if step is None:
            super().keyPressEvent(event)
            return
        self.share = min(1.0, max(0.0, self.share + step))
        self.update()
