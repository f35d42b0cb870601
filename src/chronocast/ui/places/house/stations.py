"""The stations of the house in *House*: what each does, can do and when; joining, leaving, giving way."""

from __future__ import annotations

import asyncio
import socket
import time

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLabel, QMessageBox, QPushButton, QVBoxLayout, QWidget

from chronocast.model.errors import ChronocastError
from chronocast.model.house import Belonging, House
from chronocast.preparation.station.this import unshared_told
from chronocast.ui.desk.session import Session
from chronocast.ui.desk.workers import errand
from chronocast.ui.places.house.boxes import HoursBox, JoinBox
from chronocast.ui.places.house.stations_model import house_told, station_rows
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets.table import Col, RowsTable

STATIONS = (
    Col("station", lambda r: r.name, 0.17, strong=True),
    Col("now", lambda r: r.now, 0.20),
    Col("slots and pace", lambda r: r.pace, 0.29, quiet=True),
    Col("hardware", lambda r: r.hardware, 0.17, quiet=True),
    Col("when it works", lambda r: r.hours, 0.17, quiet=True),
)
MOST_ROWS = 6
JOIN_PORT = 8787
YIELD_SECONDS = 3600.0


class StationsPart(QWidget):
    """``StationsPart(session, theme)``; ``said`` and ``trouble`` bring sentences."""

    said = pyqtSignal(str)
    trouble = pyqtSignal(str)

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self.told = QLabel()
        self.told.setFont(font(13.5, narrow=True))
        self.told.setWordWrap(True)
        self.table = RowsTable(theme, STATIONS, "Stations of the house", 28)
        self.join, self.leave = QPushButton("Join a house…"), QPushButton("Leave it…")
        self.hours, self.give_way = QPushButton("Hours of this machine…"), QPushButton("Give way for an hour")
        self.give_way.setToolTip(
            "This machine's station freezes what it has in hand, and hands it back if that is long."
        )
        for button, act in (
            (self.join, self.join_house),
            (self.leave, self.leave_house),
            (self.hours, self.set_hours),
            (self.give_way, self.yield_now),
        ):
            button.clicked.connect(act)
        title = QLabel("The house")
        title.setFont(font(15, 600))
        head = QHBoxLayout()
        head.setContentsMargins(16, 8, 16, 6)
        head.setSpacing(8)
        head.addWidget(title)
        head.addSpacing(10)
        head.addWidget(self.told, 1)
        for button in (self.give_way, self.hours, self.join, self.leave):
            head.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addWidget(self.table)
        session.house.heard.connect(self.show_house)
        self.show_house(session.house.house)

    def show_house(self, house: House) -> None:
        """Show what is known of the house."""
        rows = station_rows(house)
        apart = unshared_told(self.session.workspace) if house.stations else ""
        self.told.setText(apart or house_told(house))
        self.table.setVisible(bool(rows))
        self.table.setFixedHeight(round((34 + 28 * min(len(rows), MOST_ROWS)) * scale()))
        self.table.show_rows(list(rows), lambda row: row.name)
        belongs = bool(house.hub)
        self.join.setVisible(not belongs)
        for button in (self.leave, self.hours, self.give_way):
            button.setVisible(belongs)
        gives_way = self.session.workspace.house.yields_until() > time.time()
        self.give_way.setText("Go on" if gives_way else "Give way for an hour")

    def _belonging(self) -> Belonging | None:
        try:
            return self.session.workspace.house.belonging()
        except ChronocastError as error:
            self.trouble.emit(str(error))
            return None

    def join_house(self) -> None:
        """Ask for a hub and its code, and join."""
        before = self._belonging() or Belonging()
        name = before.name or socket.gethostname().partition(".")[0]
        box = JoinBox(name, before.roots, self)
        if box.exec() != QDialog.DialogCode.Accepted:
            return
        host, colon, port = box.hub.text().strip().rpartition(":")
        host, number = (host, int(port)) if colon and port.isdigit() else (box.hub.text().strip(), JOIN_PORT)
        roots, called, code = box.read_roots() or (), box.name.text().strip(), box.code.text()
        store = self.session.workspace.house

        def work() -> str:
            from chronocast.crew.house.joining import join_house

            joined = asyncio.run(join_house(store.folder, host, number, code, called))
            hub = f"tls://{host}:{joined.hub_port}"
            store.keep_belonging(before.model_copy(update={"name": called, "hub": hub, "roots": roots}))
            return f"This machine is “{called}” in the house of {hub}, as a {joined.kind}."

        errand(work, self._joined, self.trouble.emit)

    def _joined(self, sentence: str) -> None:
        self.said.emit(sentence)
        self.session.house.look()

    def leave_house(self) -> None:
        """Ask, and leave the house."""
        answer = QMessageBox.question(
            self,
            "Leave the house",
            "This machine's key goes: to come back it needs a new code. Its stations finish nothing for it any more.",
            QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.Cancel,
        )
        if answer == QMessageBox.StandardButton.Yes:
            self.session.workspace.house.forget()
            self._joined("This machine belongs to no house now.")

    def set_hours(self) -> None:
        """Drag the hours at which this machine works for the house."""
        before = self._belonging()
        if before is None:
            return
        box = HoursBox(self.theme, before, self)
        if box.exec() == QDialog.DialogCode.Accepted:
            self.session.workspace.house.keep_belonging(box.belonging)
            self.said.emit(f"This machine works for the house {box.belonging.calendar.told}.")

    def yield_now(self) -> None:
        """Have this machine's station give way for an hour, or go on."""
        store = self.session.workspace.house
        until = 0.0 if store.yields_until() > time.time() else time.time() + YIELD_SECONDS
        store.yield_until(until)
        self.said.emit(
            "This machine's station gives way for an hour." if until else "This machine's station goes on."
        )
        self.show_house(self.session.house.house)
