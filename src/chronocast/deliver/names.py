"""File names of outputs: safe, telling, never two alike."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable

from chronocast.model.batch.batch import Batch, Output
from chronocast.model.batch.exceptions import effective
from chronocast.model.batch.naming import read_pattern
from chronocast.model.pauses import pause

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


def proposed_stems(batch: Batch, wanted: Iterable[Output]) -> list[str]:
    """The stems of some outputs of a batch, by its pattern for names, or by the name an output has of its own."""
    pattern, numbers = read_pattern(batch.names), {output.id: n + 1 for n, output in enumerate(batch.outputs)}
    sources = {source.id: source for source in batch.sources}
    recipes = {recipe.id: recipe for recipe in batch.recipes}
    ranges = {(source.id, part.id): part.name for source in batch.sources for part in source.ranges}
    found = []
    for output in wanted:
        pause()
        values = {
            "source": sources[output.source].name,
            "range": ranges.get((output.source, output.range), ""),
            "recipe": effective(recipes[output.recipe], output.own).short_id,
            "version": f"v{batch.edition}",
            "counter": f"{numbers.get(output.id, 0):03d}",
            "date": batch.dated.isoformat() if batch.dated else "",
        }
        found.append(safe_stem(output.name or pattern.filled(values)))
    return found


def unlike(stems: Iterable[tuple[str, str] | tuple[str, str, str]]) -> list[str]:
    """File names from (stem, extension) or (stem, extension, folder).

    Each is unlike all before it in its folder, even where case is ignored.
    """
    taken: set[tuple[str, str]] = set()
    # of thousands that are called alike the numbers aren't tried again
    reached: dict[tuple[str, str, str], int] = {}
    names = []
    for stem, extension, *folders in stems:
        pause()
        folder = folders[0] if folders else ""
        name, called = stem + extension, (folder, stem, extension)
        number = reached.get(called, 2)
        while (folder, name.casefold()) in taken:
            name, number = f"{stem} {number}{extension}", number + 1
        reached[called] = number
        taken.add((folder, name.casefold()))
        names.append(name)
    return names
