"""The first forecast of a large batch: what its files take is told a group of sources at a time, long before all is planned."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from chronocast.forecast.band import draws_for
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import Batch, Output, Source
from chronocast.preparation.asked.backwards import Circumstances
from chronocast.preparation.forecast.first_figures import FirstFigures
from chronocast.preparation.forecast.outlook import outlook_of_some
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.today import prepared, what_is_made
from chronocast.preparation.touched import touched_sources

FIRST_GROUP, MOST_GROUP = 100, 800
"""Outputs of the first group, which is on the screen; of each later one twice as many, up to the most."""


def first_figures(
    batch: Batch,
    begun: Prospect,
    workspace: Workspace,
    now: Circumstances,
    before: FirstFigures | None = None,
) -> Iterator[FirstFigures]:
    """Forecast a batch's outputs a group of sources at a time, in the batch's order.

    What is planned and forecast is remembered in the prospects that are told, for the whole forecast after them.

    Parameters
    ----------
    batch
        The batch.
    begun
        Its sources, looked at.
    workspace
        What is kept of all batches.
    now
        What a forecast of it rests on.
    before
        What was told until an edit came: sources that it didn't touch are told as they were.
    """
    draws = draws_for(sum(not output.held for output in batch.outputs))
    told = _still(batch, begun, before)
    path = begun.path or begun.folder
    for sources, outputs in _groups(batch, told.sources):
        part = batch.model_copy(update={"sources": tuple(sources), "outputs": tuple(outputs)})
        small = prepared(part, path, workspace, before=told.prospect)
        made = what_is_made(small.outputs, workspace)
        found = outlook_of_some(small, now.stock, now.station, now.learned, made, draws=draws)
        told = FirstFigures(
            _with_more(told.prospect, small),
            {**told.outputs, **{item.ready.output.id: item for item in found.outputs}},
            told.sources | {source.id for source in sources},
            told.looked_at + len(outputs),
            told.of,
        )
        yield told


def _still(batch: Batch, begun: Prospect, before: FirstFigures | None) -> FirstFigures:
    """What was told before an edit and holds still."""
    known = replace(begun, batch=batch, planned=before.prospect.planned if before else {})
    touched = touched_sources(before.prospect.batch, batch) if before else None
    if before is None or touched is None:
        return FirstFigures(known, {}, frozenset(), 0, len(batch.outputs))
    sources = before.sources - touched
    names = {output.id for output in batch.outputs if output.source in sources}
    known.outputs = [item for item in before.prospect.outputs if item.output.id in names]
    known.refused = {name: told for name, told in before.prospect.refused.items() if name in names}
    outputs = {name: item for name, item in before.outputs.items() if name in names}
    return FirstFigures(known, outputs, sources, len(names), len(batch.outputs))


def _with_more(known: Prospect, small: Prospect) -> Prospect:
    return replace(
        known,
        sources={**known.sources, **small.sources},
        outputs=[*known.outputs, *small.outputs],
        problems=list(dict.fromkeys([*known.problems, *small.problems])),
        refused={**known.refused, **small.refused},
        planned={**known.planned, **small.planned},
        devices=small.devices,
    )


def _groups(batch: Batch, done: frozenset[str]) -> Iterator[tuple[list[Source], list[Output]]]:
    """Sources that aren't done with all their outputs, ever more of them."""
    theirs: dict[str, list[Output]] = {source.id: [] for source in batch.sources}
    for output in batch.outputs:
        theirs[output.source].append(output)
    size, sources, outputs = FIRST_GROUP, list[Source](), list[Output]()
    for source in batch.sources:
        if source.id in done or not theirs[source.id]:
            continue
        sources.append(source)
        outputs += theirs[source.id]
        if len(outputs) >= size:
            yield sources, outputs
            size, sources, outputs = min(MOST_GROUP, 2 * size), [], []
    if outputs:
        yield sources, outputs
