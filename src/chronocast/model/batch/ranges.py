"""Edits of a source's ranges, and of how outputs of them are framed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence, Set
from typing import NamedTuple

from chronocast.model.batch.batch import FULL, Batch, Framing, NamedRange, RangeKind, Source
from chronocast.model.batch.edits import WithNew, change_outputs, fill, identifier
from chronocast.model.errors import ModelError
from chronocast.model.source.cutlist import Marked
from chronocast.model.source.shown_clips import Shot
from chronocast.model.time.timing import FrameRange

MOST_RANGES = 2000


class WithRange(NamedTuple):
    """A batch with one more range, and the range's id."""

    batch: Batch
    range: str


def _owner(batch: Batch, source: str) -> Source:
    owner = batch.source(source)
    if owner is None:
        raise ModelError(f"There is no source “{source}” in this batch.")
    return owner


def _with(batch: Batch, owner: Source, ranges: Iterable[NamedRange]) -> Batch:
    new = owner.model_copy(update={"ranges": tuple(ranges)})
    return batch.model_copy(
        update={"sources": tuple(new if item.id == owner.id else item for item in batch.sources)}
    )


def checked(start: int, stop: int, frames: int, what: str) -> FrameRange:
    """A range that lies in a source of ``frames`` frames.

    Parameters
    ----------
    start
        The first frame.
    stop
        The frame after the last one.
    frames
        The source's length.
    what
        What it is called in the sentence.

    Raises
    ------
    ModelError
        It is empty, turned round, or reaches out of the source; the sentence says which.
    """
    if frames <= 0:
        raise ModelError(f"{what} has no pictures to choose from.")
    if start < 0:
        raise ModelError(f"The in point lies {-start} frames before {what} begins.", "Choose a later one.")
    if stop > frames:
        raise ModelError(
            f"The out point lies {stop - frames} frames beyond the end of {what}, which has {frames}.",
            "Choose an earlier one.",
        )
    if stop == start:
        raise ModelError("In and out are the same: the range would have no frames.", "Leave at least one.")
    if stop < start:
        raise ModelError(
            f"The out point lies {start - stop} frames before the in point.",
            "Set the in point earlier, or the out later.",
        )
    return FrameRange(start, stop)


def _unlike(wanted: str, taken: Set[str]) -> str:
    wanted = " ".join(wanted.split())[:74] or "Range"
    name, number = wanted, 2
    while name.casefold() in taken:
        name, number = f"{wanted} {number}", number + 1
    return name


def unused_name(owner: Source, wanted: str) -> str:
    """A name for a range unlike those its source has, whatever their case."""
    return _unlike(wanted, {part.name.casefold() for part in owner.ranges} | {FULL})


def next_name(owner: Source, word: str) -> str:
    """``Pick 1``, ``Pick 2`` and so on, the first that is free."""
    taken = {part.name.casefold() for part in owner.ranges}
    number = 1
    while f"{word} {number}".casefold() in taken:
        number += 1
    return f"{word} {number}"


def add_range(batch: Batch, source: str, name: str, part: FrameRange, kind: RangeKind = "trim") -> WithRange:
    """The batch with one more range of a source, and the range's id; names are made unlike.

    Parameters
    ----------
    batch
        The batch.
    source
        A source's id.
    name
        What it is called.
    part
        The range, in frames of the source.
    kind
        Where it comes from.

    Raises
    ------
    ModelError
        No such source, an empty range, or too many of them.
    """
    owner = _owner(batch, source)
    if not len(part):
        raise ModelError("A range needs at least one frame.")
    if len(owner.ranges) >= MOST_RANGES:
        raise ModelError(f"{owner.name} has {MOST_RANGES} ranges already.", "Remove some first.")
    name = unused_name(owner, name)
    made = NamedRange(
        id=identifier(name, [FULL, *(item.id for item in owner.ranges)], "range"),
        name=name,
        start=part.start,
        stop=part.stop,
        kind=kind,
    )
    return WithRange(_with(batch, owner, (*owner.ranges, made)), made.id)


def change_range(batch: Batch, source: str, part: str, new: FrameRange) -> Batch:
    """The batch with other ends for a range; one that was marked or a clip becomes a trim.

    Parameters
    ----------
    batch
        The batch.
    source
        A source's id.
    part
        A range's id; *full* for the whole.
    new
        Its ends, in frames of the source.

    Raises
    ------
    ModelError
        No such range, or an empty one.
    """
    owner = _owner(batch, source)
    have = owner.part(part)
    if have is None:
        raise ModelError(f"{owner.name} has no range “{part}”.")
    if not len(new):
        raise ModelError("A range needs at least one frame.")
    if (have.start, have.stop) == (new.start, new.stop):
        return batch
    changed = have.model_copy(update={"start": new.start, "stop": new.stop, "kind": "trim"})
    return _with(batch, owner, (changed if item.id == part else item for item in owner.ranges))


