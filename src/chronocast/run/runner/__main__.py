"""``python -m chronocast.run.runner JOURNAL [LOCK]``: carry the run of a journal through, as a process of its own."""

from __future__ import annotations

import asyncio
import logging
import signal
import sys
from pathlib import Path

from chronocast.journal.runs import RunJournal
from chronocast.model.errors import ChronocastError
from chronocast.model.garbage import collect_seldom
from chronocast.run.runner.own_errors import own_error
from chronocast.run.runner.runner import Runner
from chronocast.run.runner_lock import hold_lock

log = logging.getLogger("chronocast.runner")

STATUS = {"done": 0, "needs you": 1, "stopped": 130, "left": 0}
"""What the process ends with, by the run's outcome."""


async def carry_through(path: Path) -> int:
    """Carry a run through; the status that the process ends with."""
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
    """Take the journal's lock and carry its run through; nothing is done if another runner has it."""
    collect_seldom()
    path = Path(sys.argv[1])
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    lock = hold_lock(path, int(sys.argv[2]) if len(sys.argv) > 2 else None)
    if lock is None:
        log.info("another runner has this journal")
        sys.exit(0)
    sys.exit(asyncio.run(carry_through(path)))


if __name__ == "__main__":
    main()
