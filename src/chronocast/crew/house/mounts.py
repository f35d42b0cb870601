"""How fast a shared folder is from here: a file written, flushed, and read back without what the system keeps of it."""

from __future__ import annotations

import logging
import os
import time
from contextlib import suppress
from pathlib import Path

from chronocast.model.house import MountSpeed, Root
from chronocast.model.paths import real_path

log = logging.getLogger("chronocast.station")

CHUNK = 4 * 2**20
MOST_BYTES, MOST_SECONDS = 64 * 2**20, 3.0
"""No more is written, and no longer, each way."""
ROOM = 10 * MOST_BYTES
"""With less room than that nothing is tried."""
NAME = ".chronocast speed {}.part"


def measure_mount(root: Root) -> MountSpeed | None:
    """How fast a shared folder is; None where it can't be tried: no room, no permission.

    Parameters
    ----------
    root
        The folder.
    """
    path = Path(real_path(root.path)) / NAME.format(os.getpid())
    try:
        found = os.statvfs(path.parent)
        if found.f_bavail * found.f_frsize < ROOM:
            return None
        try:
            written, wrote = _write(path)
            read, took = _read(path)
        finally:
            with suppress(OSError):
                path.unlink()
    except OSError as error:
        log.info("the speed of %s can't be measured: %s", root.path, error)
        return None
    if not read:  # somebody else emptied it meanwhile
        return None
    return MountSpeed(read=read / took, write=written / wrote)


def _write(path: Path) -> tuple[int, float]:
    """Bytes written and flushed, and the seconds that took."""
    chunk, count, begin = os.urandom(CHUNK), 0, time.monotonic()  # a drive that packs its data is not fooled
    with open(path, "wb", buffering=0) as file:
        while count < MOST_BYTES and time.monotonic() - begin < MOST_SECONDS:
            file.write(chunk)
            os.fsync(file.fileno())
            count += CHUNK
    return count, max(1e-6, time.monotonic() - begin)


def _read(path: Path) -> tuple[int, float]:
    """Bytes read, and the seconds that took."""
    count = 0
    with open(path, "rb", buffering=0) as file:
        os.posix_fadvise(file.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)
        begin = time.monotonic()
        while chunk := file.read(CHUNK):
            count += len(chunk)
            if time.monotonic() - begin > MOST_SECONDS:
                break
        return count, max(1e-6, time.monotonic() - begin)
