"""What is different between two states of one batch, in words."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from chronocast.model.batch.batch import Batch
from chronocast.model.batch.exceptions import differences

MOST_LINES = 40


def batch_changes(mine: Batch, theirs: Batch) -> list[str]:
    """One line for each thing that is otherwise in ``theirs`` than in ``mine``; none if both say the same."""
    found = list(_changes(mine, theirs))
    if len(found) > MOST_LINES:
        found = [*found[:MOST_LINES], f"and {len(found) - MOST_LINES} more"]
    return found


def _changes(mine: Batch, theirs: Batch) -> Iterator[str]:
    for name, words in (
        ("title", "title"),
        ("folder", "target folder"),
        ("names", "names of files"),
        ("wanted", "time wanted"),
        ("not_before", "time to begin"),
        ("wish", "order"),
        ("edition", "version"),
        ("dated", "date"),
    ):
        here, there = getattr(mine, name), getattr(theirs, name)
        if here != there:
            yield f"{words}: here {_text(here)}, on disk {_text(there)}"
    yield from _items("source", mine.sources, theirs.sources, lambda item: item.name)
    for recipe in mine.recipes:
        other = theirs.recipe(recipe.id)
        if other is not None and other != recipe:
            fields = (
                ", ".join(field for field, _, _ in differences(recipe, other)[:4]) or "its name or purpose"
            )
            yield f"recipe {recipe.title} is otherwise on disk: {fields}"
    yield from _items("recipe", mine.recipes, theirs.recipes, lambda item: item.title, changes=False)
    yield from _items("output", mine.outputs, theirs.outputs, lambda item: item.id)
    order_here = [o.id for o in mine.outputs if theirs.output(o.id)]
    order_there = [o.id for o in theirs.outputs if mine.output(o.id)]
    if order_here != order_there:
        yield "the order of outputs is another on disk"


def _items(
    what: str, mine: Sequence[Any], theirs: Sequence[Any], name: Any, changes: bool = True
) -> Iterator[str]:
    here, there = ({item.id: item for item in items} for items in (mine, theirs))
    for key in here.keys() - there.keys():
        yield f"{what} {name(here[key])} is only here"
    for key in there.keys() - here.keys():
        yield f"{what} {name(there[key])} is only on disk"
    if changes:
        for key in here.keys() & there.keys():
            if here[key] != there[key]:
                yield f"{what} {name(here[key])} is otherwise on disk"


def _text(value: object) -> str:
    return f"“{value}”" if value not in (None, "") else "none"
