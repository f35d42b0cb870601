"""Runners for tests: forked in a moment from a process that was loaded before there were threads.

In use a run waits for a runner to load, or has one that has loaded already;
tests begin hundreds of runs, each in folders of its own, and loading takes
seconds.  All else about a run is as it is in use.
"""

from __future__ import annotations

import json
import os
import signal
import socket
import sys
import tempfile
import traceback
from pathlib import Path

from chronocast.run import client
from chronocast.run.runner import __main__ as runner

MESSAGE_BYTES = 1 << 17


def bear_runners() -> None:
    """From now on have the runs that this process begins carried through by runners that are forked."""
    line, its = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
    for end in (line, its):
        end.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, 2 * MESSAGE_BYTES)
    if not os.fork():
        line.close()
        try:
            _serve(its)
        finally:
            os._exit(0)
    its.close()

    def given(journal: Path, lock: int, log: int) -> bool:
        told = json.dumps({"journal": str(journal), "places": dict(os.environ)})
        socket.send_fds(line, [told.encode()], [lock, log])
        return bool(line.recv(8))

    client.given = given


def _serve(line: socket.socket) -> None:
    """Fork a runner for each run that comes, until nobody sends any more."""
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    while True:
        message, handles, _, _ = socket.recv_fds(line, MESSAGE_BYTES, 2)
        if not message:
            return
        if not os.fork():
            line.send(b"taken")
            line.close()
            _become(json.loads(message), *handles)
        for handle in handles:
            os.close(handle)


def _become(told: dict[str, object], lock: int, log: int) -> None:
    """Be the runner of a run, as if it had been started by itself."""
    code = 1
    try:
        signal.signal(signal.SIGCHLD, signal.SIG_DFL)
        os.setsid()
        os.chdir("/")
        os.environ.clear()
        os.environ.update(told["places"])  # type: ignore[call-overload]
        tempfile.tempdir = None
        os.dup2(log, 1)
        os.dup2(log, 2)
        os.close(log)
        sys.argv = ["runner", str(told["journal"]), str(lock)]
        runner.main()
    except SystemExit as error:
        code = int(error.code or 0)
    except BaseException:
        traceback.print_exc()
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)
