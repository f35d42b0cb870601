"""Boxes of *House*: joining a house, and the hours at which this machine works for it."""

from __future__ import annotations

import re

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from chronocast.model.calendar import Calendar
from chronocast.model.house import Belonging, Root
from chronocast.ui.places.house.stations_model import MANNERS
from chronocast.ui.places.house.week_grid import WeekGrid, hours_of
from chronocast.ui.theme import Theme, scale
from chronocast.ui.widgets.decision import decision


class JoinBox(QDialog):
    """``JoinBox(name, roots)``: asks where the hub is, for its code, and which folders are shared."""

    def __init__(self, name: str, roots: tuple[Root, ...], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Join a house")
        self.setMinimumWidth(round(520 * scale()))
        layout, form = QVBoxLayout(self), QFormLayout()
        self.hub, self.code, self.name = QLineEdit(), QLineEdit(), QLineEdit(name)
        self.hub.setPlaceholderText("its address, like 10.0.0.5 or 10.0.0.5:8787")
        self.code.setPlaceholderText("24 letters and digits, from: chronocast hub code")
        self.roots = QPlainTextEdit("\n".join(f"{root.name}={root.path}" for root in roots))
        self.roots.setPlaceholderText("footage=/mnt/footage\nstock=/mnt/stock")
        self.roots.setFixedHeight(90)
        self.roots.setTabChangesFocus(True)
        for words, part in (
            ("The hub", self.hub),
            ("Code", self.code),
            ("This machine is called", self.name),
            ("Shared folders", self.roots),
        ):
            form.addRow(words, part)
            part.setAccessibleName(words)
        layout.addLayout(form)
        told = QLabel(
            "A folder's name is the same on every machine of the house, its path need not be. Machines of a house "
            "trust each other: whoever is in it can run work on the others."
        )
        told.setWordWrap(True)
        told.setObjectName("quiet")
        layout.addWidget(told)
        self.trouble = QLabel()
        self.trouble.setWordWrap(True)
        layout.addWidget(self.trouble)
        self.yes, line = decision(self, "Join")
        layout.addLayout(line)
        for field in (self.hub, self.code, self.name):
            field.textChanged.connect(self._see)
        self.roots.textChanged.connect(self._see)
        self._see()

    def read_roots(self) -> tuple[Root, ...] | None:
        """The shared folders as they were typed; None where a line makes no sense."""
        found = []
        for text in filter(None, (line.strip() for line in self.roots.toPlainText().splitlines())):
            name, equals, path = text.partition("=")
            try:
                found.append(Root(name=name.strip(), path=path.strip() if equals else ""))
            except ValueError:
                return None
        return tuple(found)

    def _see(self) -> None:
        letters = re.sub(r"[\s-]", "", self.code.text())
        roots = self.read_roots()
        wrong = ""
        if roots is None:
            wrong = "A shared folder is said as NAME=/its/path, one a line."
        elif letters and len(letters) != 24:
            wrong = f"The code has 24 letters and digits; these are {len(letters)}."
        self.trouble.setText(wrong)
        ready = bool(self.hub.text().strip() and letters and self.name.text().strip())
        self.yes.setEnabled(ready and not wrong)


class HoursBox(QDialog):
    """``HoursBox(theme, belonging)``: a week to drag over, and the manner; ``belonging`` is as it was set then."""

    def __init__(self, theme: Theme, belonging: Belonging, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("When this machine works for the house")
        self._before = belonging
        layout = QVBoxLayout(self)
        told = QLabel("Drag over the hours at which it may work; what is bright is open.")
        told.setObjectName("quiet")
        layout.addWidget(told)
        self.grid = WeekGrid(theme, belonging.calendar)
        layout.addWidget(self.grid)
        self.said = QLabel()
        self.said.setWordWrap(True)
        layout.addWidget(self.said)
        self.manner = QComboBox()
        for manner, words in MANNERS.items():
            self.manner.addItem(words, manner)
        self.manner.setCurrentIndex(list(MANNERS).index(belonging.manner))
        self.manner.setAccessibleName("Then it works")
        form = QFormLayout()
        form.addRow("Then it works", self.manner)
        layout.addLayout(form)
        self.grid.changed.connect(self._tell)
        _, line = decision(self, "Keep these hours")
        layout.addLayout(line)
        self._tell()

    @property
    def belonging(self) -> Belonging:
        """How it belongs to the house with what was set here."""
        hours = hours_of(self.grid.days)
        calendar = self._before.calendar.model_copy(update={"hours": hours})
        return self._before.model_copy(update={"calendar": calendar, "manner": self.manner.currentData()})

    def _tell(self) -> None:
        shut = not any(self.grid.days)
        words = (
            "It is never open: it would do nothing."
            if shut
            else f"Open {Calendar(hours=hours_of(self.grid.days)).told}."
        )
        self.said.setText(words)
