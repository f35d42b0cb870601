"""A process that has loaded what a runner is made of before it is known what is run, so that a run begins at once.

It forks a runner for each run that it is given, and leaves with the process
that began it.  The runners stay.
"""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import subprocess
import sys
from pathlib import Path
from typing import NamedTuple

PATH_BYTES = 8192
LOADING_SECONDS = 20.0
"""A runner that hasn't loaded by then never will."""
RUNNER = "chronocast.run.runner"


class WaitingRunner:
    """A process that waits to be given journals.

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
        try:
            self._line.settimeout(LOADING_SECONDS)
            socket.send_fds(self._line, [os.fsencode(journal)], [lock, log])
            if self._line.recv(PATH_BYTES):
                return True
        except OSError:
            pass
        self.leave()
        self._process.kill()  # or it might take the run after all, beside another
        self._process.wait()
        return False

    @property
    def knows(self) -> bool:
        """Whether it would look for everything in the folders that hold now."""
        return self._places == dict(os.environ)

    def leave(self) -> None:
        """Have it leave: nothing is begun."""
        self._line.close()


_waiting: list[WaitingRunner] = []


def have_a_runner_wait() -> bool:
    """Have a runner load now for the runs that this process begins; False if one waits already, or none can.

    Without one a run begins as well, later.
    """
    if _waiting:
        return False
    with contextlib.suppress(OSError):
        _waiting.append(WaitingRunner())
    return bool(_waiting)


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
    for waiting in [item for item in _waiting if item.knows]:
        if waiting.take(journal, lock, log):
            return True
        _waiting.remove(waiting)
    return False


class Given(NamedTuple):
    """A run that a waiting runner was given: its journal, and the open file of its lock."""

    journal: Path
    lock: int


def wait_for_runs(handle: int) -> Given | None:
    """As a process that waits: fork for each run that comes.  Returns in the fork, which is its runner; None in the end.

    What the runner says goes to the log that came with the run.

    Parameters
    ----------
    handle
        The socket by which runs come.
    """
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody waits for the runners
    with socket.socket(fileno=handle) as line:
        while True:
            try:
                message, handles, _, _ = socket.recv_fds(line, PATH_BYTES, 2)
            except OSError:
                return None
            if not message:
                return None
            lock, log = handles
            if not os.fork():
                signal.signal(signal.SIGCHLD, signal.SIG_DFL)
                os.setsid()
                os.dup2(log, 1)
                os.dup2(log, 2)
                os.close(log)
                line.send(b"taken")
                return Given(Path(os.fsdecode(message)), lock)
            os.close(lock)
            os.close(log)
