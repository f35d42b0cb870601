"""A recipe as a file of its own, to be shared: JSON with a published schema."""

from __future__ import annotations

import json
from typing import Any

from pydantic import ValidationError

from chronocast.model.document_reading import explain, read_object
from chronocast.model.errors import ModelError
from chronocast.model.recipe.recipe import Recipe

FORMAT = "chronocast recipe"
VERSION = 1


def read_recipe(text: str, what: str = "The recipe") -> Recipe:
    """A recipe from the text of its file, taken as saved.

    Raises
    ------
    ModelError
        Not JSON, not a recipe, of a newer version, or with values that make no sense.
    """
    value = read_object(text, what, FORMAT, VERSION)
    told = {key: item for key, item in value.items() if key not in ("format", "version", "saved")}
    try:
        return Recipe.model_validate(told).as_saved()
    except ValidationError as error:
        raise ModelError(
            f"{what} can't be used: {explain(error)}.", "The file has not been changed."
        ) from None


def write_recipe(recipe: Recipe) -> str:
    """The text of a recipe's file: every setting said, so that it means the same when the usual ones change."""
    value = recipe.model_dump(mode="json", exclude={"saved"})
    return json.dumps({"format": FORMAT, "version": VERSION, **value}, indent=2, ensure_ascii=False) + "\n"


def recipe_schema() -> dict[str, Any]:
    """The JSON schema of a recipe's file."""
    schema = Recipe.model_json_schema()
    schema["title"] = "Chronocast recipe"
    schema["properties"].pop("saved", None)
    schema["properties"] = {
        "format": {"const": FORMAT, "type": "string"},
        "version": {"minimum": 1, "type": "integer"},
        **schema["properties"],
    }
    schema["required"] = ["format", "version", *schema.get("required", [])]
    return schema
