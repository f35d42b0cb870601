"""How every command answers: documents, complaints, exit codes; and how it gets at a batch."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated, Any, NoReturn

import typer

from chronocast.model.errors import ChronocastError

BatchPath = Annotated[Path, typer.Argument(help="A batch file, NAME.batch.json.", metavar="BATCH")]
Json = Annotated[
    bool, typer.Option("--json", help="Answer as JSON, and with nothing else, on standard output.")
]

NEEDS_YOU, WRONG_USE, STOPPED = 1, 2, 130


def put(value: Any) -> None:
    """One JSON document on standard output."""
    sys.stdout.write(json.dumps(value, indent=1, ensure_ascii=False) + "\n")


def complain(error: ChronocastError | str, code: int) -> NoReturn:
    """Say what is wrong on standard error, and leave."""
    sys.stderr.write(f"{error}\n")
    raise typer.Exit(code)


def load(path: Path) -> Any:
    """A batch from its file, or out with a sentence."""
    from chronocast.journal.documents import load_batch

    try:
        return load_batch(path)
    except ChronocastError as error:
        complain(error, WRONG_USE)
