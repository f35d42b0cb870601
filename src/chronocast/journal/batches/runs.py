"""A run's journal: what happened, what is asked, what is going on now.

*record* is append-only and is the run's truth.  *request* is where anyone
leaves a wish for the runner.  *now* is overwritten several times a second.
*folded* is what the records up to one come to, so that a long run is seen at
once; nothing is in it that isn't in the records.
"""

from __future__ import annotations

import json
import os
import threading
import time
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple, Self

from pydantic_core import from_json
from sqlalchemy import (
    Column,
    Float,
    Integer,
    MetaData,
    String,
    Table,
    Text,
    func,
    insert,
    inspect,
    select,
    update,
)
from sqlalchemy.dialects.sqlite import insert as upsert

from chronocast.journal.batches.batch_key import batch_key
from chronocast.journal.database import connected, open_database
from chronocast.model.paths import FileMark

ALIVE_SECONDS = 3.0

_tables = MetaData()
_record = Table(
    "record",
    _tables,
    Column("seq", Integer, primary_key=True),
    Column("time", Float, nullable=False),
    Column("kind", String, nullable=False),
    Column("body", Text, nullable=False),
)
_request = Table(
    "request",
    _tables,
    Column("id", Integer, primary_key=True),
    Column("time", Float, nullable=False),
    Column("kind", String, nullable=False),
    Column("body", Text, nullable=False),
    Column("answered", Float),
    Column("accepted", Integer),
    Column("answer", Text),
)
_now = Table(
    "now", _tables, Column("key", String, primary_key=True), Column("time", Float), Column("body", Text)
)
_folded = Table(  # made when it is first written: journals of before are only read
    "folded",
    MetaData(),
    Column("version", Integer, primary_key=True),
    Column("seq", Integer, nullable=False),
    Column("body", Text, nullable=False),
)


class Record(NamedTuple):
    """One thing that happened."""

    seq: int
    time: float
    kind: str
    body: dict[str, Any]


@dataclass(frozen=True)
class Request:
    """One thing that is asked of the runner."""

    id: int
    kind: str
    body: dict[str, Any]


class RequestAnswer(NamedTuple):
    """Whether a request was accepted, and the sentence if it was not."""

    accepted: bool
    sentence: str


