"""Carry the run of a journal through, as a process of its own.

``python -m chronocast.run.runner JOURNAL [LOCK]`` does at once what it is told to; ``--wait SOCKET`` loads, and is told
later.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import signal
import sys
from importlib import import_module
from pathlib import Path

from chronocast.crew.local.nursery import nursery
from chronocast.model.garbage import collect_seldom
from chronocast.run.runner_lock import hold_lock
from chronocast.run.waiting import wait_for_run

log = logging.getLogger("chronocast.runner")

STATUS = {"done": 0, "needs you": 1, "stopped": 130, "left": 0}
"""What the process ends with, by the run's outcome."""


async def carry_through(path: Path) -> int:
    """Carry a run through; the status that the process ends with."""
    from chronocast.journal.runs import RunJournal
    from chronocast.model.errors import ChronocastError
    from chronocast.run.runner.own_errors import own_error
    from chronocast.run.runner.runner import Runner

    journal = RunJournal(path)
    runner = Runner(journal)
    loop = asyncio.get_running_loop()
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        loop.add_signal_handler(number, runner.leave)
    try:
        outcome = await runner.run()
    except Exception as error:
        log.exception("the run could not go on")
        sentence = str(error) if isinstance(error, ChronocastError) else own_error(error, "this run")
        journal.append("ended", {"outcome": "needs you", "sentence": sentence})
        return 1
    return STATUS.get(outcome, 1)


def load() -> None:
    """Load what a runner is made of, and fork the nursery of its crew while there are no threads."""
    import_module("chronocast.run.runner.runner")
    with contextlib.suppress(OSError):  # the first attempt says why no process can be started
        nursery().fork()


def main() -> None:
    """Take the journal's lock and carry its run through; nothing is done if another runner has it."""
    collect_seldom()
    handle = int(sys.argv[2]) if len(sys.argv) > 2 else None
    path = Path(sys.argv[1])
    waits = sys.argv[1] == "--wait"
    if waits:
        assert handle is not None
        load()
        try:
            path, handle = wait_for_run(handle)
        except EOFError:
            return
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    lock = hold_lock(path, handle)
    if lock is None:
        log.info("another runner has this journal")
        sys.exit(0)
    if not waits:
        load()
    sys.exit(asyncio.run(carry_through(path)))


if __name__ == "__main__":
    main()
