"""``batch relink``, ``batch take``, ``batch cuts``: a batch's sequences, their media, their cuts."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

from chronocast.cli.answers import save, workspace
from chronocast.journal.films.facts import FactsStore
from chronocast.model.batch.batch import Batch, Source
from chronocast.model.errors import ModelError
from chronocast.preparation.output.prepare import prepare
from chronocast.preparation.recut import changed_sources, compare, relink, search_in, take


def _store() -> FactsStore:
    return workspace().facts


def relink_batch(
    batch: Batch, path: Path, search: list[Path], source: str = "", names: list[str] | None = None
) -> dict[str, Any]:
    """Look for missing media in folders, or say one file for one name; the batch is saved with what was found.

    Raises
    ------
    ChronocastError
        A folder or file isn't there, or the batch can't be saved.
    """
    folder = path.absolute().parent
    for text in names or []:
        name, mark, place = text.partition("=")
        owner = batch.source(source) if source else _owner(batch, name)
        if owner is not None and owner.kind == "clip":
            name = owner.path
        if owner is None or not mark or not Path(place).is_file():
            raise ModelError(
                f"“{text}” can't be relinked.",
                "Write it as NAME=FILE, with a file that is there, and --source ID.",
            )
        batch = relink(batch, folder, owner.id, name=name, place=Path(place), store=_store())
    done = search_in(batch, folder, _store(), search)
    save(done.batch, path)
    return {"version": 1, "found": done.found, "missing": list(done.missing)}


def _owner(batch: Batch, name: str) -> Source | None:
    """The source that a name is about: the clip of that path or name, else the first sequence."""
    clips = [s for s in batch.sources if s.kind == "clip" and name in (s.path, s.name, Path(s.path).name)]
    return clips[0] if clips else next((s for s in batch.sources if s.kind == "sequence"), None)


def take_cuts(batch: Batch, path: Path, sources: list[str], look: bool) -> dict[str, Any]:
    """Take the new cut of changed sequences (or only look at what it would do).

    Raises
    ------
    ChronocastError
        A source is unknown, a file can't be read, or the batch can't be saved.
    """
    folder, store = path.absolute().parent, _store()
    for name in sources:
        if batch.source(name) is None:
            raise ModelError(f"There is no source “{name}” in this batch.")
    wanted = sources or changed_sources(prepare(batch, folder, workspace()))
    recuts = compare(batch, folder, workspace(), wanted)
    if not look and wanted:
        save(take(batch, folder, store, wanted), path)
    return {
        "version": 1,
        "taken": not look and bool(wanted),
        "sources": wanted,
        "outputs": [{**asdict(item), "changed": item.changed} for item in recuts],
    }
