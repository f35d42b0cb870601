"""Bring sources into a batch: files, timelines, whole folders, in any mix."""

from __future__ import annotations

import logging
import os
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Literal, NamedTuple, cast

from chronocast.journal.films.facts import FactsStore
from chronocast.media.source.images import is_numbered
from chronocast.model.batch.batch import Batch, Source, portable
from chronocast.model.batch.edits import add_source
from chronocast.model.errors import ChronocastError, ModelError
from chronocast.model.paths import path_text, shown
from chronocast.preparation.source.known import remembered
from chronocast.preparation.source.linking import FILM_ENDINGS, IMAGE_ENDINGS
from chronocast.preparation.source.numbered import (
    images_title,
    in_rate,
    is_counted,
    numbered_together,
    rate_asked,
)
from chronocast.preparation.source.ready import (
    EDIT_LIST_ENDINGS,
    TIMELINE_ENDINGS,
    MissingMedia,
    kind_of,
    ready_source,
)

log = logging.getLogger(__name__)
MOST_FILES = 20_000
MOST_NAMED = 50
"""Of files of other kinds in one folder so many are named, and the rest counted."""


@dataclass(frozen=True)
class Refused:
    """A file that can't come in, and why."""

    path: Path
    sentence: str
    wants_rate: bool = False

    def __str__(self) -> str:
        return self.sentence


class Found(NamedTuple):
    """Files that may be sources, and what was left out of what was named, each with why."""

    files: list[Path]
    skipped: list[Refused]


def expand(paths: Iterable[Path]) -> Found:
    """Files as they are; of folders, the media and timeline files in them, by name.

    Numbered images that lie side by side become one each.  Whatever is left out is told: files of other kinds,
    folders that can't be read or have nothing, what is above 20,000 files.
    """
    found = Found([], [])
    for path in paths:
        if path.is_dir():
            _expand_folder(path, found)
        else:
            found.files.append(path)
    found = Found(numbered_together(found.files), found.skipped)
    if (over := len(found.files) - MOST_FILES) > 0:
        first = found.files[MOST_FILES]
        told = f"{shown(first.name)} and all after it, {over} files, are left out: {MOST_FILES:,} are taken at once."
        found.skipped.append(Refused(first, told))
        del found.files[MOST_FILES:]
    return found


def _expand_folder(folder: Path, found: Found) -> None:
    before = len(found.files)

    def locked(error: OSError) -> None:
        where = Path(error.filename or folder)
        found.skipped.append(Refused(where, f"{shown(str(where))} can't be read: {error.strerror}."))

    others: list[Path] = []
    images: list[Path] = []
    for here, inner, names in os.walk(folder, onerror=locked):
        inner[:] = sorted(name for name in inner if not name.startswith("."))
        for name in sorted(names):
            path = Path(here) / name
            if name.startswith("."):
                continue
            if path.suffix.lower() in IMAGE_ENDINGS:
                images.append(path)
            elif path.suffix.lower() in FILM_ENDINGS or path.suffix.lower() in TIMELINE_ENDINGS:
                found.files.append(path)
            else:
                others.append(path)
    single: list[Path] = []
    for path in numbered_together(images):
        (found.files if is_counted(path_text(path)) else single).append(path)
    _tell(found, folder, others, "is no media or timeline file", "are no media either")
    _tell(
        found, folder, single, "is a single image: drop it by itself if it is to come in", "are single images"
    )
    if len(found.files) == before and not others and not single:
        found.skipped.append(Refused(folder, f"{shown(folder.name)} has no media or timeline files in it."))


def _tell(found: Found, folder: Path, paths: list[Path], why: str, why_more: str) -> None:
    """Tell why some files of a folder are left out, the first of them by name."""
    named = MOST_NAMED if len(paths) > MOST_NAMED + 1 else len(paths)  # one more is named as well
    for path in paths[:named]:
        found.skipped.append(Refused(path, f"{shown(path.name)} {why}."))
    if more := len(paths) - named:
        found.skipped.append(Refused(folder, f"{more} more files in {shown(folder.name)} {why_more}."))


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
    expanded = expand(paths)
    refused += expanded.skipped
    files = [path.absolute() for path in expanded.files]
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
        try:
            batch = add_source(batch, portable(Path(source.path), folder), source.name, source.kind)
        except (ChronocastError, ValueError) as error:
            log.warning("%r can't be a source", path, exc_info=error)
            refused.append(
                Refused(path, f"{shown(path.name)} can't be a source: its name or path can't be written.")
            )
            continue
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
    if is_counted(path_text(path)):
        if not rate:
            return Refused(path, rate_asked(path), wants_rate=True)
        try:
            path = Path(in_rate(path_text(path), rate))
        except ModelError as error:
            return Refused(path, str(error), wants_rate=True)
    stem = images_title(path) if is_numbered(path_text(path)) else path.stem
    name = " ".join(shown(" ".join(stem.split())).split())[:200] or "source"
    needed = rate if path.suffix.lower() in EDIT_LIST_ENDINGS else None
    try:
        source = Source(id="x", path=path_text(path), kind=kind, name=name, rate=needed)
        return remembered(source, ready_source(source, folder, store, batch.search), folder), ""
    except MissingMedia as error:
        return source.model_copy(update={"taken": error.mark}), str(error)
    except ChronocastError as error:
        return Refused(path, str(error), path.suffix.lower() in EDIT_LIST_ENDINGS and not rate)
    except Exception as error:  # one file never spoils the others
        log.exception("%r could not be looked at", path)
        return Refused(path, f"{shown(path.name)} could not be looked at ({type(error).__name__}).")
