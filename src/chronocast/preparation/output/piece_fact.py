"""What a finished piece teaches, as the ledger keeps it."""

from __future__ import annotations

import time

from chronocast.forecast.experience import PieceFact
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.time.timing import Duration
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.output.piece_content import piece_content


def piece_fact(
    ready: OutputReady, job: PieceJob, size: int, *, cpu_seconds: float, wall_seconds: float
) -> PieceFact:
    """What one encoded piece of an output took, made just now on this station.

    Parameters
    ----------
    ready
        The output, planned.
    job
        The piece's.
    size
        Its bytes.
    cpu_seconds, wall_seconds
        What it took, by the processor and by the clock.
    """
    prior, content = ready.size_prior, piece_content(job, ready.source.facts)
    return PieceFact(
        family=ready.family,
        pace=ready.pace,
        film=ready.film,
        frames=job.frames,
        pixels=round(ready.work(job) * 1e6),
        seconds=float(Duration(job.frames, ready.plan.rate)),
        bytes=size,
        target=0 if ready.searching else round(prior.bytes_a_frame * job.frames),
        cpu_seconds=cpu_seconds,
        wall_seconds=wall_seconds,
        kind=prior.kind,
        window=content.window,
        packets=content.packets if content.source_kind == ready.source_kind else None,
        source_kind=content.source_kind,
        rated=prior.rated,
        time=time.time(),
    )
