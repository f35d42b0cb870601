"""What *Range* does with what is marked: it becomes ranges and files of a batch, is named, split, removed."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import fill
from chronocast.model.batch.ranges import one_for_each_clip, remove_ranges, rename_range, take_marked
from chronocast.model.errors import ModelError
from chronocast.model.source.shown_clips import media_shots
from chronocast.ui.places.range.model import DRAFT, with_draft
from chronocast.ui.places.range.parts.parts import RangeParts
from chronocast.ui.places.range.standing import Standing
from chronocast.ui.theme import Theme


class TakingDesk(QObject):
    """``TakingDesk(standing, parts, theme)``: ``edited`` brings (what, batch).

    ``changed`` says that new ranges become something else, ``let_go`` that marks were dropped, ``tried`` that a
    forecast would be of use.
    """

    edited = pyqtSignal(str, object)
    changed = pyqtSignal()
    let_go = pyqtSignal()
    tried = pyqtSignal()
    said = pyqtSignal(str)
    trouble = pyqtSignal(str)

    def __init__(self, standing: Standing, parts: RangeParts, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.standing, self.parts, self.theme = standing, parts, theme
        parts.table.toggled.connect(self.toggle)
        parts.name.editingFinished.connect(self._renamed)
        parts.name.returnPressed.connect(self._take_named)
        parts.becomes.changed.connect(self._becomes)
        for button, do in (
            (parts.take, self.take),
            (parts.instead, lambda: self.take(True)),
            (parts.remove, self.remove),
            (parts.split, self.split),
            (parts.marked, self.take_marked),
        ):
            button.clicked.connect(lambda _=False, d=do: d())

    def _becomes(self, recipes: tuple[str, ...]) -> None:
        self.standing.recipes = recipes
        self.tried.emit()
        self.changed.emit()

    def take(self, instead: bool = False) -> None:
        """What is marked becomes a range: beside the whole, or instead of it."""
        sheet = self.standing.sheet
        part = self.standing.draft.part(sheet.clock.frames) if sheet else None
        if sheet is None or part is None:
            self.said.emit("Nothing is marked. I marks the first picture, O the last one.")
            return
        typed = self.parts.name.text() if self.standing.part == DRAFT else ""
        try:
            batch, made = with_draft(
                self.standing.batch,
                self.standing.source,
                part,
                self.standing.becoming(),
                instead=instead,
                name=typed,
            )
        except ModelError as error:
            self.trouble.emit(str(error))
            return
        self.parts.name.clear()
        if self.parts.name.hasFocus():
            self.parts.film.setFocus()
        del self.standing.drafts[self.standing.source]
        owner = batch.source(self.standing.source)
        taken = owner.part(made) if owner else None
        name = taken.name if taken else "a range"
        self.standing.part = made if instead else FULL
        self.edited.emit(f"take {name}", batch)
        self.said.emit(
            f"{name} is made instead of the whole."
            if instead
            else f"{name} taken: {sheet.clock.length(len(part))}. Mark the next."
        )

    def _take_named(self) -> None:
        """Return in the field for a name takes what is marked."""
        if self.standing.part == DRAFT:
            self.take()

    def drop_marks(self) -> None:
        """What is marked and not taken is let go."""
        if self.standing.drafts.pop(self.standing.source, None):
            self.standing.part, self.standing.live = FULL, None
            self.let_go.emit()

    def take_marked(self) -> None:
        """The ranges that the source itself marks become ranges."""
        sheet = self.standing.sheet
        if sheet is None or not sheet.marked:
            self.said.emit("This source marks nothing of itself that isn't taken.")
            return
        batch, made = take_marked(
            self.standing.batch, self.standing.source, sheet.marked, self.standing.becoming()
        )
        self.standing.part = made[-1]
        self.edited.emit(f"take {len(made)} marked", batch)

    def split(self) -> None:
        """One file for each clip, after a look at what they would be called."""
        ready, sheet = self.standing.ready(), self.standing.sheet
        if ready is None or sheet is None:
            return
        clips = media_shots(ready.cut)
        if not sheet.sequence or len(clips) < 2:
            self.said.emit("Only a sequence of several clips can become one file for each.")
            return
        from chronocast.ui.places.range.parts.split_box import SplitBox

        def planned(recipes: tuple[str, ...], instead: bool) -> Batch:
            return one_for_each_clip(self.standing.batch, self.standing.source, clips, recipes, instead)

        try:
            box = SplitBox(
                self.theme,
                sheet,
                self.standing.batch,
                recipes=self.standing.becoming(),
                clips=clips,
                planned=planned,
                parent=self.parts,
            )
        except ModelError as error:
            self.trouble.emit(str(error))
            return
        if box.exec():
            self.standing.part = FULL
            self.edited.emit(f"one file for each of {len(clips)} clips", box.batch())

    def remove(self) -> None:
        """The chosen range goes, and what was to be made of it; undo brings it back."""
        if self.standing.part == DRAFT:
            self.drop_marks()
        elif self.standing.part != FULL:
            row, part = self.standing.row(), self.standing.part
            self.standing.part = FULL
            self.edited.emit(
                f"remove {row.name if row else 'a range'}",
                remove_ranges(self.standing.batch, self.standing.source, [part]),
            )
        else:
            self.said.emit("The whole can't be removed; clear its cells to make nothing of it.")

    def toggle(self, part: str, recipe: str) -> None:
        """Ask for a range's output of a recipe, or no longer."""
        if part == DRAFT:
            self.said.emit("Take what is marked first: Return.")
            return
        filled = self.standing.batch.cell(self.standing.source, part, recipe) is None
        self.edited.emit(
            f"{'ask for' if filled else 'clear'} 1 output",
            fill(self.standing.batch, [(self.standing.source, part, recipe)], filled),
        )

    def fill(self) -> None:
        """Ask for files of the chosen range in the recipes that new ranges become, or no longer."""
        recipes = self.standing.becoming()
        if self.standing.part == DRAFT or not recipes:
            self.said.emit(
                "Take what is marked first: Return." if recipes else "Choose first what new ranges become."
            )
            return
        cells = [(self.standing.source, self.standing.part, recipe) for recipe in recipes]
        filled = not all(self.standing.batch.cell(*cell) for cell in cells)
        row = self.standing.row()
        self.edited.emit(
            f"{'ask for' if filled else 'clear'} files of {row.name if row else 'a range'}",
            fill(self.standing.batch, cells, filled),
        )

    def _renamed(self) -> None:
        row, text = self.standing.row(), self.parts.name.text()
        if row is None or self.standing.part in (FULL, DRAFT) or text == row.name:
            return
        try:
            self.edited.emit(
                f"rename {row.name}",
                rename_range(self.standing.batch, self.standing.source, self.standing.part, text),
            )
        except ModelError as error:
            self.trouble.emit(str(error))
            self.parts.name.setText(row.name)
