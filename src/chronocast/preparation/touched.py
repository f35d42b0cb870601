"""After an edit of a large batch: what it touched is forecast at once, within the forecast of all the rest as it was.

The plan of thousands of outputs takes seconds.  Until it is worked out anew, sizes and work are right, and when things
are finished is shifted by the work that came or went.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple, Protocol

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
from chronocast.preparation.forecast.output_outlook import OutputOutlook
from chronocast.preparation.forecast.placing import together
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.problem import Problem
from chronocast.preparation.station.drives import drive_of
from chronocast.preparation.today import prepared, what_is_made

MOST_TOUCHED = 100
"""An edit that touches more of them is forecast with all the rest."""


class _Named(Protocol):
    @property
    def id(self) -> str: ...


def _changed(before: Iterable[_Named], now: Iterable[_Named]) -> set[str]:
    """Ids of what came, went, or is another object."""
    old, new = {item.id: item for item in before}, {item.id: item for item in now}
    gone = old.keys() - new.keys()
    return gone | {name for name, item in new.items() if old.get(name) is not item}


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
    recipes, outputs = _changed(before.recipes, now.recipes), _changed(before.outputs, now.outputs)
    found = _changed(before.sources, now.sources)
    for output in (*before.outputs, *now.outputs):
        if output.id in outputs or output.recipe in recipes:
            found |= {output.source}
    return frozenset(found)


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
        prospect, _whole_view(prospect, small, before.view, sources, workspace=workspace, learned=learned)
    )


def _whole_prospect(batch: Batch, before: Prospect, small: Prospect, sources: frozenset[str]) -> Prospect:
    ready = {item.output.id: item for item in small.outputs}
    ready.update({item.output.id: item for item in before.outputs if item.output.source not in sources})
    known = {**before.sources, **small.sources}
    refused = {name: told for name, told in before.refused.items() if told.source not in sources}
    return replace(
        before,
        batch=batch,
        target=small.target,
        sources={source.id: known[source.id] for source in batch.sources if source.id in known},
        outputs=[ready[output.id] for output in batch.outputs if output.id in ready],
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
    before: Outlook,
    sources: frozenset[str],
    *,
    workspace: Workspace,
    learned: Experience,
) -> Outlook:
    station, draws = before.station, len(before.draws.bytes)
    made = what_is_made(small.outputs, workspace)
    fresh = outlook_of_some(small, workspace.stock, station, learned, made, draws=draws)
    gone = [item for item in before.outputs if item.ready.output.source in sources]
    more = _drawn(fresh.outputs, draws) - _drawn(gone, draws)
    whole = WholeDraws(
        before.draws.bytes + more[1],
        np.maximum(0.0, before.draws.finish + more[0] / _at_once(station)),
        before.draws.seconds + more[0],
        before.draws.sent,
    )
    outputs = _in_order(prospect, before, {item.ready.output.id: item for item in fresh.outputs}, sources)
    judged = judge_outputs(outputs) if prospect.batch.cards else ()
    waiting = {name: told for name, told in before.waiting.items() if told.source not in sources}
    waiting |= {told.output: told for told in fresh.waiting}
    told = [*small.problems, *together(fresh.waiting), *card_problems(judged)]
    frames = sum(item.ready.plan.frames for item in outputs)
    return replace(
        before,
        outputs=outputs,
        seconds=band(whole.seconds),
        bytes=band(whole.bytes),
        finish=band(whole.finish),
        room=tuple(_with_more(room, gone, fresh.outputs, workspace) for room in before.room),
        problems=tuple(_with(before.problems, told, sources)),
        waiting=waiting,
        kept_share=sum(item.kept_share * item.ready.plan.frames for item in outputs) / max(1, frames),
        judged=judged,
        draws=whole,
        settled=False,
    )


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
    found, end = [], None
    for ready in prospect.outputs:
        name = ready.output.id
        known = before.by_id.get(name)
        if ready.output.source in sources:
            item = fresh.get(name)
            if item is None:
                continue
            at = known.finish if known is not None else end
            if at is not None:
                item = replace(item, begin=known.begin if known is not None else at, finish=at)
        elif known is None:
            continue
        else:
            item = known
        end = item.finish
        found.append(item)
    return tuple(found)


def _with_more(
    room: Room, gone: Iterable[OutputOutlook], fresh: Iterable[OutputOutlook], workspace: Workspace
) -> Room:
    """A drive's room with what came and went: files where they go, their pieces in the stock."""
    drive = drive_of(Path(room.drive))
    pieces = drive_of(workspace.stock.folder) == drive

    def taken(item: OutputOutlook) -> float:
        times = (not item.made) * (
            float(pieces) * (1 - item.kept_share) + (drive_of(item.ready.path.parent) == drive)
        )
        return item.bytes.likely * times

    return replace(room, needs=room.needs + (sum(map(taken, fresh)) - sum(map(taken, gone))))
