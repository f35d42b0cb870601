"""A batch as things stand on this machine: its media, the stock, the ledger, the pace."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from chronocast.journal.facts import FactsStore
from chronocast.journal.places import data_folder
from chronocast.model.batch import Batch
from chronocast.model.errors import ChronocastError
from chronocast.pieces.stock import Stock
from chronocast.run.local import machine_slots
from chronocast.run.outlook import Experience, Outlook, experience, outlook
from chronocast.run.pace import load_pace
from chronocast.run.prepare import OutputReady, Prospect, prepare

if TYPE_CHECKING:
    from chronocast.journal.ledger import Ledger


def prepared(batch: Batch, path: Path, progress: Callable[[int, int], None] | None = None) -> Prospect:
    """The batch made ready, with facts kept in the data folder."""
    return prepare(batch, path.absolute().parent, FactsStore(data_folder() / "facts"), progress)


def made_record(item: OutputReady, ledger: Ledger) -> dict[str, Any]:
    """The ledger's record of the very same file, if it is where it was and unchanged since it was proved."""
    try:
        status = item.path.stat()
    except OSError:
        return {}
    row = ledger.made(str(item.path))
    if not row or (row["digest"], row["bytes"], row["mtime_ns"]) != (
        item.digest,
        status.st_size,
        status.st_mtime_ns,
    ):
        return {}
    return row


def what_is_made(outputs: list[OutputReady]) -> dict[str, int]:
    """Bytes of the outputs that are made already."""
    present = [item for item in outputs if item.path.exists()]
    if not present:
        return {}
    from chronocast.journal.ledger import Ledger

    found: dict[str, int] = {}
    with contextlib.suppress(ChronocastError):
        ledger = Ledger(data_folder() / "ledger.sqlite")
        found = {item.output.id: row["bytes"] for item in present if (row := made_record(item, ledger))}
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
