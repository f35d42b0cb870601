"""Finding one of many by its name, at once however many there are."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping, Sequence
from typing import Any, Generic, TypeVar

T = TypeVar("T")

R = TypeVar("R")
MOST_REMEMBERED = 4096


class Same(Generic[T]):
    """``Same(thing)`` in a question: answered before only for the very same object, however like it another may be."""

    __slots__ = ("thing",)

    def __init__(self, thing: T) -> None:
        self.thing = thing

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Same) and other.thing is self.thing

    def __hash__(self) -> int:
        return id(self.thing)


def once_each(work_out: Callable[[T], R]) -> Callable[[T], R]:
    """``work_out``, worked out once for the very same object while it is one of those asked about last.

    For documents, which never change: a copy of one is another object.
    """
    known: OrderedDict[int, tuple[T, R]] = OrderedDict()

    def told(item: T) -> R:
        kept = known.get(id(item))
        if kept is not None and kept[0] is item:
            return kept[1]
        found = work_out(item)
        known[id(item)] = (item, found)
        while len(known) > MOST_REMEMBERED:
            known.popitem(last=False)
        return found

    return told


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
