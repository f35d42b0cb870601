"""Where and when outputs may be made, as they were asked for; and the plan that follows."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace
from datetime import datetime
from typing import NamedTuple

import numpy as np

from chronocast.forecast.band import Chance, Draws
from chronocast.forecast.learning.experience import Experience
from chronocast.forecast.stage import Work
from chronocast.forecast.station import Station
from chronocast.model.batch.batch import Batch, Output
from chronocast.model.house import within
from chronocast.model.paths import path_text
from chronocast.model.pauses import pause
from chronocast.model.show import counted
from chronocast.model.stages import CHECK, JOIN
from chronocast.preparation.forecast.output_ask import source_bytes
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.problem import Problem
from chronocast.schedule.placement import Evening, Placement, evening_of
from chronocast.schedule.pool import FAR

NEVER = FAR / 10
"""An output that ends later than that has no station that could ever do it."""


class Kept(NamedTuple):
    """Which outputs can be done by the stations that are there, and what is to be said of the others."""

    outputs: list[OutputReady]
    problems: list[Problem]


def stations_of(output: Output, station: Station) -> frozenset[str]:
    """The only stations that may do an output, by their ids; none for all.

    Parameters
    ----------
    output
        The output.
    station
        This machine, whose name in its house is its id here.
    """
    return frozenset(station.id if name == station.name else name for name in output.stations)


def can_be_placed(outputs: Sequence[OutputReady], station: Station, made: Collection[str] = ()) -> Kept:
    """The outputs that a station that is there can do; held ones are left out.

    Parameters
    ----------
    outputs
        All that are asked for.
    station
        This machine, with those that help it.
    made
        Ids of those that are made already: nobody has to do them.
    """
    there = {station.id, *(helper.id for helper in station.helpers)}
    kept = Kept([], [])
    for ready in outputs:
        if ready.output.held:
            continue
        wanted = stations_of(ready.output, station) if ready.output.id not in made else frozenset()
        if wanted and not wanted & there:
            kept.problems.append(_waits(ready, "which no house that is known has now"))
        elif wanted and station.id not in wanted and _apart(ready, station) != (False, False):
            kept.problems.append(_waits(ready, "which doesn't see its source or its folder"))
        else:
            kept.outputs.append(ready)
    return kept


def never_placed(outputs: Sequence[OutputReady], placement: Placement) -> Kept:
    """Which outputs a plan ends, and what is to be said of those that no station is ever open long enough for.

    Parameters
    ----------
    outputs
        All that were to be placed.
    placement
        The plan.
    """
    kept = Kept([], [])
    ends = np.array([finish.end for finish in placement.finishes])
    likely = np.median(ends, axis=1) if len(ends) else ends
    for ready, end in zip(outputs, likely, strict=True):
        if end < NEVER:
            kept.outputs.append(ready)
        else:
            kept.problems.append(_waits(ready, "which isn't open long enough on any day that is known"))
    return kept


def _waits(ready: OutputReady, why: str) -> Problem:
    names = " and ".join(ready.output.stations) or "its stations"
    return Problem(
        ready.path.name,
        f"It is kept to {names}, {why}: it waits, and isn't in the forecast.",
        "Choose other stations for it, or let any do it.",
        blocks=False,
        source=ready.output.source,
        output=ready.output.id,
    )


def together(problems: Sequence[Problem]) -> list[Problem]:
    """Several outputs' problems of one kind as one.

    Parameters
    ----------
    problems
        What is to be said of single outputs.
    """
    kinds: dict[str, list[Problem]] = {}
    for problem in problems:
        kinds.setdefault(problem.sentence, []).append(problem)
    found = []
    for same in kinds.values():
        if len(same) == 1:
            found.append(same[0])
            continue
        others = counted(len(same) - 1, "more file")
        found.append(replace(same[0], where=f"{same[0].where} and {others}", source="", output=""))
    return found


def _apart(ready: OutputReady, station: Station) -> tuple[bool, bool]:
    """Whether no other station sees an output's sources, or the folder of its file."""
    apart = any(not within(path, station.shared) for path in ready.source.facts)
    return apart, not within(path_text(ready.path.absolute()), station.shared)


def evening(
    works: Sequence[Work],
    outputs: Sequence[OutputReady],
    batch: Batch,
    station: Station,
    *,
    learned: Experience,
    chance: Chance,
    now: datetime,
    sizes: Draws | None = None,
) -> Evening:
    """What the plan for outputs of a batch is made of.

    Parameters
    ----------
    works
        What is left to do of each.
    outputs
        The outputs.
    batch
        What they are of: its times.
    station
        Where they are made.
    learned
        What the ledger has taught.
    chance
        Where the draws come from.
    now
        The present moment.
    sizes
        Likely bytes of their files, shape (outputs,).
    """
    likely = sizes if sizes is not None else np.zeros(len(works))
    limited = []
    for work, ready, size in zip(works, outputs, likely, strict=True):
        pause()
        limited.append(limits(work, ready, station, now, float(size)))
    moments = {ready.output.id: batch.wanted_at(ready.output) for ready in outputs}
    wanted = {name: (moment - now).total_seconds() for name, moment in moments.items() if moment is not None}
    return evening_of(limited, station, learned, chance, wanted)


def carried_by_drives(work: Work, ready: OutputReady, station: Station, size: float) -> Work:
    """An output's work, with what of the shared drives it takes: reading sources, writing pieces and the file, reading it.

    Parameters
    ----------
    work
        What is left to do.
    ready
        The output.
    station
        What the drives carry.
    size
        Likely bytes of its file.
    """
    media = next(iter(ready.source.facts), "")
    source = next((d for d in station.drives if within(media, [d.path])), None)
    target = next((d for d in station.drives if within(path_text(ready.path.absolute()), [d.path])), source)
    if source is None or target is None:
        return work
    numbers = {piece.name: number for number, piece in enumerate(ready.plan.pieces)}
    frames = max(1, ready.plan.frames)

    def part(name: str) -> float:
        number = numbers.get(name)
        if number is None:
            return 0.0
        share = ready.plan.pieces[number].frames / frames
        return source_bytes(ready, number) / source.read + size * share / target.write

    file = {JOIN: size / target.read + size / target.write, CHECK: size / target.read}
    stages = tuple(
        replace(
            stage,
            drive=source.path if stage.kind.of == "part" else target.path,
            carried=np.array(
                [part(name) if stage.kind.of == "part" else file.get(stage.kind, 0.0) for name in stage.names]
            ),
        )
        for stage in work.stages
    )
    return replace(work, stages=stages)


def limits(
    work: Work, ready: OutputReady, station: Station, now: datetime, bytes_likely: float = 0.0
) -> Work:
    """An output's work, with where and from when it may be done.

    What lies in no folder that is shared no other station can do.

    Parameters
    ----------
    work
        What is left to do.
    ready
        The output.
    station
        Where it is made.
    now
        The present moment.
    bytes_likely
        Of its file.
    """
    work = carried_by_drives(work, ready, station, bytes_likely)
    early = (ready.not_before - now).total_seconds() if ready.not_before else 0.0
    if not station.helpers and early <= 0:
        return work
    parts, steps = _apart(ready, station) if station.helpers else (False, False)
    return replace(
        work,
        parts_here=parts,
        steps_here=steps,
        stations=stations_of(ready.output, station) if station.helpers else frozenset(),
        not_before=max(0.0, early),
    )
