"""What *Plan* says, in plain Python: rows, columns, cells, totals, headline.  Tested without Qt."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime

from chronocast.model.batch import FULL, Batch, Output
from chronocast.model.recipe import Recipe
from chronocast.model.show import clock_text, rate_bits_text, size_text, time_text
from chronocast.model.timing import rate_text
from chronocast.run.outlook import Outlook, OutputOutlook, clock
from chronocast.run.prepare import Prospect


@dataclass(frozen=True)
class Row:
    """A source, or a named range of one."""

    source: str
    part: str
    title: str
    facts: str
    problem: str = ""
    frames: tuple[tuple[str, int], ...] = ()
    fingerprint: str = ""
    indented: bool = False


@dataclass(frozen=True)
class Column:
    """A recipe."""

    recipe: str
    title: str
    facts: str


@dataclass(frozen=True)
class Cell:
    """A possible output.  Shares are of the column's largest."""

    output: str = ""
    held: bool = False
    time: str = ""
    size: str = ""
    time_share: float = 0.0
    size_share: float = 0.0
    kept_share: float = 0.0
    made: bool = False
    problem: str = ""
    waiting: bool = False

    @property
    def filled(self) -> bool:
        return bool(self.output)


@dataclass(frozen=True)
class Headline:
    """The three answers, and what is saved."""

    finished: str = "…"
    finished_more: str = ""
    size: str = "…"
    size_more: str = ""
    room: str = "…"
    room_more: str = ""
    room_ok: bool = True
    saved: str = ""
    saved_more: str = ""
    fan: tuple[tuple[float, float, float], ...] = ()
    begin: int = 0
    sentence: str = ""


@dataclass(frozen=True)
class PlanModel:
    """All of it."""

    title: str
    rows: tuple[Row, ...]
    columns: tuple[Column, ...]
    cells: dict[tuple[int, int], Cell]
    totals: tuple[str, ...]
    headline: Headline
    problems: tuple[str, ...] = field(default=())

    def cell(self, row: int, column: int) -> Cell:
        return self.cells.get((row, column), Cell())

    def place(self, output: str) -> tuple[int, int] | None:
        """Row and column of an output."""
        return next((key for key, cell in self.cells.items() if cell.output == output), None)


def recipe_facts(recipe: Recipe) -> str:
    """A recipe in a few words: size, codec, rate."""
    size = recipe.picture.size
    where = {
        "source": "as source",
        "ceiling": f"up to {size.height}",
        "fixed": f"{size.width}×{size.height}",
    }[size.mode]
    control = recipe.picture.rate_control
    rate = (
        f"quality {control.quality:g}"
        if control.mode == "quality"
        else rate_bits_text(control.target_bits_per_second)
    )
    return f"{where} · H.264 · {rate}" + ("" if recipe.sound else " · no sound")


