"""A trial of one output: what was tried, how it measured, and its poorest pictures beside the originals, by a wipe."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QDialog, QDoubleSpinBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from chronocast.model.show import rate_bits_text
from chronocast.ui.desk.workers import errand
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw
from chronocast.ui.widgets.table import Col, RowsTable

if TYPE_CHECKING:  # what they bring in takes long to import
    from chronocast.crew.local.trial import TrialTold, Tried


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

    def show_pair(self, made: Path, original: Path) -> None:
        """Show another pair."""
        self.made, self.original = QImage(str(made)), QImage(str(original))
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


class TrialBox(QDialog):
    """``TrialBox(theme, title, hold, again, parent)``.

    ``hold`` (folder, progress) carries the trial out, elsewhere; ``again`` (told, floor) answers for another floor.

    ``taken`` brings fields of the recipe: the least that keeps the floor.
    """

    taken = pyqtSignal(object)
    _went = pyqtSignal(int, int)

    def __init__(
        self,
        theme: Theme,
        title: str,
        hold: Callable[[Path, Callable[[int, int], None]], TrialTold],
        again: Callable[[TrialTold, float], TrialTold],
        parent: QWidget | None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Trial of {title}")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(round(1080 * min(1.2, scale())), round(640 * min(1.2, scale())))
        self.told: TrialTold | None = None
        self._again = again
        self._place = tempfile.TemporaryDirectory(prefix="chronocast-trial-", ignore_cleanup_errors=True)
        self.title = QLabel(title)
        self.title.setFont(font(17))
        self.state = QLabel("Encoding a few seconds of its hardest and of its easiest moment…")
        self.state.setFont(font(13.5))
        self.state.setWordWrap(True)
        self.picture = WipePicture(theme)
        self.table = RowsTable(
            theme,
            (
                Col("moment", lambda row: row.moment.words, 0.2),
                Col("as", lambda row: row.variant.words, 0.26, strong=True),
                Col("rate", lambda row: rate_bits_text(row.bits), 0.2),
                Col("XPSNR, worst", lambda row: f"{row.xpsnr:.1f}, {row.worst:.1f} dB", 0.34, quiet=True),
            ),
            "What was tried",
            30,
        )
        self.table.setMinimumWidth(round(400 * scale()))
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda *_: self._show_pair())
        self.take = QPushButton("Take the least that keeps it")
        self.take.setObjectName("act")
        self.take.setEnabled(False)
        self.take.clicked.connect(self._take)
        self.floor = QDoubleSpinBox()
        self.floor.setRange(20.0, 60.0)
        self.floor.setSuffix(" dB")
        self.floor.setDecimals(1)
        self.floor.setAccessibleName("XPSNR that the worst moment should keep")
        self.floor.setToolTip("From about 40 dB on, differences can hardly be seen side by side.")
        self.floor.setEnabled(False)
        self.floor.valueChanged.connect(self._asked)
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        middle = QHBoxLayout()
        middle.addWidget(self.table)
        middle.addWidget(self.picture, 1)
        foot = QHBoxLayout()
        words = QLabel("The worst moment should keep")
        words.setBuddy(self.floor)
        foot.addWidget(words)
        foot.addWidget(self.floor)
        foot.addWidget(QLabel("XPSNR. The wheel goes closer; the line can be dragged."))
        foot.addStretch(1)
        foot.addWidget(close)
        foot.addWidget(self.take)
        layout = QVBoxLayout(self)
        layout.addWidget(self.title)
        layout.addWidget(self.state)
        layout.addLayout(middle, 1)
        layout.addLayout(foot)
        self._went.connect(self._progress)
        folder = Path(self._place.name)

        def progress(done: int, whole: int) -> None:
            try:
                self._went.emit(done, whole)
            except RuntimeError:
                pass  # the box was closed meanwhile

        self._errand = errand(lambda: hold(folder, progress), self._done, self._failed)

    def _progress(self, done: int, whole: int) -> None:
        self.state.setText(
            f"Encoding a few seconds of its hardest and of its easiest moment: {done} of {whole}"
        )

    def _failed(self, sentence: str) -> None:
        self.state.setText(sentence)

    def _done(self, told: TrialTold) -> None:
        self._say(told)
        self.floor.setValue(told.floor)
        self.floor.setEnabled(True)
        order = {"hardest": 0, "chosen": 1}
        rows = sorted(told.trial.tried, key=lambda item: (order.get(item.moment.words, 2), -item.bits))
        self.table.show_rows(rows, lambda row: (row.moment.words, row.variant.words))
        if rows:
            self.table.selectRow(0)
        self.table.setFocus()

    def _say(self, told: TrialTold) -> None:
        self.told = told
        self.state.setText(told.told)
        self.take.setEnabled(bool(told.values))

    def _asked(self, floor: float) -> None:
        """Another floor: the same trial answers."""
        told, again = self.told, self._again
        if told is None or floor == told.floor:
            return

        def say(found: TrialTold) -> None:
            if self.isVisible() and found.floor == self.floor.value():
                self._say(found)

        errand(lambda: again(told, floor), say, self.state.setText)

    def _show_pair(self) -> None:
        row: Tried | None = self.table.chosen()
        if row is not None:
            self.picture.show_pair(row.picture, row.original)

    def _take(self) -> None:
        if self.told is not None:
            self.taken.emit(self.told.values)
        self.close()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        for signal, slot in ((self._errand.done, self._done), (self._errand.failed, self._failed)):
            try:
                signal.disconnect(slot)
            except TypeError:
                pass  # it is over
        self._place.cleanup()
        super().closeEvent(event)
