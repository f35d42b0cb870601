"""Rates, sizes and buffers as people type them."""

from __future__ import annotations

import json
import re
from typing import Any, Literal, get_args, get_origin

from chronocast.model.errors import ModelError
from chronocast.model.recipe.recipe import Recipe

MOST = 10**18
"""Bytes, or bit/s: nobody has more, and every sum of it is still a number."""
_NUMBER = re.compile(r"^\s*(?P<number>\d{1,12}(?:[.,]\d{1,9})?)\s*(?P<unit>[a-zA-Z/]*)\s*$")
_BITS = {
    "": 0,
    "b": 1,
    "bit": 1,
    "bits": 1,
    "k": 1e3,
    "kb": 1e3,
    "kbit": 1e3,
    "m": 1e6,
    "mb": 1e6,
    "mbit": 1e6,
    "g": 1e9,
    "gb": 1e9,
    "gbit": 1e9,
}
_BYTES = {
    "": 0,
    "b": 1,
    "kb": 1e3,
    "mb": 1e6,
    "gb": 1e9,
    "tb": 1e12,
    "kib": 2**10,
    "mib": 2**20,
    "gib": 2**30,
    "tib": 2**40,
    "k": 1e3,
    "m": 1e6,
    "g": 1e9,
    "t": 1e12,
}


def _read(text: str, units: dict[str, float], plain: float, what: str, example: str) -> float:
    found = _NUMBER.match(text)
    unit = found["unit"].lower().removesuffix("/s").removesuffix("ps") if found else "?"
    if found is None or unit not in units:
        raise ModelError(f"“{text[:40]}” is no {what}.", f"Type it as {example}.")
    value = float(found["number"].replace(",", ".")) * (units[unit] or plain)
    if value > MOST:
        raise ModelError(f"“{text[:40]}” is more than there is.", f"Type it as {example}.")
    return value


def parse_bits(text: str) -> int:
    """A bit rate or a buffer in bits: ``3M``, ``3,5 Mb/s``, ``700k``, ``800 kbit/s``.

    A bare number is what people mean by it: up to 200 Mb/s, up to 100,000 kb/s, else bit/s.

    >>> parse_bits("3,5 Mb/s"), parse_bits("700k"), parse_bits("6"), parse_bits("2500"), parse_bits("2500000")
    (3500000, 700000, 6000000, 2500000, 2500000)
    """
    value = _read(text, _BITS, 1.0, "bit rate", "3.5 Mb/s or 700 kb/s")
    bare = re.fullmatch(r"\s*[\d.,]+\s*", text) is not None
    return round(value * (1 if not bare or value >= 100_000 else 1e3 if value >= 200 else 1e6))


def parse_bytes(text: str) -> int:
    """A size in bytes, decimal unless it says binary: ``500 MB``, ``4GiB``; a bare number is megabytes.

    >>> parse_bytes("500 MB"), parse_bytes("1 GiB"), parse_bytes("250")
    (500000000, 1073741824, 250000000)
    """
    return round(
        _read(text, {key: float(value) for key, value in _BYTES.items()}, 1e6, "size", "500 MB or 4 GiB")
    )


def parse_db(text: str) -> float:
    """A level in dB: ``38 dB``, ``38``.

    >>> parse_db("38.5 dB")
    38.5

    Raises
    ------
    ModelError
        It is none.
    """
    return _read(text, {"": 1.0, "db": 1.0}, 1.0, "level", "38 dB")


def typed_value(field: str, text: str) -> Any:
    """What is typed for a dotted field of a recipe.

    Raises
    ------
    ModelError
        A rate that is none.
    """
    if text in ("", "none", "null"):
        return None
    if field.endswith(("bits_per_second", "buffer_bits")):
        return parse_bits(text)
    if field in ("picture.rate", "picture.level", "picture.profile", "picture.grade", "picture.encoder"):
        return text
    if text in words_of(field):
        return text  # 5.1 is a layout, not a number
    try:
        value = json.loads(text)
    except ValueError:
        value = text
    if field in ("sound.choose", "sound.languages") and not isinstance(value, list):
        return [word.strip() for word in text.split(",") if word.strip()]
    return value


def words_of(field: str) -> tuple[str, ...]:
    """The words that a dotted field of a recipe takes, where it takes only some.

    >>> words_of("sound.layout")
    ('mono', 'stereo', '5.1', 'source')
    """
    known: Any = Recipe
    for name in field.split("."):
        found = getattr(known, "model_fields", {}).get(name)
        if found is None:
            return ()
        kinds = get_args(found.annotation) or (found.annotation,)
        known = next((kind for kind in kinds if hasattr(kind, "model_fields")), found.annotation)
    return tuple(word for word in _literals(known) if isinstance(word, str))


def _literals(kind: Any) -> list[Any]:
    if get_origin(kind) is Literal:
        return list(get_args(kind))
    return [word for part in get_args(kind) for word in _literals(part)]
