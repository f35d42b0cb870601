"""How the faces begin, find and speak to runs.  They never touch what a runner owns."""

from __future__ import annotations

import contextlib
import fcntl
import os
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

from chronocast.journal.places import state_folder
from chronocast.model.batch import Batch
from chronocast.model.errors import ChronocastError


class RunError(ChronocastError):
    """A run that can't be begun, found or spoken to."""


def runner_lives(journal: Path) -> bool:
    """Whether a runner holds this journal at this moment."""
    try:
        with open(journal.with_suffix(".lock")) as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except OSError:
                return True
    except OSError:
        pass
    return False


def start_runner(journal: Path) -> None:
    """Start a detached runner on a journal; it outlives us."""
    logs = state_folder() / "logs"
    try:
        logs.mkdir(parents=True, exist_ok=True)
        with open(logs / f"{journal.parent.name}-{journal.stem}.log", "ab") as log:
            subprocess.Popen(
                [sys.executable, "-m", "chronocast.run.runner", str(journal)],
                stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True, cwd="/",
            )  # fmt: skip
    except OSError as error:
        raise RunError(
            f"The runner could not be started: {error.strerror}.", "Check the state folder."
        ) from None


def last_run(batch_path: Path) -> Path | None:
    """The newest run of a batch, whether it goes on or has ended."""
    from chronocast.journal.runs import latest_run

    return latest_run(state_folder(), batch_path)


def begin_run(batch: Batch, batch_path: Path, options: dict[str, Any] | None = None) -> Path:
    """Begin a run of a batch on a snapshot of it, or take up the one that was left in the middle.

    Returns the journal.  Finished pieces are in the stock either way.

    Raises:
        RunError: there is nothing to run, or it is running already.
        JournalError: the journal can't be written.
    """
    from chronocast.journal.runs import RunJournal, new_run_path

    if not batch.outputs:
        raise RunError("This batch asks for no outputs yet.", "Fill a cell of the grid first.")
    before = last_run(batch_path)
    snapshot = batch.model_dump(mode="json")
    options = options or {}
    if before is not None:
        if runner_lives(before):
            raise RunError(f"{batch_path.name} is being run already.", "Follow it, or stop it first.")
        with contextlib.suppress(ChronocastError):
            old = RunJournal(before)
            records = old.records()
            begin = next((record for record in records if record.kind == "begin"), None)
            ended = any(record.kind == "ended" for record in records)
            same = begin is not None and begin.body["batch"] == snapshot and begin.body["options"] == options
            if begin is not None and not ended and same:
                old.close()
                start_runner(before)
                return before
            if not ended:
                old.append(
                    "ended", {"outcome": "stopped", "sentence": "A new run of the batch took its place."}
                )
            old.close()
    path = new_run_path(state_folder(), batch_path)
    unborn = path.with_suffix(".new")  # nobody finds it until it is whole
    journal = RunJournal(unborn)
    journal.append(
        "begin",
        {"batch": snapshot, "path": str(batch_path.resolve()), "options": options, "pid": os.getpid()},
    )
    journal.close()
    os.replace(unborn, path)
    start_runner(path)
    return path


def ask(
    journal: Path, kind: str, body: dict[str, Any] | None = None, wait_seconds: float = 5.0
) -> tuple[bool, str]:
    """Ask a runner for something; whether it was accepted, and the sentence if not.

    Raises:
        RunError: nobody answered.
    """
    from chronocast.journal.runs import RunJournal

    if not runner_lives(journal):
        raise RunError("That run is not going on.", "Begin it again.")
    opened = RunJournal(journal)
    try:
        number = opened.ask(kind, body)
        until = time.monotonic() + wait_seconds
        while time.monotonic() < until:
            if (answer := opened.answered(number)) is not None:
                return answer
            if not runner_lives(journal):
                return True, ""
            time.sleep(0.03)
    finally:
        opened.close()
    raise RunError("The runner did not answer in time.", "Its log says more; the request stands.")