def rename_range(batch: Batch, source: str, part: str, name: str) -> Batch:
    """The batch with another name for a range, made unlike the others.

    Parameters
    ----------
    batch
        The batch.
    source
        A source's id.
    part
        A range's id; *full* for the whole.
    name
        What it is called.

    Raises
    ------
    ModelError
        No such range, or no name.
    """
    owner = _owner(batch, source)
    have = owner.part(part)
    if have is None:
        raise ModelError(f"{owner.name} has no range “{part}”.")
    if not name.strip():
        raise ModelError("A range needs a name.", "Files are named after it.")
    others = owner.model_copy(update={"ranges": tuple(item for item in owner.ranges if item.id != part)})
    changed = have.model_copy(update={"name": unused_name(others, name)})
    return _with(batch, owner, (changed if item.id == part else item for item in owner.ranges))


def remove_ranges(batch: Batch, source: str, parts: Iterable[str]) -> Batch:
    """The batch without some ranges of a source and what was to be made of them.

    Parameters
    ----------
    batch
        The batch.
    source
        A source's id.
    parts
        Ids of the ranges.
    """
    owner = _owner(batch, source)
    gone = set(parts)
    batch = _with(batch, owner, (item for item in owner.ranges if item.id not in gone))
    kept = tuple(o for o in batch.outputs if o.source != source or o.range not in gone)
    return batch.model_copy(update={"outputs": kept})


def add_pick(batch: Batch, source: str, name: str, part: FrameRange, recipes: Iterable[str]) -> WithRange:
    """A range together with outputs of it, one for each recipe.

    Parameters
    ----------
    batch
        The batch.
    source
        A source's id.
    name
        What it is called.
    part
        The range, in frames of the source.
    recipes
        Ids of the recipes it is made by.

    Raises
    ------
    ModelError
        As ``add_range``.
    """
    batch, made = add_range(batch, source, name, part)
    return WithRange(fill(batch, [(source, made, recipe) for recipe in recipes]), made)


def take_marked(batch: Batch, source: str, marks: Iterable[Marked], recipes: Sequence[str]) -> WithNew:
    """Ranges of what a source marks of itself and isn't a range yet, with outputs of them; the ids of the new ones.

    Parameters
    ----------
    batch
        The batch.
    source
        A source's id.
    marks
        The ranges that the source marks of itself.
    recipes
        Ids of the recipes they are made by.

    Raises
    ------
    ModelError
        As ``add_range``.
    """
    taken = {(part.start, part.stop) for part in _owner(batch, source).ranges}
    made = []
    for mark in marks:
        if (mark.start, mark.stop) not in taken:
            batch, part = add_range(batch, source, mark.name, FrameRange(mark.start, mark.stop), "marked")
            batch = fill(batch, [(source, part, recipe) for recipe in recipes])
            made.append(part)
    return WithNew(batch, made)


def one_for_each_clip(
    batch: Batch, source: str, clips: Sequence[Shot], recipes: Iterable[str], instead: bool
) -> Batch:
    """A range for each clip of a sequence with outputs of it; ``instead`` takes away those of the whole.

    Ranges that are there already with the same ends are used, not doubled.

    Parameters
    ----------
    batch
        The batch.
    source
        A source's id.
    clips
        Its clips.
    recipes
        Ids of the recipes they are made by.
    instead
        Whether the whole is no longer asked for.

    Raises
    ------
    ModelError
        As ``add_range``.
    """
    wanted = list(recipes)
    if len(clips) > MOST_RANGES:
        raise ModelError(
            f"The sequence has {len(clips):,} clips; at most {MOST_RANGES:,} can each become a file.",
            "Make ranges of it, and files of those.",
        )
    cells = []
    owner = _owner(batch, source)
    parts = {(part.start, part.stop): part.id for part in owner.ranges}
    identifiers = {FULL, *(part.id for part in owner.ranges)}
    taken = {FULL, *(part.name.casefold() for part in owner.ranges)}
    made: list[NamedRange] = []
    width = len(str(len(clips)))
    for number, (title, part) in enumerate((clip.name, clip.part) for clip in clips):
        if (part.start, part.stop) not in parts:
            name = _unlike(f"{number + 1:0{width}d} {title}", taken)
            new = NamedRange(
                id=identifier(name, identifiers, "range"),
                name=name,
                start=part.start,
                stop=part.stop,
                kind="clip",
            )
            taken.add(name.casefold())
            identifiers.add(new.id)
            parts[(part.start, part.stop)] = new.id
            made.append(new)
        cells += [(source, parts[(part.start, part.stop)], recipe) for recipe in wanted]
    batch = _with(batch, owner, (*owner.ranges, *made))
    if instead:
        batch = fill(batch, [(source, FULL, recipe) for recipe in wanted], False)
    return fill(batch, cells)


def set_framing(batch: Batch, outputs: Iterable[str], framing: Framing | None) -> Batch:
    """The batch with some outputs framed in one way; None is as their recipes say.

    Parameters
    ----------
    batch
        The batch.
    outputs
        Their ids.
    framing
        How they are framed; None for as their recipes say.
    """
    said = None if framing is None or framing.plain else framing
    return change_outputs(batch, outputs, {"framing": said})
