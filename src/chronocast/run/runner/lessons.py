"""What a run learns from attempts: what pieces took, what of a source is damaged, which parts can't be joined."""

from __future__ import annotations

import contextlib
import time
from dataclasses import replace

import numpy as np

from chronocast.crew.contract import Finished
from chronocast.forecast.learning.experience import PieceFact
from chronocast.forecast.outputs import other_ask
from chronocast.forecast.station import Pace
from chronocast.forecast.work import PRICES, stage_pace, stage_price
from chronocast.journal.station.ledger import Ledger
from chronocast.journal.workspace import Workspace
from chronocast.media.errors import DAMAGE_REMEDY, DamagedPicture
from chronocast.model.errors import ChronocastError
from chronocast.model.messages.jobs import PieceJob, SoundJob
from chronocast.model.paths import shown
from chronocast.model.source.cutlist import media_title
from chronocast.model.stages import BASE, JOIN, StageKind
from chronocast.pieces.stock import Stock
from chronocast.preparation.forecast.output_ask import output_ask
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.output.piece_fact import base_fact, composing_fact, piece_fact
from chronocast.preparation.source.damaged import picture_time
from chronocast.run.events import TaskId
from chronocast.run.runner.hand.in_hand import Attempt, InHand


def learn(
    in_hand: InHand, ledger: Ledger, workspace: Workspace, task: TaskId, event: Finished, *, started: Attempt
) -> PieceFact | None:
    """Put what a piece, or another step of an output, took into the ledger; what that was.

    Parameters
    ----------
    in_hand
        What the run has in hand.
    ledger
        Where it is remembered.
    workspace
        What is kept of all batches.
    task
        The piece's, or the step's.
    event
        What the crew said of it.
    started
        The attempt.
    """
    job, ready = in_hand.jobs.get(task), in_hand.planned_for.get(task)
    if isinstance(job, PieceJob) and event.result.get("copied"):
        return None
    if isinstance(job, PieceJob) and ready is not None:
        if composed := composing_fact(ready, job, event.result, in_hand.based.get(task, False)):
            ledger.add_piece(replace(composed, station=started.station))
        made = base_fact if task.kind == BASE.id else piece_fact
        fact = made(ready, job, event.result, cpu_seconds=event.cpu_seconds, wall_seconds=event.wall_seconds)
    elif (output := in_hand.ready.get(started.output)) and task.stage in PRICES:
        fact = stage_fact(output, task.stage, event, workspace.paces.of(started.station), workspace.stock)
    else:
        return None
    fact = replace(fact, station=started.station)
    ledger.add_piece(fact)
    return fact


def stage_fact(ready: OutputReady, kind: StageKind, event: Finished, pace: Pace, stock: Stock) -> PieceFact:
    """What an output's sound, join or check took, against what the calibration alone says of it.

    Parameters
    ----------
    ready
        The output, planned.
    kind
        Of work.
    event
        What the crew said of it.
    pace
        The station's.
    stock
        Where finished pieces are.
    """
    size = np.array([float(event.result.get("bytes") or 0)])
    ask = output_ask(ready, stock, None)
    price = stage_price(kind, other_ask(ask, size), pace)
    # a join waits for its drives more than it works: there the clock says what it takes
    cpu_seconds = event.wall_seconds if kind is JOIN else event.cpu_seconds
    return PieceFact(
        family="",
        pace=stage_pace(kind, ask.drive),
        film=ready.film,
        frames=ready.plan.frames,
        pixels=round(price * 1e6),
        seconds=ready.plan.seconds,
        bytes=0,
        target=0,
        cpu_seconds=cpu_seconds,
        wall_seconds=event.wall_seconds,
        time=time.time(),
    )


def remember_damage(
    workspace: Workspace, ready: OutputReady | None, pictures: list[DamagedPicture], otherwise: str
) -> str:
    """Keep what decoders said of a source; the sentence with the timecode of the first place, or ``otherwise``.

    Parameters
    ----------
    workspace
        What is kept of all batches.
    ready
        An output that shows it, planned.
    pictures
        What decoders said, at least one.
    otherwise
        The sentence where the place can't be told.
    """
    by_file: dict[str, dict[int, str]] = {}
    for picture in pictures:
        by_file.setdefault(picture.path, {})[picture.number] = picture.said
    for path, complaints in by_file.items():
        with contextlib.suppress(ChronocastError, OSError):
            workspace.facts.damaged(path, complaints)
    first = pictures[0]
    if ready is None or first.path not in ready.source.facts:
        return otherwise
    at = picture_time(ready.source.facts[first.path], first.number)
    return f"{shown(media_title(first.path))} is damaged at {at} ({first.said}). {DAMAGE_REMEDY}"


def damaged_parts(ready: OutputReady, stock: Stock) -> tuple[str, ...]:
    """After a join that failed: parts that can't be opened or are not as long as they were; all if none is known."""
    plan = ready.plan
    parts: list[PieceJob | SoundJob] = [*plan.pieces, *([plan.sound] if plan.sound else [])]
    found = []
    for job in parts:
        with contextlib.suppress(OSError):
            if stock.whole(job.name):
                continue
        found.append(job.name)
    return tuple(found or [piece.name for piece in plan.pieces])


def does_not_fit(ready: OutputReady | None, stock: Stock, name: str, sets: object) -> str:
    """A sentence if a piece has other parameter sets than those of its output before it: it couldn't be joined.

    Found at the second piece, and not after the last one.

    Parameters
    ----------
    ready
        An output that shows it, planned.
    stock
        Where finished pieces are.
    name
        The piece's name.
    sets
        Its parameter sets.
    """
    if ready is None or ready.recipe.container == "images" or not sets:
        return ""
    others = (stock.find(piece.name) for piece in ready.plan.pieces if piece.name != name)
    other = next((kept for kept in others if kept is not None and kept.facts.get("sets")), None)
    if other is None or other.facts["sets"] == sets:
        return ""
    encoder = ready.plan.settings.encoder if ready.plan.settings else ""
    return (
        f"The encoder {encoder} wrote other parameter sets for a piece than for those before it, so they can't be "
        "joined. Choose another rate control, or another codec."
    )
