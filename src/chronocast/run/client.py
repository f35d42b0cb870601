"""How the faces begin, find and speak to runs.  They never touch what a runner owns."""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

from chronocast.journal.locks import Lock
from chronocast.journal.places import state_folder
from chronocast.model.errors import ChronocastError
from chronocast.run.lease import Leased, take_lease
from chronocast.run.runner_lock import lock_path, runner_lives, taken
from chronocast.run.waiting import RUNNER, given

if TYPE_CHECKING:
    from chronocast.journal.batches.runs import RequestAnswer
    from chronocast.journal.station.house import HouseStore
    from chronocast.model.batch.batch import Batch


class RunError(ChronocastError):
    """A run that can't be begun, found or spoken to."""


def with_house(kept: HouseStore, hub: str = "", alone: bool = False) -> dict[str, Any]:
    """The option of a run by which a house helps; none where there is no house, or it isn't wanted.

    Parameters
    ----------
    kept
        How this machine belongs to one.
    hub
        Another hub's address.
    alone
        Whether this machine does it alone.
    """
    if alone:
        return {}
    with contextlib.suppress(ChronocastError):
        hub = hub or kept.belonging().hub
    return {"hub": hub} if hub else {}


def start_runner(journal: Path) -> None:
    """Start a detached runner on a journal; it outlives us.

    The runner's lock is taken here and handed down, so that the run is
    somebody's from this moment on and nobody else can begin it meanwhile.

    Raises
    ------
    RunError
        It has a runner already, or none can be started.
    """
    logs = state_folder() / "logs"
    try:
        logs.mkdir(parents=True, exist_ok=True)
        with (
            open(lock_path(journal), "a+") as lock,
            open(logs / f"{journal.parent.name}-{journal.stem}.log", "ab") as log,
        ):
            if not taken(lock):
                raise RunError("This run has a runner already.", "Follow it, or stop it first.")
            if given(journal, lock.fileno(), log.fileno()):
                return
            subprocess.Popen(
                [sys.executable, "-m", RUNNER, str(journal), str(lock.fileno())],
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
                cwd="/",
                pass_fds=[lock.fileno()],
            )
    except OSError as error:
        raise RunError(
            f"The runner could not be started: {error.strerror}.", "Check the state folder."
        ) from None


def last_run(batch_path: Path) -> Path | None:
    """The newest run of a batch, whether it goes on or has ended."""
    from chronocast.journal.batches.runs import latest_run

    return latest_run(state_folder(), batch_path)


def begin_run(batch: Batch, batch_path: Path, options: dict[str, Any] | None = None) -> Path:
    """Begin a run of a batch on a snapshot of it, or take up the one that was left in the middle.

    Returns the journal.  Finished pieces are in the stock either way.

    Parameters
    ----------
    batch
        The batch.
    batch_path
        The batch's file.
    options
        How it is run, by the names of a run's options.

    Raises
    ------
    RunError
        There is nothing to run, or it is running already.
    JournalError
        The journal can't be written.
    """
    from chronocast.journal.batches.runs import runs_folder

    if not batch.outputs:
        raise RunError("This batch asks for no outputs yet.", "Fill a cell of the grid first.")
    folder = runs_folder(state_folder(), batch_path)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with Lock(folder / ".beginning"):  # two that begin at once do so one after the other
            return _begin(batch, batch_path, options or {})
    except OSError as error:
        raise RunError(f"The run could not be begun: {error.strerror}.", f"Check {folder}.") from None


def _begin(batch: Batch, batch_path: Path, options: dict[str, Any]) -> Path:
    from chronocast.journal.batches.runs import RunJournal, new_run_path
    from chronocast.journal.database import JournalError

    before = last_run(batch_path)
    snapshot = batch.model_dump(mode="json")
    if before is not None:
        if runner_lives(before):
            raise RunError(f"{batch_path.name} is being run already.", "Follow it, or stop it first.")
        with contextlib.suppress(JournalError):
            old = RunJournal(before)
            try:
                records = old.records()
                begin = next((record for record in records if record.kind == "begin"), None)
                ended = any(record.kind == "ended" for record in records)
                same = (
                    begin is not None and begin.body["batch"] == snapshot and begin.body["options"] == options
                )
                if begin is not None and not ended and same:
                    start_runner(before)
                    return before
                see_free(batch_path)
                if not ended:
                    old.append(
                        "ended", {"outcome": "stopped", "sentence": "A new run of the batch took its place."}
                    )
            finally:
                old.close()
    see_free(batch_path)
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


