"""The lanes with the line above them, at the bottom of *Plan*: folded small, the lanes alone."""

from __future__ import annotations

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from chronocast.ui.lanes.lanes import Lanes
from chronocast.ui.places.plan.lanes.plan_bar import PlanBar
from chronocast.ui.theme import scale

FOLDED = 56


class LaneStrip(QWidget):
    """``LaneStrip(bar, lanes)``."""

    def __init__(self, bar: PlanBar, lanes: Lanes) -> None:
        super().__init__()
        self.bar, self.lanes = bar, lanes
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(bar)
        column.addWidget(lanes, 1)
        self.setMinimumHeight(round(FOLDED * scale()))
        bar.changed.connect(self._fit)

    def _fit(self) -> None:
        """The line is shown where there is room for it above lanes that can be read."""
        room = self.height() >= self.bar.sizeHint().height() + self.lanes.minimumSizeHint().height()
        self.bar.setVisible(self.bar.useful and room)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._fit()
        super().resizeEvent(event)
