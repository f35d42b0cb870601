"""A sequence that was changed since: what taking its new cut would do, and doing it; its media found again."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from chronocast.journal.films.facts import FactsStore
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import Batch, Source, portable, resolve
from chronocast.model.errors import ChronocastError
from chronocast.model.paths import path_text
from chronocast.model.time.timing import parse_rate
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.output.prepare import prepare
from chronocast.preparation.source.linking import Shelves, clip_place, link
from chronocast.preparation.source.ready import ready_source


@dataclass(frozen=True)
class Recut:
    """What a new cut does to one output: frames and pieces before and after, and how many pieces stay."""

    output: str
    frames: tuple[int, int]
    pieces: tuple[int, int]
    same: int
    problem: str = ""

    @property
    def changed(self) -> bool:
        """Whether anything of it changes."""
        return bool(self.problem) or self.pieces != (self.same, self.same)


def changed_sources(prospect: Prospect) -> list[str]:
    """Sequences whose file is another than the one whose cut is used."""
    return [key for key, ready in prospect.sources.items() if ready.changed and ready.present]


def compare(batch: Batch, folder: Path, workspace: Workspace, sources: list[str]) -> list[Recut]:
    """What taking the new cut of some sources would do to each of their outputs; nothing is changed.

    Parameters
    ----------
    batch
        The batch.
    folder
        The batch's folder, which relative paths begin at.
    workspace
        What is kept of all batches.
    sources
        Ids of the sources.
    """
    old = prepare(batch, folder, workspace)
    new = prepare(batch, folder, workspace, newest=frozenset(sources))
    found = []
    for output in batch.outputs:
        if output.source not in sources:
            continue
        before, after = old.output(output.id), new.output(output.id)
        names = {piece.name for piece in before.plan.pieces} if before else set()
        made = [piece.name for piece in after.plan.pieces] if after else []
        owner = batch.source(output.source)
        problem = (
            ""
            if after
            else next(
                (p.told for p in new.problems if owner and p.source == owner.id and p.blocks),
                "It can't be made.",
            )
        )
        found.append(
            Recut(
                output.id,
                (before.plan.frames if before else 0, after.plan.frames if after else 0),
                (len(names), len(made)),
                sum(name in names for name in made),
                problem,
            )
        )
    return found


def take(batch: Batch, folder: Path, store: FactsStore, sources: list[str]) -> Batch:
    """The batch with the present cut of some sequences, and with clips as their files are now.

    Parameters
    ----------
    batch
        The batch.
    folder
        The batch's folder, which relative paths begin at.
    store
        What is known of media.
    sources
        Ids of the sources.

    Raises
    ------
    ChronocastError
        One of them can't be read.
    """
    kept = []
    for source in batch.sources:
        if source.id in sources and source.kind == "clip":
            place = resolve(source.relinked.get(source.path, source.path), folder)
            facts = store.clip(path_text(place))
            source = source.model_copy(update={"known": {source.path: facts.fingerprint}})
        elif source.id in sources:
            source = source.model_copy(update={"known": {}})
            path = resolve(source.path, folder)
            _, mark = store.timelines.present(path, parse_rate(source.rate) if source.rate else None)
            source = _with_its_marks(source.model_copy(update={"taken": mark}), folder, store, batch.search)
        kept.append(source)
    return batch.model_copy(update={"sources": tuple(kept)})


def _with_its_marks(source: Source, folder: Path, store: FactsStore, search: tuple[str, ...]) -> Source:
    """A sequence whose marked ranges lie where its new cut marks them; those it no longer marks stay."""
    if not any(part.kind == "marked" for part in source.ranges):
        return source
    try:
        marks = {mark.name: mark for mark in ready_source(source, folder, store, search).cut.marked}
    except ChronocastError:
        return source  # what is missing is said where the batch is made ready
    ranges = tuple(
        part.model_copy(update={"start": marks[part.name].start, "stop": marks[part.name].stop})
        if part.kind == "marked" and part.name in marks
        else part
        for part in source.ranges
    )
    return source.model_copy(update={"ranges": ranges})


@dataclass(frozen=True)
class Relinked:
    """What a search found: the batch with it, names found with their places, names still missing."""

    batch: Batch
    found: dict[str, str]
    missing: tuple[str, ...]


def search_in(batch: Batch, folder: Path, store: FactsStore, places: list[Path]) -> Relinked:
    """Look for the missing media of every sequence in more folders; what is found stays relinked.

    Parameters
    ----------
    batch
        The batch.
    folder
        The batch's folder, which relative paths begin at.
    store
        What is known of media.
    places
        The folders.

    Raises
    ------
    ChronocastError
        A folder can't be looked through.
    """
    for place in places:
        if not place.is_dir():
            raise ChronocastError(f"{place} is not a folder.", "Name the folder that holds the media.")
    search = tuple(dict.fromkeys([*batch.search, *(portable(place.absolute(), folder) for place in places)]))
    found: dict[str, str] = {}
    missing: list[str] = []
    kept = []
    for source in batch.sources:
        if source.kind == "sequence":
            path = resolve(source.path, folder)
            try:
                timeline, _ = store.timelines.present(path, parse_rate(source.rate) if source.rate else None)
                shelves = Shelves([path.parent, *(resolve(p, folder) for p in search)])
                linked = link(timeline, source, folder, shelves, store)
            except ChronocastError as error:
                missing.append(str(error))
                kept.append(source)
                continue
            missing += list(linked.missing)
            moved = {name: place for name, place in linked.moved.items() if name in linked.facts}
            found |= {name: place for name, place in moved.items() if name not in source.relinked}
            source = source.model_copy(
                update={
                    "relinked": {
                        **source.relinked,
                        **{n: portable(Path(p), folder) for n, p in moved.items()},
                    }
                }
            )
        elif source.kind == "clip":
            places = [resolve(p, folder) for p in search]
            try:
                place = clip_place(source, folder, places, store)
            except ChronocastError as error:
                missing.append(str(error))
            else:
                if place != resolve(source.relinked.get(source.path, source.path), folder):
                    found[source.path] = path_text(place)
                    moved_to = {source.path: portable(place, folder)}
                    source = source.model_copy(update={"relinked": moved_to})
        kept.append(source)
    return Relinked(
        batch.model_copy(update={"search": search, "sources": tuple(kept)}), found, tuple(missing)
    )


def relink(batch: Batch, folder: Path, source: str, *, name: str, place: Path, store: FactsStore) -> Batch:
    """The batch with one file standing, on purpose, for what a timeline names or for a clip; its neighbours follow by themselves.

    Parameters
    ----------
    batch
        The batch.
    folder
        The batch's folder, which relative paths begin at.
    source
        A source's id.
    name
        What the timeline calls the file.
    place
        The file that stands for it.
    store
        What is known of media.

    Raises
    ------
    ChronocastError
        The file can't be used.
    """
    mark = store.clip(path_text(place.absolute())).fingerprint
    kept = tuple(
        item.model_copy(
            update={
                "relinked": {**item.relinked, name: portable(place.absolute(), folder)},
                "known": {**item.known, name: mark},
            }
        )
        if item.id == source
        else item
        for item in batch.sources
    )
    return batch.model_copy(update={"sources": kept})
