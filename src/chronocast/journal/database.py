"""How databases are opened: SQLite with a write-ahead log, so that readers never wait."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, MetaData, create_engine, event, text
from sqlalchemy.exc import DatabaseError, DataError, IntegrityError, OperationalError, SQLAlchemyError
from sqlalchemy.pool import NullPool

from chronocast.model.errors import ChronocastError

PATIENCE_SECONDS = 30.0
"""How long a writer waits for another: a runner must not die of somebody else's transaction."""


class JournalError(ChronocastError):
    """A journal or ledger that can't be read or written."""


class DamagedDatabase(JournalError):
    """A file that is no database any more."""


def open_database(
    path: Path, tables: MetaData, *, write: bool = True, more: Mapping[str, Mapping[str, str]] | None = None
) -> Engine:
    """An engine on the file, its tables made if need be.

    ``more`` are columns that came later, by table, with their types: an older
    file gets them.

    Parameters
    ----------
    path
        The file's.
    tables
        What it holds.
    write
        Whether it will be written; else it has to be there.
    more
        Columns that came later, by table, with their types: an older file gets them.

    Raises
    ------
    JournalError
        Missing (when only read), damaged, or not writable.
    """
    if not write and not path.exists():
        raise JournalError(f"{path} is missing.")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        engine = create_engine(
            f"sqlite:///{path}",
            poolclass=NullPool if not write else None,
            connect_args={"timeout": PATIENCE_SECONDS, "check_same_thread": False},
        )

        @event.listens_for(engine, "connect")
        def _settings(connection: Any, _: Any) -> None:
            cursor = connection.cursor()
            cursor.execute("PRAGMA journal_mode=WAL")
            cursor.execute("PRAGMA synchronous=NORMAL")
            cursor.close()

        if write:
            try:
                tables.create_all(engine)
            except OperationalError as error:
                if "already exists" not in str(error.orig):  # another process made them at the same moment
                    raise
            for table, columns in (more or {}).items():
                _add_columns(engine, table, columns)
        return engine
    except OSError as error:
        raise JournalError(f"{path} can't be written: {error.strerror}.", "Check the folder.") from None
    except OperationalError as error:
        raise JournalError(
            f"{path} can't be opened: {error.orig}.", "Check the folder and its permissions."
        ) from None
    except DatabaseError as error:
        raise DamagedDatabase(
            f"{path} is damaged: {error.orig}.",
            "Move it away; finished pieces are in the stock and will be kept.",
        ) from None


def _add_columns(engine: Engine, table: str, columns: Mapping[str, str]) -> None:
    with engine.begin() as connection:
        known = {row[1] for row in connection.execute(text(f"PRAGMA table_info({table})"))}
        for name, kind in columns.items():
            if name not in known:
                with contextlib.suppress(OperationalError):  # another process added it at the same moment
                    connection.execute(text(f"ALTER TABLE {table} ADD COLUMN {name} {kind}"))


@contextlib.contextmanager
def connected(engine: Engine, what: str) -> Iterator[Any]:
    """A connection in a transaction of its own.

    Raises
    ------
    JournalError
        The database can't be used; ``what`` names it.
    """
    try:
        with engine.begin() as connection:
            yield connection
    except (OperationalError, IntegrityError, DataError) as error:
        raise JournalError(
            f"{what} can't be used: {error.orig}.", "Check its drive and permissions."
        ) from error
    except DatabaseError as error:
        raise DamagedDatabase(f"{what} is damaged: {error.orig}.", "Move it away.") from error
    except SQLAlchemyError as error:
        reason = getattr(error, "orig", None) or error
        raise JournalError(f"{what} can't be used: {reason}.", "Check its drive and permissions.") from error
