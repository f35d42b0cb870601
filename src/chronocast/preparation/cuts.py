"""The cut of a batch's sources and ranges, back out as open timeline files and edit lists."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from chronocast.deliver.names import safe_stem
from chronocast.journal.documents import write_text
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.errors import ModelError
from chronocast.model.time.timing import FrameRange
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.output.prepare import prepare


class CutsWritten(NamedTuple):
    """Files of cuts; ``left_out`` says which edit lists couldn't be written, and why."""

    files: tuple[Path, ...]
    left_out: tuple[str, ...]


def write_cuts(batch: Batch, path: Path, to: Path, workspace: Workspace, edl: bool) -> CutsWritten:
    """The cut of every source and range of the batch, written as OTIO, and as edit lists too if asked.

    Parameters
    ----------
    batch
        The batch.
    path
        The file's.
    to
        The folder they are written to.
    workspace
        What is kept of all batches.
    edl
        Whether edit lists are written, too.

    Raises
    ------
    ChronocastError
        A source can't be used, or a file can't be written.
    """
    from chronocast.timeline.write import clip_timeline, edit_lists, otio_text, part_of  # half a library

    folder = path.absolute().parent
    prospect = prepare(batch, folder, workspace)
    made, left_out = list[Path](), list[str]()
    to = to.absolute()
    for source in batch.sources:
        ready = prospect.sources.get(source.id)
        if ready is None:
            raise ModelError(f"{source.name} can't be written: {_why(prospect, source.id)}")
        whole = ready.timeline or clip_timeline(ready.cut, source.name)
        parts = [(FULL, whole)] + [
            (part.name, part_of(whole, FrameRange(part.start, part.stop), f"{source.name}, {part.name}"))
            for part in source.ranges
        ]
        for name, timeline in parts:
            stem = safe_stem(source.name if name == FULL else f"{source.name} {name}")
            target = to / f"{stem}.otio"
            write_text(target, otio_text(timeline, to) + "\n")
            made.append(target)
            if not edl:
                continue
            lists = edit_lists(timeline, to)
            left_out += lists.left_out
            for track, text in lists.texts.items():
                target = to / f"{stem} {track}.edl"
                write_text(target, text)
                made.append(target)
    return CutsWritten(tuple(made), tuple(left_out))


def write_picks(batch: Batch, path: Path, to: Path, workspace: Workspace, sources: list[str]) -> int:
    """The ranges of some sources, one after another as clips of one OTIO sequence; how many there were.

    Parameters
    ----------
    batch
        The batch.
    path
        The file's.
    to
        The file to write.
    workspace
        What is kept of all batches.
    sources
        Ids of the sources.

    Raises
    ------
    ChronocastError
        A source can't be used, there are no ranges, or the file can't be written.
    """
    from chronocast.timeline.write import clip_timeline, picks_text

    folder = path.absolute().parent
    prospect = prepare(batch, folder, workspace)
    picks = []
    for source in batch.sources:
        if source.id not in sources:
            continue
        ready = prospect.sources.get(source.id)
        if ready is None:
            raise ModelError(f"{source.name} can't be written: {_why(prospect, source.id)}")
        whole = ready.timeline or clip_timeline(ready.cut, source.name)
        picks += [(part.name, whole, FrameRange(part.start, part.stop)) for part in source.ranges]
    if not picks:
        raise ModelError("There are no ranges to write.", "Mark some first.")
    write_text(to, picks_text(to.stem, picks, to.absolute().parent) + "\n")
    return len(picks)


def _why(prospect: Prospect, source: str) -> str:
    return next((p.told for p in prospect.problems if p.source == source), "it was not read.")
