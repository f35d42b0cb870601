"""``ranges``: the parts of a batch's sources; ``frame``: how an output is framed."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from chronocast.cli.answers import save, workspace
from chronocast.journal.films.facts import FactsStore
from chronocast.journal.library import needed_recipe
from chronocast.model.batch.batch import Batch, Framing
from chronocast.model.batch.edits import WithNew
from chronocast.model.batch.framing import crop_share, framed, with_centre, with_crop
from chronocast.model.batch.ranges import (
    WithRange,
    add_pick,
    change_range,
    one_for_each_clip,
    remove_ranges,
    rename_range,
    set_framing,
    take_marked,
)
from chronocast.model.errors import ModelError
from chronocast.model.source.shown_clips import media_shots
from chronocast.model.time.timing import FrameRange
from chronocast.preparation.ranging import RangeTold, look_at, ready, told, typed_range
from chronocast.preparation.source.source_ready import framing_view


def _store() -> FactsStore:
    return workspace().facts


def _recipes(batch: Batch, names: list[str]) -> Batch:
    """The batch with recipes that it hasn't yet and that are saved."""
    from chronocast.model.batch.edits import add_recipe

    for name in names:
        if batch.recipe(name) is None:
            batch = add_recipe(batch, needed_recipe(workspace().library, name))
    return batch


def as_json(item: RangeTold) -> dict[str, Any]:
    """A range as ``ranges`` answers it."""
    return {
        "source": item.source,
        "range": item.part,
        "name": item.name,
        "kind": item.extent.kind,
        "start": item.start,
        "stop": item.stop,
        "frames": item.extent.frames,
        "of": item.extent.whole,
        "rate": str(item.extent.rate),
        "first": item.first_timecode,
        "last": item.last_timecode,
        "outputs": list(item.outputs),
        "problems": item.notes,
    }


def list_ranges(batch: Batch, path: Path, sources: list[str], look: bool) -> list[RangeTold]:
    """The ranges of some sources, or of all that can be used."""
    store = _store()
    return [
        item
        for source in batch.sources
        if not sources or source.id in sources
        for item in told(batch, ready(batch, path, store, source.id), look)
    ]


def print_ranges(found: list[RangeTold]) -> None:
    """Lines for people."""
    before = ""
    for item in found:
        if item.source != before:
            before = item.source
            sys.stdout.write(f"{item.source}\n")
        files = f"{len(item.outputs)} file{'s' if len(item.outputs) != 1 else ''}"
        sys.stdout.write(
            f"  {item.part:18} {item.name[:24]:24} {item.first_timecode} to {item.last_timecode}  {files:8} {item.extent.text}\n"
        )
        for note in item.notes:
            sys.stdout.write(f"  ! {note} `ranges mend` leaves out what is stray.\n")


def add(
    batch: Batch, path: Path, source: str, *, name: str, first: str, last: str, recipes: list[str]
) -> WithRange:
    """One more range, with outputs of it.

    Raises
    ------
    ChronocastError
        No such source, range or recipe, or the batch can't be saved.
    """
    part = typed_range(ready(batch, path, _store(), source), first, last)
    batch = _recipes(batch, recipes)
    batch, made = add_pick(batch, source, name, part, recipes)
    save(batch, path)
    return WithRange(batch, made)


def marked(batch: Batch, path: Path, source: str, recipes: list[str]) -> tuple[Batch, list[str]]:
    """What a source marks of itself, as ranges with outputs of them.

    Raises
    ------
    ChronocastError
        As ``add``.
    """
    marks = ready(batch, path, _store(), source).cut.marked
    batch = _recipes(batch, recipes)
    batch, made = take_marked(batch, source, marks, recipes)
    save(batch, path)
    return WithNew(batch, made)


def change(batch: Batch, path: Path, source: str, *, part: str, first: str, last: str, name: str) -> Batch:
    """Other ends, or another name, for a range.

    Raises
    ------
    ChronocastError
        As ``add``.
    """
    have = ready(batch, path, _store(), source)
    if first or last:
        batch = change_range(batch, source, part, typed_range(have, first, last, _now(batch, source, part)))
    if name:
        batch = rename_range(batch, source, part, name)
    save(batch, path)
    return batch


def _now(batch: Batch, source: str, part: str) -> FrameRange:
    owner = batch.source(source)
    have = owner.part(part) if owner else None
    if owner is None or have is None:
        there = ", ".join(item.id for item in owner.ranges) if owner else ""
        raise ModelError(f"There is no range “{part}” of “{source}”.", f"There are: {there or 'none'}.")
    return FrameRange(have.start, have.stop)


