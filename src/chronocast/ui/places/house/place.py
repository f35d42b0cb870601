"""*House*: this machine as a station, its pace as it was learned, and how well forecasts have held."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMessageBox,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from chronocast.model.errors import ChronocastError
from chronocast.model.show import counted, size_text
from chronocast.preparation.proxies_left import ProxiesLeft
from chronocast.ui.commands import Actions
from chronocast.ui.desk.desk import Desk
from chronocast.ui.desk.session import Session
from chronocast.ui.desk.workers import errand
from chronocast.ui.places.house.model import QUANTITIES, HouseModel, Quantity, house_model
from chronocast.ui.places.house.stations import StationsPart
from chronocast.ui.places.place import Touched
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets.table import Col, RowsTable

if TYPE_CHECKING:
    from chronocast.pieces.tidying import Tidying
    from chronocast.preparation.station_known import StationKnown
    from chronocast.preparation.stock_keeping import StockKnown
    from chronocast.ui.places.house.facts_plot import FactsPlot

PACES = (
    Col("kind of work", lambda r: r.work, 0.5),
    Col("done", lambda r: r.done, 0.2, quiet=True, right=True),
    Col("how fast, a slot", lambda r: r.pace, 0.3, right=True),
)


DEVICES = (
    Col("hardware", lambda r: r.device, 0.3, strong=True),
    Col("what it takes, or why it can't be used", lambda r: r.told, 0.7, quiet=True),
)


class HousePlace(QWidget):
    """``HousePlace(session, theme)``; ``said`` and ``trouble`` bring sentences."""

    forecasts = False
    said = pyqtSignal(str)
    trouble = pyqtSignal(str)

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self.model: HouseModel | None = None
        self.quantity: Quantity = "bytes"
        self.plot: FactsPlot | None = None
        self._tried = False
        self.facts = QGridLayout()
        self.facts.setHorizontalSpacing(14)
        self.facts.setVerticalSpacing(3)
        self.facts.setContentsMargins(16, 4, 16, 8)
        self.facts.setColumnStretch(1, 1)
        self.facts.setColumnStretch(3, 1)
        self.paces = RowsTable(theme, PACES, "Pace of this machine, by kind of work", 30)
        self.devices = RowsTable(theme, DEVICES, "Hardware encoders of this machine, as they were tried", 26)
        self.try_them = QPushButton("Try its encoders again")
        self.try_them.setToolTip(
            "A few pictures of everything each hardware encoder claims, encoded and decoded again."
        )
        self.try_them.clicked.connect(self.try_encoders)
        self.measure, self.reset = QPushButton("Measure it again"), QPushButton("Learn its pace anew…")
        self.measure.setToolTip("A short trial, under half a minute: best when nobody else is at work on it.")
        self.reset.setToolTip(
            "What its pieces took no longer speaks of its pace; what films take stays known."
        )
        self.measure.clicked.connect(session.machine.measure)
        self.reset.clicked.connect(self.learn_anew)
        self.stock = QLabel("being looked at")
        self.stock.setWordWrap(True)
        self.stock.setFont(font(13.5, narrow=True))
        self.stock.setContentsMargins(16, 0, 16, 4)
        self.stock.setAccessibleName("What the stock holds")
        self.proxies, self.left_over = QLabel(""), ProxiesLeft()
        self.proxies.setWordWrap(True)
        self.proxies.setFont(font(13.5, narrow=True))
        self.proxies.setContentsMargins(16, 0, 16, 4)
        self.proxies.setAccessibleName("What proxies there are")
        self.tidy = QPushButton("Make the stock smaller…")
        self.tidy.setToolTip(
            "Pieces that save the least work for the room they take go first; never what is waited for."
        )
        self.tidy.clicked.connect(self.tidy_stock)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setObjectName("quiet")
        self.told.setFont(font(13.5, narrow=True))
        self.told.setContentsMargins(16, 6, 16, 10)
        self.stations = StationsPart(session, theme)
        self.stations.said.connect(self.said)
        self.stations.trouble.connect(self.trouble)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.stations)
        across = QWidget()
        across.setFixedHeight(1)
        across.setStyleSheet(f"background: {theme.line};")
        whole.addWidget(across)
        layout = QHBoxLayout()
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        whole.addLayout(layout, 1)
        layout.addLayout(self._machine(), 5)
        rule = QWidget()
        rule.setFixedWidth(1)
        rule.setStyleSheet(f"background: {theme.line};")
        layout.addWidget(rule)
        layout.addLayout(self._ledger(), 6)
        self.setMinimumHeight(round(200 * scale()))

    def _machine(self) -> QVBoxLayout:
        side = QVBoxLayout()
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(0)
        side.addWidget(self._title("This machine"))
        side.addLayout(self.facts)
        side.addWidget(self.paces, 3)
        self.devices.setMinimumHeight(round(222 * scale()))  # a row for each kind of device, and the heads
        side.addWidget(self.devices, 2)
        buttons = QHBoxLayout()
        buttons.setContentsMargins(16, 8, 16, 12)
        buttons.setSpacing(8)
        for button in (self.measure, self.try_them, self.reset):
            buttons.addWidget(button)
        buttons.addStretch(1)
        side.addLayout(buttons)
        return side

    def _ledger(self) -> QVBoxLayout:
        side = QVBoxLayout()
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(0)
        head = QHBoxLayout()
        head.setContentsMargins(0, 0, 16, 0)
        head.addWidget(self._title("Forecast against fact"), 1)
        self.choices = QButtonGroup(self)
        for name, words in QUANTITIES.items():
            button = QToolButton()
            button.setObjectName("place")
            button.setText(words)
            button.setCheckable(True)
            button.setChecked(name == self.quantity)
            button.setFont(font(13.5, narrow=True))
            button.clicked.connect(partial(self.show_quantity, name))
            self.choices.addButton(button)
            head.addWidget(button)
        side.addLayout(head)
        self.room = QVBoxLayout()
        self.room.setContentsMargins(16, 4, 16, 4)
        upper = QWidget()  # takes what room there is, with a plot or without one
        upper.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        over = QVBoxLayout(upper)
        over.setContentsMargins(0, 0, 0, 0)
        over.addLayout(self.room, 1)
        self.told.setAlignment(Qt.AlignmentFlag.AlignTop)
        over.addWidget(self.told)
        side.addWidget(upper, 1)
        side.addWidget(self._title("The stock"))
        side.addWidget(self.stock)
        side.addWidget(self.proxies)
        below = QHBoxLayout()
        below.setContentsMargins(16, 4, 16, 12)
        below.addWidget(self.tidy)
        below.addStretch(1)
        side.addLayout(below)
        return side

    @staticmethod
    def _title(words: str) -> QLabel:
        title = QLabel(words)
        title.setFont(font(15, 600))
        title.setContentsMargins(16, 10, 16, 4)
        return title

    def commands(self) -> Actions:
        """What can be done here."""
        return {
            "house.learn_anew": self.learn_anew,
            "house.try_encoders": self.try_encoders,
            "house.stand_in": self.plug_stand_in,
            "house.tidy_stock": self.tidy_stock,
            "house.tidy_proxies": self.tidy_proxies,
            "house.join": self.stations.join_house,
            "house.hours": self.stations.set_hours,
            "house.give_way": self.stations.yield_now,
        }

    def enter(self) -> None:
        """Read what the ledger has, elsewhere, and take the keyboard."""
        if self.plot is None:
            QTimer.singleShot(0, self._make_plot)  # once the place itself is seen
        self.paces.setFocus()
        self.session.machine.read_station(self.show_station)
        self.session.machine.read_stock(self.show_stock)

    def _make_plot(self) -> None:
        """Bring in the library of plots, which most openings of the desktop never need."""
        from chronocast.ui.places.house.facts_plot import FactsPlot

        if self.plot is None:
            self.plot = FactsPlot(self.theme)
            self.plot.trouble.connect(self.trouble)
            self.room.addWidget(self.plot)
            if self.model is not None:
                self._show_facts()

    def leave(self) -> None:
        """Nothing goes on in it."""

    def take_over(self, other: HousePlace) -> None:
        """The same quantity is shown."""
        self.quantity = other.quantity

    def show_desk(self, desk: Desk, touched: Touched) -> None:
        """What a run finishes is seen when it is shown anew."""
        if "run" in touched and self.isVisible() and desk.run is not None and desk.run.outcome:
            self.session.machine.read_station(self.show_station)

    def try_encoders(self) -> None:
        """Try the hardware encoders, elsewhere, and show what was found."""
        self.session.machine.try_encoders(lambda: self.session.machine.read_station(self.show_station))

    def plug_stand_in(self) -> None:
        """Plug the stand-in device in, or pull it out, and try it."""
        from chronocast.standins.device.plugged import behaviour, place, plug, pull

        there = behaviour() is not None
        (pull if there else plug)(place())
        self.said.emit(
            f"The stand-in device is {'pulled out' if there else 'plugged in: it is labelled so everywhere'}."
        )
        self.try_encoders()

    def show_station(self, known: StationKnown) -> None:
        """Show what was read."""
        if not known.devices_as_tried and not self._tried:
            self._tried = True  # once by itself; what can't be kept isn't tried for ever
            self.try_encoders()
        model = house_model(known)
        if model == self.model:
            return
        self.model = model
        while (item := self.facts.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.deleteLater()
        for number, (name, words) in enumerate(model.facts):  # two beside each other
            label, value = QLabel(name), QLabel(words)
            for part in (label, value):
                part.setFont(font(13.5, narrow=True))
            value.setToolTip(words)
            label.setObjectName("quiet")
            self.facts.addWidget(label, number // 2, 2 * (number % 2))
            self.facts.addWidget(value, number // 2, 2 * (number % 2) + 1)
        self.paces.show_rows(list(model.paces), lambda row: row.work)
        self.devices.show_rows(list(model.devices), lambda row: row.device)
        self._show_facts()

    def show_stock(self, known: StockKnown) -> None:
        """Show what the stock holds."""
        self.stock.setText(known.told)
        self.proxies.setText(known.proxies_told)
        self.left_over = known.left_over

    def tidy_proxies(self) -> None:
        """Take proxies away that nobody needs."""
        from chronocast.preparation.proxies_left import remove_proxies

        left, store = self.left_over, self.session.workspace.proxies

        def done(freed: int) -> None:
            self.said.emit(f"{size_text(freed)} of proxies came free.")
            self.session.machine.read_stock(self.show_stock)

        if not (left.stale or left.halves):
            self.said.emit("Every proxy is of a film that is there.")
        else:
            errand(lambda: remove_proxies(store, left), done, self.trouble.emit)

    def tidy_stock(self) -> None:
        """Ask how small the stock is to be, tell what would be lost, and do it if that is wanted."""
        from chronocast.model.recipe.typed import parse_bytes

        text, asked = QInputDialog.getText(
            self, "Make the stock smaller", "It may hold (200 GB; 0 MB for nothing that isn't waited for):"
        )
        if not asked:
            return
        try:
            most = parse_bytes(text)
        except ChronocastError as error:
            self.trouble.emit(str(error))
            return
        self.session.machine.plan_tidying(most, self._ask_to_tidy)

    def _ask_to_tidy(self, plan: Tidying) -> None:
        from chronocast.preparation.stock_keeping import tidying_told

        if not plan.go:
            self.said.emit(tidying_told(plan))
            return
        buttons = QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.Cancel
        answer = QMessageBox.question(self, "Make the stock smaller", tidying_told(plan), buttons)
        if answer == QMessageBox.StandardButton.Yes:
            self.session.machine.tidy_stock(plan, self._tidied)

    def _tidied(self, freed: int) -> None:
        self.said.emit(f"{size_text(freed)} of the stock came free.")
        self.session.machine.read_stock(self.show_stock)
        self.session.forecast()

    def show_quantity(self, quantity: Quantity, *_: object) -> None:
        """Show another quantity."""
        self.quantity = quantity
        self._show_facts()

    def _show_facts(self) -> None:
        if self.model is None:
            return
        self.told.setText(self.model.told(self.quantity))
        if self.plot is not None:
            self.plot.setVisible(bool(self.model.outcomes.get(self.quantity)))
            self.plot.show_house(self.model, self.quantity)

    def learn_anew(self) -> None:
        """Ask, and let this machine's pace be learned anew."""
        answer = QMessageBox.question(
            self,
            "Learn its pace anew",
            "What pieces took on this machine will no longer say how fast it is: for when it was changed. "
            "What films take in bytes stays known. This can't be undone.",
            QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.Cancel,
        )
        if answer == QMessageBox.StandardButton.Yes:
            self.session.machine.learn_anew(self._forgotten)

    def _forgotten(self, count: int) -> None:
        self.said.emit(f"{counted(count, 'piece')} no longer speak of this machine's pace. Measure it again.")
        self.session.machine.read_station(self.show_station)
