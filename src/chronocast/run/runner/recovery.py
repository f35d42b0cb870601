"""After a runner was killed: adopt what its children had finished, sweep what they had not."""

from __future__ import annotations

import contextlib
import json
import os
from pathlib import Path
from typing import Any

from chronocast.deliver.place import discard
from chronocast.model.errors import ChronocastError
from chronocast.pieces.stock import Stock
from chronocast.preparation.output.output_ready import Prospect

LOOKED_AT = 2**20


def tidy(prospect: Prospect, stock: Stock, child_log: Path, mark: str) -> None:
    """Believe the disk: whole attempts are kept, temporaries of this batch (``mark``) are removed.

    Parameters
    ----------
    prospect
        The batch made ready.
    stock
        Where finished pieces are.
    child_log
        What children say they did.
    mark
        What this batch's temporaries are known by.
    """
    wanted = {piece.name for item in prospect.outputs for piece in item.plan.pieces}
    wanted |= {item.plan.sound.name for item in prospect.outputs if item.plan.sound}
    wanted |= {base.name for item in prospect.outputs for base in item.base_of.values()}
    missing = {name for name in wanted if stock.size(name) is None}
    for done in last_done(child_log, missing):
        temporary = Path(done["target"])
        with contextlib.suppress(ChronocastError, OSError):
            if temporary.is_file() and temporary.stat().st_size == done["result"]["bytes"]:
                stock.keep(temporary, done["name"], done["result"])
    for name in missing:
        for path in stock.path(name).parent.glob(f".{name}.{mark}-*.part*"):
            path.unlink(missing_ok=True)
    stock.sweep()
    for item in prospect.outputs:
        for path in item.path.parent.glob(f".*.{mark}-*.part"):
            if path.name.startswith(f".{item.path.name}."):
                discard(path)


def last_done(child_log: Path, names: set[str]) -> list[dict[str, Any]]:
    """What children said they had finished, of those names, from the end of their own log."""
    if not names:
        return []
    try:
        with open(child_log, "rb") as file:
            file.seek(max(0, os.path.getsize(child_log) - LOOKED_AT))
            lines = file.read().decode(errors="replace").splitlines()
    except OSError:
        return []
    found = []
    for line in lines:
        with contextlib.suppress(ValueError):
            entry = json.loads(line)
            if isinstance(entry, dict) and entry.get("what") == "done" and entry.get("name") in names:
                found.append(entry)
    return found
