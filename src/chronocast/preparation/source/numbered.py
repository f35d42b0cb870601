"""Numbered images that lie side by side, taken together as one source.

``reef_1001.png`` to ``reef_1060.png`` become ``reef_%04d.png?1001-1060``, and
``…@25`` once somebody has said how fast they run: the files don't say it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import NamedTuple

from chronocast.model.paths import path_text
from chronocast.model.source.cutlist import media_title
from chronocast.model.time.timing import parse_rate
from chronocast.preparation.source.linking import IMAGE_ENDINGS

FEWEST = 2
TELLING = 3
"""A name of fewer signs tells nothing by itself."""
MOST_MISSING = 10
"""More numbers missing in a row end one film and begin another."""

_NAME = re.compile(r"^(?P<head>.*?)(?P<number>\d{1,9})(?P<tail>\.[A-Za-z]+)$", re.DOTALL)
_COUNTED = re.compile(r"%0\d{1,2}d[^%]*\?\d+-\d+$", re.DOTALL)


class _Family(NamedTuple):
    """What files have in common that differ by their number alone; ``digits`` is 1 where numbers have no zeros before them."""

    folder: Path
    head: str
    tail: str
    digits: int


def numbered_together(files: Iterable[Path]) -> list[Path]:
    """Files, numbered images that lie side by side as one; each where its first file was.

    Parameters
    ----------
    files
        In any order.
    """
    kept: list[Path] = []
    numbers: dict[_Family, dict[int, Path]] = {}
    for path in files:
        found = _NAME.match(path.name) if path.suffix.lower() in IMAGE_ENDINGS else None
        if found is None or "%" in str(path) or "?" in str(path):
            kept.append(path)
            continue
        digits = found["number"]
        width = len(digits) if digits.startswith("0") else 0
        numbers.setdefault(_Family(path.parent, found["head"], found["tail"], width), {})[int(digits)] = path
    for family, images in _joined(numbers).items():
        for run in _runs(sorted(images)):
            if len(run) < FEWEST:
                kept.append(images[run[0]])
                continue
            name = f"{family.head}%0{family.digits}d{family.tail}?{run[0]}-{run[-1]}"
            kept.append(family.folder / name)
    return kept


def _joined(numbers: dict[_Family, dict[int, Path]]) -> dict[_Family, dict[int, Path]]:
    """Families by how many digits they really have: 0998, 0999 and 1000 are one of four; 9 and 10 one without zeros."""
    found: dict[_Family, dict[int, Path]] = {}
    for family, images in numbers.items():
        if not family.digits:
            padded = [other for other in numbers if other.digits and other[:3] == family[:3]]
            width = next((o.digits for o in padded if all(len(str(n)) >= o.digits for n in images)), 0)
            widths = {len(str(number)) for number in images}
            family = family._replace(digits=width or (widths.pop() if len(widths) == 1 else 1))
        found.setdefault(family, {}).update(images)
    return found


def _runs(numbers: Sequence[int]) -> list[list[int]]:
    """Numbers in stretches; a few that are missing don't end one: it is said of the whole that they are."""
    runs: list[list[int]] = [[numbers[0]]]
    for number in numbers[1:]:
        if number - runs[-1][-1] > MOST_MISSING + 1:
            runs.append([])
        runs[-1].append(number)
    whole = []
    for run in runs:  # more holes than images are single pictures that happen to have numbers
        filled = len(run) * 2 > run[-1] - run[0]
        whole += [run] if filled else [[number] for number in run]
    return whole


def is_counted(path: str) -> bool:
    """Whether a path stands for numbered images of which nobody has said yet how fast they run."""
    return bool(_COUNTED.search(path))


def in_rate(path: str, rate: str) -> str:
    """Numbered images at so many frames a second.

    Parameters
    ----------
    path
        The images, counted.
    rate
        As it is typed: 25, 23.976, 24000/1001.

    Raises
    ------
    ModelError
        That is no rate.
    """
    exact = parse_rate(rate)
    whole = exact.denominator == 1
    return f"{path}@{exact.numerator if whole else f'{exact.numerator}/{exact.denominator}'}"


def images_title(path: Path) -> str:
    """What numbered images are called: their files' name without its number, or their folder's where that says little."""
    name = media_title(path_text(path)).partition("#")[0].rstrip(" ._-")
    return name if len(name) >= TELLING else f"{path.parent.name} {name}".strip()


def rate_asked(path: Path) -> str:
    """That numbered images don't say how fast they run, as a sentence."""
    name, _, numbers = path_text(path).rpartition("?")
    first, _, last = numbers.partition("-")
    count = int(last) - int(first) + 1
    return (
        f"{media_title(name)}, {first} to {last}, are {count} numbered images and don't say how many are shown in a second. "
        "Say it when adding them: on the command line with --rate 25, on the desktop when asked."
    )