def plan_model(
    batch: Batch, prospect: Prospect | None, view: Outlook | None, before: Outlook | None = None
) -> PlanModel:
    """What *Plan* says of a batch.  ``prospect`` and ``view`` may still be missing or be of the batch before an edit."""
    problems = {problem.where: problem for problem in (prospect.problems if prospect else ())}
    rows: list[Row] = []
    for source in batch.sources:
        ready = prospect.sources.get(source.id) if prospect else None
        facts, mark = "looking at it…", ""
        frames: tuple[tuple[str, int], ...] = ()
        problem = problems.get(source.name)
        if ready is not None:
            cut = ready.cut
            kind = f"{len(cut.picture)} edits" if source.kind == "sequence" else rate_text(cut.rate)
            silent = "" if cut.sound else " · no sound"
            facts = f"{cut.width}×{cut.height} · {kind} · {time_text(float(cut.frames / cut.rate))}{silent}"
            shown = [cut.media_frame(round(cut.frames * at)) for at in (0.36, 0.62)]
            frames = tuple((media.path, frame) for item in shown if item for media, frame in [item])
            mark = "-".join(dict.fromkeys(m.fingerprint for m in cut.media))[:64] + f"-{cut.frames}"
        elif problem:
            facts = problem.sentence
        rows.append(
            Row(
                source.id,
                FULL,
                source.name,
                facts,
                f"{problem.sentence} {problem.remedy}" if problem else "",
                frames,
                mark,
            )
        )
        for part in source.ranges:
            length = time_text(float((part.stop - part.start) / ready.cut.rate)) if ready else ""
            rows.append(Row(source.id, part.id, part.name, f"{length} of {source.name}", indented=True))
    columns = tuple(Column(recipe.id, recipe.name, recipe_facts(recipe)) for recipe in batch.recipes)
    places = {(row.source, row.part): n for n, row in enumerate(rows)}
    recipes = {column.recipe: n for n, column in enumerate(columns)}
    outlooks = {item.ready.output.id: item for item in view.outputs} if view else {}
    cells = _cells(batch.outputs, places, recipes, outlooks, bool(view))
    totals = []
    for column in columns:
        group = [outlooks[o.id] for o in batch.outputs if o.recipe == column.recipe and o.id in outlooks]
        totals.append(
            f"{time_text(sum(i.seconds.likely for i in group))} · {size_text(sum(i.bytes.likely for i in group))}"
            if group
            else ""
        )
    told = tuple(problem.told for problem in (prospect.problems if prospect else ()))
    return PlanModel(
        batch.title, tuple(rows), columns, cells, tuple(totals), _headline(batch, view, before), told
    )


def _cells(
    outputs: tuple[Output, ...], places: dict[tuple[str, str], int], recipes: dict[str, int],
    outlooks: dict[str, OutputOutlook], forecast: bool,
) -> dict[tuple[int, int], Cell]:  # fmt: skip
    longest: dict[str, float] = {}
    largest: dict[str, float] = {}
    for output in outputs:
        if item := outlooks.get(output.id):
            longest[output.recipe] = max(longest.get(output.recipe, 0.001), item.seconds.likely)
            largest[output.recipe] = max(largest.get(output.recipe, 1.0), item.bytes.likely)
    cells = {}
    for output in outputs:
        key = (places[(output.source, output.range)], recipes[output.recipe])
        item = outlooks.get(output.id)
        if item is None:
            cells[key] = Cell(
                output.id,
                output.held,
                waiting=not output.held and not forecast,
                problem="" if output.held or not forecast else "can't be made",
            )
            continue
        cells[key] = Cell(
            output.id, output.held, "made" if item.made else time_text(item.seconds.likely), size_text(item.bytes.likely),
            item.seconds.likely / longest[output.recipe], item.bytes.likely / largest[output.recipe], item.kept_share, item.made,
        )  # fmt: skip
    return cells


def difference(value: float, kind: str) -> str:
    """A change as people say it: ``−14 min``, ``+220 MB``; nothing where it is too small to matter."""
    sign = "+" if value > 0 else "−"
    if kind == "seconds":
        return f"{sign}{time_text(abs(value))}" if abs(value) >= 1 else ""
    return f"{sign}{size_text(abs(value))}" if abs(value) >= 100_000 else ""


