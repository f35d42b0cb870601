"""Values worth keeping for as long as a process lives: the most recently used ones."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable
from typing import Generic, TypeVar

Key = TypeVar("Key", bound=Hashable)
Value = TypeVar("Value")


class Recent(Generic[Key, Value]):
    """``Recent(most)``: keeps the values used last; safe between threads."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._values: OrderedDict[Key, Value] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Key) -> Value | None:
        """A value, if it is still kept."""
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
            return self._values.get(key)

    def put(self, key: Key, value: Value) -> None:
        """Keep a value; the one that was not used for longest may go."""
        with self._lock:
            self._values[key] = value
            self._values.move_to_end(key)
            while len(self._values) > self._most:
                self._values.popitem(last=False)
