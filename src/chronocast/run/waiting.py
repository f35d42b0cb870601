"""A runner's process that has loaded before it is known what it runs, so that a run begins at once.

It leaves with the process that began it, unless it was given a run.
"""

from __future__ import annotations

import contextlib
import os
import socket
import subprocess
import sys
from pathlib import Path

PATH_BYTES = 8192
LOADING_SECONDS = 20.0
"""A runner that hasn't loaded by then never will."""
RUNNER = "chronocast.run.runner"


class WaitingRunner:
    """A process that waits to be given a journal.

    Raises
    ------
    OSError
        None can be started.
    """

    def __init__(self) -> None:
        self._line, its = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self._places = dict(os.environ)
        with its:
            try:
                self._process = subprocess.Popen(
                    [sys.executable, "-m", RUNNER, "--wait", str(its.fileno())],
                    stdin=subprocess.DEVNULL,
                    stdout=subprocess.DEVNULL,
                    stderr=subprocess.DEVNULL,
                    start_new_session=True,
                    cwd="/",
                    pass_fds=[its.fileno()],
                )
            except OSError:
                self._line.close()
                raise

    def take(self, journal: Path, lock: int, log: int) -> bool:
        """Give it a run; whether it has it.

        Parameters
        ----------
        journal
            The run's.
        lock
            The journal's lock, taken: an open file.
        log
            Where it says what it does: an open file.
        """
        with self._line:
            if self._places != dict(os.environ):
                return False  # it would look for everything in other folders
            try:
                self._line.settimeout(LOADING_SECONDS)
                socket.send_fds(self._line, [os.fsencode(journal)], [lock, log])
                if self._line.recv(PATH_BYTES):
                    return True
            except OSError:
                pass
            self._process.kill()  # or it might take the run after all, beside another
            self._process.wait()
            return False

    def leave(self) -> None:
        """Have it leave: nothing is begun."""
        self._line.close()


_waiting: list[WaitingRunner] = []


def have_a_runner_wait() -> None:
    """Have a runner load now for the next run that this process begins; without one a run begins as well, later."""
    if not _waiting:
        with contextlib.suppress(OSError):
            _waiting.append(WaitingRunner())


def let_it_leave() -> None:
    """No run will be begun here after all."""
    while _waiting:
        _waiting.pop().leave()


def given(journal: Path, lock: int, log: int) -> bool:
    """Give a run to the runner that waits; False if none does.

    Parameters
    ----------
    journal
        The run's.
    lock
        The journal's lock, taken: an open file.
    log
        Where it says what it does: an open file.
    """
    return bool(_waiting) and _waiting.pop().take(journal, lock, log)


def wait_for_run(handle: int) -> tuple[Path, int]:
    """As a runner that waits: the journal and its lock's open file, when they come.

    What it says goes to the log that comes with them.

    Raises
    ------
    EOFError
        Nobody will give it a run.
    """
    with socket.socket(fileno=handle) as line:
        message, handles, _, _ = socket.recv_fds(line, PATH_BYTES, 2)
        if not message:
            raise EOFError
        lock, log = handles
        os.dup2(log, 1)
        os.dup2(log, 2)
        os.close(log)
        line.send(b"taken")
    return Path(os.fsdecode(message)), lock