def mend(batch: Batch, path: Path, source: str, part: str) -> list[str]:
    """Leave out stray pictures at a range's ends; what they were.

    Raises
    ------
    ChronocastError
        As ``add``.
    """
    have, now = ready(batch, path, _store(), source), _now(batch, source, part)
    now = FrameRange(now.start, min(now.stop, have.cut.frames))
    first, last = look_at(have, now)
    new = FrameRange(now.start + (first.frames if first else 0), now.stop - (last.frames if last else 0))
    batch = change_range(batch, source, part, new)
    save(batch, path)
    return [end.told(is_last) for end, is_last in ((first, False), (last, True)) if end]


def remove(batch: Batch, path: Path, source: str, part: str) -> Batch:
    """Without a range, and without what was to be made of it.

    Raises
    ------
    ChronocastError
        As ``add``.
    """
    _now(batch, source, part)
    batch = remove_ranges(batch, source, [part])
    save(batch, path)
    return batch


def for_each_clip(
    batch: Batch, path: Path, source: str, *, recipes: list[str], instead: bool, look: bool
) -> Batch:
    """One file for each clip of a sequence; with ``look`` nothing is saved.

    Raises
    ------
    ChronocastError
        As ``add``; or it is no sequence of several clips.
    """
    have = ready(batch, path, _store(), source)
    clips = media_shots(have.cut)
    if have.source.kind != "sequence" or len(clips) < 2:
        raise ModelError(f"{have.source.name} is no sequence of several clips.", "Add ranges of it instead.")
    batch = _recipes(batch, recipes)
    batch = one_for_each_clip(batch, source, clips, recipes, instead)
    if not look:
        save(batch, path)
    return batch


def frame(
    batch: Batch, path: Path, outputs: list[str], *, placing: str, crop: str, centres: list[str], reset: bool
) -> list[dict[str, Any]]:
    """Frame outputs; what comes of each, in numbers.

    Raises
    ------
    ChronocastError
        No such output, a crop or centre that makes no sense, or the batch can't be saved.
    """
    store = _store()
    said = []
    for name in outputs:
        output = batch.output(name)
        if output is None:
            raise ModelError(f"There is no output “{name}” in this batch.", "`forecast` lists them.")
        recipe = batch.recipe(output.recipe)
        have = ready(batch, path, store, output.source)
        assert recipe
        canvas = (have.cut.width, have.cut.height)
        framing = Framing() if reset or output.framing is None else output.framing
        if placing:
            if placing not in ("fit", "fill", "stretch"):
                raise ModelError(
                    f"“{placing}” is no way to place a picture.", "There are: fit, fill, stretch."
                )
            framing = framing.model_copy(update={"placing": placing})
        if crop:
            sides = crop.split(",")
            if len(sides) != 4:
                raise ModelError(
                    f"“{crop}” is not a crop.", "Give left,top,right,bottom in pixels or percent."
                )
            framing = with_crop(framing, *(crop_share(side, canvas[n % 2]) for n, side in enumerate(sides)))
        for text in centres:
            framing = _with_centre(framing, text)
        batch = set_framing(batch, [name], framing)
        if recipe.picture is None:
            raise ModelError(f"{name} is sound only; there is nothing to frame.")
        found = framed(canvas, framing_view(framing, recipe), recipe.picture.size)
        said.append(
            {
                "output": name,
                "width": found.output[0],
                "height": found.output[1],
                "taken": list(found.lies.crop),
                "bars": list(found.bars),
                "told": found.told(),
                "problems": found.warnings(),
            }
        )
    save(batch, path)
    return said


def _with_centre(framing: Framing, text: str) -> Framing:
    """``FRAME=X,Y`` with X and Y in percent of the picture."""
    number, _, place = text.partition("=")
    x, _, y = place.partition(",")
    try:
        at, across, down = int(number), float(x.strip(" %")) / 100, float(y.strip(" %")) / 100
    except ValueError:
        raise ModelError(f"“{text}” is no centre.", "Write it as FRAME=X,Y in percent: 0=30,50.") from None
    if at < 0 or not (0 <= across <= 1 and 0 <= down <= 1):
        raise ModelError(f"The centre “{text}” lies outside the picture.", "Give percent from 0 to 100.")
    return with_centre(framing, at, across, down, True)
