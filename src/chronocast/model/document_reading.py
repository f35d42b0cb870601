"""What is common to reading every kind of document: is it ours, of a version we know, and what is wrong with it."""

from __future__ import annotations

import json
from typing import Any

from pydantic import ValidationError
from pydantic_core import ErrorDetails, from_json

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


_WRONG = {
    "missing": "it is missing",
    "extra_forbidden": "nothing is known by that name",
    "greater_than_equal": "it must be {ge} at least",
    "greater_than": "it must be more than {gt}",
    "less_than_equal": "it must be {le} at most",
    "less_than": "it must be less than {lt}",
    "literal_error": "it must be {expected}",
    "string_type": "it must be text",
    "string_too_long": "it has room for {max_length} characters",
    "string_too_short": "it is too short",
    "string_pattern_mismatch": "it must be of the pattern {pattern}",
    "too_long": "there is room for {max_length}",
    "too_short": "there must be {min_length} at least",
    "int_type": "it must be a whole number",
    "int_parsing": "it must be a whole number",
    "int_parsing_size": "it is no number that could be meant",
    "int_from_float": "it must be a whole number",
    "float_type": "it must be a number",
    "float_parsing": "it must be a number",
    "finite_number": "it must be a number",
    "bool_type": "it must be true or false",
    "bool_parsing": "it must be true or false",
    "tuple_type": "it must be a list",
    "dict_type": "it must be an object",
    "model_type": "it must be an object",
    "date_from_datetime_parsing": "it must be a date like 2027-01-31",
    "date_parsing": "it must be a date like 2027-01-31",
    "datetime_from_date_parsing": "it must be a moment like 2027-01-31T18:00:00+01:00",
    "datetime_parsing": "it must be a moment like 2027-01-31T18:00:00+01:00",
}
"""What is wrong with a value, by the names the library has for it."""


def _wrong(item: ErrorDetails) -> str:
    told = _WRONG.get(item["type"])
    if told is None:
        return str(item["msg"]).removeprefix("Value error, ")
    return told.format(**item.get("ctx", {}))


def explain(error: ValidationError) -> str:
    """The first things wrong with a document, field by field, as one clause."""
    told = []
    for item in error.errors()[:3]:
        where = " › ".join(str(part) for part in item["loc"])
        message = _wrong(item)
        given = item.get("input")
        shown = f" (it is {given!r})" if isinstance(given, str | int | float) and len(str(given)) < 60 else ""
        told.append(f"{where}: {message}{shown}" if where else message)
    more = len(error.errors()) - 3
    return "; ".join(told) + (f"; and {more} more" if more > 0 else "")
