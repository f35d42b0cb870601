"""The lock of a run's journal: whoever holds it is its runner.

It is taken by who starts a runner and handed down to it as an open file, so
that there is no moment in which the run seems to be nobody's.  That is why
it is a bare ``flock``: those go with the file.
"""

from __future__ import annotations

import fcntl
import os
import time
from pathlib import Path
from typing import IO

TRIES, TRY_SECONDS = 20, 0.05
"""Whoever asks whether a runner lives holds the lock for a moment, too."""


def lock_path(journal: Path) -> Path:
    """The lock file of a journal."""
    return journal.with_suffix(".lock")


def runner_lives(journal: Path) -> bool:
    """Whether a runner holds this journal at this moment."""
    try:
        with open(lock_path(journal)) as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except OSError:
                return True
    except OSError:
        pass
    return False


def taken(lock: IO[str]) -> bool:
    """Whether the lock of an open lock file is ours now."""
    for _ in range(TRIES):
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return True
        except OSError:
            time.sleep(TRY_SECONDS)
    return False


def hold_lock(journal: Path, inherited: int | None) -> IO[str] | None:
    """The runner's lock, to be held for as long as it lives; None if another runner has it.

    Parameters
    ----------
    journal
        The run's.
    inherited
        The open lock file that was handed down, if one was.
    """
    if inherited is not None:
        lock = os.fdopen(inherited, "r+")
    else:
        lock = open(lock_path(journal), "a+")  # noqa: SIM115 - held for as long as the runner lives
        if not taken(lock):
            lock.close()
            return None
    lock.seek(0)
    lock.truncate()
    lock.write(str(os.getpid()))
    lock.flush()
    return lock
