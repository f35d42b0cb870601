"""What *Plan* says, in plain Python: rows, columns, totals; how it is arranged.  Tested without Qt."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import PurePosixPath
from typing import Any

from chronocast.model.batch.batch import FULL, Batch, NamedRange, Output, Source
from chronocast.model.batch.extent import Extent
from chronocast.model.lookup import Same
from chronocast.model.recipe.wording import recipe_facts
from chronocast.model.show import size_text, time_text
from chronocast.model.source.source_clock import SourceClock
from chronocast.preparation.forecast.first_figures import FirstFigures
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook, together
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.problem import Problem
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.ui.places.plan.cells import Cell, Cells, Filled, cells_of
from chronocast.ui.places.plan.headline import Headline, headline_of, headline_so_far
from chronocast.ui.source_told import told_of_source


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


@dataclass(frozen=True)
class Column:
    """A recipe."""

    recipe: str
    title: str
    facts: str
    changed: bool = False


@dataclass(frozen=True)
class PlanModel:
    """All of it."""

    title: str
    rows: tuple[Row, ...]
    columns: tuple[Column, ...]
    cells: Cells
    totals: tuple[str, ...]
    headline: Headline
    problems: tuple[str, ...] = field(default=())

    def cell(self, row: int, column: int) -> Cell:
        return self.cells.get((row, column), Cell())

    def outputs(self, places: Iterable[tuple[int, int]]) -> list[Output]:
        """The outputs that are asked for at some places."""
        return [output for place in places if (output := self.cells.places.get(place)) is not None]

    def place(self, output: str) -> tuple[int, int] | None:
        """Row and column of an output."""
        return self.cells.by_output.get(output)


def plan_model(
    batch: Batch,
    prospect: Prospect | None,
    view: Outlook | None,
    before: Outlook | None = None,
    ends: Mapping[tuple[str, int, int], str] | None = None,
    *,
    figures: FirstFigures | None = None,
) -> PlanModel:
    """What *Plan* says of a batch.

    Parameters
    ----------
    batch
        The batch.
    prospect, view
        What is known of it; they may still be missing, or be of the batch before an edit.
    before
        The forecast before the last edit.
    ends
        What is wrong at the ends of ranges, by source, first frame and the one after the last.
    figures
        What is known of files before there is a forecast.
    """
    told_of: dict[str, list[Problem]] = {}
    for told in prospect.problems if prospect else ():
        if not told.output:  # what is about one file is said at its cell
            told_of.setdefault(told.source, []).append(told)
    rows: list[Row] = []
    folders = folders_apart(batch)
    for source in batch.sources:
        ready = prospect.sources.get(source.id) if prospect else None
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
            wrong = (ends or {}).get((source.id, part.start, part.stop), "")
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
    columns = tuple(
        Column(
            recipe.id,
            recipe.name,
            f"{'changed · ' if recipe.changed else ''}{recipe_facts(recipe)}",
            recipe.changed,
        )
        for recipe in batch.recipes
    )
    outlooks = view.by_id if view else {}
    judged = {item.output: item for item in view.judged} if view and batch.cards else {}
    refused = {**(prospect.refused if prospect else {}), **(view.waiting if view else {})}
    told_by = view or figures
    cells = cells_of(
        _filled(Same(batch)), told_by, judged=judged, refused=refused, told=(prospect, told_by, batch.cards)
    )
    whole = prospect is not None and prospect.batch == batch
    groups: dict[str, list[OutputOutlook]] = {}
    for output in () if whole else batch.outputs:  # just edited: what is known of what is still asked for
        if item := outlooks.get(output.id):
            groups.setdefault(output.recipe, []).append(item)
    totals = []
    for column in columns:
        of_it = view.columns.get(column.recipe) if view else None
        group = groups.get(column.recipe, [])
        work, weight = of_it.totals if of_it and (whole or of_it.files == len(group)) else together(group)
        words = f"{time_text(work.likely)} · {size_text(weight.likely)}"
        totals.append(words if group or (whole and of_it) else "")
    known = [*(prospect.problems if prospect else ()), *(view.problems if view else ())]
    blocking = tuple(dict.fromkeys(problem.told for problem in known if problem.blocks))
    return PlanModel(
        batch.title,
        tuple(rows),
        columns,
        cells,
        tuple(totals),
        headline_so_far(batch, figures) if figures and view is None else headline_of(batch, view, before),
        blocking,
    )


@lru_cache(maxsize=2)
def _filled(of: Same[Batch]) -> Filled:
    """The outputs of a batch by row and column; its forecasts come and go, they stay where they are."""
    batch = of.thing
    parts = [(source.id, part) for source in batch.sources for part in (FULL, *(p.id for p in source.ranges))]
    places = {place: number for number, place in enumerate(parts)}
    recipes = {recipe.id: number for number, recipe in enumerate(batch.recipes)}
    return Filled({(places[(o.source, o.range)], recipes[o.recipe]): o for o in batch.outputs})


def folders_apart(batch: Batch) -> dict[str, str]:
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


ORDERS = ("as in the batch", "by name", "longest first", "largest first", "what needs a look first")


TELLING = 3
"""Words of fewer signs are looked for as they are."""
MOST_UNFOLDED = 12
"""More ranges of a source than these are folded until a person unfolds them."""


def arranged(
    plan: PlanModel, words: str = "", order: str = ORDERS[0], turned: frozenset[str] = frozenset()
) -> PlanModel:
    """The plan with only the sources that have all of ``words`` in what is said of them, in another order.

    Ranges stay below their source, and are shown with it; those of a source
    that has many are folded, unless it is one of those ``turned`` (of one that
    has few it is the other way round).
    """
    groups: list[list[int]] = []
    for number, row in enumerate(plan.rows):
        if row.indented and groups:
            groups[-1].append(number)
        else:
            groups.append([number])
    wanted = words.lower().split()

    def has(group: list[int]) -> bool:
        text = " ".join(
            f"{plan.rows[n].title} {plan.rows[n].facts} {plan.rows[n].problem}" for n in group
        ).lower()
        besides = " ".join(plan.rows[n].found_by for n in group).lower()
        alone = set(besides.split())
        text += " needs you problem" if plan.rows[group[0]].problem else ""
        # a sign or two stand in every path and size: of what isn't shown they must be a whole word
        return all(
            word in text or (word in besides if len(word) >= TELLING else word in alone) for word in wanted
        )

    keys: dict[str, Callable[[Row], Any]] = {
        ORDERS[1]: lambda row: row.title.lower(),
        ORDERS[2]: lambda row: -row.seconds,
        ORDERS[3]: lambda row: -row.bytes,
        ORDERS[4]: lambda row: (not row.problem, -row.notes),
    }
    shown = [group for group in groups if not wanted or has(group)]
    if order in keys:
        shown.sort(key=lambda group: keys[order](plan.rows[group[0]]))
    folded = {
        plan.rows[group[0]].source: len(group) - 1
        for group in shown
        if len(group) > 1 and (len(group) - 1 > MOST_UNFOLDED) != (plan.rows[group[0]].source in turned)
    }
    numbers = [
        number for group in shown for number in (group[:1] if plan.rows[group[0]].source in folded else group)
    ]
    rows = tuple(
        replace(row, facts=f"{folded[row.source]} ranges folded · {row.facts}")
        if row.source in folded
        else row
        for row in (plan.rows[number] for number in numbers)
    )
    places = {old: new for new, old in enumerate(numbers)}
    return replace(
        plan,
        rows=rows,
        cells=plan.cells.moved(places),
    )
