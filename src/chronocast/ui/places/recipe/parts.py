"""The parts of *Recipe*: the shelf, the form of questions, and what comes of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QRectF, QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from chronocast.model.errors import ModelError
from chronocast.model.recipe.typed import parse_bits
from chronocast.model.show import rate_bits_text
from chronocast.ui.places.recipe.choices import Choices
from chronocast.ui.places.recipe.settings import Group, RecipeModel, Setting
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw
from chronocast.ui.widgets.short_label import ShortLabel
from chronocast.ui.widgets.table import Col, RowsTable, stand_on
from chronocast.ui.widgets.time_field import Line


@dataclass(frozen=True)
class Shelved:
    """A line of the shelf: chosen cells, a column of the batch, or a saved recipe that isn't one."""

    kind: str
    id: str
    title: str
    facts: str
    mark: str = ""


def _paint_shelved(painter: QPainter, box: QRectF, row: Shelved, theme: Theme) -> None:
    unit = scale()
    away = row.kind == "saved"
    if row.kind == "head":
        draw.text(painter, box, row.title, font(12.5, narrow=True), theme.color("quiet"))
        return
    colour = theme.color("quiet" if away else "text")
    top = QRectF(box.left(), box.top() + 4 * unit, box.width(), 18 * unit)
    room = 0.0
    if row.mark:
        room = (
            draw.text(
                painter,
                top,
                row.mark,
                font(12.5, narrow=True),
                theme.color("lichen" if row.mark == "changed" else "dusk"),
                align=draw.RIGHT,
            )
            + 6
        )
    draw.text(painter, top.adjusted(0, 0, -room, 0), row.title, font(13.5, 400 if away else 600), colour)
    below = QRectF(box.left(), top.bottom() - 2, box.width(), 15 * unit)
    draw.text(painter, below, row.facts, font(12.5, narrow=True), theme.color("quiet"))


ONE_OF_TWO = ("recipe.remove_column", "recipe.add_column")
BUTTONS = (
    (
        "what was changed",
        (("recipe.save", "Save"), ("recipe.save_as_new", "Save as new…"), ("recipe.reset", "Reset")),
    ),
    (
        "in this batch",
        (
            ("recipe.add_column", "Add as a column"),
            ("recipe.remove_column", "Remove column"),
            ("recipe.favourite", "Favourite"),
        ),
    ),
    (
        "with others",
        (("recipe.compare", "Compare…"), ("recipe.share", "Share…"), ("recipe.bring_in", "Bring in…")),
    ),
)
"""Buttons of the shelf, by what they do."""


class Shelf(QWidget):
    """``Shelf(theme)``: what is chosen, the batch's columns, and the saved recipes beside them."""

    chosen = pyqtSignal(str, str)
    asked = pyqtSignal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.table = RowsTable(
            theme, (Col("recipes", lambda row: row.title, 1.0, _paint_shelved),), "Recipes", 42
        )
        header = self.table.horizontalHeader()
        assert header is not None
        header.hide()
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda *_: self._chosen())
        self.buttons: dict[str, QPushButton] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 8)
        layout.setSpacing(4)
        layout.addWidget(self.table, 1)
        for group, line in BUTTONS:
            caption = QLabel(group)
            caption.setObjectName("quiet")
            caption.setFont(font(13, narrow=True))
            caption.setContentsMargins(14, 0, 10, 0)
            layout.addWidget(caption)
            row = QHBoxLayout()
            row.setContentsMargins(14, 0, 10, 0)
            row.setSpacing(4)
            for key, words in line:
                button = QPushButton(words)
                button.setObjectName("small")
                button.setFont(font(13, narrow=True))
                button.clicked.connect(lambda _=False, k=key: self.asked.emit(k))
                self.buttons[key] = button
                row.addWidget(button)
            row.addStretch(1)
            layout.addLayout(row)
        self.setFixedWidth(round(236 * min(1.4, scale())))

    def allow(self, name: str, on: bool) -> None:
        """Let a button be pressed, or not; of adding and removing a column only the one that can be done is there."""
        self.buttons[name].setEnabled(on)
        if name in ONE_OF_TWO:
            self.buttons[name].setVisible(
                on or not any(self.buttons[other].isEnabled() for other in ONE_OF_TWO)
            )

    def show_rows(self, rows: Sequence[Shelved], at: tuple[str, str]) -> None:
        """Show lines, one of them chosen."""
        with QSignalBlocker(self):
            self.table.show_rows(list(rows), lambda row: (row.kind, row.id))
            number = next((n for n, row in enumerate(rows) if (row.kind, row.id) == at), -1)
            if number >= 0 and self.table.currentIndex().row() != number:
                stand_on(self.table, self.table.rows_model.index(number, 0))

    def _chosen(self) -> None:
        row = self.table.chosen()
        if row is not None:
            self.chosen.emit(row.kind, row.id)


