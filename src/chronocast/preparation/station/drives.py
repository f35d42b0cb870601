"""Room on drives, at the moment it is needed."""

from __future__ import annotations

import contextlib
import os
import shutil
import threading
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

from chronocast.forecast.band import Band
from chronocast.forecast.room import Room, reserve_on
from chronocast.journal.settings import load_settings
from chronocast.model.errors import ChronocastError
from chronocast.model.show import size_text

PIECE_BYTES = 16_000_000
"""What must be free in the stock before a piece is begun: pieces are seldom larger, and the next one is looked at anew."""


class NoRoom(ChronocastError):
    """A drive has not enough room for what comes next."""


def existing_parent(path: Path) -> Path:
    """The nearest folder at or above a path that is there."""
    while not path.exists() and path != path.parent:
        path = path.parent
    return path


def drive_of(folder: Path) -> str:
    """Where a folder's drive is mounted; the folder need not be there yet."""
    there = existing_parent(folder.absolute())
    while not os.path.ismount(there) and there != there.parent:
        there = there.parent
    return str(there)


def free_bytes(folder: Path) -> int:
    """What is free on a folder's drive; 0 if it can't be told."""
    try:
        return shutil.disk_usage(existing_parent(folder)).free
    except OSError:
        return 0


def room_on(folder: Path, needs: Band, purpose: str = "", reserve: bool = True) -> Room:
    """The room on a folder's drive as it is now; that it can be written is tried, not asked.

    Parameters
    ----------
    folder
        Where bytes will be written; it need not be there yet.
    needs
        Bytes that are needed there.
    purpose
        What for, in a few words.
    reserve
        Whether what is left free on purpose is left free.
    """
    there = existing_parent(folder)
    try:
        usage = shutil.disk_usage(there)
    except OSError as error:
        return Room(str(folder), 0, needs, purpose, writable=False, why_not=error.strerror or "it is gone")
    kept = reserve_on(usage.total, load_settings().reserve_bytes) if reserve else 0
    why_not = _why_not_writable(there)
    return Room(str(folder), usage.free, needs, purpose, kept, not why_not, why_not)


def _why_not_writable(folder: Path) -> str:
    # each thread its own: forecasts and a run that begins look at once
    trial = folder / f".chronocast-trial-{os.getpid()}-{threading.get_ident()}.part"
    try:
        trial.touch()
        trial.unlink(missing_ok=True)
    except OSError as error:
        return error.strerror or "it can't be written"
    return ""


class DriveRoom(NamedTuple):
    """Another drive: where it is mounted, and bytes that are free on it."""

    folder: str
    free: int


def roomiest_drive(other_than: Path, least: float) -> DriveRoom | None:
    """The drive with the most room besides a folder's own, if one has so many bytes and can be written.

    Parameters
    ----------
    other_than
        The folder.
    least
        Bytes.
    """
    import psutil

    found = []
    with contextlib.suppress(OSError):
        mine = os.stat(existing_parent(other_than)).st_dev
        for part in psutil.disk_partitions():
            with contextlib.suppress(OSError):
                if os.stat(part.mountpoint).st_dev != mine and os.access(part.mountpoint, os.W_OK):
                    found.append(DriveRoom(part.mountpoint, shutil.disk_usage(part.mountpoint).free))
    roomiest = max(found, key=lambda drive: drive.free, default=None)
    return roomiest if roomiest is not None and roomiest.free > least else None


def looked_at_anew(room: Room, reserve: bool = True) -> Room:
    """A room as it is at this moment."""
    now = room_on(Path(room.drive), room.needs, room.purpose, reserve)
    return replace(now, drive=room.drive, runs_out=room.runs_out, remedies=room.remedies)


def need_room(folder: Path, size: int, reserve: bool = True) -> None:
    """See that there is room for ``size`` bytes.

    Parameters
    ----------
    folder
        Where they are to be written.
    size
        Bytes.
    reserve
        Whether what is left free on purpose is left free.

    Raises
    ------
    NoRoom
        There isn't.
    """
    room = room_on(folder, Band(size, size, size), reserve=reserve)
    if not room.writable:
        return  # that is said by who tries to write there
    if size > room.usable:
        kept = f", of which {size_text(room.reserve)} are left free on purpose" if room.reserve else ""
        raise NoRoom(
            f"{size_text(size)} are needed now, {size_text(room.free)} are free{kept} on the drive of {folder}.",
            "Free some room, or choose another folder."
            if not room.reserve
            else "Free some room, choose another folder, or leave less free on purpose.",
        )
