"""The headline forecast: when, how big, does it fit; and what is saved."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from chronocast.ui.places.plan.headline import Headline
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw

HEIGHT = 84


FIGURES = (
    ("finished", 0.0, 0.40),
    ("size", 0.40, 0.235),
    ("room", 0.635, 0.235),
    ("kept already", 0.87, 0.13),
)
"""The figures: where each begins and how wide it is, in shares of the width."""


class HeadlineBand(QWidget):
    """``HeadlineBand(theme)``; ``show_headline`` gives it what to say; ``chosen`` brings the figure that was clicked.

    With the keyboard, left and right go from figure to figure, Return chooses one.
    """

    chosen = pyqtSignal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.headline = Headline()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Forecast")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._at = 0

    def sizeHint(self) -> QSize:
        return QSize(600, round(HEIGHT * scale()))

    def show_headline(self, headline: Headline) -> None:
        """Say something else."""
        if headline == self.headline:
            return
        self.headline = headline
        self.setAccessibleDescription(headline.sentence)
        self.setToolTip(headline.sentence)
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            share = event.position().x() / max(1, self.width())
            self.chosen.emit(
                next((name for name, start, _ in reversed(FIGURES) if share >= start), "finished")
            )

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            self._at = max(0, min(len(FIGURES) - 1, self._at + step))
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(FIGURES[self._at][0])
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        t, h = self.theme, self.headline
        unit = scale()
        width = self.width()
        fan_width = min(120.0, width * 0.1)
        told = (
            (h.finished, h.finished_more, h.role if not h.finished.startswith("—") else "quiet"),
            (h.size, h.size_more, "quiet" if h.size_ok else "rust"),
            (h.room, h.room_more, "quiet" if h.room_ok else "rust"),
            (h.saved, h.saved_more, "dusk"),
        )
        for number, ((name, start, share), (value, more, role)) in enumerate(zip(FIGURES, told, strict=True)):
            if self.hasFocus() and number == self._at:
                painter.setPen(QPen(t.color("tide"), 1))
                painter.drawRect(
                    QRectF(8 * unit + width * start, 4, width * share - 14 * unit, self.height() - 8)
                )
            box = QRectF(16 * unit + width * start, 8, width * share - 22 * unit, self.height() - 14)
            draw.text(
                painter,
                QRectF(box.left(), box.top(), box.width(), 16 * unit),
                name,
                font(12.5, narrow=True),
                t.color("quiet"),
            )
            colour = t.color("rust") if role == "rust" and name != "finished" else t.color("text")
            taken = draw.text(
                painter,
                QRectF(box.left(), box.top() + 15 * unit, box.width(), 34 * unit),
                value,
                font(29, 600),
                colour,
            )
            draw.text(
                painter,
                QRectF(box.left(), box.top() + 50 * unit, box.width(), 17 * unit),
                more,
                font(13.5, narrow=True),
                t.color(role),
            )
            if name == "finished" and h.fan:
                left = box.left() + taken + 22 * unit
                self._fan(painter, QRectF(left, box.top() + 4, min(fan_width, box.right() - left), 42 * unit))

    def _fan(self, painter: QPainter, box: QRectF) -> None:
        """Outputs finished over time: a band from P10 to safe, a line for likely.  A small tide."""
        fan, t = self.headline.fan, self.theme
        if len(fan) > 120:  # more than can be seen
            fan = tuple(fan[round(n * (len(fan) - 1) / 119)] for n in range(120))
        longest = max(band.safe for band in fan)
        if longest <= 0 or box.width() < 30:
            return
        count = len(fan)

        def at(seconds: float, number: int) -> QPointF:
            return QPointF(
                box.left() + box.width() * seconds / longest, box.bottom() - box.height() * number / count
            )

        early = [at(0, 0)] + [at(band.p10, n + 1) for n, band in enumerate(fan)]
        late = [at(0, 0)] + [at(band.safe, n + 1) for n, band in enumerate(fan)]
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(t.color("tide", 0)))
        painter.setBrush(t.color("tide", 70))
        painter.drawPolygon(QPolygonF([*early, *reversed(late)]))
        painter.setPen(QPen(t.color("tide"), 1.6))
        painter.drawPolyline(QPolygonF([at(0, 0)] + [at(band.likely, n + 1) for n, band in enumerate(fan)]))
        painter.restore()
