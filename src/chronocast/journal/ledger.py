"""The ledger: forecast against fact, for every piece and every output, for good."""

from __future__ import annotations

import json
import time
from contextlib import AbstractContextManager
from dataclasses import asdict, dataclass, field, fields
from pathlib import Path
from typing import Any

from sqlalchemy import Column, Float, Integer, MetaData, String, Table, Text, desc, insert, select

from chronocast.forecast.experience import PieceFact
from chronocast.journal.database import connected, open_database
from chronocast.model.answers import Answer

_tables = MetaData()
_piece = Table(
    "piece",
    _tables,
    Column("id", Integer, primary_key=True),
    Column("time", Float),
    Column("family", String, index=True),
    Column("pace", String, index=True),
    Column("frames", Integer),
    Column("pixels", Integer),
    Column("seconds", Float),
    Column("bytes", Integer),
    Column("cpu_seconds", Float),
    Column("wall_seconds", Float),
    Column("target", Integer),
    Column("film", String),
    Column("station", String),
)
_made = Table(
    "made",
    _tables,
    Column("id", Integer, primary_key=True),
    Column("time", Float),
    Column("path", String, index=True),
    Column("digest", String),
    Column("bytes", Integer),
    Column("mtime_ns", Integer),
    Column("body", Text),
)
NEWEST = 4000
"""So many pieces are remembered at a time."""
_FACTS = tuple(item.name for item in fields(PieceFact))


@dataclass(frozen=True)
class MadeFile:
    """A proved file as it was made: what it is, forecast against fact.

    Parameters
    ----------
    digest
        What it is made of.
    bytes, mtime_ns
        Its size, and when it was changed last (nanoseconds since 1970).
    seconds, cpu_seconds
        What it took, by the clock and by the processor.
    checks
        What was proved, as answers have it.
    forecast
        Seconds and bytes that were forecast.
    recipe
        The exact recipe.
    source
        Its path.
    quality
        The common quality it was made at, if one was searched for.
    """

    digest: str
    bytes: int
    mtime_ns: int
    seconds: float = 0.0
    cpu_seconds: float = 0.0
    checks: list[Answer] = field(default_factory=list)
    forecast: Answer = field(default_factory=dict)
    recipe: Answer = field(default_factory=dict)
    source: str = ""
    quality: float | None = None


_MADE = frozenset(item.name for item in fields(MadeFile))


class Ledger:
    """The history, in the data folder."""

    def __init__(self, path: Path) -> None:
        self._engine = open_database(path, _tables, more={"piece": {"film": "VARCHAR", "station": "VARCHAR"}})
        self.path = path

    def close(self) -> None:
        """Give the file back."""
        self._engine.dispose()

    def _connected(self) -> AbstractContextManager[Any]:
        return connected(self._engine, f"The ledger {self.path}")

    def add_piece(self, fact: PieceFact) -> None:
        """Remember what one encoded piece took."""
        with self._connected() as connection:
            connection.execute(insert(_piece).values(time=time.time(), **asdict(fact)))

    def pieces(self) -> list[PieceFact]:
        """What recent pieces took, the newest first."""
        with self._connected() as connection:
            rows = (
                connection.execute(select(_piece).order_by(desc(_piece.c.id)).limit(NEWEST)).mappings().all()
            )
        known = [{name: row[name] for name in _FACTS if row[name] is not None} for row in rows]
        return [PieceFact(**{"film": "", "cpu_seconds": 0.0, "wall_seconds": 0.0, **row}) for row in known]

    def add_made(self, path: str, made: MadeFile) -> None:
        """Remember one proved file, by its path."""
        body = asdict(made)
        head = {name: body.pop(name) for name in ("digest", "bytes", "mtime_ns")}
        with self._connected() as connection:
            connection.execute(
                insert(_made).values(
                    time=time.time(), path=path, body=json.dumps({"path": path, **body}), **head
                )
            )

    def made(self, path: str) -> MadeFile | None:
        """The last proved file at that path, as it was then."""
        with self._connected() as connection:
            row = connection.execute(
                select(_made).where(_made.c.path == path).order_by(desc(_made.c.id))
            ).first()
        if row is None:
            return None
        body = {name: value for name, value in json.loads(row.body).items() if name in _MADE}
        return MadeFile(**{**body, "digest": row.digest, "bytes": row.bytes, "mtime_ns": row.mtime_ns})
