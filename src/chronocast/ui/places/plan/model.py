"""What *Plan* says, in plain Python: rows, columns, totals; how it is arranged.  Tested without Qt."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any, NamedTuple

from chronocast.model.batch.batch import Batch, Output
from chronocast.model.lookup import Same
from chronocast.model.recipe.wording import recipe_facts
from chronocast.model.show import size_text, time_text
from chronocast.preparation.forecast.first_figures import FirstFigures
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook, together
from chronocast.preparation.output.output_ready import Prospect
from chronocast.ui.places.plan.cells import Cell, Cells, cells_of
from chronocast.ui.places.plan.filled import filled_of, outputs_apart
from chronocast.ui.places.plan.headline import Headline, headline_of, headline_so_far
from chronocast.ui.places.plan.rows import Row, rows_of


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
    rows = rows_of(batch, prospect, ends or {})
    columns = tuple(
        Column(
            recipe.id,
            recipe.name,
            f"{'changed · ' if recipe.changed else ''}{recipe_facts(recipe)}",
            recipe.changed,
        )
        for recipe in batch.recipes
    )
    judged = {item.output: item for item in view.judged} if view and batch.cards else {}
    refused = {**(prospect.refused if prospect else {}), **(view.waiting if view else {})}
    told_by = view or figures
    cells = cells_of(
        filled_of(batch), told_by, judged=judged, refused=refused, told=(prospect, told_by, batch.cards)
    )
    groups = _edited_columns(view, prospect, batch) if view else {}
    totals = []
    for column in columns:
        of_it, group = view.columns.get(column.recipe) if view else None, groups.get(column.recipe)
        if group is None and of_it is not None:
            work, weight = of_it.totals
        elif group:
            work, weight = together(group)
        else:
            totals.append("")
            continue
        totals.append(f"{time_text(work.likely)} · {size_text(weight.likely)}")
    known = [*(prospect.problems if prospect else ()), *(view.problems if view else ())]
    blocking = tuple(dict.fromkeys(problem.told for problem in known if problem.blocks))
    return PlanModel(
        batch.title,
        rows,
        columns,
        cells,
        tuple(totals),
        headline_so_far(batch, figures) if figures and view is None else headline_of(batch, view, before),
        blocking,
    )


def _edited_columns(view: Outlook, prospect: Prospect | None, batch: Batch) -> dict[str, list[OutputOutlook]]:
    """By the recipes whose outputs are others since the forecast: what is known of those that are still asked for."""
    apart = outputs_apart(prospect.batch.outputs if prospect else (), batch.outputs)
    found: dict[str, list[OutputOutlook]] = {one.recipe: [] for some in apart for one in some}
    for output in batch.outputs if found else ():
        if output.recipe in found and (item := view.output(output.id)):
            found[output.recipe].append(item)
    return found


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
    found = _arrangement(Same(plan.rows), words, order, turned)
    cells = plan.cells if found.places is None else plan.cells.moved(found.places)
    return replace(plan, rows=found.rows, cells=cells)


class _Arrangement(NamedTuple):
    """Rows as they are shown, and where each of the plan's is now; None where all stay where they are."""

    rows: tuple[Row, ...]
    places: Mapping[int, int] | None


@lru_cache(maxsize=2)
def _arrangement(of: Same[tuple[Row, ...]], words: str, order: str, turned: frozenset[str]) -> _Arrangement:
    all_rows = of.thing
    groups: list[list[int]] = []
    for number, row in enumerate(all_rows):
        if row.indented and groups:
            groups[-1].append(number)
        else:
            groups.append([number])
    wanted = words.lower().split()

    def has(group: list[int]) -> bool:
        text = " ".join(
            f"{all_rows[n].title} {all_rows[n].facts} {all_rows[n].problem}" for n in group
        ).lower()
        besides = " ".join(all_rows[n].found_by for n in group).lower()
        alone = set(besides.split())
        text += " needs you problem" if all_rows[group[0]].problem else ""
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
        shown.sort(key=lambda group: keys[order](all_rows[group[0]]))
    folded = {
        all_rows[group[0]].source: len(group) - 1
        for group in shown
        if len(group) > 1 and (len(group) - 1 > MOST_UNFOLDED) != (all_rows[group[0]].source in turned)
    }
    numbers = [
        number for group in shown for number in (group[:1] if all_rows[group[0]].source in folded else group)
    ]
    rows = tuple(
        replace(row, facts=f"{folded[row.source]} ranges folded · {row.facts}")
        if row.source in folded
        else row
        for row in (all_rows[number] for number in numbers)
    )
    if numbers == list(range(len(all_rows))):
        return _Arrangement(rows if folded else all_rows, None)
    return _Arrangement(rows, {old: new for new, old in enumerate(numbers)})
