"""How files are named: the pattern, and what every file would be called, while it is typed."""

from __future__ import annotations

from datetime import date

from pydantic import ValidationError
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from chronocast.deliver.names import proposed_stems, unlike
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.naming import TOKENS, USUAL, read_pattern
from chronocast.model.errors import ModelError
from chronocast.model.recipe.formats.containers import extension
from chronocast.ui.theme import Theme, font
from chronocast.ui.widgets.decision import decision, size_box
from chronocast.ui.widgets.table import Col, RowsTable

MOST_SHOWN = 400


class NamesBox(QDialog):
    """``NamesBox(theme, batch, parent)``; ``batch`` is the batch as it would be, once it is accepted."""

    def __init__(self, theme: Theme, batch: Batch, parent: QWidget) -> None:
        super().__init__(parent)
        self.batch = batch
        self._theme = theme
        self.setWindowTitle("How files are named")
        size_box(self, 720, 520)
        self.pattern = QLineEdit(batch.names)
        self.pattern.setAccessibleName("Pattern for names")
        self.pattern.setFont(font(15))
        self.pattern.textChanged.connect(self._show)
        self.edition = QSpinBox()
        self.edition.setRange(1, 9999)
        self.edition.setValue(batch.edition)
        self.edition.setAccessibleName("Version")
        self.edition.valueChanged.connect(self._show)
        line = QHBoxLayout()
        line.addWidget(self.pattern, 1)
        line.addWidget(QLabel("version"))
        line.addWidget(self.edition)
        tokens = QHBoxLayout()
        tokens.setSpacing(4)
        for token, words in TOKENS.items():
            button = QPushButton(f"{{{token}}}")
            button.setObjectName("small")
            button.setToolTip(words)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, t=token: self.pattern.insert(f"{{{t}}}"))
            tokens.addWidget(button)
        tokens.addStretch(1)
        usual = QPushButton("Default names")
        usual.setObjectName("small")
        usual.setAutoDefault(False)
        usual.clicked.connect(lambda: self.pattern.setText(USUAL))
        tokens.addWidget(usual)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.table = RowsTable(
            theme, (Col("file", lambda row: row, 1.0),), "Files as they would be named", 26
        )
        self.yes, buttons = decision(self, "Name them so")
        layout = QVBoxLayout(self)
        layout.addLayout(line)
        layout.addLayout(tokens)
        layout.addWidget(self.told)
        layout.addWidget(self.table, 1)
        layout.addLayout(buttons)
        self._show()

    def _show(self) -> None:
        names = self.pattern.text()
        try:
            read_pattern(names)
            dated = self.batch.dated or (date.today() if "{date}" in names.lower() else None)
            made = Batch.model_validate(
                self.batch.model_dump() | {"names": names, "edition": self.edition.value(), "dated": dated}
            )
        except (ModelError, ValidationError) as error:
            self.told.setText(str(error) if isinstance(error, ModelError) else "This pattern can't be used.")
            self.told.setStyleSheet(f"color: {self._theme.rust};")
            self.yes.setEnabled(False)
            return
        self.batch = made
        endings = {recipe.id: extension(recipe.container) for recipe in made.recipes}
        stems = proposed_stems(made, made.outputs)
        files = unlike(
            (stem, endings[output.recipe]) for stem, output in zip(stems, made.outputs, strict=True)
        )
        alike = sum(
            name != stem + endings[o.recipe] for name, stem, o in zip(files, stems, made.outputs, strict=True)
        )
        more = f", {len(files) - MOST_SHOWN} more than are listed" if len(files) > MOST_SHOWN else ""
        self.told.setText(
            f"{len(files)} files{more}."
            + (f" {alike} would be called alike and get a number." if alike else " No two are alike.")
        )
        self.told.setStyleSheet(f"color: {self._theme.lichen if alike else self._theme.quiet};")
        self.table.show_rows(files[:MOST_SHOWN])
        self.yes.setEnabled(True)
