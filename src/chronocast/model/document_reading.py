"""What is common to reading every kind of document: is it ours, of a version we know, and what is wrong with it."""

from __future__ import annotations

import json
from typing import Any

from pydantic import ValidationError
from pydantic_core import from_json

from chronocast.model.errors import ModelError


def read_object(text: str, what: str, format_name: str, version: int) -> dict[str, Any]:
    """A JSON object of one of our formats.

    Parameters
    ----------
    text
        The file's.
    what
        What it is called in sentences.
    format_name
        What its *format* must say.
    version
        The newest version that is understood.

    Raises
    ------
    ModelError
        It isn't one, or is newer than we know.
    """
    try:
        value: Any = _quickly_read(text)
    except (ValueError, RecursionError) as error:  # a number of thousands of digits is no error of JSON's own
        line = getattr(error, "lineno", None)
        where = f" (line {line}, column {getattr(error, 'colno', 0)})" if line else ""
        raise ModelError(
            f"{what} is not JSON{where}.", "Open a file that Chronocast wrote, or mend it."
        ) from None
    if not isinstance(value, dict) or value.get("format") != format_name:
        raise ModelError(
            f"{what} is JSON, but not a {format_name.removeprefix('chronocast ')}: its “format” is not “{format_name}”."
        )
    found = value.get("version")
    if not isinstance(found, int) or isinstance(found, bool) or found < 1:
        raise ModelError(
            f"{what} has no usable version number.", f"This Chronocast writes version {version}."
        )
    if found > version:
        raise ModelError(
            f"{what} is of version {found}; this Chronocast reads up to {version}.",
            "Open it with a newer Chronocast. The file has not been changed.",
        )
    return value


def _quickly_read(text: str) -> Any:
    """What a text of JSON says: the standard library, three times as slow, is asked where anything is wrong, for its words."""
    try:
        return from_json(text)
    except ValueError:
        return json.loads(text)


def explain(error: ValidationError) -> str:
    """The first things wrong with a document, field by field, as one clause."""
    told = []
    for item in error.errors()[:3]:
        where = " › ".join(str(part) for part in item["loc"])
        message = str(item["msg"]).removeprefix("Value error, ")
        given = item.get("input")
        shown = f" (it is {given!r})" if isinstance(given, str | int | float) and len(str(given)) < 60 else ""
        told.append(f"{where}: {message}{shown}" if where else message)
    more = len(error.errors()) - 3
    return "; ".join(told) + (f"; and {more} more" if more > 0 else "")
