"""The fan chart: how the forecast of the finish narrows while a run goes on."""

from __future__ import annotations

from datetime import timedelta

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from chronocast.ui.places.run.model import RunModel
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw


class FanChart(QWidget):
    """``FanChart(theme)``: time of the run across, the forecast finish up, a band from P10 to safe."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.run: RunModel | None = None
        self.setAccessibleName("How the forecast of the finish narrows")
        self.setMinimumHeight(110)

    def show_run(self, run: RunModel) -> None:
        """Show another state of the run."""
        self.run = run
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter, t, unit = QPainter(self), self.theme, scale()
        box = QRectF(16, 8 * unit, self.width() - 30, self.height() - 14)
        draw.text(
            painter,
            QRectF(box.left(), box.top(), box.width(), 18 * unit),
            "finish, as forecast while it went",
            font(13, narrow=True),
            t.color("quiet"),
        )
        area = QRectF(
            box.left() + 44 * unit, box.top() + 24 * unit, box.width() - 48 * unit, box.height() - 46 * unit
        )
        run = self.run
        if run is None or len(run.fan) < 2 or area.height() < 20:
            draw.text(
                painter,
                QRectF(box.left(), area.top(), box.width(), 18 * unit),
                "comes with the second forecast of a run",
                font(13, narrow=True),
                t.color("quiet"),
            )
            return
        last = run.fan[-1].at
        highest = max(moment.safe for moment in run.fan)
        lowest = min(min(moment.p10 for moment in run.fan), last)
        top, bottom = (
            highest + (highest - lowest) * 0.08 + 1,
            max(0.0, lowest - (highest - lowest) * 0.08 - 1),
        )

        def at(x: float, y: float) -> QPointF:
            return QPointF(
                area.left() + area.width() * x / max(1.0, last),
                area.bottom() - area.height() * (y - bottom) / (top - bottom),
            )

        step = draw.nice_steps(top - bottom, area.height(), 26 * unit)
        value = (run.fan_start.timestamp() + bottom) // step * step + step
        while value < run.fan_start.timestamp() + top:
            y = at(0, value - run.fan_start.timestamp()).y()
            painter.setPen(QPen(t.color("line"), 1))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            moment = run.fan_start + timedelta(seconds=value - run.fan_start.timestamp())
            words = moment.strftime("%M:%S" if step < 60 else "%H:%M")
            draw.text(
                painter,
                QRectF(box.left() - 6, y - 8 * unit, 44 * unit, 16 * unit),
                words,
                font(12, narrow=True),
                t.color("quiet"),
                align=draw.RIGHT,
                narrowed=True,
            )
            value += step
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(t.color("tide", 64))
        upper = [at(moment.at, moment.safe) for moment in run.fan]
        lower = [at(moment.at, moment.p10) for moment in run.fan]
        painter.drawPolygon(QPolygonF([*upper, *reversed(lower)]))
        painter.setPen(QPen(t.color("tide"), 1.8))
        painter.drawPolyline(QPolygonF([at(moment.at, moment.likely) for moment in run.fan]))
        painter.restore()
        for x, words, align in (
            (area.left(), run.fan_start.strftime("%H:%M:%S"), draw.LEFT),
            (
                area.right() - 80 * unit,
                (run.fan_start + timedelta(seconds=last)).strftime("%H:%M:%S"),
                draw.RIGHT,
            ),
        ):
            draw.text(
                painter,
                QRectF(x, area.bottom() + 4, 80 * unit, 16 * unit),
                words,
                font(12, narrow=True),
                t.color("quiet"),
                align=align,
            )
