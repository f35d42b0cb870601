"""What a finished piece teaches, as the ledger keeps it."""

from __future__ import annotations

import time
from statistics import fmean

from chronocast.forecast.learning.experience import PieceFact
from chronocast.forecast.picture.priors import look_prior
from chronocast.model.answers import Answer
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.time.timing import Duration
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.output.piece_content import piece_content


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
    prior, look, content = ready.size_prior, ready.look_prior, piece_content(job, ready.source.films)
    return PieceFact(
        family=ready.family,
        pace=ready.pace,
        film=ready.film,
        frames=job.frames,
        pixels=round(ready.work(job) * 1e6),
        seconds=float(Duration(job.frames, ready.plan.rate)),
        bytes=result["bytes"],
        target=0 if ready.searching else round(prior.bytes_a_frame * job.frames),
        # looking at it has a price of its own
        cpu_seconds=max(0.0, cpu_seconds - measuring),
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
