"""The lease beside a batch: one run of it at a time, whoever and wherever."""

from __future__ import annotations

import contextlib
import getpass
import os
import socket
from pathlib import Path

from chronocast.journal.locks import Lock
from chronocast.model.errors import ChronocastError

NAME_AT_MOST = 200
"""So much of a holder's name is read."""


class Leased(ChronocastError):
    """Somebody else is running the batch."""


def take_lease(batch_path: Path) -> Lock | None:
    """The lease, to be held for as long as the run lasts.

    None where the folder can't be written: it can't hold a lease, but its
    batch can still be run.

    Raises
    ------
    Leased
        Somebody has it; the sentence says who.
    """
    path = batch_path.with_name(f".{batch_path.name}.lease")
    lease = Lock(path)
    try:
        free = lease.take()
    except OSError:
        return None
    if not free:
        holder = ""
        with contextlib.suppress(OSError):
            holder = path.read_text(errors="replace")[:NAME_AT_MOST].strip()
        raise Leased(
            f"{batch_path.name} is being run by {holder or 'someone else'}.", "Wait for that run, or stop it."
        )
    with contextlib.suppress(OSError):
        path.write_text(f"{getpass.getuser()} on {socket.gethostname()} (process {os.getpid()})\n")
    return lease
