"""The base of every value that goes from room to room and from process to process."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import cached_property
from typing import Any, Self, TypeVar, cast

from pydantic import BaseModel, ConfigDict

Made = TypeVar("Made")
_FIELDS_SET: dict[frozenset[str], set[str]] = {}
"""The names of fields that were set, one set for the thousands of values that share them: nobody changes it."""

EMPTY: frozenset[Any] = frozenset()
"""Shared by thousands of values that have an empty set: every other one is one more, of two hundred bytes."""


def _one_set(names: set[str]) -> set[str]:
    return _FIELDS_SET.setdefault(frozenset(names), names)


def share_names(values: Iterable[BaseModel]) -> None:
    """Have values that nobody changes share the sets that say which of their fields were given: of thousands, megabytes."""
    for value in values:
        object.__setattr__(value, "__pydantic_fields_set__", _one_set(value.__pydantic_fields_set__))


class FrozenModel(BaseModel):
    """Frozen, complete, and written as JSON wherever it goes."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """The same with some fields others, which aren't validated; what was worked out of it stays behind.

        Thousands of pieces differ in two or three of many fields: the library's own way takes several times as long,
        and takes along what was worked out of the other fields.

        Parameters
        ----------
        update
            The fields that are others.
        deep
            Whether values are copied as well.
        """
        if deep:
            return super().model_copy(update=update, deep=True)
        made, fields = object.__new__(type(self)), type(self).__pydantic_fields__
        values = {**self.__dict__, **(update or {})}
        if len(values) > len(fields):
            values = {name: value for name, value in values.items() if name in fields}
        object.__setattr__(made, "__dict__", values)
        told = self.__pydantic_fields_set__
        object.__setattr__(
            made, "__pydantic_fields_set__", _one_set(told | update.keys() if update else told)
        )
        object.__setattr__(made, "__pydantic_extra__", None)
        object.__setattr__(made, "__pydantic_private__", None)
        return made

    def once(self, make: Callable[[Self], Made]) -> Made:
        """What a function makes of this value, worked out once and kept as long as the value is.

        It is for functions of rooms that the value doesn't know; two threads may both work it out, to the same end.

        Parameters
        ----------
        make
            The function; what it gives must not be changed by anybody.
        """
        kept = self._kept
        key = f"{make.__module__}.{make.__qualname__}"
        if key not in kept:
            kept[key] = make(self)
        return cast("Made", kept[key])

    @cached_property
    def _kept(self) -> dict[str, object]:
        return {}