def _headline(batch: Batch, view: Outlook | None, before: Outlook | None) -> Headline:
    waiting = [output for output in batch.outputs if not output.held]
    if not batch.outputs:
        return Headline(
            "—",
            "nothing is asked for yet",
            "—",
            "",
            "—",
            "",
            True,
            "",
            "",
            (),
            0,
            "Nothing is asked for yet.",
        )
    if view is None:
        return Headline(begin=len(waiting), sentence="The forecast is being made.")
    todo = [item for item in view.outputs if not item.made]
    now = datetime.now().astimezone()
    likely, safe = clock(view.at, view.finish.likely), clock(view.at, view.finish.safe)
    changed = before is not None and before.outputs != view.outputs
    time_change = (
        difference(view.finish.likely - before.finish.likely, "seconds") if changed and before else ""
    )
    size_change = difference(view.bytes.likely - before.bytes.likely, "bytes") if changed and before else ""
    finished = clock_text(likely, now) if todo else "all made"
    more = (
        f"safe by {clock_text(safe, now)} · in {time_text(view.finish.likely)}"
        if todo
        else "every file is proved"
    )
    if batch.wanted is not None and todo:
        margin = (batch.wanted - safe).total_seconds()
        more += f" · wanted {clock_text(batch.wanted.astimezone(), now)}" + (
            "" if margin >= 0 else ", too late"
        )
    share = f" · {view.bytes.likely / view.source_bytes:.2g} × the sources" if view.source_bytes else ""
    size_more = f"safe {size_text(view.bytes.safe)}{share}"
    room = min(view.room, key=lambda r: r.free - r.needs.safe, default=None)
    if room is None:
        verdict, room_more, ok = "unknown", "the drive can't be read", False
    else:
        verdict = "fits" if room.fits else "tight" if room.tight else "too small"
        ok, room_more = (
            room.fits,
            f"{size_text(room.free)} free, {size_text(room.needs.safe)} needed for {room.purpose}",
        )
    saved = f"{view.kept_share:.0%}" if view.kept_share >= 0.005 else "0 %"
    saved_more = f"kept · −{time_text(view.saved_seconds)}" if view.saved_seconds >= 1 else "nothing kept yet"
    sentence = f"Finished {finished}, {more}. Size {size_text(view.bytes.likely)}, {size_more}. Room: {verdict}, {room_more}. Saved {saved}, {saved_more}."
    return Headline(
        finished, more + (f" · {time_change}" if time_change else ""), size_text(view.bytes.likely),
        size_more + (f" · {size_change}" if size_change else ""), verdict, room_more, ok, saved.replace("%", " %").replace("  ", " "),
        saved_more, view.fan, len(todo), sentence,
    )  # fmt: skip


@dataclass(frozen=True)
class Detail:
    """What the panel says of one output."""

    title: str
    path: str
    lines: tuple[tuple[str, str], ...]
    parts: tuple[tuple[str, float], ...]
    basis: str
    points: tuple[tuple[str, float, float, float, float, float, float, bool], ...]


def detail(view: Outlook, output: str) -> Detail | None:
    """The forecast of one output: numbers, what the time is spent on, and its siblings beside it.

    Points are (name, seconds p10, likely, safe, bytes p10, likely, safe, whether it is this one).
    """
    item = view.output(output)
    if item is None:
        return None
    ready, plan = item.ready, item.ready.plan
    length = plan.seconds
    lines = (
        ("time", "made already" if item.made else f"{time_text(item.seconds.likely)} likely, {time_text(item.seconds.safe)} safe"),
        ("pace", f"{length / item.seconds.likely:.2g} × real time on one slot" if item.seconds.likely > 0.05 else "nothing to do"),
        ("size", f"{size_text(item.bytes.likely)} likely, {size_text(item.bytes.safe)} safe"),
        ("rate", f"{rate_bits_text(item.bytes.likely * 8 / length)} in all, sound {item.sound_bytes / max(1.0, item.bytes.likely):.0%}"),
        ("picture", f"{plan.width}×{plan.height}, {rate_text(plan.rate)} frames a second, {plan.frames} frames"),
        ("pieces", f"{item.pieces_total}, of which {item.pieces_kept} kept"),
        ("rests on", item.basis + ("" if view.calibrated else "; this machine is not measured yet")),
    )  # fmt: skip
    points = tuple(
        (o.ready.recipe.name, o.seconds.p10, o.seconds.likely, o.seconds.safe, o.bytes.p10, o.bytes.likely, o.bytes.safe, o is item)
        for o in view.outputs
        if (o.ready.output.source, o.ready.output.range) == (ready.output.source, ready.output.range)
    )  # fmt: skip
    parts = tuple((name, item.parts.get(name, 0.0)) for name in ("encode", "sound", "join", "check"))
    return Detail(f"{ready.title} · {ready.recipe.name}", str(ready.path), lines, parts, item.basis, points)
