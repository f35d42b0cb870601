"""Locks between processes: one at a time holds a file's, on this machine and on a shared drive."""

from __future__ import annotations

from pathlib import Path
from types import TracebackType


class Lock:
    """``Lock(path)``: ``take`` it at once or not at all; or wait for it, as a context manager.

    It is given back when its holder ends, however that is.
    """

    def __init__(self, path: Path) -> None:
        from filelock import FileLock  # only those who lock pay for its import

        self.path = path
        self._lock = FileLock(path, thread_local=False)

    def take(self) -> bool:
        """Whether it is ours now.

        Raises
        ------
        OSError
            There can be no lock there.
        """
        from filelock import Timeout

        self.path.parent.mkdir(parents=True, exist_ok=True)
        try:
            self._lock.acquire(timeout=0)
        except Timeout:
            return False
        return True

    def free(self) -> None:
        """Give it back."""
        self._lock.release(force=True)

    def __enter__(self) -> Lock:
        self.path.parent.mkdir(parents=True, exist_ok=True)
        self._lock.acquire()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.free()
