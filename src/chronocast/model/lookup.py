"""Finding one of many by its name, at once however many there are."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping, Sequence
from typing import Any, TypeVar

T = TypeVar("T")

FEW = 12
"""So many are searched one after another."""
MOST_TABLES = 8

_tables: OrderedDict[tuple[int, int, Callable[[Any], Hashable]], tuple[Sequence[Any], dict[Any, Any]]] = (
    OrderedDict()
)


def find(items: Sequence[T], key: Callable[[T], Hashable], wanted: Hashable) -> T | None:
    """The first of ``items`` whose key is the wanted one; None where none is.

    A table is kept of the sequences asked of last, so ``items`` must not have members replaced in place.

    Parameters
    ----------
    items
        What is searched.
    key
        The name of one; always the same function for the same names.
    wanted
        The name that is looked for.
    """
    if len(items) <= FEW:
        return next((item for item in items if key(item) == wanted), None)
    return _table(items, key).get(wanted)


def _table(items: Sequence[T], key: Callable[[T], Hashable]) -> Mapping[Hashable, T]:
    of = (id(items), len(items), key)
    kept = _tables.get(of)
    if kept is not None:
        return kept[1]
    table: dict[Hashable, T] = {}
    for item in items:
        table.setdefault(key(item), item)
    _tables[of] = (items, table)  # with the sequence itself: while it is kept, no other has its identity
    while len(_tables) > MOST_TABLES:
        _tables.popitem(last=False)
    return table
