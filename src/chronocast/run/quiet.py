"""A batch run from beginning to end without anybody looking on: told how far it is, stopped at a word."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from chronocast.journal.batches.runs import RunJournal
from chronocast.model.batch.batch import Batch
from chronocast.run.client import begin_run, last_run, stop_run
from chronocast.run.runner_lock import runner_lives
from chronocast.run.view import RunView

SILENT_SECONDS = 10.0
"""A run whose runner is gone for so long is over."""


def run_quietly(
    batch: Batch,
    path: Path,
    progress: Callable[[RunView], None] = lambda _: None,
    stopped: Callable[[], bool] = lambda: False,
) -> RunView:
    """Run a batch, or follow the run it has, until it ends; how it ended.

    Parameters
    ----------
    batch
        The batch.
    path
        Its file.
    progress
        Told every half second how it is.
    stopped
        Asked as often whether to stop it.

    Raises
    ------
    RunError
        It can't be begun.
    """
    before = last_run(path)
    journal = before if before is not None and runner_lives(before) else begin_run(batch, path)
    view, seen, asked = RunView(), time.monotonic(), False
    with RunJournal(journal) as opened:
        while not view.outcome:
            lives = runner_lives(journal)
            view.fold(opened.records(view.last)).see(opened.now(), lives)
            seen = time.monotonic() if lives else seen
            if time.monotonic() - seen > SILENT_SECONDS:
                break
            if stopped() and not asked:
                asked = True
                stop_run(journal)
                continue
            progress(view)
            time.sleep(0.5)
    return view
