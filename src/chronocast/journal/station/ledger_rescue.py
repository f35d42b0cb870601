"""A damaged ledger: moved aside, and written anew from the journals of runs."""

from __future__ import annotations

import logging
import time
from pathlib import Path
from typing import Any

from chronocast.forecast.learning.experience import PieceFact
from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.database import JournalError
from chronocast.journal.locks import Lock
from chronocast.journal.station.ledger import Ledger, MadeFile

log = logging.getLogger(__name__)


def rescue_ledger(path: Path, state: Path) -> Ledger:
    """Move a damaged ledger aside and write another from what the journals of all runs say; nothing is deleted.

    Parameters
    ----------
    path
        The ledger's.
    state
        The folder that the runs are in.

    Raises
    ------
    JournalError
        It can't be moved or written.
    """
    with Lock(path.with_suffix(".lock")):
        try:
            return _whole(path)  # another process has seen to it
        except JournalError:
            pass
        aside = path.with_name(f"{path.stem}-damaged-{time.strftime('%Y%m%d-%H%M%S')}{path.suffix}")
        try:
            path.rename(aside)
            for ending in ("-wal", "-shm"):
                Path(f"{path}{ending}").unlink(missing_ok=True)
        except OSError as error:
            raise JournalError(
                f"{path} is damaged and can't be moved aside: {error.strerror}.", "Move it away."
            ) from None
        ledger = Ledger(path)
        count = sum(_take(ledger, journal) for journal in sorted(state.glob("runs/*/*.run")))
        log.warning(
            "the ledger was damaged: it is kept as %s, and %d records were taken from runs", aside, count
        )
        return ledger


def _whole(path: Path) -> Ledger:
    ledger = Ledger(path)
    try:
        ledger.pieces()
    except JournalError:
        ledger.close()
        raise
    return ledger


def _take(ledger: Ledger, path: Path) -> int:
    """What one run's journal says; how many records that were."""
    try:
        journal = RunJournal(path, write=False)
        records = journal.records()
        journal.close()
    except JournalError:
        log.warning("%s can't be read", path)
        return 0
    count = 0
    for record in records:
        body: dict[str, Any] = record.body
        try:
            if record.kind == "finished" and body.get("learned"):
                ledger.add_piece(PieceFact(**body["learned"]))
            elif record.kind == "made" and body.get("kept"):
                ledger.add_made(str(body["path"]), MadeFile(**body["kept"]))
            else:
                continue
        except TypeError:  # of another version
            continue
        count += 1
    return count
