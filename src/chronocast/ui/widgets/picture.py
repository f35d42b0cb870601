"""One picture of a source, as large as it fits, with a line below it."""

from __future__ import annotations

import time

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw


class PictureBox(QWidget):
    """``PictureBox(theme, name)``; ``show_image`` gives it a picture, ``shape`` its width against its height."""

    resized = pyqtSignal()

    def __init__(self, theme: Theme, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.image: QImage | None = None
        self.frame = -1
        self.near = self.from_proxy = False
        self.shape = 16 / 9
        self.message = ""
        self.caption = ""
        self.shown_at = 0.0
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(320, 200)

    def picture_box(self) -> QRectF:
        """Where the picture lies."""
        room = QRectF(self.rect()).adjusted(0, 0, 0, -self._foot())
        width = min(room.width(), room.height() * self.shape)
        height = width / self.shape if self.shape else room.height()
        return QRectF(
            room.left() + (room.width() - width) / 2, room.top() + (room.height() - height) / 2, width, height
        )

    def wanted_size(self) -> tuple[int, int]:
        """The size in device pixels that would fill it, even, at most 1280 wide."""
        box, ratio = self.picture_box(), self.devicePixelRatioF()
        share = min(1.0, 1280 / max(1.0, box.width() * ratio), 1280 / max(1.0, box.height() * ratio))
        return (
            max(16, round(box.width() * ratio * share / 2) * 2),
            max(16, round(box.height() * ratio * share / 2) * 2),
        )

    def show_image(self, image: QImage | None, frame: int, near: bool = False) -> None:
        """Show a picture; ``near`` is one that only stands for it until the right one comes."""
        self.image, self.frame, self.near, self.message = image, frame, near, ""
        self.shown_at = time.perf_counter()
        self.update()

    def show_message(self, message: str) -> None:
        """Say why there is no picture; the one before stays, dimmed."""
        self.message = message
        self.update()

    def set_caption(self, caption: str) -> None:
        """The line below."""
        if caption != self.caption:
            self.caption = caption
            self.setAccessibleDescription(caption)
            self.update()

    def _foot(self) -> float:
        return 20 * scale() if self.caption else 0

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter, t = QPainter(self), self.theme
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self.picture_box()
        painter.fillRect(box, Qt.GlobalColor.black)
        if self.image is not None:
            painter.drawImage(box, self.image)
        self.paint_over(painter, box)
        if self.message:
            painter.fillRect(box, t.color("ground", 200))
            painter.setPen(t.color("rust"))
            painter.setFont(font(13.5))
            flags = int(Qt.AlignmentFlag.AlignCenter.value) | int(Qt.TextFlag.TextWordWrap.value)
            painter.drawText(box.adjusted(14, 8, -14, -8), flags, self.message)
        elif self.near:
            words = QRectF(box.left() + 8, box.bottom() - 24 * scale(), box.width() - 16, 18 * scale())
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(t.color("ground", 190))
            painter.drawRect(words.adjusted(-4, -1, -(words.width() - 200 * scale()), 1))
            draw.text(
                painter,
                words,
                f"near it: frame {self.frame}; the exact one is coming",
                font(12.5, narrow=True),
                t.color("text"),
            )
        if self.from_proxy and self.image is not None and not self.message:
            self._paint_tag(painter, box)
        if self.caption:
            below = QRectF(0, self.rect().bottom() - 19 * scale(), self.width(), 18 * scale())
            draw.text(
                painter, below, self.caption, font(13, narrow=True), t.color("quiet"), align=draw.CENTRE
            )

    def _paint_tag(self, painter: QPainter, box: QRectF) -> None:
        """That the picture is a proxy's, in its upper corner."""
        words, wide = "from a proxy", 84 * scale()
        tag = QRectF(box.right() - wide - 6, box.top() + 6, wide, 18 * scale())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.theme.color("ground", 190))
        painter.drawRect(tag)
        draw.text(painter, tag, words, font(12.5, narrow=True), self.theme.color("text"), align=draw.CENTRE)

    def paint_over(self, painter: QPainter, box: QRectF) -> None:
        """What lies over the picture; nothing here."""
        painter.setPen(QPen(self.theme.color("line"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.resized.emit()
