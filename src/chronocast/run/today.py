"""A batch as things stand on this machine: its media, the stock, the ledger, the pace."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path

from chronocast.journal.facts import FactsStore
from chronocast.journal.places import data_folder
from chronocast.model.batch import Batch
from chronocast.model.errors import ChronocastError
from chronocast.pieces.stock import Stock
from chronocast.run.local import machine_slots
from chronocast.run.outlook import Experience, Outlook, experience, outlook
from chronocast.run.pace import load_pace
from chronocast.run.prepare import OutputReady, Prospect, prepare


def prepared(batch: Batch, path: Path, progress: Callable[[int, int], None] | None = None) -> Prospect:
    """The batch made ready, with facts kept in the data folder."""
    return prepare(batch, path.absolute().parent, FactsStore(data_folder() / "facts"), progress)


def what_is_made(outputs: list[OutputReady]) -> dict[str, int]:
    """Bytes of the outputs that are made already: proved, where they were, and unchanged since."""
    present = [item for item in outputs if item.path.exists()]
    if not present:
        return {}
    from chronocast.journal.ledger import Ledger

    found = {}
    with contextlib.suppress(ChronocastError, OSError):
        ledger = Ledger(data_folder() / "ledger.sqlite")
        for item in present:
            row, status = ledger.made(str(item.path)), item.path.stat()
            if row and (row["digest"], row["bytes"], row["mtime_ns"]) == (
                item.digest,
                status.st_size,
                status.st_mtime_ns,
            ):
                found[item.output.id] = status.st_size
        ledger.close()
    return found


def learned() -> Experience:
    """What the ledger has taught so far."""
    path = data_folder() / "ledger.sqlite"
    if not path.exists():
        return Experience()
    from chronocast.journal.ledger import Ledger

    with contextlib.suppress(ChronocastError):
        ledger = Ledger(path)
        try:
            return experience(ledger.pieces())
        finally:
            ledger.close()
    return Experience()


def outlook_now(prospect: Prospect, experienced: Experience | None = None) -> Outlook:
    """The forecast of a prepared batch at this moment."""
    return outlook(
        prospect, Stock(data_folder() / "stock"), load_pace(), machine_slots(),
        experienced if experienced is not None else learned(), what_is_made(prospect.outputs),
    )  # fmt: skip
