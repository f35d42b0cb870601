"""What *Range* says of one source, in plain Python: its clock, its ranges, the files that will be made.  Tested without Qt."""

from __future__ import annotations

from dataclasses import dataclass, field

from chronocast.model.batch.batch import FULL, Batch, Source
from chronocast.model.batch.edits import fill
from chronocast.model.batch.extent import Extent
from chronocast.model.batch.ranges import WithRange, add_pick, next_name
from chronocast.model.picture.colour import told as colour_told
from chronocast.model.show import rate_bits_text, size_text, time_text
from chronocast.model.source.cutlist import Marked
from chronocast.model.source.range_ends import End
from chronocast.model.source.shown_clips import shots
from chronocast.model.source.source_clock import SourceClock
from chronocast.model.source.wording import scan_told, size_told
from chronocast.model.time.timing import FrameRange, rate_text
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import together
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.ui.places.plan.headline import difference

DRAFT = "draft"


@dataclass(frozen=True)
class RangeRow:
    """A range of the source: the whole, a saved one, or the marks not yet taken (``DRAFT``)."""

    part: str
    name: str
    extent: Extent
    start: int
    stop: int
    first_text: str
    last_text: str
    length_text: str
    recipes: tuple[tuple[str, bool], ...] = ()
    note: str = ""

    @property
    def kind(self) -> str:
        return "not taken" if self.part == DRAFT else self.extent.kind

    @property
    def range(self) -> FrameRange:
        return FrameRange(self.start, self.stop)


@dataclass(frozen=True)
class MadeFile:
    """A file that will be made of the source."""

    output: str
    part: str
    recipe: str
    name: str
    extent: str
    full: bool
    time: str
    size: str
    change: str = ""
    kept_share: float = 0.0
    framed: bool = False
    held: bool = False
    problem: str = ""
    draft: bool = False


@dataclass(frozen=True)
class RangeSheet:
    """Everything *Range* says of a source."""

    source: str
    title: str
    facts: str
    notes: tuple[str, ...]
    clock: SourceClock
    rows: tuple[RangeRow, ...]
    files: tuple[MadeFile, ...]
    total: str
    recipes: tuple[tuple[str, str], ...]
    marked: tuple[Marked, ...] = ()
    shots: tuple[int, ...] = ()
    clips: int = 0
    sequence: bool = False
    problem: str = ""
    ends: dict[str, tuple[End | None, End | None]] = field(default_factory=dict)

    def row(self, part: str) -> RangeRow | None:
        return next((row for row in self.rows if row.part == part), None)

    def file(self, output: str) -> MadeFile | None:
        return next((made for made in self.files if made.output == output), None)


@dataclass(frozen=True)
class Draft:
    """Marks that were set and not taken yet; either may be missing."""

    start: int | None = None
    stop: int | None = None

    def part(self, frames: int) -> FrameRange | None:
        """The range they mean: from the beginning, or to the end, where only one is set; None where they make none."""
        if self.start is None and self.stop is None:
            return None
        start = self.start if self.start is not None else 0
        stop = self.stop if self.stop is not None else frames
        return FrameRange(start, stop) if 0 <= start < stop <= frames else None


def _facts(source: Source, ready: SourceReady) -> str:
    cut = ready.cut
    clock = SourceClock.of(cut)
    told = [f"{cut.width}×{cut.height}", f"{rate_text(cut.rate)} frames/s", colour_told(cut.colour)]
    if not any(clip.frames for clip in ready.facts.values()):
        told = [f"sound only, no picture, counted at {rate_text(cut.rate)} frames/s"]
    if source.kind == "clip":
        (clip,) = ready.facts.values()
        if clip.frames:
            told[0] = size_told(clip)
        shown = (
            [f"{clip.video_codec} {rate_bits_text(clip.bit_rate)}", scan_told(clip)] if clip.frames else []
        )
        told += [*shown, size_text(clip.bytes)]
        told.append(", ".join(f"{a.codec} {a.layout or a.channels}" for a in clip.audio) or "no sound")
    else:
        told += [
            f"{sum(bool(shot.media) for shot in shots(cut))} clips",
            f"{len(ready.facts)} files",
            "sound" if cut.sound else "no sound",
        ]
    told.append(f"starts {clock.timecode(0)}")
    return " · ".join(told)


