"""File names of outputs: safe, telling, never two alike."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable

LONGEST_BYTES = 200


def safe_stem(text: str) -> str:
    """A file name's stem from any text: one line, no separators, no leading dot, at most 200 bytes.

    >>> safe_stem("../Reef\\nat night?")
    'Reef at night'
    """
    text = unicodedata.normalize("NFC", text)
    text = "".join(" " if unicodedata.category(c)[0] == "C" or c in '/\\:*?"<>|' else c for c in text)
    text = re.sub(r"\s+", " ", text).strip(" .")
    while len(text.encode()) > LONGEST_BYTES:
        text = text[:-1]
    return text.strip(" .") or "output"


def output_stem(source: str, part: str | None, recipe: str) -> str:
    """The proposed stem: source, range where it is not the whole, recipe."""
    return safe_stem(" - ".join(item for item in (source, part, recipe) if item))


def unlike(stems: Iterable[tuple[str, str]]) -> list[str]:
    """File names from (stem, extension), each unlike all before it even where case is ignored."""
    taken: set[str] = set()
    names = []
    for stem, extension in stems:
        name, number = stem + extension, 2
        while name.casefold() in taken:
            name, number = f"{stem} {number}{extension}", number + 1
        taken.add(name.casefold())
        names.append(name)
    return names
