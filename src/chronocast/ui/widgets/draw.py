"""What all painted parts share: text in a box, bars with a treatment's texture, fading ends."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFont, QFontMetricsF, QLinearGradient, QPainter, QPen, QPolygonF

from chronocast.ui.theme import NARROW, Theme, scale

LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
CENTRE = Qt.AlignmentFlag.AlignCenter


def text(
    painter: QPainter,
    box: QRectF,
    words: str,
    made: QFont,
    colour: QColor,
    *,
    align: Qt.AlignmentFlag = LEFT,
    middle: bool = False,
    narrowed: bool = False,
) -> float:
    """Words in a box, shortened at the end (or in the middle) when they don't fit; the width they take.

    With ``narrowed`` they are set in the narrow cut before anything is left out.
    """
    if narrowed and wide(words, made) > box.width():
        made = QFont(made)
        made.setFamily(NARROW)
    painter.setFont(made)
    painter.setPen(colour)
    metrics = QFontMetricsF(made)
    shown = metrics.elidedText(
        words, Qt.TextElideMode.ElideMiddle if middle else Qt.TextElideMode.ElideRight, box.width()
    )
    painter.drawText(box, int(align.value) | int(Qt.TextFlag.TextSingleLine.value), shown)
    return metrics.horizontalAdvance(shown)


def wide(words: str, face: QFont) -> float:
    """How wide words are, in pixels."""
    return float(QFontMetricsF(face).horizontalAdvance(words))


def kept(painter: QPainter, box: QRectF, theme: Theme) -> None:
    """*Kept*: quiet solid with closed ends."""
    if box.width() <= 0:
        return
    painter.fillRect(box, theme.color("dusk", 105))
    for x in (box.left(), box.right() - 2):
        painter.fillRect(QRectF(x, box.top(), min(2.0, box.width()), box.height()), theme.color("dusk"))


def copied(painter: QPainter, box: QRectF, theme: Theme) -> None:
    """*Copied*: dots on the same quiet ground."""
    if box.width() <= 0:
        return
    painter.save()
    painter.fillRect(box, theme.color("dusk", 45))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.color("dusk"))
    painter.setClipRect(box)
    for row in range(int(box.height() // 5) + 1):
        for column in range(int(box.width() // 5) + 2):
            place = QPointF(box.left() + 2.5 + 5 * column + 2.5 * (row % 2), box.top() + 2.5 + 5 * row)
            painter.drawEllipse(place, 1.1, 1.1)
    painter.restore()


def to_encode(painter: QPainter, box: QRectF, theme: Theme) -> None:
    """*To be encoded*: outline."""
    if box.width() <= 0:
        return
    painter.save()
    painter.setBrush(theme.color("ember", 46))
    painter.setPen(QPen(theme.color("ember"), 1))
    painter.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5) if box.width() > 1 else box)
    painter.restore()


def encoded(painter: QPainter, box: QRectF, theme: Theme) -> None:
    """*Encoded*: solid."""
    if box.width() > 0:
        painter.fillRect(box, theme.color("ember"))


def fading(painter: QPainter, box: QRectF, colour: QColor) -> None:
    """From a colour to nothing, left to right: what is likely, up to what is safe."""
    if box.width() <= 0:
        return
    gradient = QLinearGradient(QPointF(box.left(), 0), QPointF(box.right(), 0))
    clear = QColor(colour)
    clear.setAlpha(0)
    half = QColor(colour)
    half.setAlpha(int(colour.alpha() * 0.55))
    gradient.setColorAt(0, half)
    gradient.setColorAt(1, clear)
    painter.fillRect(box, QBrush(gradient))


def mark(painter: QPainter, centre: QPointF, state: str, theme: Theme, size: float = 5.0) -> None:
    """A state's sign, told apart by its shape: never by colour alone."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    size *= scale()
    x, y = centre.x(), centre.y()
    if state == "proved":
        painter.setPen(QPen(theme.color("tide"), 2))
        painter.drawLine(QPointF(x - size, y + size * 0.8), QPointF(x + size, y + size * 0.8))
        painter.setBrush(theme.color("tide"))
        painter.drawEllipse(centre + QPointF(0, -1), size * 0.55, size * 0.55)
    elif state in ("needs you", "interrupted"):
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("rust"))
        painter.drawPolygon(
            QPolygonF(
                [QPointF(x, y - size), QPointF(x + size, y), QPointF(x, y + size), QPointF(x - size, y)]
            )
        )
    elif state in ("rendering", "joining", "checking", "placing"):
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("ember"))
        painter.drawEllipse(centre, size * 0.8, size * 0.8)
    elif state == "paused" or state.startswith("waits for"):
        painter.setPen(QPen(theme.color("lichen"), 2.4))
        painter.drawLine(QPointF(x - 2.5, y - size * 0.8), QPointF(x - 2.5, y + size * 0.8))
        painter.drawLine(QPointF(x + 2.5, y - size * 0.8), QPointF(x + 2.5, y + size * 0.8))
    elif state == "stopped":
        painter.setPen(QPen(theme.color("quiet"), 1.6))
        painter.drawLine(QPointF(x - size * 0.8, y), QPointF(x + size * 0.8, y))
    else:
        painter.setPen(QPen(theme.color("quiet"), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(centre, size * 0.7, size * 0.7)
    painter.restore()


def nice_steps(span_seconds: float, pixels: float, least_pixels: float = 90) -> float:
    """A round step in seconds for a time axis."""
    for step in (10, 30, 60, 120, 300, 600, 1200, 1800, 3600, 7200, 14400, 28800, 86400, 172800, 604800):
        if span_seconds <= 0 or pixels * step / span_seconds >= least_pixels:
            return float(step)
    return 2592000.0


TREATMENTS: dict[str, Callable[[QPainter, QRectF, Theme], None]] = {
    "kept": kept,
    "copied": copied,
    "encode": to_encode,
}
"""How pieces are told apart, by what happens to them."""
