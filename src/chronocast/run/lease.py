"""The lease beside a batch: one run of it at a time, whoever and wherever."""

from __future__ import annotations

import fcntl
import getpass
import os
import socket
from pathlib import Path
from typing import IO

from chronocast.model.errors import ChronocastError


class Leased(ChronocastError):
    """Somebody else is running the batch."""


def take_lease(batch_path: Path) -> IO[str] | None:
    """The lease, to be held open for as long as the run lasts.

    None where the folder can't be written: it can't hold a lease, but its
    batch can still be run.

    Raises:
        Leased: somebody has it; the sentence says who.
    """
    path = batch_path.with_name(f".{batch_path.name}.lease")
    try:
        file = open(path, "a+")  # noqa: SIM115 - held for as long as the run lasts
    except OSError:
        return None
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        file.seek(0)
        holder = file.read(200).strip() or "someone else"
        file.close()
        raise Leased(
            f"{batch_path.name} is being run by {holder}.", "Wait for that run, or stop it."
        ) from None
    file.seek(0)
    file.truncate()
    file.write(f"{getpass.getuser()} on {socket.gethostname()} (process {os.getpid()})\n")
    file.flush()
    return file
