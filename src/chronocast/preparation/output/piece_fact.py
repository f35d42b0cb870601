"""What a finished piece teaches, as the ledger keeps it."""

from __future__ import annotations

import time
from statistics import fmean

from chronocast.forecast.learning.experience import PieceFact
from chronocast.forecast.picture.priors import look_prior
from chronocast.forecast.work import BASE_READING, COMPOSING, base_pace
from chronocast.model.answers import Answer
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.time.timing import Duration
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.output.piece_content import piece_content

MOST_BLANK = 0.5
"""A piece of which more shows nothing teaches nothing of bytes."""


def piece_fact(
    ready: OutputReady, job: PieceJob, result: Answer, *, cpu_seconds: float, wall_seconds: float
) -> PieceFact:
    """What one encoded piece of an output took, made just now on this station.

    Parameters
    ----------
    ready
        The output, planned.
    job
        The piece's.
    result
        What came of it: its bytes, and how like the original it is where that was measured.
    cpu_seconds, wall_seconds
        What it took, by the processor and by the clock.
    """
    alike = [float(found[3]) for found in result.get("likeness", ())]
    measuring = float(result.get("measure_seconds") or 0.0)
    measuring += composing_seconds(result)
    prior, look, content = ready.size_prior, ready.look_prior, piece_content(job, ready.source.films)
    return PieceFact(
        family=ready.family,
        pace=ready.pace,
        film=ready.film,
        frames=job.frames,
        pixels=round(ready.work(job) * 1e6),
        seconds=float(Duration(job.frames, ready.plan.rate)),
        bytes=result["bytes"],
        target=0
        if ready.searching or content.blank > MOST_BLANK
        else round(prior.bytes_a_frame * job.frames),
        # composing and looking at it have prices of their own
        # a device is timed by the clock: it isn't the processor that works
        cpu_seconds=max(0.0, (wall_seconds if ready.device else cpu_seconds) - measuring),
        wall_seconds=max(0.0, wall_seconds - measuring),
        kind=prior.kind,
        window=content.window,
        packets=content.packets if content.source_kind == ready.source_kind else None,
        source_kind=content.source_kind,
        rated=prior.rated,
        time=time.time(),
        xpsnr=fmean(alike) if alike else None,
        usual_xpsnr=_usual_xpsnr(ready),
        look_kind=look.kind if look else "",
    )


def composing_seconds(result: Answer) -> float:
    """What composing a piece's pictures took; 0 where that wasn't told."""
    return float(result.get("composing_seconds") or 0.0)


def composing_fact(ready: OutputReady, job: PieceJob, result: Answer, based: bool) -> PieceFact | None:
    """What composing a piece's pictures took, or reading them from a base piece; None where that wasn't told.

    Parameters
    ----------
    ready
        The output, planned.
    job
        The piece's, or the base piece's.
    result
        What came of it.
    based
        Whether they were read from a base piece.
    """
    took = composing_seconds(result)
    if not took:
        return None
    pace = BASE_READING if based else COMPOSING
    return _seconds_fact(ready, job, pace, work=ready.composing(job, based), took=(took, took))


def base_fact(
    ready: OutputReady, job: PieceJob, result: Answer, *, cpu_seconds: float, wall_seconds: float
) -> PieceFact:
    """What a base piece took, made just now on this station, without what composing its pictures took.

    Parameters
    ----------
    ready
        The output, planned.
    job
        The base piece's.
    result
        What came of it.
    cpu_seconds, wall_seconds
        What it took, by the processor and by the clock.
    """
    composing, pace = composing_seconds(result), base_pace(job.settings.encoder)
    took = max(1e-3, cpu_seconds - composing), max(1e-3, wall_seconds - composing)
    return _seconds_fact(ready, job, pace, work=ready.work(job), took=took)


def _seconds_fact(
    ready: OutputReady, job: PieceJob, pace: str, *, work: float, took: tuple[float, float]
) -> PieceFact:
    """A fact that teaches seconds alone."""
    return PieceFact(
        family="",
        pace=pace,
        film=ready.film,
        frames=job.frames,
        pixels=round(work * 1e6),
        seconds=float(Duration(job.frames, job.rate)),
        bytes=0,
        target=0,
        cpu_seconds=took[0],
        wall_seconds=took[1],
        time=time.time(),
    )


def _usual_xpsnr(ready: OutputReady) -> float | None:
    """What a typical picture would come out at, where the quality it was made at is known."""
    assert ready.recipe.picture is not None
    if ready.twice:
        look = look_prior(ready.recipe.picture, ready.plan.quality)
    elif ready.size_prior.rated:
        return None
    else:
        look = ready.look_prior
    return look.typical if look else None
