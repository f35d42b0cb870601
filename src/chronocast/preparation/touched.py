"""After an edit of a large batch: what it touched is forecast at once, within the forecast of all the rest as it was.

The plan of thousands of outputs takes seconds.  Until it is worked out anew, sizes and work are right, and when things
are finished is shifted by the work that came or went.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from functools import lru_cache, partial
from pathlib import Path
from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.band import band
from chronocast.forecast.learning.experience import Experience
from chronocast.forecast.room import Room
from chronocast.forecast.station import Station
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import MANY, Batch
from chronocast.preparation.forecast.judging import card_problems, judge_outputs
from chronocast.preparation.forecast.outlook import Outlook, WholeDraws, outlook_of_some
from chronocast.preparation.forecast.output_outlook import ColumnOutlook, OutputOutlook
from chronocast.preparation.forecast.placing import together
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.problem import Problem
from chronocast.preparation.station.drives import drive_of
from chronocast.preparation.today import prepared, what_is_made

MOST_TOUCHED = 100
"""An edit that touches more of them is forecast with all the rest."""
_N = TypeVar("_N")


def _changed(before: Sequence[_N], now: Sequence[_N]) -> list[_N]:
    """What came, went, or is another object."""
    if before is now:
        return []
    old, new = set(map(id, before)), set(map(id, now))
    return [
        *(item for item in before if id(item) not in new),
        *(item for item in now if id(item) not in old),
    ]


def touched_sources(before: Batch, now: Batch) -> frozenset[str] | None:
    """Ids of the sources whose outputs an edit may have changed; None where it may have changed any output.

    Parameters
    ----------
    before, now
        The batch before the edit and after it.
    """
    one_by_one = {"sources", "outputs", "recipes"}
    if any(getattr(before, name) != getattr(now, name) for name in Batch.model_fields.keys() - one_by_one):
        return None
    if "{counter}" in now.names:  # one file more or less, and those after it are called otherwise
        return None
    recipes = {recipe.id for recipe in _changed(before.recipes, now.recipes)}
    outputs = _changed(before.outputs, now.outputs)
    if recipes:
        outputs += [output for output in (*before.outputs, *now.outputs) if output.recipe in recipes]
    sources = {source.id for source in _changed(before.sources, now.sources)}
    return frozenset(sources | {output.source for output in outputs})


class Touched(NamedTuple):
    """A batch made ready and forecast, all but its plan."""

    prospect: Prospect
    view: Outlook


def forecast_touched(
    batch: Batch, path: Path, workspace: Workspace, before: Touched, learned: Experience
) -> Touched | None:
    """Forecast what an edit touched, within the rest as it was; None where there is nothing to be gained by it.

    Parameters
    ----------
    batch
        The batch after the edit.
    path
        Its file.
    workspace
        What is kept of all batches.
    before
        The batch made ready and forecast as it was.
    learned
        What the ledger has taught.
    """
    if len(batch.outputs) <= MANY or before.prospect.path != path.absolute():
        return None
    sources = touched_sources(before.prospect.batch, batch)
    if not sources:
        return None
    outputs = tuple(output for output in batch.outputs if output.source in sources)
    if len(outputs) > MOST_TOUCHED:
        return None
    there = tuple(source for source in batch.sources if source.id in sources)
    part = batch.model_copy(update={"sources": there, "outputs": outputs})
    small = prepared(part, path, workspace, before=before.prospect)
    prospect = _whole_prospect(batch, before.prospect, small, sources)
    return Touched(
        prospect, _whole_view(prospect, small, before, sources, workspace=workspace, learned=learned)
    )


def _whole_prospect(batch: Batch, before: Prospect, small: Prospect, sources: frozenset[str]) -> Prospect:
    ready = dict(before.by_id)
    for output in before.batch.outputs:
        if output.source in sources:
            ready.pop(output.id, None)
    ready.update(small.by_id)
    known = {**before.sources, **small.sources}
    refused = {name: told for name, told in before.refused.items() if told.source not in sources}
    return replace(
        before,
        batch=batch,
        target=small.target,
        sources={source.id: known[source.id] for source in batch.sources if source.id in known},
        outputs=list(filter(None, map(ready.get, [output.id for output in batch.outputs]))),
        problems=_with(before.problems, small.problems, sources),
        refused={**refused, **small.refused},
        planned={**before.planned, **small.planned},
    )


def _with(before: Iterable[Problem], now: Iterable[Problem], sources: frozenset[str]) -> list[Problem]:
    """Problems, those of some sources as they are now."""
    return list(dict.fromkeys([*(told for told in before if told.source not in sources), *now]))


def _whole_view(
    prospect: Prospect,
    small: Prospect,
    known: Touched,
    sources: frozenset[str],
    *,
    workspace: Workspace,
    learned: Experience,
) -> Outlook:
    before = known.view
    station, draws = before.station, len(before.draws.bytes)
    made = what_is_made(small.outputs, workspace)
    fresh = outlook_of_some(small, workspace.stock, station, learned, made, draws=draws)
    names = [output.id for output in known.prospect.batch.outputs if output.source in sources]
    gone = [item for name in names if (item := before.by_id.get(name)) is not None]
    more = _drawn(fresh.outputs, draws) - _drawn(gone, draws)
    whole = WholeDraws(
        before.draws.bytes + more[1],
        np.maximum(0.0, before.draws.finish + more[0] / _at_once(station)),
        before.draws.seconds + more[0],
        before.draws.sent,
    )
    outputs = _in_order(prospect, before, {item.ready.output.id: item for item in fresh.outputs}, sources)
    frames = before.frames + _frames(fresh.outputs) - _frames(gone)
    kept = before.kept_share * before.frames + _kept(fresh.outputs) - _kept(gone)
    judged = judge_outputs(outputs) if prospect.batch.cards else ()
    waiting = {name: told for name, told in before.waiting.items() if told.source not in sources}
    waiting |= {told.output: told for told in fresh.waiting}
    told = [*small.problems, *together(fresh.waiting), *card_problems(judged)]
    return replace(
        before,
        outputs=outputs,
        seconds=band(whole.seconds),
        bytes=band(whole.bytes),
        finish=band(whole.finish),
        room=tuple(_with_more(room, gone, fresh.outputs, workspace) for room in before.room),
        problems=tuple(_with(before.problems, told, sources)),
        waiting=waiting,
        frames=frames,
        kept_share=max(0.0, kept) / max(1, frames),
        columns=_columns(before, outputs, gone, fresh.outputs),
        judged=judged,
        draws=whole,
        settled=False,
    )


def _frames(outputs: Iterable[OutputOutlook]) -> int:
    return sum(item.ready.plan.frames for item in outputs)


def _kept(outputs: Iterable[OutputOutlook]) -> float:
    return sum(item.kept_share * item.ready.plan.frames for item in outputs)


def _columns(
    before: Outlook,
    outputs: Sequence[OutputOutlook],
    gone: Iterable[OutputOutlook],
    fresh: Iterable[OutputOutlook],
) -> dict[str, ColumnOutlook]:
    """What the outputs of each recipe come to: as it was, but for those that have gone and come."""
    found = dict(before.columns)
    left, came = _by_recipe(gone), _by_recipe(fresh)
    for recipe in left.keys() | came.keys():
        known = found.get(recipe, ColumnOutlook.of(()))
        now = partial(_of_recipe, outputs, recipe)
        found[recipe] = known.changed(left.get(recipe, ()), came.get(recipe, ()), now)
        if not found[recipe].files:
            del found[recipe]
    return found


def _of_recipe(outputs: Sequence[OutputOutlook], recipe: str) -> list[OutputOutlook]:
    return [item for item in outputs if item.ready.output.recipe == recipe]


def _by_recipe(outputs: Iterable[OutputOutlook]) -> dict[str, list[OutputOutlook]]:
    found: dict[str, list[OutputOutlook]] = {}
    for item in outputs:
        found.setdefault(item.ready.output.recipe, []).append(item)
    return found


def _drawn(outputs: Iterable[OutputOutlook], draws: int) -> NDArray[np.float64]:
    """Seconds of work and bytes of outputs together, shape (2, draws)."""
    found = np.zeros((2, draws))
    for item in outputs:
        if item.draws is not None:
            found += item.draws
    return found


def _at_once(station: Station) -> int:
    return max(1, station.slots + sum(helper.slots for helper in station.helpers))


def _in_order(
    prospect: Prospect, before: Outlook, fresh: Mapping[str, OutputOutlook], sources: frozenset[str]
) -> tuple[OutputOutlook, ...]:
    """All forecasts in the batch's order; what is new is thought to be made when the output before it is."""
    outputs = prospect.batch.outputs
    found = list(map(before.by_id.get, [output.id for output in outputs]))
    for number in [number for number, output in enumerate(outputs) if output.source in sources]:
        known, item = found[number], fresh.get(outputs[number].id)
        before_it = (found[n] for n in range(number - 1, -1, -1))
        beside = next((one for one in before_it if one is not None), None)
        if item is not None and known is not None:
            item = replace(item, begin=known.begin, finish=known.finish)
        elif item is not None and beside is not None:
            item = replace(item, begin=beside.finish, finish=beside.finish)
        found[number] = item
    return tuple(item for item in found if item is not None)


def _with_more(
    room: Room, gone: Iterable[OutputOutlook], fresh: Iterable[OutputOutlook], workspace: Workspace
) -> Room:
    """A drive's room with what came and went: files where they go, their pieces in the stock."""
    drives = lru_cache(drive_of)  # asking the system lets the window's thread go on in between
    drive = drives(Path(room.drive))
    pieces = drives(workspace.stock.folder) == drive

    def taken(item: OutputOutlook) -> float:
        times = (not item.made) * (
            float(pieces) * (1 - item.kept_share) + (drives(item.ready.path.parent) == drive)
        )
        return item.bytes.likely * times

    return replace(room, needs=room.needs + (sum(map(taken, fresh)) - sum(map(taken, gone))))
