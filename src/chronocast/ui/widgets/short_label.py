"""A line of words that is shortened where there is no room."""

from __future__ import annotations

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy

from chronocast.ui.widgets import draw


class ShortLabel(QLabel):
    """``ShortLabel()``: set narrower, then shortened at its end, where there is no room; it never asks for any."""

    def __init__(self, words: str = "") -> None:
        super().__init__(words)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        colour = self.palette().color(self.foregroundRole())
        draw.text(painter, QRectF(self.rect()), self.text(), self.font(), colour, narrowed=True)
