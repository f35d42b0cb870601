"""Forecast against fact as a plot: a stroke for each file from P10 to safe at the height of what came."""

from __future__ import annotations

from math import log10
from pathlib import Path

import pyqtgraph as pg
from PyQt6.QtCore import QEvent, QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QHelpEvent
from PyQt6.QtWidgets import QFileDialog, QMenu, QToolTip, QVBoxLayout, QWidget

from chronocast.forecast.learning.conformal import Outcome
from chronocast.journal.documents import DocumentError, write_text
from chronocast.model.errors import ChronocastError
from chronocast.ui.places.house.model import HouseModel, Quantity, outcome_told, outcomes_csv, shown
from chronocast.ui.theme import Theme, font

REACH = 14.0
"""Pixels: the pointer is at a file that is no farther away."""


def _place(quantity: Quantity, value: float) -> float:
    """Where a value lies on an axis: its logarithm, but of dB, which are logarithms already."""
    return value if quantity == "looks" else log10(max(value, 1e-3))


def _value(quantity: Quantity, place: float) -> float:
    return float(place) if quantity == "looks" else float(10.0**place)


class FactsPlot(QWidget):
    """``FactsPlot(theme)``; ``show_house`` gives it outcomes; ``trouble`` brings a sentence."""

    trouble = pyqtSignal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.model: HouseModel | None = None
        self.quantity: Quantity = "bytes"
        self.view = pg.PlotWidget()
        self.view.setBackground(theme.raised)
        self.view.setMenuEnabled(False)
        self.view.hideButtons()
        self.view.setMouseEnabled(x=False, y=False)
        for side, words in (("bottom", "forecast, P10 to safe"), ("left", "what came")):
            axis = self.view.getAxis(side)
            axis.setPen(theme.line)
            axis.setTextPen(theme.quiet)
            axis.setTickFont(font(12.5, narrow=True))
            axis.setLabel(words, color=theme.quiet)
            axis.label.setFont(font(12.5, narrow=True))
            axis.tickStrings = self._ticks
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.view)
        self.view.viewport().installEventFilter(self)
        self.setToolTipDuration(20_000)
        self.setAccessibleName("Forecast against fact")

    def _ticks(self, values: list[float], _scale: float, _spacing: float) -> list[str]:
        """Figures in the quantity's own unit."""
        return [shown(self.quantity, _value(self.quantity, value)) for value in values]

    @property
    def outcomes(self) -> list[Outcome]:
        """The files that are shown."""
        known = self.model.outcomes.get(self.quantity, ()) if self.model else ()
        return [one for one in known if one.fact > 0 and one.likely > 0]

    def show_house(self, model: HouseModel, quantity: Quantity) -> None:
        """Show other outcomes, or another quantity of them."""
        self.model, self.quantity = model, quantity
        self.view.clear()
        self.setAccessibleDescription(model.told(quantity))
        known = self.outcomes
        if not known:
            return
        t = self.theme
        for held, role in ((True, "tide"), (False, "rust")):
            mine = [one for one in known if (one.p10 <= one.fact <= one.safe) == held]
            x = [_place(quantity, value) for one in mine for value in (one.p10, one.safe)]
            y = [_place(quantity, one.fact) for one in mine for _ in range(2)]
            self.view.plot(x, y, connect="pairs", pen=pg.mkPen(t.color(role, 110), width=2))
            self.view.plot(
                [_place(quantity, one.likely) for one in mine],
                [_place(quantity, one.fact) for one in mine],
                pen=None,
                symbol="o",
                symbolSize=6,
                symbolPen=None,
                symbolBrush=t.color(role),
            )
        ends = [_place(quantity, value) for one in known for value in one[:4]]
        low, high = min(ends), max(ends)
        edge = max(0.05 * (high - low), 0.2 if quantity == "looks" else 0.05)
        low, high = low - edge, high + edge
        self.view.plot(
            [low, high], [low, high], pen=pg.mkPen(t.color("quiet", 150), style=Qt.PenStyle.DashLine)
        )
        self.view.setXRange(low, high, padding=0)
        self.view.setYRange(low, high, padding=0)

    def at(self, x: float, y: float) -> Outcome | None:
        """The file that the pointer is at, by the nearest likely value."""
        box = self.view.getPlotItem().getViewBox()
        found = None
        for one in self.outcomes:
            place = QPointF(_place(self.quantity, one.likely), _place(self.quantity, one.fact))
            there = self.view.mapFromScene(box.mapViewToScene(place))
            distance = (there.x() - x) ** 2 + (there.y() - y) ** 2
            if distance <= REACH**2 and (found is None or distance < found[0]):
                found = distance, one
        return found[1] if found else None

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """The pointer rests on the plot: the file it is at, in words; its menu."""
        if isinstance(event, QHelpEvent):
            one = self.at(event.pos().x(), event.pos().y())
            QToolTip.showText(event.globalPos(), outcome_told(self.quantity, one) if one else "", self)
            return True
        if isinstance(event, QContextMenuEvent):
            self.contextMenuEvent(event)
            return True
        return super().eventFilter(watched, event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None or not self.outcomes:
            return
        menu = QMenu(self)
        picture, table = menu.addAction("Save the plot as a picture…"), menu.addAction("Save it as a table…")
        chosen = menu.exec(event.globalPos())
        if chosen is None:
            return
        kind, ending = (
            ("PNG (*.png)", ".png") if chosen is picture else ("Comma-separated values (*.csv)", ".csv")
        )
        name, _ = QFileDialog.getSaveFileName(self, chosen.text(), f"forecast-against-fact{ending}", kind)
        if name:
            self.save(Path(name), table=chosen is table)

    def save(self, path: Path, *, table: bool) -> None:
        """Write the plot as a picture, or what it shows as a table."""
        try:
            if table and self.model is not None:
                write_text(path, outcomes_csv(self.model, self.quantity))
            elif not self.grab().save(str(path)):
                raise DocumentError(f"{path} can't be written.", "Choose another folder.")
        except ChronocastError as error:
            self.trouble.emit(str(error))
