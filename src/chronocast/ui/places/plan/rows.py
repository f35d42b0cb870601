"""The rows of *Plan*, in plain Python: sources and their named ranges, and what is said of each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import NamedTuple

from chronocast.model.batch.batch import FULL, Batch, NamedRange, Source
from chronocast.model.batch.extent import Extent
from chronocast.model.source.source_clock import SourceClock
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.problem import Problem
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.ui.source_told import told_of_source

Ends = Mapping[tuple[str, int, int], str]


@dataclass(frozen=True)
class Row:
    """A source, or a named range of one."""

    source: str
    part: str
    title: str
    facts: str
    problem: str = ""
    frames: tuple[int, ...] = ()
    fingerprint: str = ""
    indented: bool = False
    notes: int = 0
    seconds: float = 0.0
    bytes: int = 0
    found_by: str = ""


class _Asked(NamedTuple):
    """All that rows rest on: while it is the very same, so are they."""

    sources: tuple[Source, ...]
    ready: tuple[SourceReady | None, ...]
    problems: tuple[Problem, ...]
    ends: Ends

    def same(self, other: _Asked) -> bool:
        """Whether the rows are those of another time."""
        return (
            self.sources is other.sources
            and all(one is two for one, two in zip(self.ready, other.ready, strict=True))
            and (self.problems, self.ends) == (other.problems, other.ends)
        )


_last: list[tuple[_Asked, tuple[Row, ...]]] = []
"""What was shown last: an edit of the cells of a thousand sources changes none of their rows."""


def rows_of(batch: Batch, prospect: Prospect | None, ends: Ends) -> tuple[Row, ...]:
    """A row for each source and each of its ranges; the very same ones as before where nothing of them has changed.

    Parameters
    ----------
    batch
        The batch.
    prospect
        What is known of its sources.
    ends
        What is wrong at the ends of ranges, by source, first frame and the one after the last.
    """
    known = prospect.sources if prospect else {}
    problems = tuple(one for one in prospect.problems if not one.output) if prospect else ()
    asked = _Asked(batch.sources, tuple(known.get(one.id) for one in batch.sources), problems, ends)
    for before, rows in _last:
        if asked.same(before):
            return rows
    rows = _rows(batch, asked)
    _last[:] = [(asked, rows)]
    return rows


def _rows(batch: Batch, asked: _Asked) -> tuple[Row, ...]:
    told_of: dict[str, list[Problem]] = {}
    for told in asked.problems:  # what is about one file is said at its cell
        told_of.setdefault(told.source, []).append(told)
    rows: list[Row] = []
    folders = _folders_apart(batch)
    for source, ready in zip(asked.sources, asked.ready, strict=True):
        facts, mark, seconds, size, words = "looking at it…", "", 0.0, 0, source.path
        frames: tuple[int, ...] = ()
        mine = told_of.get(source.id, [])
        problem = next((told for told in mine if told.blocks), None)
        notes = sum(not told.blocks for told in mine)
        if ready is not None:
            facts, frames, mark, seconds, size, words = told_of_source(ready)
        elif problem:
            facts = problem.sentence
        if source.id in folders:
            facts = f"in {folders[source.id]} · {facts}"
        rows.append(
            Row(
                source.id,
                FULL,
                source.name,
                facts,
                f"{problem.sentence} {problem.remedy}" if problem else "",
                frames,
                mark,
                notes=notes,
                seconds=seconds,
                bytes=size,
                found_by=words,
            )
        )
        for part in source.ranges:
            wrong = asked.ends.get((source.id, part.start, part.stop), "")
            rows.append(
                Row(
                    source.id,
                    part.id,
                    part.name,
                    _part_facts(part, ready, wrong),
                    indented=True,
                    notes=int(bool(wrong)),
                )
            )
    return tuple(rows)


def _folders_apart(batch: Batch) -> dict[str, str]:
    """For sources that are called as another one, by their ids: the part of their folders that tells them apart."""
    called: dict[str, list[Source]] = {}
    for source in batch.sources:
        called.setdefault(source.name.lower(), []).append(source)
    found = {}
    for sources in called.values():
        if len(sources) < 2:
            continue
        folders = [PurePosixPath(source.path).parent.parts for source in sources]
        deep = 1
        while deep < max(map(len, folders)) and len({parts[-deep:] for parts in folders}) < len(set(folders)):
            deep += 1
        for source, parts in zip(sources, folders, strict=True):
            found[source.id] = "/".join(parts[-deep:]) or "the batch's folder"
    return found


def _part_facts(part: NamedRange, ready: SourceReady | None, wrong: str) -> str:
    """A range in words: what kind, how long, how much of the whole; where it begins, or what is wrong at its ends."""
    if ready is None:
        return wrong
    cut = ready.cut
    extent = Extent(part.kind, part.stop - part.start, cut.frames, cut.rate)
    return f"{extent.text} · {wrong or f'from {SourceClock.of(cut).timecode(part.start)}'}"
