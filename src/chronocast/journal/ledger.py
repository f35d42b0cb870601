"""The ledger: forecast against fact, for every piece and every output, for good."""

from __future__ import annotations

import json
import time
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any

from sqlalchemy import Column, Float, Integer, MetaData, String, Table, Text, desc, insert, select

from chronocast.journal.database import connected, open_database

_tables = MetaData()
_piece = Table(
    "piece", _tables, Column("id", Integer, primary_key=True), Column("time", Float), Column("family", String, index=True),
    Column("pace", String, index=True), Column("frames", Integer), Column("pixels", Integer), Column("seconds", Float),
    Column("bytes", Integer), Column("cpu_seconds", Float), Column("wall_seconds", Float), Column("target", Integer),
    Column("film", String),
)  # fmt: skip
_made = Table(
    "made", _tables, Column("id", Integer, primary_key=True), Column("time", Float), Column("path", String, index=True),
    Column("digest", String), Column("bytes", Integer), Column("mtime_ns", Integer), Column("body", Text),
)  # fmt: skip
RECENT = 200


class Ledger:
    """The history, in the data folder."""

    def __init__(self, path: Path) -> None:
        self._engine = open_database(path, _tables, more={"piece": {"film": "VARCHAR"}})
        self.path = path

    def close(self) -> None:
        """Give the file back."""
        self._engine.dispose()

    def _connected(self) -> AbstractContextManager[Any]:
        return connected(self._engine, f"The ledger {self.path}")

    def add_piece(self, **values: Any) -> None:
        """One encoded piece: family, pace, frames, pixels, seconds, bytes, cpu_seconds, wall_seconds, target, film."""
        with self._connected() as connection:
            connection.execute(insert(_piece).values(time=time.time(), **values))

    def pieces(self) -> dict[str, list[dict[str, Any]]]:
        """Recent pieces by family and by pace: ``{"family:…" or "pace:…": [rows, newest first]}``."""
        found: dict[str, list[dict[str, Any]]] = {}
        with self._connected() as connection:
            rows = (
                connection.execute(select(_piece).order_by(desc(_piece.c.id)).limit(RECENT * 20))
                .mappings()
                .all()
            )
        for row in rows:
            for key in (f"family:{row['family']}", f"pace:{row['pace']}"):
                group = found.setdefault(key, [])
                if len(group) < RECENT:
                    group.append(dict(row))
        return found

    def add_made(self, path: str, digest: str, size: int, mtime_ns: int, body: dict[str, Any]) -> None:
        """One proved file: what it is, and forecast against fact."""
        with self._connected() as connection:
            connection.execute(
                insert(_made).values(
                    time=time.time(),
                    path=path,
                    digest=digest,
                    bytes=size,
                    mtime_ns=mtime_ns,
                    body=json.dumps(body),
                )
            )

    def made(self, path: str) -> dict[str, Any] | None:
        """The last proved file at that path, as it was then."""
        with self._connected() as connection:
            row = connection.execute(
                select(_made).where(_made.c.path == path).order_by(desc(_made.c.id))
            ).first()
        if row is None:
            return None
        return {"digest": row.digest, "bytes": row.bytes, "mtime_ns": row.mtime_ns, **json.loads(row.body)}