def range_sheet(
    batch: Batch,
    prospect: Prospect | None,
    view: Outlook | None,
    *,
    before: Outlook | None,
    source: str,
    draft: Draft | None = None,
    ends: dict[tuple[int, int], tuple[End | None, End | None]] | None = None,
) -> RangeSheet | None:
    """The sheet of one source; None for one that isn't in the batch.  ``ends`` is what was seen at the ends of ranges."""
    owner = batch.source(source)
    if owner is None:
        return None
    ready = prospect.sources.get(source) if prospect else None
    recipes = tuple((recipe.id, recipe.title) for recipe in batch.recipes)
    if ready is None:
        mine = [p for p in (prospect.problems if prospect else ()) if p.source == owner.id and p.blocks]
        problem = f"{mine[0].sentence} {mine[0].remedy}".strip() if mine else ""
        return RangeSheet(
            source,
            owner.name,
            problem or "looking at it…",
            (),
            SourceClock(),
            (),
            (),
            "",
            recipes,
            problem=problem,
        )
    cut, clock = ready.cut, SourceClock.of(ready.cut)
    seen = ends or {}

    filled = {(o.range, o.recipe) for o in batch.outputs if o.source == source}

    def row(part: str, name: str, kind: str, start: int, stop: int) -> RangeRow:
        extent = Extent(kind, max(0, min(stop, cut.frames) - start), cut.frames, cut.rate)
        asked = tuple((recipe, (part, recipe) in filled) for recipe, _ in recipes)
        wrong = seen.get((start, stop), (None, None))
        note = " ".join(end.told(last) for end, last in zip(wrong, (False, True), strict=True) if end)
        if stop > cut.frames:
            note = f"It ends {stop - cut.frames} frames beyond the source."
        return RangeRow(
            part,
            name,
            extent,
            start,
            stop,
            clock.timecode(start),
            clock.timecode(stop - 1),
            clock.length(stop - start),
            asked,
            note,
        )

    rows = [row(FULL, "The whole", FULL, 0, cut.frames)]
    rows += [row(part.id, part.name, part.kind, part.start, part.stop) for part in owner.ranges]
    marks = draft.part(cut.frames) if draft else None
    if marks:
        rows.append(row(DRAFT, "Marked here", "trim", marks.start, marks.stop))
    taken = {(part.start, part.stop) for part in owner.ranges}
    notes = (
        [
            told.sentence
            for told in prospect.problems
            if told.source == owner.id and not (told.blocks or told.output)
        ]
        if prospect
        else []
    )
    edges = tuple(shot.part.start for shot in shots(cut)[1:])
    files, total = _files(batch, prospect, view, before, owner)
    return RangeSheet(
        source,
        owner.name,
        _facts(owner, ready),
        tuple(notes),
        clock,
        tuple(rows),
        files,
        total,
        recipes,
        tuple(mark for mark in cut.marked if (mark.start, mark.stop) not in taken),
        edges,
        sum(bool(shot.media) for shot in shots(cut)),
        owner.kind == "sequence",
    )


def _files(
    batch: Batch, prospect: Prospect | None, view: Outlook | None, before: Outlook | None, owner: Source
) -> tuple[tuple[MadeFile, ...], str]:
    known = {item.ready.output.id: item for item in view.outputs} if view else {}
    old = {item.ready.output.id: item for item in before.outputs} if before else {}
    order = {FULL: 0, **{part.id: n + 1 for n, part in enumerate(owner.ranges)}}
    found = []
    outputs = [output for output in batch.outputs if output.source == owner.id]
    prepared = {item.output.id: item for item in prospect.outputs} if prospect else {}
    for output in sorted(outputs, key=lambda o: order.get(o.range, 0)):
        ready = prepared.get(output.id)
        item, was = known.get(output.id), old.get(output.id)
        change = ""
        if item and was and was is not item:
            moved = (
                difference(item.seconds.likely - was.seconds.likely, "seconds"),
                difference(item.bytes.likely - was.bytes.likely, "bytes"),
            )
            change = ", ".join(part for part in moved if part)
        recipe = batch.made_by(output) if batch.recipe(output.recipe) else None
        found.append(
            MadeFile(
                output.id,
                output.range,
                recipe.title if recipe else output.recipe,
                ready.path.name if ready else output.name or output.id,
                ready.extent.text if ready else "",
                output.range == FULL,
                "held"
                if output.held
                else "made"
                if item and item.made
                else time_text(item.seconds.likely)
                if item
                else "…",
                size_text(item.bytes.likely) if item else "",
                change,
                item.kept_share if item else 0.0,
                output.framing is not None,
                output.held,
                "" if ready or view is None else "can't be made",
            )
        )
    count = len(found)
    whole = [known[made.output] for made in found if made.output in known]
    told = f"{count} file{'s' if count != 1 else ''}" if count else "No file is made of it yet"
    if whole:
        seconds, size = together(whole)
        told += f" · {time_text(seconds.likely)} of work · {size_text(size.likely)}"
    return tuple(found), told


def with_draft(
    batch: Batch,
    source: str,
    draft: FrameRange,
    recipes: tuple[str, ...],
    *,
    instead: bool = False,
    name: str = "",
) -> WithRange:
    """The batch with marks taken as a range: beside the whole, with outputs of some recipes, or instead of it.

    Instead of the whole, what was to be made of the whole is made of the range.  ``name`` is what it is called; one
    is proposed where none is given.
    """
    owner = batch.source(source)
    assert owner is not None
    name = name.strip() or next_name(owner, "Trim" if instead else "Pick")
    if not instead:
        return add_pick(batch, source, name, draft, recipes)
    moved = [output for output in batch.outputs if (output.source, output.range) == (source, FULL)]
    wanted = [output.recipe for output in moved] or list(recipes)
    batch, made = add_pick(batch, source, name, draft, wanted)
    framed = {output.recipe: output for output in moved}
    outputs = tuple(
        o.model_copy(update={"framing": framed[o.recipe].framing, "held": framed[o.recipe].held})
        if (o.source, o.range) == (source, made) and o.recipe in framed
        else o
        for o in batch.outputs
    )
    batch = batch.model_copy(update={"outputs": outputs})
    return WithRange(fill(batch, [(source, FULL, output.recipe) for output in moved], False), made)
