"""Bring sources into a batch: files, timelines, whole folders, in any mix."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Literal, NamedTuple, cast

from chronocast.journal.facts import FactsStore
from chronocast.model.batch.batch import Batch, Source, portable
from chronocast.model.batch.edits import add_source
from chronocast.model.errors import ChronocastError
from chronocast.model.paths import path_text, shown
from chronocast.preparation.source.known import remembered
from chronocast.preparation.source.linking import FILM_ENDINGS
from chronocast.preparation.source.ready import (
    EDIT_LIST_ENDINGS,
    TIMELINE_ENDINGS,
    MissingMedia,
    kind_of,
    ready_source,
)

MOST_FILES = 20_000


@dataclass(frozen=True)
class Refused:
    """A file that can't come in, and why."""

    path: Path
    sentence: str
    wants_rate: bool = False

    def __str__(self) -> str:
        return self.sentence


def expand(paths: Iterable[Path]) -> Iterator[Path]:
    """Files as they are; of folders, the media and timeline files in them, by name."""
    count = 0
    for path in paths:
        if not path.is_dir():
            yield path
            continue
        for inner in sorted(path.rglob("*")):
            ending = inner.suffix.lower()
            hidden = any(part.startswith(".") for part in inner.relative_to(path).parts)
            if not hidden and inner.is_file() and (ending in FILM_ENDINGS or ending in TIMELINE_ENDINGS):
                count += 1
                if count > MOST_FILES:
                    return
                yield inner


class Gathered(NamedTuple):
    """A batch with more sources, and what could not be taken into it."""

    batch: Batch
    refused: list[Refused]


def gather(
    batch: Batch, folder: Path, paths: Iterable[Path], store: FactsStore, rate: str | None = None
) -> Gathered:
    """The batch with more sources; each file is looked at first, several at a time.

    ``rate`` is for edit lists, which don't say theirs.  What can't be used is
    listed, the rest comes in; a sequence whose media is missing comes in too,
    since its media can be searched for.

    Parameters
    ----------
    batch
        The batch.
    folder
        The batch's folder, which relative paths begin at.
    paths
        Files and folders.
    store
        What is known of media.
    rate
        Frames a second of edit lists, which don't say theirs.
    """
    refused: list[Refused] = []
    files = [path.absolute() for path in expand(paths)]
    with ThreadPoolExecutor(max_workers=max(2, os.cpu_count() or 2)) as pool:
        looked = list(pool.map(lambda path: _look(path, batch, folder, store, rate), files))
    for path, found in zip(files, looked, strict=True):
        if isinstance(found, Refused):
            refused.append(found)
            continue
        source, problem = found
        if problem:
            refused.append(Refused(path, problem))
        before = batch
        batch = add_source(batch, portable(path, folder), source.name, source.kind)
        if batch is not before:
            new = batch.sources[-1]
            known = source.known
            if source.kind == "clip":  # what is in it, by the path that the batch has for it
                known = {new.path: next(iter(known.values()))} if known else {}
            fresh = source.model_copy(update={"id": new.id, "path": new.path, "known": known})
            batch = batch.model_copy(update={"sources": (*batch.sources[:-1], fresh)})
    return Gathered(batch, refused)


def _look(
    path: Path, batch: Batch, folder: Path, store: FactsStore, rate: str | None
) -> Refused | tuple[Source, str]:
    kind = cast(Literal["clip", "sequence"], kind_of(path))
    name = " ".join(shown(" ".join(path.stem.split())).split())[:200] or "source"
    needed = rate if path.suffix.lower() in EDIT_LIST_ENDINGS else None
    source = Source(id="x", path=path_text(path), kind=kind, name=name, rate=needed)
    try:
        return remembered(source, ready_source(source, folder, store, batch.search), folder), ""
    except MissingMedia as error:
        return source.model_copy(update={"taken": error.mark}), str(error)
    except ChronocastError as error:
        return Refused(path, str(error), path.suffix.lower() in EDIT_LIST_ENDINGS and not rate)
