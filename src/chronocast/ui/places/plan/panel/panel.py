"""The forecast panel: one output, its time against its size, what the time goes on, what it rests on."""

from __future__ import annotations

import itertools

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize
from PyQt6.QtGui import QFontMetricsF, QHelpEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from chronocast.model.show import time_text
from chronocast.model.stages import STAGES
from chronocast.ui.places.plan.panel.detail import Detail
from chronocast.ui.places.plan.panel.plot import WaysPlot
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw

WIDTH = 336
LEAST_PLOT = 150
"""Pixels: a lower plot of time against size can't be read; the panel is scrolled sooner."""
STAGE_ROLES = ("ember", "dusk", "lichen", "tide", "quiet")
"""Colours of the kinds of work, in the order of their table."""


class ForecastPanel(QWidget):
    """``ForecastPanel(theme)``; ``show_detail`` gives it an output, or None."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.detail: Detail | None = None
        self.empty = "Choose a cell to see its forecast."
        self._placed = False
        self.plot = WaysPlot(theme, self)
        self.plot.hide()
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self._words: list[tuple[QRectF, str]] = []
        self.setAccessibleName("Forecast of the chosen output")

    def sizeHint(self) -> QSize:
        return QSize(round(WIDTH * min(1.25, scale())), 300)

    def show_detail(self, detail: Detail | None, empty: str = "") -> None:
        """Show another output."""
        empty = empty or self.empty
        if self._placed and (detail, empty) == (self.detail, self.empty):
            return
        self.detail, self.empty, self._placed = detail, empty, True
        words = "; ".join(f"{name}: {value}" for name, value in detail.lines) if detail else self.empty
        self.setAccessibleDescription(words)
        lines = 20 * len(detail.lines) if detail else 0
        self.setMinimumHeight(round((12 + 26 + LEAST_PLOT + 12 + lines + 66) * scale()) if detail else 0)
        self._place_plot()
        self.update()

    def resizeEvent(self, _: QResizeEvent | None) -> None:
        self._place_plot()

    def _place_plot(self) -> None:
        """The plot under the title, as high as the lines below it leave room for."""
        self.plot.setVisible(self.detail is not None)
        if self.detail is None:
            return
        unit = scale()
        top = 12 * unit + 26 * unit
        below = 20 * unit * len(self.detail.lines) + 66 * unit
        height = self._plot_height(self.height() - 4 - top - below)
        self.plot.setGeometry(16, round(top), self.width() - 30, round(height))

    @staticmethod
    def _plot_height(room: float) -> float:
        return max(LEAST_PLOT * scale(), min(220 * scale(), room))

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter, t, unit = QPainter(self), self.theme, scale()
        self._words = []
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
        y += self._plot_height(inner.bottom() - y - below) + 12 * unit
        for name, value in d.lines:
            self._words.append((QRectF(0, y, self.width(), lines), value))
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

    def event(self, event: QEvent | None) -> bool:
        """The pointer rests on a line, or on the bar below them: all of it, in words."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip and self.detail is not None:
            at = QPointF(event.pos())
            bottom = max((box.bottom() for box, _ in self._words), default=0.0)
            told = next((words for box, words in self._words if box.contains(at)), "")
            if not told and at.y() > bottom:
                told = "\n".join(f"{name} {time_text(seconds)}" for name, seconds in self.detail.stages)
            QToolTip.showText(event.globalPos(), told, self)
            return True
        return super().event(event)

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
