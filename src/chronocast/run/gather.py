"""Bring sources into a batch: files, timelines, whole folders, in any mix."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Literal, cast

from chronocast.journal.facts import FactsStore
from chronocast.model.batch import Batch, Source, portable
from chronocast.model.edits import add_source
from chronocast.model.errors import ChronocastError
from chronocast.run.prepare import TIMELINE_ENDINGS, kind_of, ready_source

MEDIA_ENDINGS = frozenset(
    [
        ".mp4",
        ".mov",
        ".m4v",
        ".mkv",
        ".mxf",
        ".avi",
        ".webm",
        ".mpg",
        ".mpeg",
        ".ts",
        ".m2ts",
        ".mts",
        ".wmv",
        ".flv",
        ".3gp",
        ".ogv",
        ".wav",
        ".flac",
        ".mp3",
        ".m4a",
    ]
)
MOST_FILES = 20_000


@dataclass(frozen=True)
class Refused:
    """A file that can't come in, and why."""

    path: Path
    sentence: str

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
            if not hidden and inner.is_file() and (ending in MEDIA_ENDINGS or ending in TIMELINE_ENDINGS):
                count += 1
                if count > MOST_FILES:
                    return
                yield inner


def gather(
    batch: Batch, folder: Path, paths: Iterable[Path], store: FactsStore
) -> tuple[Batch, list[Refused]]:
    """The batch with more sources; each file is looked at first.  What can't be used is listed, the rest comes in."""
    refused: list[Refused] = []
    for path in expand(paths):
        path = path.absolute()
        kind = cast(Literal["clip", "sequence"], kind_of(path))
        name = " ".join(path.stem.split())[:200] or "source"
        try:
            ready_source(Source(id="x", path=str(path), kind=kind, name=name), folder, store)
        except ChronocastError as error:
            refused.append(Refused(path, str(error)))
            continue
        batch = add_source(batch, portable(path, folder), name, kind)
    return batch, refused
