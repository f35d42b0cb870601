"""The forecast panel: one output, its time against its size, what the time goes on, what it rests on."""

from __future__ import annotations

import itertools
from math import log10

from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from chronocast.model.show import size_text, time_text
from chronocast.model.stages import STAGES
from chronocast.ui.places.plan.model import Detail
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw

WIDTH = 336
STAGE_ROLES = ("ember", "lichen", "dusk", "tide", "rust", "quiet")
"""Colours of the kinds of work, in the order of their table."""


class ForecastPanel(QWidget):
    """``ForecastPanel(theme)``; ``show_detail`` gives it an output, or None."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.detail: Detail | None = None
        self.empty = "Choose a cell to see its forecast."
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Forecast of the chosen output")

    def sizeHint(self) -> QSize:
        return QSize(round(WIDTH * min(1.25, scale())), 300)

    def show_detail(self, detail: Detail | None, empty: str = "") -> None:
        """Show another output."""
        self.detail = detail
        self.empty = empty or self.empty
        words = "; ".join(f"{name}: {value}" for name, value in detail.lines) if detail else self.empty
        self.setAccessibleDescription(words)
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter, t, unit = QPainter(self), self.theme, scale()
        inner = QRectF(16, 12 * unit, self.width() - 30, self.height() - 16)
        if self.detail is None:
            draw.text(
                painter,
                QRectF(inner.left(), inner.top(), inner.width(), 20 * unit),
                self.empty,
                font(13.5, narrow=True),
                t.color("quiet"),
            )
            return
        d, y = self.detail, inner.top()
        draw.text(
            painter,
            QRectF(inner.left(), y, inner.width(), 20 * unit),
            d.title,
            font(15, 600),
            t.color("text"),
        )
        y += 26 * unit
        lines = 20 * unit
        below = lines * len(d.lines) + 66 * unit
        plot = QRectF(
            inner.left(), y, inner.width(), max(60 * unit, min(200 * unit, inner.bottom() - y - below))
        )
        self._plot(painter, plot)
        y = plot.bottom() + 12 * unit
        for name, value in d.lines:
            draw.text(
                painter,
                QRectF(inner.left(), y, 58 * unit, lines),
                name,
                font(13, narrow=True),
                t.color("quiet"),
            )
            draw.text(
                painter,
                QRectF(inner.left() + 60 * unit, y, inner.width() - 60 * unit, lines),
                value,
                font(13.5, narrow=True),
                t.color("text"),
            )
            y += lines
        self._parts(painter, QRectF(inner.left(), y + 8 * unit, inner.width(), 40 * unit))

    def _plot(self, painter: QPainter, box: QRectF) -> None:
        """Time across, size up, both in logarithms: this output and its siblings, each with its band."""
        assert self.detail is not None
        t, unit, points = self.theme, scale(), self.detail.points
        painter.fillRect(box, t.color("raised"))
        draw.text(
            painter,
            QRectF(box.left() + 8, box.top() + 4, 60, 16 * unit),
            "size",
            font(12.5, narrow=True),
            t.color("quiet"),
        )
        draw.text(
            painter,
            QRectF(box.right() - 68, box.bottom() - 20 * unit, 60, 16 * unit),
            "time",
            font(12.5, narrow=True),
            t.color("quiet"),
            align=draw.RIGHT,
        )
        area = box.adjusted(26, 24 * unit, -26, -26 * unit)
        times = [log10(max(value, 0.5)) for p in points for value in (p.seconds.p10, p.seconds.safe)]
        sizes = [log10(max(value, 1e3)) for p in points for value in (p.bytes.p10, p.bytes.safe)]
        low_x, high_x = min(times) - 0.08, max(times) + 0.08
        low_y, high_y = min(sizes) - 0.05, max(sizes) + 0.05
        if high_y - low_y < 0.5:
            low_y, high_y = low_y - 0.25, high_y + 0.25
        if high_x - low_x < 0.4:
            low_x, high_x = low_x - 0.2, high_x + 0.2

        def x(seconds: float) -> float:
            return area.left() + area.width() * (log10(max(seconds, 0.5)) - low_x) / (high_x - low_x)

        def y(size: float) -> float:
            return area.bottom() - area.height() * (log10(max(size, 1e3)) - low_y) / (high_y - low_y)

        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for _name, work, size, mine in sorted(points, key=lambda p: p.mine):
            role = "tide" if mine else "quiet"
            band = QRectF(QPointF(x(work.p10), y(size.safe)), QPointF(x(work.safe), y(size.p10)))
            if band.height() < 6:
                band.adjust(0, -3, 0, 3)
            painter.setPen(QPen(t.color(role, 110), 1))
            painter.setBrush(t.color(role, 60 if mine else 26))
            painter.drawEllipse(band)
            centre = QPointF(x(work.likely), y(size.likely))
            painter.setBrush(t.color(role))
            painter.setPen(QPen(t.color("raised"), 1))
            painter.drawEllipse(centre, 5 if mine else 3.5, 5 if mine else 3.5)
        painter.restore()
        room = box.adjusted(4, 22 * unit, -4, -22 * unit)
        taken: list[QRectF] = []
        # this one's name first; a sibling's where there is room for it
        for name, work, size, mine in sorted(points, key=lambda p: not p.mine):
            short, made = name.split(",")[0], font(12.5, 600 if mine else 400, narrow=True)
            centre = QPointF(x(work.likely), y(size.likely))
            wide = QFontMetricsF(made).horizontalAdvance(short) + 8
            label = QRectF(centre.x() + 9, centre.y() - 17 * unit, wide, 16 * unit)
            if label.right() > box.right() - 4:
                label.moveRight(centre.x() - 9)
            for step in (0, 15, -15, 30, -30):
                place = label.translated(0, step * unit)
                if room.contains(place) and not any(place.intersects(other) for other in taken):
                    taken.append(place)
                    draw.text(painter, place, short, made, t.color("text" if mine else "quiet"))
                    break
        mine_point = next(p for p in points if p.mine)
        words = f"{time_text(mine_point.seconds.likely)}, {size_text(mine_point.bytes.likely)}"
        draw.text(
            painter,
            QRectF(box.left() + 8, box.bottom() - 20 * unit, box.width() - 80, 16 * unit),
            words,
            font(12.5, narrow=True),
            t.color("tide"),
        )

    def _parts(self, painter: QPainter, box: QRectF) -> None:
        """What the time goes on, as one bar."""
        assert self.detail is not None
        t, unit = self.theme, scale()
        total = sum(seconds for _, seconds in self.detail.stages)
        if total <= 0:
            return
        x = box.left()
        roles = dict(zip(STAGES, itertools.cycle(STAGE_ROLES), strict=False))
        for name, seconds in self.detail.stages:
            width = box.width() * seconds / total
            if width < 1:
                continue
            painter.fillRect(QRectF(x, box.top(), max(1.0, width - 2), 9 * unit), t.color(roles[name]))
            words = f"{name} {time_text(seconds)}"
            if width > QFontMetricsF(font(12.5, narrow=True)).horizontalAdvance(words):
                draw.text(
                    painter,
                    QRectF(x, box.top() + 12 * unit, width, 16 * unit),
                    words,
                    font(12.5, narrow=True),
                    t.color("quiet"),
                )
            x += width
