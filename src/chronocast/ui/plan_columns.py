"""What *Plan* does with its columns and rows: added, moved, removed, filled; choices copied; exceptions set."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QPoint, Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QFileDialog, QMenu

from chronocast.journal.library import CARD_ENDING, RECIPE_ENDING, Library
from chronocast.journal.places import data_folder
from chronocast.journal.rounds import RoundsStore
from chronocast.model.batch import FULL
from chronocast.model.columns import clear_own, copy_choices, move_recipe, remove_recipe, set_output_folder
from chronocast.model.edits import add_recipe, fill
from chronocast.model.errors import ChronocastError
from chronocast.ui.finder import Finder
from chronocast.ui.table import stand_on
from chronocast.ui.workers import errand

if TYPE_CHECKING:
    from chronocast.ui.window import Window

Act = tuple[str, str, Callable[[], None]]


class PlanColumns(QObject):
    """``PlanColumns(window)``: the commands, and the header's gestures."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        self.grid = window.plan_place.grid
        self.copied: tuple[str, str] | None = None
        header = self.grid.header
        header.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        header.customContextMenuRequested.connect(self._header_menu)
        header.sectionDoubleClicked.connect(self._open_section)
        self.grid.column_moved.connect(self.move_to)

    def acts(self) -> list[Act]:
        """(words, key, what it does); those with *selected* need the grid in sight."""
        return [
            ("Open the recipe of the selected column", "Ctrl+E", self.open_recipe),
            ("Set exceptions for the selected cells", "Ctrl+Shift+E", self.open_cells),
            ("Take the exceptions of the selected cells away", "", self.clear),
            ("Add a recipe as a column…", "Ctrl+Shift+A", self.add),
            ("A recipe that makes files as the selected source is", "Ctrl+Shift+L", self.like_the_source),
            ("Ask for the favourite recipe of the selected sources", "F6", self.favourite),
            ("Fill the selected column", "Ctrl+Shift+D", lambda: self.fill_line(True)),
            ("Fill the selected rows", "Ctrl+D", lambda: self.fill_line(False)),
            ("Copy the choices of the selected row", "Ctrl+Shift+C", self.copy_row),
            ("Give the selected rows the copied choices", "Ctrl+Shift+V", self.paste_row),
            ("Move the selected column left", "Ctrl+Shift+Left", lambda: self.move(-1)),
            ("Move the selected column right", "Ctrl+Shift+Right", lambda: self.move(1)),
            ("Remove the selected column", "Ctrl+Shift+Delete", self.remove),
            ("Look anew for the common quality of the selected outputs", "", self.decide_again),
            ("A target folder for the selected outputs only…", "", self.choose_folder),
        ]

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
        from chronocast.ui.window import RECIPE

        if name := self.recipe():
            self.window.recipe_place.open_recipe(name)
        self.window.go_to(RECIPE)

    def open_cells(self) -> None:
        """The selected cells' settings, in *Recipe*."""
        from chronocast.ui.window import RECIPE

        if not (outputs := self.outputs()):
            self.window.tell("Select cells that are asked for: exceptions are of files.")
            return
        self.window.recipe_place.open_cells(outputs)
        self.window.go_to(RECIPE)

    def like_the_source(self) -> None:
        """The nearest recipe to the selected source, in *Recipe*."""
        from chronocast.ui.window import RECIPE

        sources = self.grid.selected_sources()
        if not sources:
            self.window.tell("Select a source first.")
            return
        try:
            self.window.recipe_place.like_the_source(sources[0])
        except ChronocastError as error:
            self.window.tell_trouble(str(error))
            return
        self.window.go_to(RECIPE)

    def clear(self) -> None:
        """The selected cells as their recipes say."""
        if outputs := self.outputs():
            self.window.session.edit(
                f"take the exceptions of {len(outputs)} away", clear_own(self.window.session.batch, outputs)
            )

    def add(self) -> None:
        """Choose one of the saved recipes by a few letters of it."""
        batch, library = self.window.session.batch, Library()
        acts = []
        for recipe in library.recipes():
            if batch.recipe(recipe.id) is None:
                action = QAction(f"{recipe.name}: {recipe.purpose}"[:110], self.window)
                action.triggered.connect(
                    lambda _=False, r=recipe: self.window.session.edit(
                        f"add {r.name} as a column", add_recipe(self.window.session.batch, r)
                    )
                )
                acts.append(action)
        if library.problems:
            self.window.tell_trouble(library.problems[0])
        finder = Finder(acts, self.window)
        finder.line.setPlaceholderText("Type a few letters of a recipe")
        finder.resize(640, 360)
        finder.move(self.window.mapToGlobal(QPoint((self.window.width() - finder.width()) // 2, 60)))
        finder.show()
        finder.line.setFocus()

    def favourite(self) -> None:
        """The favourite recipe for every selected row; it becomes a column if it isn't one."""
        library, batch = Library(), self.window.session.batch
        try:
            recipe = batch.recipe(library.favourite) or library.recipe(library.favourite)
        except ChronocastError as error:
            self.window.tell_trouble(str(error))
            return
        rows = self.rows()
        if recipe is None or not rows:
            self.window.tell("Select sources first, and choose a favourite in Recipe.")
            return
        made = fill(add_recipe(batch, recipe), [(*row, recipe.id) for row in rows])
        self.window.session.edit(
            f"ask for {recipe.name} for {len(rows)} row{'s' if len(rows) != 1 else ''}", made
        )

    def fill_line(self, column: bool) -> None:
        """Ask for every cell of the current column, or of the selected rows."""
        batch = self.window.session.batch
        if column:
            name = self.recipe()
            cells = [(source.id, FULL, name) for source in batch.sources] if name else []
        else:
            cells = [(*row, recipe.id) for row in self.rows() for recipe in batch.recipes]
        if cells:
            self.window.session.fill(cells, True)

    def copy_row(self) -> None:
        """Remember the first selected row's choices."""
        if rows := self.rows():
            self.copied = rows[0]
            source = self.window.session.batch.source(rows[0][0])
            self.window.tell(
                f"The choices of {source.name if source else rows[0][0]} are copied: select rows and press Ctrl+Shift+V."
            )

    def paste_row(self) -> None:
        """Give the selected rows what was copied: the same cells, exceptions and receiver cards."""
        batch = self.window.session.batch
        if self.copied is None or batch.source(self.copied[0]) is None:
            self.window.tell("Copy a row's choices first, with Ctrl+Shift+C.")
            return
        rows = self.rows()
        self.window.session.edit(
            f"copy choices to {len(rows)} row{'s' if len(rows) != 1 else ''}",
            copy_choices(batch, *self.copied, rows),
        )

    def move(self, step: int) -> None:
        """The current column one place further."""
        batch, name = self.window.session.batch, self.recipe()
        at = next((n for n, recipe in enumerate(batch.recipes) if recipe.id == name), None)
        if at is not None:
            self.move_to(name, at + step)

    def move_to(self, name: str, to: int) -> None:
        """A column to a place."""
        batch = self.window.session.batch
        self.window.session.edit("move a column", move_recipe(batch, name, to))
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
            self.window.session.edit("remove a column", remove_recipe(self.window.session.batch, name))

    def decide_again(self) -> None:
        """Forget what was decided for outputs in two passes: they are rendered as if for the first time."""
        session = self.window.session
        chosen = set(self.outputs())
        ready = (
            [item for item in session.prospect.outputs if item.output.id in chosen and item.twice]
            if session.prospect
            else []
        )
        if not ready:
            self.window.tell("None of the selected outputs is made in two passes.")
            return
        store = RoundsStore(data_folder() / "rounds")
        for item in ready:
            store.forget(item.rounds_key)
        session.forecast()
        more = sum(len(item.plan.pieces) for item in ready)
        self.window.tell(
            f"{len(ready)} output{'s' if len(ready) != 1 else ''} with {more} pieces will be looked at anew; the forecast has the cost."
        )

    def choose_folder(self) -> None:
        """A folder of their own for the selected outputs."""
        if not (outputs := self.outputs()):
            self.window.tell("Select cells that are asked for first.")
            return
        name = QFileDialog.getExistingDirectory(
            self.window, "Where these files go", str(self.window.session.path.parent)
        )
        if name:
            self.window.session.edit(
                f"place {len(outputs)} elsewhere", set_output_folder(self.window.session.batch, outputs, name)
            )

    # Files and gestures

    def take_documents(self, paths: list[Path]) -> list[Path]:
        """Bring in dropped recipes and receiver cards; the paths that are neither."""
        rest = []
        for path in paths:
            try:
                if path.name.endswith(RECIPE_ENDING):
                    self.window.recipe_place.bring_in(path)
                elif path.name.endswith(CARD_ENDING):
                    card = Library().bring_in_card(path)
                    self.window.tell(f"{card.name} is saved among the receiver cards: choose it in Recipe.")
                else:
                    rest.append(path)
            except ChronocastError as error:
                self.window.tell_trouble(str(error))
        return rest

    def open_recipe_of(self, path: str) -> None:
        """The exact recipe that made a finished file, as a column to change one thing of."""
        from chronocast.run.today import recipe_of
        from chronocast.ui.window import RECIPE

        def found(recipe: object) -> None:
            from chronocast.model.recipe import Recipe

            assert isinstance(recipe, Recipe)
            self.window.recipe_place.take(recipe, f"take the recipe of {Path(path).name}")
            self.window.go_to(RECIPE)

        errand(lambda: recipe_of(Path(path)), found, self.window.tell_trouble)

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
        menu = QMenu(self.window)
        for action in self.window.all_actions:
            if "column" in action.text():
                menu.addAction(action)
        menu.exec(self.grid.header.mapToGlobal(at))
