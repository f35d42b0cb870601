"""How every command answers: documents, complaints, exit codes; and how it gets at a batch."""

from __future__ import annotations

import json
import sys
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, NoReturn

import typer

from chronocast.journal.places import config_folder, data_folder, state_folder
from chronocast.model.errors import ChronocastError

if TYPE_CHECKING:
    from chronocast.journal.documents import BatchFile
    from chronocast.journal.workspace import Workspace
    from chronocast.model.batch.batch import Batch

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


_files: dict[Path, BatchFile] = {}
"""Batches this command has read, with the revision it read."""


def load(path: Path) -> Batch:
    """A batch from its file, or out with a sentence."""
    from chronocast.journal.documents import BatchFile

    file = _files[path] = BatchFile(path)
    try:
        return file.load()
    except ChronocastError as error:
        complain(error, WRONG_USE)


def save(batch: Batch, path: Path) -> None:
    """Write a batch that this command has read and edited.

    Raises
    ------
    ChangedOnDisk
        Somebody else wrote it meanwhile; theirs is as it was.
    DocumentError
        It can't be written.
    """
    from chronocast.journal.documents import BatchFile

    (_files.get(path) or BatchFile(path)).save(batch)


@cache
def _workspace(data: Path, state: Path, config: Path) -> Workspace:
    from chronocast.journal.workspace import Workspace

    return Workspace(data, state, config)


def workspace() -> Workspace:
    """The workspace of this command."""
    return _workspace(data_folder(), state_folder(), config_folder())


def know_house(space: Workspace) -> None:
    """Know this machine's house before a forecast counts on it; nothing where it belongs to none.

    Parameters
    ----------
    space
        Where it is kept.
    """
    if (space.house.folder / "house.json").exists():  # its libraries take a second to import
        from chronocast.crew.house.observer import look_if_old

        look_if_old(space)
