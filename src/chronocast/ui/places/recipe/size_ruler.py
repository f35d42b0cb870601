"""The size ruler: bit/s along it, bytes above; where the files lie, and the limits of their receivers as stops."""

from __future__ import annotations

from math import log10

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from chronocast.model.show import rate_bits_text, size_text
from chronocast.preparation.ruler import Ruled
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw

LOW, HIGH = 50_000.0, 500_000_000.0


class SizeRuler(QWidget):
    """``SizeRuler(theme)``; ``show_ruled`` gives it what lies on it.

    ``dragged`` with a target in bit/s while it is dragged, ``set_to`` when it is let go or moved by key.
    """

    dragged = pyqtSignal(int)
    set_to = pyqtSignal(int)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.ruled = Ruled()
        self.live: float | None = None
        self.setMinimumHeight(round(104 * scale()))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Size ruler")

    def sizeHint(self) -> QSize:
        return QSize(500, round(104 * scale()))

    def show_ruled(self, ruled: Ruled) -> None:
        """Show other figures."""
        self.ruled = ruled
        stops = "; ".join(f"{stop.words} at {rate_bits_text(stop.bits)}" for stop in ruled.stops)
        self.setAccessibleDescription(
            f"{rate_bits_text(ruled.likely)}, {size_text(ruled.likely * ruled.seconds / 8)} likely; {stops or 'no limits'}"
        )
        self.update()

    @property
    def span(self) -> tuple[float, float]:
        """The least and the greatest bit/s shown."""
        r = self.ruled
        values = [
            v for v in (r.low, r.safe, r.target or 0, r.saved or 0, *(stop.bits for stop in r.stops)) if v > 0
        ]
        if not values:
            return 300_000.0, 30_000_000.0
        return max(LOW / 10, min(values) / 2.4), min(HIGH * 10, max(values) * 2.4)

    def _x(self, bits: float) -> float:
        low, high = self.span
        inner = self.width() - 40.0
        return 20 + inner * (log10(max(bits, 1.0)) - log10(low)) / (log10(high) - log10(low))

    def bits_at(self, x: float) -> float:
        """Bit/s at a point along it."""
        low, high = self.span
        share = min(1.0, max(0.0, (x - 20) / max(1.0, self.width() - 40.0)))
        return float(10 ** (log10(low) + share * (log10(high) - log10(low))))

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter, t, unit, r = QPainter(self), self.theme, scale(), self.ruled
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        base = 66 * unit
        painter.setPen(QPen(t.color("line"), 1))
        painter.drawLine(QPointF(20, base), QPointF(self.width() - 20, base))
        self._scale(painter, base)
        if r.likely:
            left, mid, right = self._x(max(r.low, 1)), self._x(r.likely), self._x(max(r.safe, r.likely))
            painter.fillRect(
                QRectF(left, base - 9 * unit, max(2.0, mid - left), 8 * unit), t.color("ember", 90)
            )
            draw.fading(
                painter, QRectF(mid, base - 9 * unit, max(3.0, right - mid), 8 * unit), t.color("ember", 160)
            )
            painter.fillRect(QRectF(mid - 1, base - 14 * unit, 2, 14 * unit), t.color("ember"))
        if r.saved and r.saved != r.target:
            x = self._x(r.saved)
            painter.setPen(QPen(t.color("quiet"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x, base - 24 * unit), QPointF(x, base))
            draw.text(
                painter,
                QRectF(x + 3, base - 27 * unit, 60, 14 * unit),
                "saved",
                font(12, narrow=True),
                t.color("quiet"),
            )
        self._stops(painter, base)
        target = self.live if self.live is not None else r.target
        if target:
            self._handle(painter, base, target)

    def _scale(self, painter: QPainter, base: float) -> None:
        """Ticks at 1, 2 and 5: the rate below, the bytes it comes to above."""
        t, unit, (low, high) = self.theme, scale(), self.span
        exponent = 10.0 ** int(log10(low))
        last = -1e9
        while exponent <= high * 10:
            for step in (1, 2, 5):
                bits = step * exponent
                x = self._x(bits)
                if low <= bits <= high and 20 <= x <= self.width() - 20:
                    painter.setPen(QPen(t.color("line"), 1))
                    painter.drawLine(QPointF(x, base), QPointF(x, base + 5))
                    if x - last > 62 * unit:
                        last = x
                        box = QRectF(x - 40, base + 5, 80, 15 * unit)
                        draw.text(
                            painter,
                            box,
                            rate_bits_text(bits),
                            font(12.5, narrow=True),
                            t.color("text"),
                            align=draw.CENTRE,
                        )
                        size = size_text(bits * self.ruled.seconds / 8) if self.ruled.seconds else ""
                        low_box = QRectF(x - 40, base + 19 * unit, 80, 14 * unit)
                        draw.text(
                            painter, low_box, size, font(12, narrow=True), t.color("quiet"), align=draw.CENTRE
                        )
            exponent *= 10

    def _stops(self, painter: QPainter, base: float) -> None:
        """Limits: a post with its foot towards what is allowed; labels in lines so that none lies over another."""
        t, unit = self.theme, scale()
        ends = [-1e9, -1e9]
        for stop in sorted(self.ruled.stops, key=lambda item: item.bits)[:8]:
            x = self._x(stop.bits)
            colour = t.color("rust" if stop.broken else "tide")
            painter.setPen(QPen(colour, 2))
            painter.drawLine(QPointF(x, 18 * unit), QPointF(x, base + 3))
            side = -1 if stop.ceiling else 1
            painter.drawLine(QPointF(x, base - 1), QPointF(x + side * 7, base - 1))
            line = 0 if x - 4 > ends[0] else 1
            words = f"{stop.words}{' — not kept' if stop.broken else ''}"
            made = font(12.5, narrow=True)
            wide = QFontMetricsF(made).horizontalAdvance(words) + 2
            left = x + 4 if x + 4 + wide < self.width() - 4 else max(4.0, x - 4 - wide)
            draw.text(painter, QRectF(left, (2 + 15 * line) * unit, wide, 15 * unit), words, made, colour)
            ends[line] = left + wide + 8

    def _handle(self, painter: QPainter, base: float, target: float) -> None:
        t, unit, x = self.theme, scale(), self._x(target + self.ruled.sound)
        painter.setPen(QPen(t.color("text"), 1.6 if self.hasFocus() else 1))
        painter.setBrush(t.color("tide") if self.hasFocus() else t.color("raised"))
        painter.drawPolygon(
            QPolygonF(
                [
                    QPointF(x, base - 12 * unit),
                    QPointF(x + 6, base - 19 * unit),
                    QPointF(x + 6, base - 31 * unit),
                    QPointF(x - 6, base - 31 * unit),
                    QPointF(x - 6, base - 19 * unit),
                ]
            )
        )
        words = "differs" if self.ruled.mixed and self.live is None else rate_bits_text(target)
        left = x + 10 < self.width() - 70
        box = QRectF(x + 10 if left else x - 80, base - 33 * unit, 70, 16 * unit)
        draw.text(
            painter, box, words, font(13.5, 600), t.color("text"), align=draw.LEFT if left else draw.RIGHT
        )

    def _move(self, x: float) -> None:
        if self.ruled.target is None:
            return
        bits = max(10_000.0, self.bits_at(x) - self.ruled.sound)
        self.live = float(f"{bits:.2g}")
        self.dragged.emit(int(self.live))
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._move(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._move(event.position().x())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self.live is not None:
            live, self.live = int(self.live), None
            self.set_to.emit(live)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        factor = {Qt.Key.Key_Left: 1 / 1.1, Qt.Key.Key_Right: 1.1}.get(Qt.Key(event.key()))
        if factor and self.ruled.target:
            self.set_to.emit(int(float(f"{self.ruled.target * factor:.3g}")))
        else:
            super().keyPressEvent(event)
