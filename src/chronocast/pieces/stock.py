"""The stock: finished pieces and sound, each under the name of what went into it.

``ab/abcdef….mp4`` is the media, ``ab/abcdef….json`` beside it says what was
measured when it was made.  A file with its final name is whole.
"""

from __future__ import annotations

import json
import os
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from chronocast.model.errors import ChronocastError

ENDING = ".mp4"
STALE_SECONDS = 24 * 3600


class StockError(ChronocastError):
    """The stock can't be read or written."""


@dataclass(frozen=True)
class Kept:
    """One thing in the stock."""

    name: str
    path: Path
    bytes: int
    facts: dict[str, Any]


class Stock:
    """A folder of finished pieces."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def path(self, name: str) -> Path:
        """Where a piece of that name lies, or would."""
        return self.folder / name[:2] / (name + ENDING)

    def find(self, name: str) -> Kept | None:
        """The piece, if it is there and whole."""
        path = self.path(name)
        try:
            size = path.stat().st_size
        except OSError:
            return None
        if size == 0:
            return None
        try:
            facts = json.loads(path.with_suffix(".json").read_text())
        except (OSError, ValueError):
            facts = {}
        return Kept(name, path, size, facts if isinstance(facts, dict) else {})

    def size(self, name: str) -> int | None:
        """Bytes of a piece that is there, else None."""
        try:
            return self.path(name).stat().st_size or None
        except OSError:
            return None

    def temporary(self, name: str, attempt: str) -> Path:
        """Where an attempt at a piece is written; only ``keep`` gives it its name.

        Raises
        ------
        StockError
            The folder can't be made.
        """
        path = self.path(name)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise StockError(
                f"The stock in {self.folder} can't be written: {error.strerror}.", "Check its drive."
            ) from error
        return path.with_name(f".{name}.{attempt}.part{ENDING}")

    def keep(self, temporary: Path, name: str, facts: dict[str, Any]) -> Kept:
        """Give a finished attempt its final name.

        Parameters
        ----------
        temporary
            The attempt's file.
        name
            The piece's name.
        facts
            What is known of it.

        Raises
        ------
        StockError
            It is not there, or can't be renamed.
        """
        path = self.path(name)
        try:
            notes = temporary.with_suffix(".json")
            notes.write_text(json.dumps(facts, indent=1) + "\n")
            os.replace(notes, path.with_suffix(".json"))
            os.replace(temporary, path)
            return Kept(name, path, path.stat().st_size, facts)
        except OSError as error:
            raise StockError(
                f"The piece {name[:12]} could not be put into the stock: {error.strerror}.",
                "Check its drive.",
            ) from error

    def discard(self, name: str) -> None:
        """Remove a piece that turned out to be damaged."""
        self.path(name).unlink(missing_ok=True)

    def all(self) -> Iterator[Kept]:
        """Everything in the stock."""
        for path in sorted(self.folder.glob(f"??/*{ENDING}")):
            if not path.name.startswith(".") and (kept := self.find(path.stem)):
                yield kept

    def sweep(self, older_than_seconds: float = STALE_SECONDS) -> int:
        """Remove temporaries nobody is writing any more; how many."""
        count, limit = 0, time.time() - older_than_seconds
        for path in self.folder.glob("??/.*.part*"):
            try:
                if path.stat().st_mtime <= limit:
                    path.unlink()
                    count += 1
            except OSError:
                continue
        return count
