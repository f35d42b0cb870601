"""Exceptions: what one output says otherwise than its recipe, by dotted field names."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from pydantic import ValidationError

from chronocast.model.document_reading import explain
from chronocast.model.errors import ModelError
from chronocast.model.recipe.recipe import Recipe

MOST_EXCEPTIONS = 64


def value_of(recipe: Recipe, field: str) -> Any:
    """What a recipe says in a dotted field; None where its part isn't there.

    >>> value_of(Recipe(id="a", name="A"), "picture.codec")
    'h264'
    """
    at: Any = recipe
    for name in field.split("."):
        at = getattr(at, name, None)
        if at is None:
            return None
    return at.model_dump(mode="json") if hasattr(at, "model_dump") else at


def with_values(recipe: Recipe, values: Mapping[str, Any]) -> Recipe:
    """A recipe with some dotted fields set; a part that isn't there begins as usual.

    Raises
    ------
    ModelError
        A field it hasn't, or a value that can't be.
    """
    if not values:
        return recipe
    told = recipe.model_dump(mode="json")
    for field, value in values.items():
        at = told
        *parts, last = field.split(".")
        known: Any = Recipe
        for name in parts:
            known = _part(known, name, field)
            if at.get(name) is None:
                at[name] = {}
            at = at[name]
        if last not in known.model_fields:
            raise ModelError(f"A recipe has no setting “{field}”.")
        at[last] = value
    try:
        return Recipe.model_validate(told)
    except ValidationError as error:
        raise ModelError(f"{recipe.name} can't be set so: {explain(error)}.") from None


def replaced(recipe: Recipe, values: Mapping[str, Any]) -> Recipe:
    """The same as ``with_values`` for values that are known to be right: nothing is validated, so it is quick."""
    for field, value in values.items():
        *parts, last = field.split(".")
        chain: list[Any] = [recipe]
        for name in parts:
            chain.append(getattr(chain[-1], name))
        if isinstance(value, dict) or any(item is None for item in chain):
            return with_values(recipe, values)
        made = chain.pop().model_copy(update={last: value})
        for name in reversed(parts):
            made = chain.pop().model_copy(update={name: made})
        recipe = made
    return recipe


def _part(known: Any, name: str, field: str) -> Any:
    """The document that a field of another holds."""
    found = known.model_fields.get(name)
    for kind in getattr(found.annotation, "__args__", (found.annotation,)) if found else ():
        if hasattr(kind, "model_fields"):
            return kind
    raise ModelError(f"A recipe has no setting “{field}”.")


def effective(recipe: Recipe, own: Mapping[str, Any]) -> Recipe:
    """The recipe that one output is made by.

    Raises
    ------
    ModelError
        An exception that can't be.
    """
    return _effective(recipe.model_dump_json(), json.dumps(own, sort_keys=True)) if own else recipe


@lru_cache(maxsize=4096)
def _effective(recipe: str, own: str) -> Recipe:
    return with_values(Recipe.model_validate_json(recipe), json.loads(own))


def leaves(value: Mapping[str, Any], head: str = "") -> dict[str, Any]:
    """All settings of a document by dotted name."""
    found: dict[str, Any] = {}
    for name, item in value.items():
        if isinstance(item, Mapping):
            found |= leaves(item, f"{head}{name}.")
        else:
            found[head + name] = item
    return found


NOT_SETTINGS = frozenset({"id", "name", "purpose", "dated", "saved"})


def differences(one: Recipe, two: Recipe) -> list[tuple[str, Any, Any]]:
    """Settings in which two recipes differ: (field, of the first, of the second)."""
    a, b = (leaves(item.model_dump(mode="json")) for item in (one, two))
    return [
        (field, a.get(field), b.get(field))
        for field in dict.fromkeys([*a, *b])
        if field not in NOT_SETTINGS and a.get(field) != b.get(field)
    ]
