"""One file for each clip: the list of files that will be made, before anything is decided."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QFrame,
    QGridLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from chronocast.deliver.names import proposed_stems, unlike
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.extent import short_time
from chronocast.model.recipe.formats.containers import extension
from chronocast.model.source.shown_clips import Shot
from chronocast.ui.places.range.model import RangeSheet
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets.decision import decision, size_box
from chronocast.ui.widgets.table import Col, RowsTable

RECIPES_A_ROW = 3


class SplitBox(QDialog):
    """``SplitBox(...)``: recipes, instead of the whole or beside it, and the names of all files; ``batch()`` when taken."""

    def __init__(
        self,
        theme: Theme,
        sheet: RangeSheet,
        batch: Batch,
        *,
        recipes: tuple[str, ...],
        clips: Sequence[Shot],
        planned: Callable[[tuple[str, ...], bool], Batch],
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self._sheet, self._planned, self._before = sheet, planned, batch
        self.setWindowTitle("One file for each clip")
        size_box(self, 680, 520)
        self.title = QLabel()
        self.title.setFont(font(15, 600))
        self.title.setWordWrap(True)
        self.recipes: dict[str, QPushButton] = {}
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(6)
        for number, (name, words) in enumerate(sheet.recipes):
            button = QPushButton(words)
            button.setCheckable(True)
            button.setChecked(name in recipes)
            button.setObjectName("choice")
            button.toggled.connect(self._list)
            self.recipes[name] = button
            grid.addWidget(button, number // RECIPES_A_ROW, number % RECIPES_A_ROW)
        choice = QWidget()
        choice.setLayout(grid)
        scrolled = QScrollArea()
        scrolled.setFrameShape(QFrame.Shape.NoFrame)
        scrolled.setWidget(choice)
        scrolled.setMaximumHeight(min(choice.sizeHint().height() + 8, round(150 * scale())))
        self.instead = QPushButton("And no file of the whole any more")
        self.instead.setCheckable(True)
        self.instead.setObjectName("choice")
        self.instead.setAutoDefault(False)
        self.instead.toggled.connect(self._list)
        self.table = RowsTable(
            theme,
            (
                Col("file", lambda r: r[0], 0.72),
                Col("clip's length", lambda r: r[1], 0.28, right=True, quiet=True),
            ),
            "Files that would be made",
            26,
        )
        self.yes, buttons = decision(self)
        layout = QVBoxLayout(self)
        layout.addWidget(self.title)
        layout.addWidget(scrolled)
        layout.addWidget(self.instead, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addWidget(self.table, 1)
        layout.addLayout(buttons)
        self.clips = list(clips)
        self.yes.setDefault(True)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose, False)
        self._list()

    def _chosen(self) -> tuple[str, ...]:
        return tuple(name for name, button in self.recipes.items() if button.isChecked())

    def batch(self) -> Batch:
        """The batch as it would be."""
        return self._planned(self._chosen(), self.instead.isChecked())

    def _list(self) -> None:
        batch, recipes = self.batch(), self._chosen()
        owner = batch.source(self._sheet.source)
        assert owner is not None
        had = {output.id for output in self._before.outputs}
        lengths = {part.id: part.stop - part.start for part in owner.ranges}
        made = [
            o
            for o in batch.outputs
            if o.source == owner.id and o.range in lengths and o.recipe in recipes and o.id not in had
        ]
        endings = {recipe.id: extension(recipe.container) for recipe in batch.recipes}
        stems = zip(proposed_stems(batch, made), (endings[o.recipe] for o in made), strict=True)
        rows = [
            (name, short_time(self._sheet.clock.seconds(lengths[o.range])))
            for o, name in zip(made, unlike(stems), strict=True)
        ]
        self.table.show_rows(rows)
        there = len(self.clips) * len(recipes) - len(made)
        files = f"{len(made)} file{'s' if len(made) != 1 else ''}"
        self.title.setText(
            f"{owner.name}: {len(self.clips)} clips become {files}, one for each clip"
            + (f" and recipe ({len(recipes)} recipes)" if len(recipes) > 1 else "")
            + (f", {there} asked for already" if there else "")
            + (
                ". No file of the whole sequence is made."
                if self.instead.isChecked()
                else ". The whole sequence stays as it is."
            )
        )
        self.yes.setText(f"Ask for {files}")
        self.yes.setEnabled(bool(made))
