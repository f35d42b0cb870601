"""What *Recipe* speaks of at the moment: a column's recipe, a saved one, or the exceptions of some cells."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from chronocast.model.batch.batch import Batch, Output
from chronocast.model.recipe.recipe import Recipe

Kind = Literal["recipe", "saved", "cells"]


@dataclass
class SpokenOf:
    """What is chosen on the shelf, and where it is found.

    Parameters
    ----------
    kind
        A column of the batch, a *saved* recipe that is no column, or some *cells*.
    id
        The recipe's.
    cells
        Ids of the outputs that were chosen last, whether they are spoken of or not.
    batch
        The batch as it now is.
    saved
        The saved recipes.
    """

    kind: Kind = "recipe"
    id: str = ""
    cells: list[str] = field(default_factory=list)
    batch: Batch = field(default_factory=Batch)
    saved: list[Recipe] = field(default_factory=list)

    def speak_of(self, kind: Kind, identifier: str) -> None:
        """Speak of something else."""
        self.kind, self.id = kind, identifier

    def fall_back(self) -> None:
        """Speak of the first recipe there is, where what was spoken of is gone."""
        if self.recipes():
            return
        if self.batch.recipes:
            self.speak_of("recipe", self.batch.recipes[0].id)
        elif self.saved:
            self.speak_of("saved", self.saved[0].id)
        else:
            self.speak_of("recipe", "")

    def outputs(self) -> list[Output]:
        """Outputs that are spoken of."""
        if self.kind == "cells":
            chosen = set(self.cells)
            return [output for output in self.batch.outputs if output.id in chosen]
        return [output for output in self.batch.outputs if output.recipe == self.id]

    def recipes(self) -> list[Recipe]:
        """Recipes that are spoken of: one, or those the chosen cells are made by."""
        if self.kind == "cells":
            return [self.batch.made_by(output) for output in self.outputs()]
        if self.kind == "saved":
            return [recipe for recipe in self.saved if recipe.id == self.id]
        found = self.batch.recipe(self.id)
        return [found] if found else []

    def saved_one(self) -> Recipe | None:
        """The saved recipe that the one shown came from; of cells, their column's."""
        if self.kind == "cells":
            columns = {output.recipe for output in self.outputs()}
            return self.batch.recipe(columns.pop()) if len(columns) == 1 else None
        return self._saved(self.id)

    def _saved(self, identifier: str) -> Recipe | None:
        return next((recipe for recipe in self.saved if recipe.id == identifier), None)

    def mark(self, recipe: Recipe, favourite: str) -> str:
        """What the shelf says beside a column's name.

        Parameters
        ----------
        recipe
            The column's recipe.
        favourite
            Id of the favourite recipe.
        """
        saved = self._saved(recipe.id)
        if recipe.changed:
            return "changed"
        if saved is not None and saved.mark != recipe.mark:
            return "saved otherwise since"
        return "favourite" if recipe.id == favourite else ""

    def unsaved(self, recipe: Recipe) -> bool:
        """Whether there is something of a recipe to save."""
        saved = self._saved(recipe.id)
        return saved is None or (saved.mark, saved.name, saved.purpose) != (
            recipe.mark,
            recipe.name,
            recipe.purpose,
        )

    def can_do(self, own_copy: bool) -> dict[str, bool]:
        """Which commands of the shelf can be used now, by their ids.

        Parameters
        ----------
        own_copy
            Whether the recipe is one that came with the application and was changed here.
        """
        recipe = next(iter(self.recipes()), None)
        column = self.kind == "recipe"
        changed = column and recipe is not None and self.unsaved(recipe)
        return {
            "recipe.save": changed,
            "recipe.save_as_new": recipe is not None,
            "recipe.reset": (changed and self.saved_one() is not None)
            or (self.kind == "cells" and any(output.own for output in self.outputs()))
            or (self.kind == "saved" and own_copy),
            "recipe.add_column": self.kind == "saved",
            "recipe.favourite": self.kind != "cells" and recipe is not None,
            "recipe.share": self.kind != "cells" and recipe is not None,
            "recipe.bring_in": True,
            "recipe.remove_column": column and recipe is not None,
            "recipe.compare": recipe is not None,
        }