class RunJournal:
    """One run's journal file."""

    def __init__(self, path: Path, *, write: bool = True) -> None:
        self.path = path
        self._engine = open_database(path, _tables, write=write)
        self._writing, self._together = threading.RLock(), 0
        self._held: list[dict[str, Any]] = []

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Give the file back."""
        self.flush()
        self._engine.dispose()

    def _connected(self) -> AbstractContextManager[Any]:
        return connected(self._engine, f"The journal {self.path}")

    def written(self) -> FileMark:
        """A mark that changes whenever anyone writes: time and size of the write-ahead log."""
        try:
            status = os.stat(f"{self.path}-wal")
        except OSError:
            return FileMark(0, 0)
        return FileMark(status.st_size, status.st_mtime_ns)

    def append(self, kind: str, body: dict[str, Any], at: float | None = None) -> None:
        """Add a record.

        Parameters
        ----------
        kind
            Which.
        body
            What goes with it, as JSON.
        at
            When, in seconds since 1970; now, if not said.
        """
        with self._writing:
            self._held.append({"time": at or time.time(), "kind": kind, "body": json.dumps(body)})
            if not self._together:
                self.flush()

    @contextmanager
    def together(self) -> Iterator[None]:
        """Within it records are written in one go: at its end, with ``flush``, or before anything else is written.

        A transaction for each of the records that tell of thousands of outputs took most of the time that beginning and
        stopping them took.
        """
        self._together += 1
        try:
            yield
        finally:
            self._together -= 1
            if not self._together:
                self.flush()

    def flush(self) -> None:
        """Write the records that are held back."""
        with self._writing:
            if self._held:
                with self._connected() as connection:
                    connection.execute(insert(_record), self._held)
                self._held = []

    def records(self, after: int = 0) -> list[Record]:
        """Records in order, those after number ``after``."""
        self.flush()
        with self._connected() as connection:
            rows = connection.execute(
                select(_record).where(_record.c.seq > after).order_by(_record.c.seq)
            ).all()
        return [Record(seq, time, kind, from_json(body)) for seq, time, kind, body in rows]

    def keep_folded(self, version: int, seq: int, body: str) -> None:
        """Keep what the records up to one come to.

        Parameters
        ----------
        version
            Of the way in which it is written.
        seq
            The last record's number.
        body
            What they come to, as JSON.
        """
        row = {"version": version, "seq": seq, "body": body}
        with self._connected() as connection:
            _folded.create(connection, checkfirst=True)
            connection.execute(
                upsert(_folded).values(**row).on_conflict_do_update(index_elements=["version"], set_=row)
            )

    def folded_up_to(self, version: int) -> int:
        """The number of the record up to which what they come to was kept last; 0 where nothing was."""
        return int(self._of_folded(_folded.c.seq, version) or 0)

    def folded(self, version: int) -> str:
        """What was kept last of what the records come to, as JSON; "" where nothing was."""
        return str(self._of_folded(_folded.c.body, version) or "")

    def _of_folded(self, column: Any, version: int) -> Any:
        with self._connected() as connection:
            if not inspect(connection).has_table("folded"):  # a journal of before there was one
                return None
            return connection.execute(select(column).where(_folded.c.version == version)).scalar()

    def last_number(self) -> int:
        """The newest record's number."""
        self.flush()
        with self._connected() as connection:
            return int(connection.execute(select(func.max(_record.c.seq))).scalar() or 0)

    def ask(self, kind: str, body: dict[str, Any] | None = None) -> int:
        """Leave a request for the runner; its number."""
        with self._connected() as connection:
            result = connection.execute(
                insert(_request).values(time=time.time(), kind=kind, body=json.dumps(body or {}))
            )
            return int(result.inserted_primary_key[0])

    def requests(self) -> list[Request]:
        """Requests nobody has answered, oldest first."""
        with self._connected() as connection:
            rows = connection.execute(
                select(_request).where(_request.c.answered.is_(None)).order_by(_request.c.id)
            ).all()
        return [Request(row.id, row.kind, json.loads(row.body)) for row in rows]

    def answer(self, request: int, accepted: bool, sentence: str = "") -> None:
        """Say what came of a request.

        Parameters
        ----------
        request
            The request's number.
        accepted
            Whether it was met.
        sentence
            Why not.
        """
        self.flush()
        with self._connected() as connection:
            connection.execute(
                update(_request)
                .where(_request.c.id == request)
                .values(answered=time.time(), accepted=int(accepted), answer=sentence)
            )

    def answered(self, request: int) -> RequestAnswer | None:
        """What came of a request; None while nobody has answered."""
        with self._connected() as connection:
            row = connection.execute(select(_request).where(_request.c.id == request)).first()
        return RequestAnswer(bool(row.accepted), row.answer or "") if row and row.answered else None

    def set_now(self, values: dict[str, dict[str, Any] | None]) -> None:
        """Overwrite what is going on, key by key; None removes a key."""
        self.flush()
        with self._connected() as connection:
            for key, body in values.items():
                if body is None:
                    connection.execute(_now.delete().where(_now.c.key == key))
                    continue
                row = {"key": key, "time": time.time(), "body": json.dumps(body)}
                connection.execute(
                    upsert(_now).values(**row).on_conflict_do_update(index_elements=["key"], set_=row)
                )

    def now(self) -> dict[str, tuple[float, dict[str, Any]]]:
        """What is going on: key → (time it was said, what)."""
        with self._connected() as connection:
            return {
                row.key: (row.time, json.loads(row.body)) for row in connection.execute(select(_now)).all()
            }


def runs_folder(state: Path, batch_path: Path) -> Path:
    """Where the journals of a batch's runs lie."""
    return state / "runs" / batch_key(batch_path)


def new_run_path(state: Path, batch_path: Path) -> Path:
    """A journal path for a new run; later runs sort later, whatever the clock does."""
    folder = runs_folder(state, batch_path)
    stamp = time.strftime("%Y%m%d-%H%M%S")
    if (latest := latest_run(state, batch_path)) is not None:
        stamp = max(stamp, latest.stem[: len(stamp)])
    number, path = 1, folder / f"{stamp}.run"
    while path.exists():
        number += 1
        path = folder / f"{stamp}_{number:03d}.run"
    return path


def latest_run(state: Path, batch_path: Path) -> Path | None:
    """The newest journal of a batch, if it has any."""
    found = sorted(runs_folder(state, batch_path).glob("*.run"))
    return found[-1] if found else None
