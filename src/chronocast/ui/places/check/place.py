"""*Check*: what was promised against what came out, each check with its proof."""

from __future__ import annotations

import time
from functools import partial

from PyQt6.QtCore import QRectF, pyqtBoundSignal, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from chronocast.ui.commands import Actions
from chronocast.ui.desk.desk import Desk
from chronocast.ui.places.place import Touched
from chronocast.ui.places.run.model import ProofTold, RunModel, RunRow, run_model
from chronocast.ui.places.run.place import paint_promised, paint_state, paint_title, promised_words
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw
from chronocast.ui.widgets.table import Col, RowsTable

Proof = ProofTold


def _paint_verdict(painter: QPainter, box: QRectF, row: Proof, t: Theme) -> None:
    draw.mark(
        painter,
        QRectF(box.left(), box.top(), 14, box.height()).center(),
        "proved" if row.ok else "needs you",
        t,
    )
    draw.text(painter, box.adjusted(22, 0, 0, 0), row.name, font(14), t.color("text" if row.ok else "rust"))


OUTPUTS = (
    Col("finished file", lambda r: f"{r.title}, {r.recipe}", 0.38, paint_title),
    Col("state", lambda r: r.state, 0.17, paint_state),
    Col("processor time", partial(promised_words, 0), 0.22, partial(paint_promised, 0), right=True),
    Col("size", partial(promised_words, 1), 0.23, partial(paint_promised, 1), right=True),
)
PROOFS = (
    Col("check", lambda p: p.name + ("" if p.ok else ", not proved"), 0.26, _paint_verdict),
    Col("asked", lambda p: p.expected, 0.22, quiet=True),
    Col("came out", lambda p: p.found, 0.28),
    Col("how it was looked at", lambda p: p.proof, 0.24, quiet=True),
)


class CheckPlace(QWidget):
    """``CheckPlace(theme)``.  Reports ``open_asked`` and ``folder_asked`` with a path."""

    forecasts = False
    open_asked = pyqtSignal(str)
    folder_asked = pyqtSignal(str)
    copy_asked = pyqtSignal(str)
    recipe_asked = pyqtSignal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.outputs = RowsTable(theme, OUTPUTS, "Finished files", 44)
        self.proofs = RowsTable(theme, PROOFS, "Checks of the chosen file", 32)
        self.title = QLabel("Nothing is finished yet.")
        self.title.setFont(font(15, 600))
        self.title.setContentsMargins(16, 10, 16, 2)
        self.where = QLabel("")
        self.where.setObjectName("quiet")
        self.where.setFont(font(13, narrow=True))
        self.where.setContentsMargins(16, 0, 16, 8)
        self.open_file, self.open_folder, self.copy, self.recipe = (
            QPushButton("Open file"),
            QPushButton("Open folder"),
            QPushButton("Copy path"),
            QPushButton("Its recipe, to change one thing"),
        )
        buttons = QHBoxLayout()
        buttons.setSpacing(8)
        buttons.setContentsMargins(16, 8, 16, 12)
        for button, signal in (
            (self.open_file, self.open_asked),
            (self.open_folder, self.folder_asked),
            (self.copy, self.copy_asked),
            (self.recipe, self.recipe_asked),
        ):
            button.clicked.connect(lambda _=False, s=signal: self._report(s))
            buttons.addWidget(button)
        buttons.addStretch(1)
        right = QVBoxLayout()
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(0)
        for item in (self.title, self.where):
            right.addWidget(item)
        right.addWidget(self.proofs, 1)
        right.addLayout(buttons)
        rule = QWidget()
        rule.setFixedWidth(1)
        rule.setStyleSheet(f"background: {theme.line};")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.outputs, 5)
        layout.addWidget(rule)
        layout.addLayout(right, 6)
        selection = self.outputs.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(lambda *_: self._describe())
        self.outputs.doubleClicked.connect(lambda _: self._report(self.open_asked))
        self._describe()
        self.setMinimumHeight(round(200 * scale()))

    def commands(self) -> Actions:
        """It has only its own buttons."""
        return {}

    def enter(self) -> None:
        """Take the keyboard."""
        self.outputs.setFocus()

    def leave(self) -> None:
        """Nothing goes on in it."""

    def take_over(self, other: CheckPlace) -> None:
        """Nothing but the run is shown here."""

    def show_desk(self, desk: Desk, touched: Touched) -> None:
        """Show another state of the run."""
        if "run" in touched and desk.run is not None:
            self.show_run(run_model(desk.run, time.time()))

    def show_run(self, run: RunModel) -> None:
        """Show finished outputs, and those that ended without being proved."""
        rows = [row for row in run.rows if row.checks or row.state in ("proved", "needs you")]
        self.outputs.show_rows(rows, lambda row: row.id)
        self._describe()

    def _describe(self) -> None:
        row: RunRow | None = self.outputs.chosen()
        for button in (self.open_file, self.open_folder, self.copy, self.recipe):
            button.setEnabled(bool(row and row.state == "proved"))
        if row is None:
            self.proofs.show_rows([])
            return
        good = sum(1 for check in row.checks if check.ok)
        self.title.setText(
            f"{row.title} · {row.recipe}: {good} of {len(row.checks)} proved"
            if row.checks
            else row.reason or row.state
        )
        self.where.setText(row.path)
        self.where.setToolTip(row.path)
        self.proofs.show_rows(list(row.checks))

    def _report(self, signal: pyqtBoundSignal) -> None:
        if (row := self.outputs.chosen()) and row.state == "proved":
            signal.emit(row.path)
