"""Two recipes side by side, field by field: only what differs."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from chronocast.model.batch.exceptions import differences
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.recipe.wording import label_of, say
from chronocast.ui.theme import Theme, font
from chronocast.ui.widgets.decision import size_box
from chronocast.ui.widgets.table import Col, RowsTable


class CompareBox(QDialog):
    """``CompareBox(theme, recipe, others, parent)``."""

    def __init__(
        self, theme: Theme, recipe: Recipe, others: Sequence[Recipe], parent: QWidget | None
    ) -> None:
        super().__init__(parent)
        self.recipe = recipe
        self.others = [other for other in others if other is not recipe]
        self.setWindowTitle("Compare recipes")
        size_box(self, 640, 460)
        self.choice = QComboBox()
        self.choice.setAccessibleName("Compare with")
        self.choice.addItems([other.title for other in self.others])
        self.choice.currentIndexChanged.connect(lambda _: self._show())
        self.told = QLabel()
        self.told.setFont(font(13.5))
        self.table = RowsTable(
            theme,
            (
                Col("setting", lambda row: row[0], 0.34, quiet=True),
                Col(recipe.title[:30], lambda row: row[1], 0.33, strong=True),
                Col("the other", lambda row: row[2], 0.33),
            ),
            "What differs",
            30,
        )
        close = QPushButton("Close")
        close.clicked.connect(self.accept)
        line = QHBoxLayout()
        line.addWidget(QLabel(recipe.title))
        line.addWidget(QLabel("with"))
        line.addWidget(self.choice, 1)
        foot = QHBoxLayout()
        foot.addWidget(self.told, 1)
        foot.addWidget(close)
        layout = QVBoxLayout(self)
        layout.addLayout(line)
        layout.addWidget(self.table, 1)
        layout.addLayout(foot)
        self._show()

    def _show(self) -> None:
        number = self.choice.currentIndex()
        found = differences(self.recipe, self.others[number]) if 0 <= number < len(self.others) else []
        self.table.show_rows([(label_of(field), say(field, a), say(field, b)) for field, a, b in found])
        self.told.setText(f"{len(found)} settings differ." if found else "They make the same files.")
