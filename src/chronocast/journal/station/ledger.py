"""The ledger: forecast against fact, for every piece and every output, for good."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Collection
from contextlib import AbstractContextManager
from dataclasses import asdict, dataclass, field, fields
from pathlib import Path
from typing import Any

from sqlalchemy import (
    Boolean,
    Column,
    Float,
    Integer,
    MetaData,
    String,
    Table,
    Text,
    and_,
    desc,
    func,
    insert,
    or_,
    select,
    update,
)

from chronocast.forecast.learning.conformal import Outcome, as_it_was
from chronocast.forecast.learning.experience import OF_FILM, PieceFact
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
    Column("kind", String),
    Column("window", String),
    Column("packets", Float),
    Column("source_kind", String),
    Column("rated", Boolean),
    Column("xpsnr", Float),
    Column("usual_xpsnr", Float),
    Column("look_kind", String),
)
_MORE = {
    "film": "VARCHAR",
    "station": "VARCHAR",
    "kind": "VARCHAR",
    "window": "VARCHAR",
    "packets": "FLOAT",
    "source_kind": "VARCHAR",
    "rated": "BOOLEAN",
    "xpsnr": "FLOAT",
    "usual_xpsnr": "FLOAT",
    "look_kind": "VARCHAR",
}
"""Columns of pieces that ledgers of earlier versions lack."""
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
NEWEST = 200
"""Of each family, of each pace and of each film by each family, so many pieces are remembered."""
MOST_FILMS = 5000
MOST_OUTCOMES = 200
"""So many of the newest files say how wide bands have to be."""
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
    looks
        How like the original it looks, in dB, where that was measured: ``xpsnr`` of all, ``worst`` of poorest shots.
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
    looks: Answer = field(default_factory=dict)


_MADE = frozenset(item.name for item in fields(MadeFile))


class Ledger:
    """The history, in the data folder."""

    def __init__(self, path: Path) -> None:
        self._engine = open_database(path, _tables, more={"piece": _MORE})
        self.path = path

    def close(self) -> None:
        """Give the file back."""
        self._engine.dispose()

    def _connected(self) -> AbstractContextManager[Any]:
        return connected(self._engine, f"The ledger {self.path}")

    def add_piece(self, fact: PieceFact) -> None:
        """Remember what one encoded piece took."""
        told = asdict(fact)
        told["time"] = told["time"] or time.time()
        with self._connected() as connection:
            connection.execute(insert(_piece).values(**told))

    def pieces(self, films: Collection[str] = ()) -> list[PieceFact]:
        """What pieces took, the newest first: of each family and each pace the newest, of some films all.

        Parameters
        ----------
        films
            What is shown by the outputs that are asked about.
        """
        newest = func.row_number().over(partition_by=_piece.c.family, order_by=desc(_piece.c.id))
        pace = _piece.c.station, _piece.c.pace
        of_pace, of_film = (
            func.row_number().over(partition_by=columns, order_by=desc(_piece.c.id))
            for columns in (pace, (*pace, _piece.c.film))
        )
        ranked = select(
            _piece, newest.label("newest"), of_pace.label("of_pace"), of_film.label("of_film")
        ).subquery()
        wanted = or_(
            ranked.c.newest <= NEWEST,
            # of long films a few pieces: how films differ is told by many
            and_(ranked.c.of_pace <= NEWEST * OF_FILM, ranked.c.of_film <= OF_FILM),
            ranked.c.film.in_(list(films)[:MOST_FILMS]),
        )
        with self._connected() as connection:
            rows = (
                connection.execute(select(ranked).where(wanted).order_by(desc(ranked.c.id))).mappings().all()
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

    def outcomes(self) -> dict[str, list[Outcome]]:
        """What was forecast of the newest proved files, bands as they were before they were widened, and what came.

        *bytes*, *cpu_seconds*, and *looks*: XPSNR in dB of the poorest shots, as far above likely as below it.
        """
        with self._connected() as connection:
            rows = connection.execute(select(_made).order_by(desc(_made.c.id)).limit(MOST_OUTCOMES)).all()
        found: dict[str, list[Outcome]] = {"bytes": [], "cpu_seconds": [], "looks": []}
        for row in rows:
            body = json.loads(row.body)
            forecast, name = body.get("forecast") or {}, os.path.basename(row.path)
            for what, fact in (("bytes", row.bytes), ("cpu_seconds", body.get("cpu_seconds", 0.0))):
                told, factor = forecast.get(what) or {}, (forecast.get("widened") or {}).get(what, 1.0)
                if {"p10", "likely", "safe"} <= told.keys():
                    found[what].append(as_it_was(told, fact, factor, name))
            worst, made = (forecast.get("looks") or {}).get("worst"), (body.get("looks") or {}).get("worst")
            if worst and made is not None:
                likely, safe = worst["likely"], worst["safe"]
                found["looks"].append(Outcome(safe, likely, 2 * likely - safe, made, name))
        return found

    def newest_made(self) -> list[MadeFile]:
        """The newest proved files, the newest first."""
        with self._connected() as connection:
            rows = connection.execute(select(_made).order_by(desc(_made.c.id)).limit(MOST_OUTCOMES)).all()
        return [_as_made(row) for row in rows]

    def forget_pace(self, station: str) -> int:
        """Learn a station's pace anew from now on; how many pieces no longer speak of it.

        What they took in bytes goes on being remembered.

        Parameters
        ----------
        station
            Whose pace it is.
        """
        aside = f"{station}, before {time.strftime('%Y-%m-%d %H:%M')}"
        with self._connected() as connection:
            changed = connection.execute(
                update(_piece).where(_piece.c.station == station).values(station=aside)
            )
            return int(changed.rowcount)

    def made(self, path: str) -> MadeFile | None:
        """The last proved file at that path, as it was then."""
        with self._connected() as connection:
            row = connection.execute(
                select(_made).where(_made.c.path == path).order_by(desc(_made.c.id))
            ).first()
        if row is None:
            return None
        return _as_made(row)


def _as_made(row: Any) -> MadeFile:
    body = {name: value for name, value in json.loads(row.body).items() if name in _MADE}
    return MadeFile(**{**body, "digest": row.digest, "bytes": row.bytes, "mtime_ns": row.mtime_ns})
