"""The nursery: a process that has loaded all that an encoder child needs, and forks one in a moment.

It serves the process that began it, one request a message, and leaves when
that process does.  It does nothing else and has one thread only, so what it
forks is whole.  Whoever has no threads either can fork it; else it is
``python -m chronocast.crew.local.nursery SOCKET``.
"""

from __future__ import annotations

import contextlib
import gc
import json
import os
import selectors
import signal
import socket
import subprocess
import sys
import threading
from functools import cache
from importlib import import_module
from pathlib import Path
from typing import Any, NamedTuple

MESSAGE_BYTES = 65536
STREAM, ERRORS, STATUS = range(3)
"""What goes with a request, by place: both ways of a child, what it complains to, where its end is told."""


class Born(NamedTuple):
    """A child: its process, the socket that is its standard input and output, the one that tells its status."""

    pid: int
    stream: socket.socket
    status: socket.socket


class Nursery:
    """A nursery of this process's own; begun when it is first asked, unless it was forked before."""

    def __init__(self) -> None:
        self._one_by_one = threading.Lock()
        self._line: socket.socket | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._forked = 0

    def fork(self) -> None:
        """Fork it off this process, which has no threads: what is loaded here needn't be loaded there.

        Raises
        ------
        OSError
            No process can be started.
        """
        load()
        line, its = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        try:
            self._forked = os.fork()
        except OSError:
            line.close()
            its.close()
            raise
        if not self._forked:
            try:
                _close_all_but(its.fileno())
                serve(its)
            finally:
                os._exit(0)
        its.close()
        self._line = line

    def bear(self, order: dict[str, Any], said: Path) -> Born:
        """Have it fork a child; this waits until it has loaded.

        Parameters
        ----------
        order
            ``log``: the file that it writes what it does to; or ``command``: what is run in its stead.
        said
            The file for what it says on standard error.

        Raises
        ------
        OSError
            None can be started.
        """
        with self._one_by_one:
            for last in (False, True):
                try:
                    return self._bear(order, said)
                except (EOFError, BrokenPipeError, ConnectionResetError) as error:  # it was killed
                    self._end()
                    if last:
                        raise OSError("its nursery ended unexpectedly") from error
        raise AssertionError

    def _bear(self, order: dict[str, Any], said: Path) -> Born:
        line = self._begun()
        stream, its_stream = socket.socketpair()
        status, its_status = socket.socketpair()
        try:
            with open(said, "wb") as errors, its_stream, its_status:
                handles = [its_stream.fileno(), errors.fileno(), its_status.fileno()]
                socket.send_fds(line, [json.dumps(order).encode()], handles)
                answer = line.recv(MESSAGE_BYTES)
            if not answer:
                raise EOFError
            told = json.loads(answer)
            if "error" in told:
                raise OSError(told["error"])
        except BaseException:
            stream.close()
            status.close()
            raise
        return Born(int(told["pid"]), stream, status)

    def _begun(self) -> socket.socket:
        if self._line is not None:
            return self._line
        line, its = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with its:
            try:
                self._process = subprocess.Popen(
                    [sys.executable, "-m", "chronocast.crew.local.nursery", str(its.fileno())],
                    stdin=subprocess.DEVNULL,
                    stdout=subprocess.DEVNULL,
                    pass_fds=[its.fileno()],
                )
            except OSError:
                line.close()
                raise
        self._line = line
        return line

    def _end(self) -> None:
        if self._line is not None:
            self._line.close()
            self._line = None
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            self._process = None
        if self._forked:
            with contextlib.suppress(OSError):
                os.kill(self._forked, signal.SIGKILL)
                os.waitpid(self._forked, 0)
            self._forked = 0


@cache
def nursery() -> Nursery:
    """This process's nursery."""
    return Nursery()


def _close_all_but(kept: int = 2) -> None:
    """Close every open file above the standard ones but one: a lock that stays open stays taken."""
    most = max((int(name) for name in os.listdir("/proc/self/fd")), default=2)
    os.closerange(3, kept)
    os.closerange(max(3, kept + 1), most + 1)


class _Forking:
    """The nursery's own side."""

    def __init__(self, line: socket.socket) -> None:
        self._line = line
        self._statuses: dict[int, int] = {}
        self._woken, self._waking = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
        signal.signal(signal.SIGCHLD, lambda *_: None)
        signal.set_wakeup_fd(self._waking)

    def serve(self) -> None:
        """Fork children and tell their ends, until nobody asks any more; they leave with this process."""
        with selectors.DefaultSelector() as events:
            events.register(self._line, selectors.EVENT_READ)
            events.register(self._woken, selectors.EVENT_READ)
            while True:
                for key, _ in events.select():
                    if key.fileobj is self._line:
                        if not self._take():
                            return
                    else:
                        self._reap()

    def _take(self) -> bool:
        """Carry out a request; False if nobody asks any more."""
        try:
            message, handles, _, _ = socket.recv_fds(self._line, MESSAGE_BYTES, 3)
        except ConnectionResetError:
            return False
        if not message:
            return False
        try:
            pid = os.fork()
        except OSError as error:
            self._line.send(json.dumps({"error": f"{error.strerror}"}).encode())
            os.close(handles[STATUS])
        else:
            if not pid:
                self._become(json.loads(message), handles)
            with contextlib.suppress(OSError):
                os.setpgid(pid, pid)  # as it does itself: whoever is first
            self._statuses[pid] = handles[STATUS]
            self._line.send(json.dumps({"pid": pid}).encode())
        os.close(handles[STREAM])
        os.close(handles[ERRORS])
        return True

    def _become(self, order: dict[str, Any], handles: list[int]) -> None:
        """In a new process: be a child."""
        code = 1
        try:
            parent = os.getppid()
            os.setpgid(0, 0)  # it is frozen and stopped with all that it begins
            signal.set_wakeup_fd(-1)
            signal.signal(signal.SIGCHLD, signal.SIG_DFL)
            for place, handle in ((STREAM, 0), (STREAM, 1), (ERRORS, 2)):
                os.dup2(handles[place], handle)
            _close_all_but()
            if command := order.get("command"):
                os.execvp(command[0], command)
            from chronocast.crew.local.child import serve

            serve(parent, Path(order["log"]) if order.get("log") else None)
            code = 0
        except BaseException:
            import traceback

            os.write(2, traceback.format_exc().encode())
        finally:
            with contextlib.suppress(BaseException):
                sys.stdout.flush()
            os._exit(code)

    def _reap(self) -> None:
        """Tell the end of every child that has ended: its status, as the system says it."""
        with contextlib.suppress(BlockingIOError):
            os.read(self._woken, 4096)
        while self._statuses:
            try:
                pid, status = os.waitpid(-1, os.WNOHANG)
            except ChildProcessError:
                return
            if not pid:
                return
            handle = self._statuses.pop(pid)
            with contextlib.suppress(OSError):
                os.write(handle, str(os.waitstatus_to_exitcode(status)).encode())
            os.close(handle)


def load() -> None:
    """Load all that a child needs."""
    for name in ("chronocast.crew.local.child", "chronocast.crew.local.work"):
        import_module(name)


def serve(line: socket.socket) -> None:
    """Fork what is asked for, until nobody asks any more."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    gc.freeze()  # what is loaded stays: children share it as it lies in memory
    _Forking(line).serve()


def main() -> None:
    """Load, then fork what is asked for."""
    from chronocast.model.garbage import collect_seldom

    collect_seldom()
    load()
    serve(socket.socket(fileno=int(sys.argv[1])))


if __name__ == "__main__":
    main()
