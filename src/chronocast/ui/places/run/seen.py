"""What the chosen file looks like as far as it is made: a picture beside its original, small; a click makes it large."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QLabel, QVBoxLayout, QWidget

from chronocast.ui.places.run.model import PictureTold
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw
from chronocast.ui.widgets.wipe import WipePicture

CAPTION = 22


def halves(file: str) -> tuple[QImage, QImage]:
    """The original and the encode of a file that has both side by side; null images where it can't be read."""
    whole = QImage(file)
    wide = whole.width() // 2
    return whole.copy(0, 0, wide, whole.height()), whole.copy(wide, 0, wide, whole.height())


class SeenPair(QWidget):
    """``SeenPair(theme)``: the original to the left, what became of it to the right.  A click, or Return, makes them large."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.told: PictureTold | None = None
        self.original, self.made = QImage(), QImage()
        self._mark: tuple[str, float] | None = None
        self.large: QDialog | None = None
        self.setAccessibleName("What is made, beside its original")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_picture(self, told: PictureTold | None) -> None:
        """Show another picture, or none."""
        self.told = told
        self.setAccessibleDescription(told.words if told else "nothing is made yet")
        self.setToolTip(f"{told.words}. Click to compare them large." if told else "")
        self.setCursor(Qt.CursorShape.PointingHandCursor if told else Qt.CursorShape.ArrowCursor)
        mark = None
        if told is not None:
            try:
                mark = (told.file, Path(told.file).stat().st_mtime)
            except OSError:
                mark = None
        if mark != self._mark:
            self._mark = mark
            self.original, self.made = halves(told.file) if told and mark else (QImage(), QImage())
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter, t, unit = QPainter(self), self.theme, scale()
        face = font(13, narrow=True)
        if self.told is None or self.made.isNull():
            box = QRectF(self.rect()).adjusted(0, 8, 0, -8)
            draw.text(painter, box, "its pictures are seen here", face, t.color("quiet"), align=draw.CENTRE)
            return
        top, gap = CAPTION * unit, 6.0
        room = QRectF(0, top, (self.width() - gap) / 2, self.height() - top - 8)
        size = self.made.size().scaled(room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        for place, (image, words) in enumerate(((self.original, "original"), (self.made, self.told.words))):
            left = place * (size.width() + gap)
            painter.drawImage(QRectF(left, top, size.width(), size.height()), image)
            wide = size.width() if not place else self.width() - left
            draw.text(painter, QRectF(left, 2, wide, top - 4), words, face, t.color("quiet"))
        if self.hasFocus():
            painter.setPen(QPen(t.color("tide"), 1))
            painter.drawRect(QRectF(0, top, 2 * size.width() + gap, size.height()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.enlarge()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.enlarge()
        else:
            super().keyPressEvent(event)

    def enlarge(self) -> None:
        """Compare them large, by a wipe."""
        if self.told is None or self.made.isNull():
            return
        box = QDialog(self)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.setWindowTitle(self.told.title)
        box.resize(round(860 * min(1.2, scale())), round(560 * min(1.2, scale())))
        wipe = WipePicture(self.theme)
        wipe.show_pair(self.made, self.original)
        words = QLabel(f"{self.told.words}. Drag the line; the wheel goes closer.")
        words.setFont(font(13.5))
        column = QVBoxLayout(box)
        column.addWidget(wipe, 1)
        column.addWidget(words)
        self.large = box
        box.destroyed.connect(self._closed)
        box.open()

    def _closed(self) -> None:
        self.large = None
