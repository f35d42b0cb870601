"""The stock: finished pieces and sound, each under the name of what went into it.

``ab/abcdef….mp4`` is the media, ``ab/abcdef….json`` beside it says what was
measured when it was made.  A file with its final name is whole.
"""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import time
from collections.abc import Hashable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from chronocast.media.files.sums import file_sum, has_sum
from chronocast.model.errors import ChronocastError
from chronocast.model.messages.jobs import pair_beside

ENDING = ".mp4"
STALE_SECONDS = 24 * 3600
SETTLED_NS = 2_000_000_000
"""What changed so lately may change again without its time telling, in nanoseconds."""


class StockError(ChronocastError):
    """The stock can't be read or written."""


@dataclass(frozen=True)
class Kept:
    """One thing in the stock."""

    name: str
    path: Path
    bytes: int
    facts: dict[str, Any]


@dataclass(frozen=True)
class Entry:
    """The record of one thing in the stock.

    Parameters
    ----------
    name
        Of what went into it.
    bytes
        Of its file.
    cpu_seconds
        What making it took.
    made, used
        When it was made, and used last; in seconds since 1970.
    label
        What it is of, in words; "" where that wasn't kept.
    """

    name: str
    bytes: int
    cpu_seconds: float
    made: float
    used: float
    label: str = ""


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
        try:  # asked of every piece of every output: no more than it takes
            return os.stat(f"{self.folder}/{name[:2]}/{name}{ENDING}").st_size or None
        except OSError:
            return None

    def state(self) -> Hashable:
        """What changes whenever a piece comes or goes; no two states are alike while one may just be coming."""
        newest, found = 0, []
        try:
            with os.scandir(self.folder) as entries:
                for entry in entries:
                    changed = entry.stat().st_mtime_ns
                    newest = max(newest, changed)
                    found.append((entry.name, changed))
        except FileNotFoundError:
            return ()  # nothing was ever kept
        except OSError:
            return time.monotonic_ns()
        if time.time_ns() - newest < SETTLED_NS:
            return time.monotonic_ns()
        return tuple(sorted(found))

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
            facts = {**facts, "sum": file_sum(temporary), "made": round(time.time(), 3)}
            notes = temporary.with_suffix(".json")
            notes.write_text(json.dumps(facts, indent=1) + "\n")
            os.replace(notes, path.with_suffix(".json"))
            os.replace(temporary, path)
            Path(pair_beside(str(temporary))).unlink(missing_ok=True)  # whoever wanted it has taken it
            return Kept(name, path, path.stat().st_size, facts)
        except OSError as error:
            raise StockError(
                f"The piece {name[:12]} could not be put into the stock: {error.strerror}.",
                "Check its drive.",
            ) from error

    def discard(self, name: str) -> None:
        """Remove a piece that turned out to be damaged, or isn't worth its room."""
        for path in (self.path(name), self.path(name).with_suffix(".json")):
            path.unlink(missing_ok=True)

    def use(self, name: str) -> None:
        """Remember that a piece was used just now; a stock that can't be written forgets it."""
        with contextlib.suppress(OSError):
            os.utime(self.path(name).with_suffix(".json"))

    def whole(self, name: str) -> bool:
        """Whether a piece is there and its bytes are those that were put in; one without a sum is taken at its size.

        Raises
        ------
        OSError
            It can't be read.
        """
        kept = self.find(name)
        if kept is None or kept.facts.get("bytes") not in (None, kept.bytes):
            return False
        return not kept.facts.get("sum") or has_sum(kept.path, kept.facts["sum"])

    def entries(self) -> Iterator[Entry]:
        """The record of everything in the stock."""
        for kept in self.all():
            with contextlib.suppress(OSError):
                made = kept.path.stat().st_mtime
                notes = kept.path.with_suffix(".json")
                used = notes.stat().st_mtime if notes.exists() else made
                yield Entry(
                    kept.name,
                    kept.bytes,
                    float(kept.facts.get("cpu_seconds") or 0.0),
                    float(kept.facts.get("made") or made),
                    used,
                    str(kept.facts.get("label") or ""),
                )

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
                    shutil.rmtree(path) if path.is_dir() else path.unlink()
                    count += 1
            except OSError:
                continue
        return count