def recolour(label: QLabel, role: str) -> None:
    """Give a label the colour of a role, by the application's style sheet."""
    if label.objectName() != role:
        label.setObjectName(role)
        if style := label.style():
            style.unpolish(label)
            style.polish(label)


class SettingRow(QWidget):
    """One setting: its name and what it does, and under them its choices or its line."""

    taken = pyqtSignal(str, int)
    typed = pyqtSignal(str, str)
    refused = pyqtSignal(str)

    def __init__(self, theme: Theme, setting: Setting, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self.key = theme, setting.key
        self.name, self.told = QLabel(), ShortLabel()
        self.name.setFont(font(13.5, 600))
        self.told.setFont(font(12.5, narrow=True))
        self.told.setObjectName("quiet")
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self.name)
        head.addWidget(self.told, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        self.choices: Choices | None = None
        self.line: Line | None = None
        if setting.kind == "choices":
            layout.addLayout(head)
            self.choices = Choices(theme)
            self.choices.taken.connect(lambda number: self.taken.emit(self.key, number))
            self.choices.refused.connect(self.refused)
            layout.addWidget(self.choices)
        else:
            self.line = Line()
            self.line.setFixedWidth(round(136 * scale()))
            self.line.setFont(font(13.5))
            self.line.returnPressed.connect(self._typed)
            self.line.editingFinished.connect(self._typed)
            self.line.textEdited.connect(self._say_understood)
            both = QHBoxLayout()
            both.setSpacing(8)
            self.name.setFixedWidth(round(104 * scale()))
            both.addWidget(self.name)
            both.addWidget(self.line)
            both.addWidget(self.told, 1)
            layout.addLayout(both)
        self.show_setting(setting)

    def _say_understood(self, text: str) -> None:
        """How what is being typed is understood, before it is taken."""
        if self.setting.kind != "bits" or not text.strip():
            self.told.setText(self.setting.told)
            return
        try:
            self.told.setText(f"= {rate_bits_text(parse_bits(text))}")
        except ModelError as error:
            self.told.setText(str(error))

    def show_setting(self, setting: Setting) -> None:
        """Show another state of the same setting."""
        self.setting = setting
        mark = " · changed" if setting.changed else ""
        self.name.setText(setting.label + mark if setting.kind == "choices" else setting.label)
        recolour(self.name, "rust" if setting.wrong else "lichen" if setting.changed else "")
        told = "differs; a choice is for all" if setting.mixed else setting.told
        if self.line is None or not (self.line.hasFocus() and self.line.isModified()):
            self.told.setText(told)
        self.told.setToolTip(told)
        if self.choices:
            self.choices.show_setting(setting)
        if self.line is not None and not (self.line.hasFocus() and self.line.isModified()):
            self.line.setText(setting.text)
            self.line.setModified(False)
            self.line.setPlaceholderText(
                "differs" if setting.mixed else "automatic" if not setting.text else ""
            )
            self.line.setAccessibleName(f"{setting.label}: {setting.told}")

    def _typed(self) -> None:
        if self.line is not None and self.line.isModified():
            self.line.setModified(False)
            self.typed.emit(self.key, self.line.text())


class Form(QScrollArea):
    """Questions, each with its settings.  A row is made once, and shown where it is asked for."""

    taken = pyqtSignal(str, int)
    typed = pyqtSignal(str, str)
    refused = pyqtSignal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.rows: dict[str, SettingRow] = {}
        self.heads: dict[str, QLabel] = {}
        self._shape: tuple[Any, ...] = ()
        self._body = QWidget()
        self._rows = QVBoxLayout(self._body)
        self._rows.setContentsMargins(18, 2, 14, 12)
        self._rows.setSpacing(9)
        self.setWidget(self._body)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setAccessibleName("Settings")

    def show_groups(self, groups: Sequence[Group]) -> None:
        """Show another state of the settings."""
        shape = tuple((group.question, tuple(item.shape for item in group.settings)) for group in groups)
        for group in groups:
            for setting in group.settings:
                if setting.key in self.rows:
                    self.rows[setting.key].show_setting(setting)
                else:
                    self._row(setting)
        if shape != self._shape:
            self._shape = shape
            self._arrange(groups)

    def unmade(self, groups: Sequence[Group]) -> int:
        """How many rows there still aren't."""
        return sum(item.key not in self.rows for group in groups for item in group.settings)

    def make_some(self, groups: Sequence[Group], count: int = 6) -> None:
        """Make a few rows ahead, out of sight: all at once would hold the interface up."""
        missing = [item for group in groups for item in group.settings if item.key not in self.rows]
        for setting in missing[:count]:
            self._row(setting)
            self.rows[setting.key].hide()

    def _row(self, setting: Setting) -> None:
        row = SettingRow(self.theme, setting, self._body)
        row.taken.connect(self.taken)
        row.typed.connect(self.typed)
        row.refused.connect(self.refused)
        self.rows[setting.key] = row

    def _arrange(self, groups: Sequence[Group]) -> None:
        """The rows that are asked for, in their order; the others wait out of sight."""
        self._body.setUpdatesEnabled(False)
        while self._rows.count():
            self._rows.takeAt(0)
        shown: set[QWidget] = set()
        for group in groups:
            head = self.heads.get(group.question)
            if head is None:
                head = self.heads[group.question] = QLabel(group.question, self._body)
                head.setObjectName("tide")
                head.setFont(font(16))
                head.setContentsMargins(0, round(7 * scale()), 0, 0)
            self._rows.addWidget(head)
            shown.add(head)
            for setting in group.settings:
                self._rows.addWidget(self.rows[setting.key])
                shown.add(self.rows[setting.key])
        self._rows.addStretch(1)
        for widget in (*self.heads.values(), *self.rows.values()):
            widget.setVisible(widget in shown)
        self._body.setUpdatesEnabled(True)

    def go_to(self, question: str) -> None:
        """Show a question at the top."""
        bar = self.verticalScrollBar()
        if question in self.heads and bar:
            bar.setValue(max(0, self.heads[question].y() - 6))


class Outcome(QScrollArea):
    """What comes of it: when, how big, does it fit; contradictions with their cures; what differs; exceptions."""

    mended = pyqtSignal(int)
    card_set = pyqtSignal(str, bool)
    asked = pyqtSignal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.setWidgetResizable(True)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFixedWidth(round(296 * min(1.3, scale())))
        self.setAccessibleName("What comes of it")
        self._body: QWidget | None = None
        self.mends: list[QPushButton] = []
        self.cards: dict[str, QPushButton] = {}

    def _show_conflicts(self, layout: QVBoxLayout, model: RecipeModel) -> None:
        """What contradicts itself, with what mends it."""
        self.mends = []
        for number, item in enumerate(model.conflicts[:3]):
            layout.addSpacing(6)
            layout.addWidget(self._label(item.sentence, 13.5, "rust"))
            if item.changes:
                layout.addWidget(self._label(item.remedy, 12.5, "quiet", True))
                mend = QPushButton("Mend it")
                mend.setToolTip(item.remedy)
                mend.setObjectName("small")
                mend.clicked.connect(lambda _=False, n=number: self.mended.emit(n))
                self.mends.append(mend)
                layout.addWidget(mend, 0, Qt.AlignmentFlag.AlignLeft)
            else:
                layout.addWidget(self._label(item.remedy, 12.5, "quiet", True))

    def _show_cards(self, layout: QVBoxLayout, cards: Sequence[tuple[str, str, bool]]) -> None:
        """Which cards judge."""
        self._section(layout, "Who receives it?")
        self.cards = {}
        line = QHBoxLayout()
        line.setSpacing(4)
        for identifier, name, on in cards[:4]:
            button = QPushButton(name)
            button.setCheckable(True)
            button.setChecked(on)
            button.setObjectName("choice")
            button.setFont(font(13, narrow=True))
            button.clicked.connect(lambda now, i=identifier: self.card_set.emit(i, now))
            self.cards[identifier] = button
            line.addWidget(button)
        more_cards = QPushButton("Cards…")
        more_cards.setObjectName("small")
        more_cards.clicked.connect(lambda: self.asked.emit("cards"))
        line.addWidget(more_cards)
        line.addStretch(1)
        layout.addLayout(line)

    def show_outcome(
        self,
        answers: Sequence[tuple[str, str, str]],
        model: RecipeModel,
        verdicts: Sequence[tuple[str, str]],
        cards: Sequence[tuple[str, str, bool]],
        exceptions: Sequence[str],
        *,
        names: Sequence[str],
    ) -> None:
        """Answers are (question, answer, more); verdicts (state, sentence); cards (id, name, whether they judge)."""
        body = QWidget()
        layout = QVBoxLayout(body)
        layout.setContentsMargins(16, 10, 14, 10)
        layout.setSpacing(3)
        for question, answer, more in answers:
            line = QHBoxLayout()
            line.setSpacing(10)
            word = self._label(question, 13, "quiet", True)
            word.setFixedWidth(round(40 * scale()))
            line.addWidget(word, 0, Qt.AlignmentFlag.AlignBottom)
            line.addWidget(self._label(answer, 19, ""), 0, Qt.AlignmentFlag.AlignBottom)
            line.addWidget(self._label(more, 12.5, "quiet", True), 1, Qt.AlignmentFlag.AlignBottom)
            layout.addLayout(line)
        self._show_conflicts(layout, model)
        self._show_cards(layout, cards)
        for state, sentence in verdicts[:12]:
            colour = {"breaks": "rust", "tight": "lichen", "unknown": "quiet"}.get(state, "")
            sign = {"breaks": "◆ ", "tight": "◇ ", "unknown": "○ "}.get(state, "· ")
            layout.addWidget(self._label(sign + sentence, 12.5, colour, True))
        if model.differences:
            self._section(layout, "Changed from the saved one")
            for told in model.differences[:10]:
                layout.addWidget(self._label(told, 12.5, "lichen", True))
        if exceptions:
            self._section(layout, "Exceptions")
            for told in exceptions[:8]:
                layout.addWidget(self._label(told, 12.5, "", True))
            if len(exceptions) > 8:
                layout.addWidget(self._label(f"and {len(exceptions) - 8} more", 12.5, "quiet", True))
        if names:
            self._section(layout, "Named")
            for told in names[:3]:
                layout.addWidget(self._label(told, 12.5, "", True))
            rename = QPushButton("How files are named…")
            rename.setObjectName("small")
            rename.clicked.connect(lambda: self.asked.emit("names"))
            layout.addWidget(rename, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addStretch(1)
        bar = self.verticalScrollBar()
        at = bar.value() if bar else 0
        old = self.takeWidget()
        self.setWidget(body)
        self._body = body
        if old is not None:
            old.deleteLater()
        if bar:
            bar.setValue(at)

    def _section(self, layout: QVBoxLayout, words: str) -> None:
        layout.addSpacing(8)
        layout.addWidget(self._label(words, 14, "tide"))

    def _label(self, words: str, size: float, colour: str, narrow: bool = False) -> QLabel:
        label = QLabel(words)
        label.setObjectName(colour)
        label.setFont(font(size, narrow=narrow))
        label.setWordWrap(True)
        label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        return label
