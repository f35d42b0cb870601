"""Room on drives, at the moment it is needed."""

from __future__ import annotations

import shutil
from pathlib import Path

from chronocast.model.errors import ChronocastError
from chronocast.run.outlook import existing_parent

LEAST_FREE = 64 * 1024 * 1024


class NoRoom(ChronocastError):
    """A drive has not enough room for what comes next."""


def free_bytes(folder: Path) -> int:
    """What is free on a folder's drive; 0 if it can't be told."""
    try:
        return shutil.disk_usage(existing_parent(folder)).free
    except OSError:
        return 0


def need_room(folder: Path, size: int) -> None:
    """See that there is room for ``size`` bytes.

    Raises:
        NoRoom: there isn't.
    """
    free = free_bytes(folder)
    if free < size:
        raise NoRoom(
            f"The drive of {folder} has {free / 1e6:.0f} MB free; {size / 1e6:.0f} MB are needed there now.",
            "Free some room, or choose another folder.",
        )
