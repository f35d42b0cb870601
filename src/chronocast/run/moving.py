"""A batch's file moved or placed elsewhere; what it names stays where it is, and its runs go with it."""

from __future__ import annotations

import contextlib
from pathlib import Path

from chronocast.journal.batches.runs import RunJournal, runs_folder
from chronocast.journal.documents import save_batch
from chronocast.journal.places import state_folder
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.moving import as_from
from chronocast.model.errors import ChronocastError
from chronocast.run.client import last_run
from chronocast.run.runner_lock import runner_lives
from chronocast.run.view_kept import read_view


def move_batch(batch: Batch, path: Path, target: Path) -> None:
    """Move a batch's file.

    Parameters
    ----------
    batch
        The batch, as it is to stand there.
    path, target
        Its file, and its new one.

    Raises
    ------
    ChronocastError
        Something is there already, a run of it goes on, or a folder can't be written.
    """
    if target.exists():
        raise ChronocastError(f"{target} is there already and was not touched.", "Choose another name.")
    ended = False
    if (journal := last_run(path)) is not None:
        opened = RunJournal(journal, write=False)
        try:
            view = read_view(opened, runner_lives(journal))
        finally:
            opened.close()
        ended = bool(view.outcome)
        if view.lives and ended:  # it may still write
            raise ChronocastError("A run of this batch is just ending.", "Try again in a moment.")
        if view.lives:
            raise ChronocastError("A run of this batch goes on.", "Stop it, or wait until it has ended.")
    old, new = path.absolute().parent, target.absolute().parent
    try:
        new.mkdir(parents=True, exist_ok=True)
        save_batch(as_from(batch, old, new), target)
        runs = runs_folder(state_folder(), path)  # found by the file's path, so looked for while it is there
        path.unlink(missing_ok=True)
        if ended:
            with contextlib.suppress(OSError):
                runs.rename(runs_folder(state_folder(), target))
    except OSError as error:
        raise ChronocastError(
            f"{path} could not be moved: {error.strerror}.", "Choose another folder."
        ) from error
