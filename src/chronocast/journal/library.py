"""Saved recipes and receiver cards: those that come with Chronocast, and a person's own, as files in the config folder."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import TypeVar

from chronocast.journal.documents import DocumentError, load_json, read_text, save_json, write_text
from chronocast.model.batch.edits import identifier
from chronocast.model.cards.card import ReceiverCard, read_card, write_card
from chronocast.model.errors import ChronocastError, ModelError
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.recipe.recipe_file import read_recipe, write_recipe
from chronocast.model.recipe.supplied import SUPPLIED, supplied

T = TypeVar("T")
RECIPE_ENDING = ".recipe.json"
CARD_ENDING = ".card.json"
FIRST_FAVOURITE = "web-720"


class Library:
    """``Library(folder)``: everything saved, read from disk each time it is asked for."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.problems: list[str] = []

    # Recipes

    def recipes(self) -> list[Recipe]:
        """All saved recipes, supplied ones first; a person's own stands for the supplied one of its id.

        Files that can't be read are left alone and told in ``problems``.
        """
        self.problems = []
        own = {recipe.id: recipe for recipe in self._read("recipes", RECIPE_ENDING, read_recipe)}
        found = [own.pop(recipe.id, recipe) for recipe in SUPPLIED]
        return found + sorted(own.values(), key=lambda recipe: recipe.name.casefold())

    def recipe(self, name: str) -> Recipe | None:
        """The saved recipe of that id, if there is one."""
        path = self.recipe_path(name)
        if path.exists():
            return read_recipe(read_text(path), str(path))
        return supplied(name)

    def recipe_path(self, name: str) -> Path:
        """Where a person's own recipe of that id is kept."""
        return self.folder / "recipes" / f"{name}{RECIPE_ENDING}"

    def is_own(self, name: str) -> bool:
        """Whether a recipe is a person's own, or changed by one, rather than as it was supplied."""
        return self.recipe_path(name).exists()

    def save_recipe(self, recipe: Recipe) -> Recipe:
        """Keep a recipe under its id; it, as saved.

        Raises
        ------
        DocumentError
            It can't be written; what was saved before is as it was.
        """
        kept = recipe.model_copy(update={"dated": date.today()}).as_saved()
        write_text(self.recipe_path(kept.id), write_recipe(kept))
        return kept

    def duplicate(self, recipe: Recipe, name: str) -> Recipe:
        """A saved copy under another name, with an id of its own."""
        taken = {item.id for item in self.recipes()}
        copy = recipe.model_copy(
            update={"id": identifier(name, taken, "recipe"), "name": name.strip()[:80] or recipe.name}
        )
        return self.save_recipe(copy)

    def reset(self, name: str) -> Recipe | None:
        """Take a person's own away; what was supplied under that id, if anything was."""
        self.recipe_path(name).unlink(missing_ok=True)
        return supplied(name)

    def bring_in_recipe(self, path: Path) -> Recipe:
        """Save a shared recipe's file here; one of an id that is taken gets another.

        Raises
        ------
        ChronocastError
            It isn't a recipe.
        """
        recipe = read_recipe(read_text(path), str(path))
        there = self.recipe(recipe.id)
        if there is not None and there.mark != recipe.mark:
            recipe = recipe.model_copy(
                update={"id": identifier(recipe.id, {item.id for item in self.recipes()})}
            )
        return self.save_recipe(recipe)

    def write_recipe(self, recipe: Recipe, path: Path) -> None:
        """A recipe as a file to share.

        Raises
        ------
        DocumentError
            It can't be written.
        """
        write_text(path, write_recipe(recipe))

    @property
    def favourite(self) -> str:
        """The id of the favourite recipe."""
        found = load_json(self.folder / "favourite.json").get("recipe")
        return found if isinstance(found, str) and found else FIRST_FAVOURITE

    @favourite.setter
    def favourite(self, name: str) -> None:
        save_json(self.folder / "favourite.json", {"version": 1, "recipe": name})

    # Cards

    def cards(self) -> list[ReceiverCard]:
        """All saved receiver cards, by name."""
        return sorted(self._read("cards", CARD_ENDING, read_card), key=lambda card: card.name.casefold())

    def card(self, name: str) -> ReceiverCard | None:
        """The card of that id."""
        path = self.card_path(name)
        return read_card(read_text(path), str(path)) if path.exists() else None

    def card_path(self, name: str) -> Path:
        """Where a card of that id is kept."""
        return self.folder / "cards" / f"{name}{CARD_ENDING}"

    def save_card(self, card: ReceiverCard) -> ReceiverCard:
        """Keep a card under its id.

        Raises
        ------
        DocumentError
            It can't be written.
        """
        kept = card if card.dated else card.model_copy(update={"dated": date.today()})
        write_text(self.card_path(kept.id), write_card(kept))
        return kept

    def bring_in_card(self, path: Path) -> ReceiverCard:
        """Save a shared card's file here.

        Raises
        ------
        ChronocastError
            It isn't a card.
        """
        return self.save_card(read_card(read_text(path), str(path)))

    def remove_card(self, name: str) -> None:
        """Take a card away."""
        self.card_path(name).unlink(missing_ok=True)

    def _read(self, folder: str, ending: str, read: Callable[[str, str], T]) -> list[T]:
        found = []
        for path in sorted((self.folder / folder).glob(f"*{ending}")):
            try:
                found.append(read(read_text(path), str(path)))
            except ChronocastError as error:
                self.problems.append(str(error))
        return found


def needed_recipe(library: Library, name: str) -> Recipe:
    """The saved recipe of that id.

    Raises
    ------
    ModelError
        There is none; the sentence lists those there are.
    """
    if (Path(name).suffix == ".json") and Path(name).is_file():
        return read_recipe(read_text(Path(name)), name)
    try:
        found = library.recipe(name) if "/" not in name else None
    except DocumentError:
        found = None
    if found is None:
        raise ModelError(
            f"There is no recipe “{name}”." if name else "No recipe was named.",
            f"There are: {', '.join(recipe.id for recipe in library.recipes())}.",
        )
    return found


def needed_card(library: Library, name: str) -> ReceiverCard:
    """The saved card of that id, or of a file.

    Raises
    ------
    ModelError
        There is none.
    """
    if Path(name).suffix == ".json" and Path(name).is_file():
        return read_card(read_text(Path(name)), name)
    found = library.card(name) if name and "/" not in name else None
    if found is None:
        there = ", ".join(card.id for card in library.cards()) or "none yet"
        raise ModelError(f"There is no receiver card “{name}”.", f"There are: {there}.")
    return found
