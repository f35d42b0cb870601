"""What *Plan* does with its columns and rows: added, moved, removed, filled; choices copied; exceptions set."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QFileDialog

from chronocast.journal.library import CARD_ENDING, RECIPE_ENDING
from chronocast.model.batch.batch import FULL
from chronocast.model.batch.columns import (
    clear_own,
    copy_choices,
    move_recipe,
    remove_recipe,
    set_output_folder,
)
from chronocast.model.batch.edits import add_recipe, fill
from chronocast.model.errors import ChronocastError
from chronocast.model.recipe.recipe import Recipe
from chronocast.ui.commands import Actions
from chronocast.ui.desk.session import Session
from chronocast.ui.desk.workers import errand
from chronocast.ui.places.plan.grid import Grid
from chronocast.ui.widgets.finder import Findable, Finder
from chronocast.ui.widgets.table import stand_on


class PlanColumns(QObject):
    """``PlanColumns(session, grid)``: the commands, and the header's gestures.

    Asks for *Recipe* with ``recipe_asked`` (a recipe's id, or nothing),
    ``exceptions_asked`` (outputs), ``like_asked`` (a source), ``recipe_found``
    (a recipe, why) and ``recipe_dropped`` (a file); ``menu_asked`` is for a
    column's menu (a point on the screen).  ``said`` and ``trouble`` are
    sentences.
    """

    recipe_asked = pyqtSignal(str)
    exceptions_asked = pyqtSignal(object)
    like_asked = pyqtSignal(str)
    recipe_found = pyqtSignal(object, str)
    recipe_dropped = pyqtSignal(object)
    said = pyqtSignal(str)
    trouble = pyqtSignal(str)
    menu_asked = pyqtSignal(QPoint)

    def __init__(self, session: Session, grid: Grid) -> None:
        super().__init__(grid)
        self.session = session
        self.grid = grid
        self.copied: tuple[str, str] | None = None
        header = self.grid.header
        header.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        header.customContextMenuRequested.connect(self._header_menu)
        header.sectionDoubleClicked.connect(self._open_section)
        self.grid.column_moved.connect(self.move_to)

    def commands(self) -> Actions:
        """What it does, by the ids of the table of commands."""
        return {
            "plan.open_recipe": self.open_recipe,
            "plan.open_cells": self.open_cells,
            "plan.clear_exceptions": self.clear,
            "plan.add_column": self.add,
            "plan.like_the_source": self.like_the_source,
            "plan.fill_favourite": self.favourite,
            "plan.fill_column": lambda: self.fill_line(True),
            "plan.fill_rows": lambda: self.fill_line(False),
            "plan.copy_row": self.copy_row,
            "plan.paste_row": self.paste_row,
            "plan.move_left": lambda: self.move(-1),
            "plan.move_right": lambda: self.move(1),
            "plan.remove_column": self.remove,
            "plan.decide_again": self.decide_again,
            "plan.choose_folder": self.choose_folder,
        }

    # What is selected

    def recipe(self) -> str:
        """The recipe of the current column, or nothing."""
        plan, index = self.grid.model.plan, self.grid.table.currentIndex()
        return plan.columns[index.column() - 1].recipe if plan and index.column() > 0 else ""

    def outputs(self) -> list[str]:
        """The outputs of the selected cells."""
        plan = self.grid.model.plan
        return [cell.output for at in self.grid.selected() if (cell := plan.cell(*at)).filled] if plan else []

    def rows(self) -> list[tuple[str, str]]:
        """(source, range) of the selected rows, in order."""
        plan = self.grid.model.plan
        if plan is None:
            return []
        numbers = sorted({index.row() for index in self.grid.table.selectedIndexes()})
        return [(plan.rows[number].source, plan.rows[number].part) for number in numbers]

    # What is done

    def open_recipe(self) -> None:
        """The current column's recipe, in *Recipe*."""
        self.recipe_asked.emit(self.recipe())

    def open_cells(self) -> None:
        """The selected cells' settings, in *Recipe*."""
        if not (outputs := self.outputs()):
            self.said.emit("Select cells that are asked for: exceptions are of files.")
            return
        self.exceptions_asked.emit(outputs)

    def like_the_source(self) -> None:
        """The nearest recipe to the selected source, in *Recipe*."""
        sources = self.grid.selected_sources()
        if not sources:
            self.said.emit("Select a source first.")
            return
        self.like_asked.emit(sources[0])

    def clear(self) -> None:
        """The selected cells as their recipes say."""
        if outputs := self.outputs():
            self.session.edit(
                f"take the exceptions of {len(outputs)} away", clear_own(self.session.batch, outputs)
            )

    def add(self) -> None:
        """Choose one of the saved recipes by a few letters of it."""
        batch, library = self.session.batch, self.session.workspace.library
        acts = [
            Findable(f"{recipe.name}: {recipe.purpose}"[:110], "", partial(self._add, recipe))
            for recipe in library.recipes()
            if batch.recipe(recipe.id) is None
        ]
        if library.problems:
            self.trouble.emit(library.problems[0])
        above = self.grid.window()
        assert above is not None
        finder = Finder(acts, above)
        finder.setAccessibleName("Find a recipe")
        finder.line.setPlaceholderText("Type a few letters of a recipe")
        finder.resize(640, 360)
        finder.open_above(above)

    def _add(self, recipe: Recipe) -> None:
        self.session.edit(f"add {recipe.name} as a column", add_recipe(self.session.batch, recipe))

    def favourite(self) -> None:
        """The favourite recipe for every selected row; it becomes a column if it isn't one."""
        library, batch = self.session.workspace.library, self.session.batch
        try:
            recipe = batch.recipe(library.favourite) or library.recipe(library.favourite)
        except ChronocastError as error:
            self.trouble.emit(str(error))
            return
        rows = self.rows()
        if recipe is None or not rows:
            self.said.emit("Select sources first, and choose a favourite in Recipe.")
            return
        made = fill(add_recipe(batch, recipe), [(*row, recipe.id) for row in rows])
        self.session.edit(f"ask for {recipe.name} for {len(rows)} row{'s' if len(rows) != 1 else ''}", made)

    def fill_line(self, column: bool) -> None:
        """Ask for every cell of the current column, or of the selected rows."""
        batch = self.session.batch
        if column:
            name = self.recipe()
            cells = [(source.id, FULL, name) for source in batch.sources] if name else []
        else:
            cells = [(*row, recipe.id) for row in self.rows() for recipe in batch.recipes]
        if cells:
            self.session.fill(cells, True)

    def copy_row(self) -> None:
        """Remember the first selected row's choices."""
        if rows := self.rows():
            self.copied = rows[0]
            source = self.session.batch.source(rows[0][0])
            self.said.emit(
                f"The choices of {source.name if source else rows[0][0]} are copied: select rows and press Ctrl+Shift+V."
            )

    def paste_row(self) -> None:
        """Give the selected rows what was copied: the same cells, exceptions and receiver cards."""
        batch = self.session.batch
        if self.copied is None or batch.source(self.copied[0]) is None:
            self.said.emit("Copy a row's choices first, with Ctrl+Shift+C.")
            return
        rows = self.rows()
        self.session.edit(
            f"copy choices to {len(rows)} row{'s' if len(rows) != 1 else ''}",
            copy_choices(batch, *self.copied, rows),
        )

    def move(self, step: int) -> None:
        """The current column one place further."""
        batch, name = self.session.batch, self.recipe()
        at = next((n for n, recipe in enumerate(batch.recipes) if recipe.id == name), None)
        if at is not None:
            self.move_to(name, at + step)

    def move_to(self, name: str, to: int) -> None:
        """A column to a place."""
        batch = self.session.batch
        self.session.edit("move a column", move_recipe(batch, name, to))
        plan = self.grid.model.plan
        at = (
            next((n for n, column in enumerate(plan.columns) if column.recipe == name), None)
            if plan
            else None
        )
        if at is not None:
            row = max(0, self.grid.table.currentIndex().row())
            stand_on(self.grid.table, self.grid.model.index(row, at + 1))

    def remove(self) -> None:
        """The current column and its outputs (undo brings them back)."""
        if name := self.recipe():
            self.session.edit("remove a column", remove_recipe(self.session.batch, name))

    def decide_again(self) -> None:
        """Forget what was decided for outputs in two passes: they are rendered as if for the first time."""
        session = self.session
        chosen = set(self.outputs())
        ready = (
            [item for item in session.prospect.outputs if item.output.id in chosen and item.twice]
            if session.prospect
            else []
        )
        if not ready:
            self.said.emit("None of the selected outputs is made in two passes.")
            return
        store = self.session.workspace.rounds
        for item in ready:
            store.forget(item.rounds_key)
        session.forecast()
        more = sum(len(item.plan.pieces) for item in ready)
        self.said.emit(
            f"{len(ready)} output{'s' if len(ready) != 1 else ''} with {more} pieces will be looked at anew; the forecast has the cost."
        )

    def choose_folder(self) -> None:
        """A folder of their own for the selected outputs."""
        if not (outputs := self.outputs()):
            self.said.emit("Select cells that are asked for first.")
            return
        name = QFileDialog.getExistingDirectory(
            self.grid.window(), "Where these files go", str(self.session.path.parent)
        )
        if name:
            self.session.edit(
                f"place {len(outputs)} elsewhere", set_output_folder(self.session.batch, outputs, name)
            )

    # Files and gestures

    def take_documents(self, paths: list[Path]) -> list[Path]:
        """Bring in dropped recipes and receiver cards; the paths that are neither."""
        rest = []
        for path in paths:
            try:
                if path.name.endswith(RECIPE_ENDING):
                    self.recipe_dropped.emit(path)
                elif path.name.endswith(CARD_ENDING):
                    card = self.session.workspace.library.bring_in_card(path)
                    self.said.emit(f"{card.name} is saved among the receiver cards: choose it in Recipe.")
                else:
                    rest.append(path)
            except ChronocastError as error:
                self.trouble.emit(str(error))
        return rest

    def open_recipe_of(self, path: str) -> None:
        """The exact recipe that made a finished file, as a column to change one thing of."""
        from chronocast.preparation.today import recipe_of

        def found(recipe: object) -> None:
            from chronocast.model.recipe.recipe import Recipe

            assert isinstance(recipe, Recipe)
            self.recipe_found.emit(recipe, f"take the recipe of {Path(path).name}")

        errand(lambda: recipe_of(Path(path), self.session.workspace), found, self.trouble.emit)

    def _open_section(self, section: int) -> None:
        if section > 0:
            self._choose(section)
            self.open_recipe()

    def _choose(self, section: int) -> None:
        row = max(0, self.grid.table.currentIndex().row())
        stand_on(self.grid.table, self.grid.model.index(row, section))

    def _header_menu(self, at: QPoint) -> None:
        section = self.grid.header.logicalIndexAt(at)
        if section > 0:
            self._choose(section)
        self.menu_asked.emit(self.grid.header.mapToGlobal(at))
