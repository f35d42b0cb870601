"""What is done with whole recipes: saved, shared, brought in, compared, made columns."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QLineEdit, QWidget

from chronocast.journal.library import Library
from chronocast.model.batch.columns import change_recipe, clear_own, remove_recipe
from chronocast.model.batch.edits import add_recipe, identifier
from chronocast.model.errors import ChronocastError
from chronocast.model.recipe.nearest import as_the_source
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.recipe.wording import telling_name
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.ui.commands import Actions
from chronocast.ui.places.recipe.spoken_of import SpokenOf
from chronocast.ui.theme import Theme


class RecipeActions(QObject):
    """``RecipeActions(library, spoken, theme, window)``.

    ``edited`` with what was done and the batch after it; ``said`` and
    ``trouble`` with sentences; ``done`` after every command.
    """

    edited = pyqtSignal(str, object)
    said = pyqtSignal(str)
    trouble = pyqtSignal(str)
    done = pyqtSignal()

    def __init__(self, library: Library, spoken: SpokenOf, theme: Theme, window: QWidget) -> None:
        super().__init__(window)
        self.library, self.spoken, self.theme, self.window = library, spoken, theme, window

    def commands(self) -> Actions:
        """What it does, by the ids of the table of commands."""
        return {
            name: lambda name=name, do=do: self._do(name, do)  # type: ignore[misc]
            for name, do in {
                "recipe.save": self.save,
                "recipe.save_as_new": self._save_as_new,
                "recipe.reset": self.reset,
                "recipe.add_column": self.add_as_column,
                "recipe.favourite": self.make_favourite,
                "recipe.compare": self.compare,
                "recipe.share": self.share,
                "recipe.bring_in": self._bring_in,
                "recipe.remove_column": self.remove_column,
            }.items()
        }

    def can_do(self) -> dict[str, bool]:
        """Which of the commands can be used now."""
        return self.spoken.can_do(self.spoken.kind == "saved" and self.library.is_own(self.spoken.id))

    def _do(self, name: str, do: Callable[[], None]) -> None:
        if not self.can_do()[name]:
            self.said.emit("There is nothing to do that with: choose a recipe on the left first.")
            return
        try:
            do()
        except (ChronocastError, OSError) as error:
            self.trouble.emit(str(error))
        self.done.emit()

    @property
    def _recipe(self) -> Recipe:
        return self.spoken.recipes()[0]

    def save(self) -> None:
        """Keep the column's recipe among the saved ones, under its name."""
        kept = self.library.save_recipe(self._recipe)
        self.edited.emit(f"save {kept.name}", change_recipe(self.spoken.batch, kept))
        self.said.emit(f"{kept.name} is saved.")

    def _save_as_new(self) -> None:
        name, yes = QInputDialog.getText(
            self.window, "Save as new", "Its name", QLineEdit.EchoMode.Normal, telling_name(self._recipe)
        )
        if yes and name.strip():
            self.save_as(name)

    def save_as(self, name: str) -> None:
        """Keep what is shown under another name, and make it a column."""
        kept = self.library.duplicate(self._recipe.model_copy(update={"purpose": ""}), name)
        self.spoken.speak_of("recipe", kept.id)
        self.edited.emit(f"save {kept.name}", add_recipe(self.spoken.batch, kept))

    def reset(self) -> None:
        """Back to what is saved, or to what came with the application; of cells, to what their columns say."""
        spoken = self.spoken
        if spoken.kind == "cells":
            self.edited.emit("take exceptions away", clear_own(spoken.batch, spoken.cells))
        elif spoken.kind == "saved":
            self.library.reset(spoken.id)
        elif (saved := spoken.saved_one()) is not None:
            self.edited.emit(f"reset {saved.name}", change_recipe(spoken.batch, saved))

    def add_as_column(self) -> None:
        """Make the saved recipe a column."""
        recipe = self._recipe
        self.spoken.kind = "recipe"
        self.edited.emit(f"add {recipe.name} as a column", add_recipe(self.spoken.batch, recipe))

    def make_favourite(self) -> None:
        """Make it the recipe that one key asks for in *Plan*."""
        self.library.favourite = self.spoken.id
        self.said.emit(f"{self._recipe.name} is the favourite: F6 in Plan asks for it.")

    def compare(self) -> None:
        """See it beside another one."""
        from chronocast.ui.places.recipe.compare_box import CompareBox

        batch = self.spoken.batch
        away = [recipe for recipe in self.spoken.saved if batch.recipe(recipe.id) is None]
        CompareBox(self.theme, self._recipe, [*batch.recipes, *away], self.window).exec()

    def like_the_source(self, ready: SourceReady | None) -> None:
        """A recipe that makes files as a source is, as a column."""
        facts = max(ready.facts.values(), key=lambda item: item.bytes, default=None) if ready else None
        if ready is None or facts is None:
            self.trouble.emit("Select a source that can be used first.")
            return
        recipe, told = as_the_source(facts)
        taken = {item.id for item in self.spoken.batch.recipes}
        name = ready.source.name
        recipe = recipe.model_copy(update={"id": identifier(f"as {name}", taken, "as-the-source")})
        self.spoken.speak_of("recipe", recipe.id)
        self.edited.emit(f"make a recipe as {name} is", add_recipe(self.spoken.batch, recipe))
        self.said.emit(" ".join(told) or f"{recipe.name}: as {name} is.")

    def share(self) -> None:
        """Write it to a file that another library can bring in."""
        recipe = self._recipe
        name, _ = QFileDialog.getSaveFileName(
            self.window, "Share a recipe", f"{recipe.short_id}.recipe.json", "Recipes (*.recipe.json)"
        )
        if name:
            self.library.write_recipe(recipe, Path(name))
            self.said.emit(f"{recipe.name} was written to {name}.")

    def _bring_in(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.window, "Bring in a recipe", "", "Recipes (*.json)")
        if name:
            self.bring_in(Path(name))

    def bring_in(self, path: Path) -> None:
        """Save a shared recipe here, and make it a column."""
        kept = self.library.bring_in_recipe(path)
        self.spoken.speak_of("recipe", kept.id)
        self.edited.emit(f"bring in {kept.name}", add_recipe(self.spoken.batch, kept))

    def take(self, recipe: Recipe, what: str) -> None:
        """Make any recipe a column, and speak of it.

        Parameters
        ----------
        recipe
            The recipe.
        what
            What is done, for undo.
        """
        batch = self.spoken.batch
        there = batch.recipe(recipe.id)
        if there is not None and there.mark != recipe.mark:
            recipe = recipe.model_copy(
                update={"id": identifier(recipe.id, {item.id for item in batch.recipes})}
            )
        self.spoken.speak_of("recipe", recipe.id)
        self.edited.emit(what, add_recipe(batch, recipe))

    def remove_column(self) -> None:
        """Take the column and its outputs out of the batch."""
        recipe, count = self._recipe, len(self.spoken.outputs())
        self.edited.emit(
            f"remove {recipe.name} and {count} output{'s' if count != 1 else ''}",
            remove_recipe(self.spoken.batch, recipe.id),
        )
