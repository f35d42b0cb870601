"""Carry the run of a journal through, as a process of its own.

``python -m chronocast.run.runner JOURNAL [LOCK]`` does at once what it is told to; ``--wait SOCKET`` loads, and forks a
runner for each run that it is told of.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import signal
import sys
from importlib import import_module
from pathlib import Path

from chronocast.crew.local.nursery import load, nursery
from chronocast.model.garbage import collect_seldom
from chronocast.run.runner_lock import hold_lock
from chronocast.run.waiting import wait_for_runs

log = logging.getLogger("chronocast.runner")

RUNNER_MODULE = "chronocast.run.runner.runner"
STATUS = {"done": 0, "needs you": 1, "stopped": 130, "left": 0}
"""What the process ends with, by the run's outcome."""


async def carry_through(path: Path) -> int:
    """Carry a run through; the status that the process ends with."""
    from chronocast.journal.batches.runs import RunJournal
    from chronocast.model.errors import ChronocastError
    from chronocast.run.runner.helpers import own_error
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


def main() -> None:
    """Take a journal's lock and carry its run through; nothing is done if another runner has it."""
    collect_seldom()
    told, handle = sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else None
    if told == "--wait":
        assert handle is not None
        import_module(RUNNER_MODULE)
        load()
        given = wait_for_runs(handle)
        if given is None:
            return
        path, handle = given
    else:
        path = Path(told)
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    lock = hold_lock(path, handle)
    if lock is None:
        log.info("another runner has this journal")
        sys.exit(0)
    import_module(RUNNER_MODULE)
    with contextlib.suppress(OSError):  # the first attempt says why no process can be started
        nursery().fork()  # while there are no threads
    sys.exit(asyncio.run(carry_through(path)))


if __name__ == "__main__":
    main()
