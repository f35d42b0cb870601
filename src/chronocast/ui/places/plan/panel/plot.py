"""The plot of time against size: this output, its siblings, other ways to make it, and lines that can be dragged."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFontMetricsF,
    QHelpEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QFileDialog, QMenu, QToolTip, QWidget

from chronocast.journal.documents import DocumentError, write_text
from chronocast.model.errors import ChronocastError
from chronocast.model.show import size_text, time_text
from chronocast.preparation.asked.candidates import Candidate
from chronocast.preparation.asked.forecast_table import ways_csv
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.ui.places.plan.panel.plot_model import (
    Kept,
    LineName,
    Plot,
    Point,
    Scales,
    dragged,
    kept_told,
    ring,
    way_told,
)
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw

RING = 8.0
"""Pixels from a way to the ring around it."""
CURSORS = {
    "limit": Qt.CursorShape.SizeVerCursor,
    "wanted": Qt.CursorShape.SizeHorCursor,
    "line": Qt.CursorShape.SizeAllCursor,
}


class WaysPlot(QWidget):
    """``WaysPlot(theme)``: ``kept_set`` (name, what is to be kept) when a line was dragged, ``way_taken`` a candidate; ``trouble`` a sentence."""

    kept_set = pyqtSignal(str, object)
    way_taken = pyqtSignal(object)
    trouble = pyqtSignal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.plot = Plot()
        self.view: Outlook | None = None
        self.output = ""
        self._dragging: LineName | None = None
        self._tried: Kept | None = None
        self.setMouseTracking(True)
        self.setAccessibleName("Time against size")
        self.setToolTipDuration(20_000)

    def show_plot(self, plot: Plot, view: Outlook, output: str) -> None:
        """Show another output, or newer answers about it."""
        shown = self.output, self.plot
        self.plot, self.view, self.output = plot, view, output
        if shown == (output, plot):
            return
        ways = "; ".join(way_told(way) for way in plot.others if not way.dominated)
        self.setAccessibleDescription(ways)
        self.update()

    def scales(self) -> Scales:
        """Where things lie now."""
        unit = scale()
        return self.plot.scales(26, 24 * unit, self.width() - 52, self.height() - 50 * unit)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None or not self.plot.points:
            return
        menu = QMenu(self)
        picture, table = (
            menu.addAction("Save the plot as a picture…"),
            menu.addAction("Save its ways as a table…"),
        )
        chosen = menu.exec(event.globalPos())
        if chosen is None:
            return
        kind = "PNG (*.png)" if chosen is picture else "Comma-separated values (*.csv)"
        ending = ".png" if chosen is picture else ".csv"
        name, _ = QFileDialog.getSaveFileName(self, chosen.text(), f"{self.output}{ending}", kind)
        if name:
            self.save(Path(name), table=chosen is table)

    def save(self, path: Path, *, table: bool) -> None:
        """Write the plot as a picture, or its ways as a table."""
        try:
            if table:
                write_text(path, ways_csv(self.plot.ways))
            elif not self.grab().save(str(path)):
                raise DocumentError(f"{path} can't be written.", "Choose another folder.")
        except ChronocastError as error:
            self.trouble.emit(str(error))

    # The pointer

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        if self._dragging is not None:
            self._tried = dragged(self.plot, self.scales(), self._dragging, at.x(), at.y())
            self.update()
            return
        way = self.plot.way_at(self.scales(), at.x(), at.y())
        line = self.plot.line_at(self.scales(), at.x(), at.y())
        shape = (
            Qt.CursorShape.PointingHandCursor
            if way
            else CURSORS[line]
            if line
            else Qt.CursorShape.ArrowCursor
        )
        self.setCursor(shape)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton or not self.plot.points:
            return
        at = event.position()
        if self.plot.way_at(self.scales(), at.x(), at.y()) is None:
            self._dragging = self.plot.line_at(self.scales(), at.x(), at.y())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        dragging, tried = self._dragging, self._tried
        self._dragging = self._tried = None
        if dragging is not None:
            if tried is not None and tried != self.plot.kept:
                self.kept_set.emit(dragging, tried)
            self.update()
            return
        at = event.position()
        way = self.plot.way_at(self.scales(), at.x(), at.y())
        if way is not None:
            self.way_taken.emit(way)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            at = event.pos()
            way = self.plot.way_at(self.scales(), at.x(), at.y())
            line = self.plot.line_at(self.scales(), at.x(), at.y())
            told = way_told(way, self.plot.now) if way else ""
            if not told and line and self.view:
                told = f"{kept_told(self.view, self.output, self.plot.kept, line)}. Drag it; beyond the edge there is none."
            QToolTip.showText(event.globalPos(), told, self)
            return True
        return super().event(event)

    # Painting

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter, t, unit = QPainter(self), self.theme, scale()
        box = QRectF(self.rect())
        painter.fillRect(box, t.color("raised"))
        if not self.plot.points:
            return
        words, quiet = font(12.5, narrow=True), t.color("quiet")
        draw.text(painter, QRectF(8, 4, 60, 16 * unit), "size", words, quiet)
        corner = QRectF(box.right() - 68, box.bottom() - 20 * unit, 60, 16 * unit)
        draw.text(painter, corner, "time", words, quiet, align=draw.RIGHT)
        scales = self.scales()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._bands(painter, scales)
        self._ways(painter, scales)
        taken = self._kept(painter, scales)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        self._names(painter, scales, box, taken)
        mine = next((p for p in self.plot.points if p.mine), None)
        if mine is not None:
            told = f"{time_text(mine.seconds.likely)}, {size_text(mine.bytes.likely)}"
            place = QRectF(8, box.bottom() - 20 * unit, box.width() - 80, 16 * unit)
            draw.text(painter, place, told, words, t.color("tide"))

    def _bands(self, painter: QPainter, scales: Scales) -> None:
        """Each file with its band: P10 to safe both ways."""
        t = self.theme
        for _, work, size, mine in sorted(self.plot.points, key=lambda p: p.mine):
            role = "tide" if mine else "quiet"
            band = QRectF(
                QPointF(scales.x(work.p10), scales.y(size.safe)),
                QPointF(scales.x(work.safe), scales.y(size.p10)),
            )
            if band.height() < 6:
                band.adjust(0, -3, 0, 3)
            painter.setPen(QPen(t.color(role, 110), 1))
            painter.setBrush(t.color(role, 60 if mine else 26))
            painter.drawEllipse(band)
            radius = 5 if mine else 3.5
            painter.setBrush(t.color(role))
            painter.setPen(QPen(t.color("raised"), 1))
            painter.drawEllipse(QPointF(scales.x(work.likely), scales.y(size.likely)), radius, radius)

    def _ways(self, painter: QPainter, scales: Scales) -> None:
        """Other ways to make this file: short strokes, those that another one beats faded."""
        for way in self.plot.others:
            x, y = scales.x(way.seconds.likely), scales.y(way.bytes.likely)
            painter.setPen(QPen(self.theme.color("dusk", 70 if way.dominated else 255), 2.2))
            painter.drawLine(QPointF(x - 4, y + 3), QPointF(x + 4, y - 3))
            self._ring(painter, QPointF(x, y), way, 70 if way.dominated else 255)
        mine, now = next((p for p in self.plot.points if p.mine), None), self.plot.now
        if mine is not None and now is not None:
            at = QPointF(scales.x(mine.seconds.likely), scales.y(mine.bytes.likely))
            self._ring(painter, at, now, 255)

    def _ring(self, painter: QPainter, at: QPointF, way: Candidate, alpha: int) -> None:
        """How like the original its poorest shot looks: a ring that is closed where nobody sees a difference."""
        if way.xpsnr is None:
            return
        share = ring(way.xpsnr.worst.likely)
        box = QRectF(at.x() - RING, at.y() - RING, 2 * RING, 2 * RING)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(self.theme.color("quiet", 60 * alpha // 255), 1))
        painter.drawEllipse(box)
        painter.setPen(QPen(self.theme.color("tide" if way.present else "dusk", alpha), 1.8))
        painter.drawArc(box, 90 * 16, -round(share * 360 * 16))

    def _kept(self, painter: QPainter, scales: Scales) -> list[QRectF]:
        """What is asked to be kept, and at the edges where a line can be drawn in from; where words stand."""
        if self.plot.several:
            return []
        t, unit = self.theme, scale()
        kept = self._tried or self.plot.kept
        shown = Plot(self.plot.points, self.plot.ways, kept)
        right, bottom = scales.left + scales.width, scales.top + scales.height
        words, taken = font(12.5, narrow=True), []
        mine = next((p for p in self.plot.points if p.mine), None)

        def label(name: LineName, x: float, y: float, broken: bool) -> None:
            if self.view is None:
                return
            told = kept_told(self.view, self.output, kept, name)
            wide = QFontMetricsF(words).horizontalAdvance(told) + 4
            place = QRectF(min(max(x, 4), self.width() - wide - 4), y, wide, 15 * unit)
            taken.append(place)
            draw.text(painter, place, told, words, t.color("rust" if broken else "lichen"))

        def pen(broken: bool, there: bool = True) -> QPen:
            return QPen(t.color("rust" if broken else "lichen", 255 if there else 90), 1.4 if there else 1)

        over = mine is not None and kept.limit is not None and mine.bytes.safe > kept.limit
        y = scales.top if kept.limit is None else min(bottom, max(scales.top, scales.y(kept.limit)))
        painter.setPen(pen(over, kept.limit is not None))
        painter.drawLine(QPointF(scales.left if kept.limit else right - 26, y), QPointF(right, y))
        if kept.limit is not None:
            label("limit", scales.left, y - 15 * unit if y > scales.top + 16 else y + 1, over)
        late = (
            mine is not None
            and kept.left is not None
            and mine.seconds.safe > (shown.line_seconds(mine.bytes.safe) or 0)
        )
        if kept.left is None:
            painter.setPen(pen(False, False))
            painter.drawLine(QPointF(right, scales.top), QPointF(right, scales.top + 26))
            return taken
        x = min(right, max(scales.left, scales.x(kept.left)))
        painter.setPen(pen(late))
        painter.drawLine(QPointF(x, scales.top), QPointF(x, bottom))
        beside_time = x + 60 * unit > self.width() - 72  # the word that names the axis stands there
        label("wanted", x - 60 * unit, bottom - 16 * unit if beside_time else bottom + 1, late)
        if kept.line:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            path = QPainterPath()
            for step in range(41):
                at = scales.top + scales.height * step / 40
                seconds = shown.line_seconds(scales.bytes_at(at)) or 0.0
                if seconds <= 0 or not scales.left <= scales.x(seconds) <= right:
                    continue
                point = QPointF(scales.x(seconds), at)
                if path.isEmpty():
                    path.moveTo(point)
                else:
                    path.lineTo(point)
            painter.setPen(pen(late))
            painter.drawPath(path)
            if not path.isEmpty():
                label("line", path.elementAt(0).x - 40 * unit, scales.top + 2, late)
        return taken

    def _names(self, painter: QPainter, scales: Scales, box: QRectF, taken: list[QRectF]) -> None:
        """This file's name first; a sibling's where there is room for it."""
        unit = scale()
        room = box.adjusted(4, 22 * unit, -4, -22 * unit)
        for point in sorted(self.plot.points, key=lambda p: not p.mine):
            self._name(painter, scales, point, room=room, taken=taken, box=box)

    def _name(
        self,
        painter: QPainter,
        scales: Scales,
        point: Point,
        *,
        room: QRectF,
        taken: list[QRectF],
        box: QRectF,
    ) -> None:
        t, unit = self.theme, scale()
        short, made = point.name.split(",")[0], font(12.5, 600 if point.mine else 400, narrow=True)
        centre = QPointF(scales.x(point.seconds.likely), scales.y(point.bytes.likely))
        wide = QFontMetricsF(made).horizontalAdvance(short) + 8
        label = QRectF(centre.x() + 9, centre.y() - 17 * unit, wide, 16 * unit)
        if label.right() > box.right() - 4:
            label.moveRight(centre.x() - 9)
        for step in (0, 15, -15, 30, -30):
            place = label.translated(0, step * unit)
            if room.contains(place) and not any(place.intersects(other) for other in taken):
                taken.append(place)
                draw.text(painter, place, short, made, t.color("text" if point.mine else "quiet"))
                break
