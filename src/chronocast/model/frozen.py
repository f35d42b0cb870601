"""The base of every value that goes from room to room and from process to process."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Self, TypeVar, cast

from pydantic import BaseModel, ConfigDict

Made = TypeVar("Made")


class FrozenModel(BaseModel):
    """Frozen, complete, and written as JSON wherever it goes."""

    model_config = ConfigDict(frozen=True, extra="forbid")

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