def see_free(batch_path: Path) -> None:
    """See that nobody else, on this machine or another, is running the batch.

    Raises
    ------
    RunError
        Somebody is; the sentence says who.
    """
    try:
        lease = take_lease(batch_path)
    except Leased as error:
        raise RunError(error.sentence, error.remedy) from None
    if lease is not None:
        lease.free()


def ask(
    journal: Path, kind: str, body: dict[str, Any] | None = None, wait_seconds: float = 5.0
) -> RequestAnswer:
    """Ask a runner for something; whether it was accepted, and the sentence if not.

    Parameters
    ----------
    journal
        The run's.
    kind
        What is asked for.
    body
        What goes with it, as JSON.
    wait_seconds
        How long an answer is waited for.

    Raises
    ------
    RunError
        Nobody answered.
    """
    from chronocast.journal.batches.runs import RunJournal

    if not runner_lives(journal):
        raise RunError("That run is not going on.", "Begin it again.")
    with RunJournal(journal) as opened:
        number = opened.ask(kind, body)
        until = time.monotonic() + wait_seconds
        while time.monotonic() < until:
            if (answer := opened.answered(number)) is not None:
                return answer
            if not runner_lives(journal):
                if (answer := opened.answered(number)) is not None:
                    return answer
                opened.answer(number, False, GONE)
                raise RunError(GONE, "Go on with the run, or begin anew.")
            time.sleep(0.03)
    raise RunError("The runner did not answer in time.", "Its log says more; the request stands.")


GONE = "The runner went away before it answered; nothing was changed."
STOP_SECONDS = 15.0
"""How long a runner may take to bring a run to rest before it is ended."""


def stop_run(journal: Path, wait_seconds: float = STOP_SECONDS) -> str:
    """Stop a whole run for certain: ask its runner, and end it if it doesn't come to rest.

    Returns a sentence on how it went.  When this returns, no runner is left
    and the journal says that the run has ended.

    Raises
    ------
    RunError
        There is no such run, or its runner can't be ended from here.
    """
    from chronocast.journal.batches.runs import RunJournal

    with RunJournal(journal) as opened:
        if any(record.kind == "ended" for record in opened.records()):
            raise RunError("That run has ended already.")
        if runner_lives(journal):
            number = opened.ask("stop")
            until = time.monotonic() + wait_seconds
            while runner_lives(journal) and time.monotonic() < until:
                time.sleep(0.05)
            if runner_lives(journal):
                _end_runner(journal)
                opened.answer(number, True, "")
        if any(record.kind == "ended" for record in opened.records()):
            return "Stopped."
        opened.append("ended", {"outcome": "stopped", "sentence": ENDED})
        return f"Stopped. {ENDED}"


ENDED = "Its runner did not come to rest by itself; what is finished is kept."


def _end_runner(journal: Path) -> None:
    """End a runner that doesn't answer: asked by signal, then killed.  Its children go with it.

    Raises
    ------
    RunError
        It can't be ended from here.
    """
    import psutil

    try:
        pid = int(lock_path(journal).read_text())
        process = psutil.Process(pid)
        if str(lock_path(journal).resolve()) not in [file.path for file in process.open_files()]:
            raise RunError("The runner can't be found on this machine.", "Stop it where it runs.")
        process.terminate()
        try:
            process.wait(3)
        except psutil.TimeoutExpired:
            process.kill()
            process.wait(5)
    except psutil.NoSuchProcess:
        pass
    except (OSError, ValueError, psutil.Error) as error:
        raise RunError(
            f"The runner could not be ended: {error}.", "End its process by hand, or restart the machine."
        ) from None
    until = time.monotonic() + 2
    while runner_lives(journal) and time.monotonic() < until:
        time.sleep(0.05)
