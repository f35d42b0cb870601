"""Edits of what a batch makes of its sources: recipes as columns, rows filled alike, exceptions, receiver cards."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from typing import Any

from chronocast.model.batch.batch import FULL, Batch, Output
from chronocast.model.batch.edits import change_outputs, fill
from chronocast.model.batch.exceptions import value_of, with_values
from chronocast.model.cards.card import ReceiverCard
from chronocast.model.errors import ModelError
from chronocast.model.recipe.recipe import Recipe


def change_recipe(batch: Batch, recipe: Recipe) -> Batch:
    """The batch with one of its recipes as it now is; exceptions that say the same as it are dropped.

    Raises
    ------
    ModelError
        It has no recipe of that id, or an exception contradicts what is new.
    """
    if batch.recipe(recipe.id) is None:
        raise ModelError(f"There is no recipe “{recipe.id}” in this batch.")
    recipes = tuple(recipe if item.id == recipe.id else item for item in batch.recipes)
    outputs = tuple(
        _trimmed(output, recipe) if output.recipe == recipe.id and output.own else output
        for output in batch.outputs
    )
    return batch.model_copy(update={"recipes": recipes, "outputs": outputs})


def _trimmed(output: Output, recipe: Recipe) -> Output:
    own = {field: value for field, value in output.own.items() if _differs(value_of(recipe, field), value)}
    with_values(recipe, own)
    return output.model_copy(update={"own": own})


def _differs(one: Any, two: Any) -> bool:
    """Whether two values differ as a file would have them."""
    return bool(
        json.dumps(one, sort_keys=True, default=list) != json.dumps(two, sort_keys=True, default=list)
    )


def remove_recipe(batch: Batch, recipe: str) -> Batch:
    """The batch without a column and its outputs."""
    return batch.model_copy(
        update={
            "recipes": tuple(item for item in batch.recipes if item.id != recipe),
            "outputs": tuple(item for item in batch.outputs if item.recipe != recipe),
        }
    )


def move_recipe(batch: Batch, recipe: str, to: int) -> Batch:
    """A column at another place.

    Parameters
    ----------
    batch
        The batch.
    recipe
        A recipe's id.
    to
        Its place among the columns, from 0.
    """
    moved = batch.recipe(recipe)
    if moved is None:
        return batch
    rest = [item for item in batch.recipes if item.id != recipe]
    rest.insert(max(0, min(to, len(rest))), moved)
    return batch.model_copy(update={"recipes": tuple(rest)})


def set_own(batch: Batch, outputs: Iterable[str], values: Mapping[str, Any]) -> Batch:
    """Exceptions of some outputs: what they say otherwise than their recipe; a value like the recipe's is none.

    Parameters
    ----------
    batch
        The batch.
    outputs
        Their ids.
    values
        Values by the names of a recipe's fields, dotted.

    Raises
    ------
    ModelError
        A field that recipes haven't, or a value that can't be.
    """
    chosen, found, known = set(outputs), [], {}
    for output in batch.outputs:
        if output.id in chosen:
            recipe = batch.recipe(output.recipe)
            assert recipe is not None
            own = dict(output.own)
            for field, value in values.items():
                own.pop(field, None)
                for inner in [key for key in own if key.startswith(field + ".")]:
                    own.pop(inner)
                if _differs(value_of(recipe, field), value):
                    own[field] = value
            key = (recipe.id, json.dumps(own, sort_keys=True))
            if key not in known:
                with_values(recipe, own)
                known[key] = True
            output = output.model_copy(update={"own": own})
        found.append(output)
    return batch.model_copy(update={"outputs": tuple(found)})


def clear_own(batch: Batch, outputs: Iterable[str]) -> Batch:
    """Some outputs as their recipes say."""
    return change_outputs(batch, outputs, {"own": {}})


def set_output_folder(batch: Batch, outputs: Iterable[str], folder: str) -> Batch:
    """A target folder of their own for some outputs; empty for the batch's.

    Parameters
    ----------
    batch
        The batch.
    outputs
        Their ids.
    folder
        The folder; relative ones are beside the batch.
    """
    return change_outputs(batch, outputs, {"folder": folder})


def add_card(batch: Batch, card: ReceiverCard) -> Batch:
    """The batch with a receiver card; one of that id is replaced."""
    rest = tuple(item for item in batch.cards if item.id != card.id)
    return batch.model_copy(update={"cards": (*rest, card)})


def set_card(batch: Batch, outputs: Iterable[str], card: str, on: bool = True) -> Batch:
    """Judge some outputs by a card, or no longer; a card that nothing is judged by leaves the batch.

    Parameters
    ----------
    batch
        The batch.
    outputs
        Their ids.
    card
        The card's id.
    on
        Whether they are judged by it from now on.
    """
    chosen = set(outputs)
    made = []
    for output in batch.outputs:
        if output.id in chosen:
            rest = tuple(name for name in output.cards if name != card)
            output = output.model_copy(update={"cards": (*rest, card) if on else rest})
        made.append(output)
    used = {name for output in made for name in output.cards}
    return batch.model_copy(
        update={
            "outputs": tuple(made),
            "cards": tuple(item for item in batch.cards if item.id in used or (on and item.id == card)),
        }
    )


def choices(batch: Batch, source: str, part: str = FULL) -> dict[str, Output]:
    """What is asked for in one row, by recipe.

    Parameters
    ----------
    batch
        The batch.
    source
        A source's id.
    part
        A range's id; *full* for the whole.
    """
    return {
        output.recipe: output for output in batch.outputs if (output.source, output.range) == (source, part)
    }


def copy_choices(batch: Batch, source: str, part: str, to: Iterable[tuple[str, str]]) -> Batch:
    """Other rows made as one row is: the same cells filled, with its exceptions and its receiver cards.

    Cells that the row hasn't are cleared; what is as it should be keeps its id.

    Parameters
    ----------
    batch
        The batch.
    source
        A source's id.
    part
        A range's id; *full* for the whole.
    to
        Rows, each (source, range).
    """
    model = choices(batch, source, part)
    for row in to:
        if row == (source, part):
            continue
        present = choices(batch, *row)
        batch = fill(batch, [(*row, recipe) for recipe in present if recipe not in model], False)
        batch = fill(batch, [(*row, recipe) for recipe in model])
        batch = batch.model_copy(
            update={
                "outputs": tuple(
                    o.model_copy(
                        update={
                            "own": model[o.recipe].own,
                            "cards": model[o.recipe].cards,
                            "held": model[o.recipe].held,
                        }
                    )
                    if (o.source, o.range) == row
                    else o
                    for o in batch.outputs
                )
            }
        )
    return batch


MIXED = object()
"""Stands for a value that differs across what is chosen."""


def common(recipes: Iterable[Recipe], field: str) -> Any:
    """The value of a dotted field in all of some recipes; ``MIXED`` where it differs."""
    values = [value_of(recipe, field) for recipe in recipes]
    if not values:
        return None
    return values[0] if all(not _differs(values[0], value) for value in values[1:]) else MIXED


def exceptions(batch: Batch) -> list[tuple[Output, dict[str, Any]]]:
    """Every output with exceptions, in the batch's order."""
    return [(output, dict(output.own)) for output in batch.outputs if output.own]
