"""A trial, carried out on this machine: really encoded, measured, and pictures of it written beside the originals."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from chronocast.crew.local.crew import LocalCrew
from chronocast.crew.local.jobs import do_jobs
from chronocast.forecast.looks import Measured
from chronocast.journal.workspace import Workspace
from chronocast.model.errors import ChronocastError
from chronocast.model.time.timing import Duration
from chronocast.preparation.output.piece_fact import piece_fact
from chronocast.preparation.station.this import machine_slots
from chronocast.preparation.trial import Moment, TrialPiece, Variant


@dataclass(frozen=True)
class Tried:
    """One moment by one variant, as it came out.

    Parameters
    ----------
    moment, variant
        What was tried.
    path
        Its file.
    bytes
        Of it.
    seconds
        How long the moment is.
    cpu_seconds
        What it took.
    ssim, xpsnr
        Of its pictures, the mean.
    worst
        XPSNR in dB of the poorest twentieth of its pictures.
    worst_picture
        The number of the poorest picture.
    """

    moment: Moment
    variant: Variant
    path: Path
    bytes: int
    seconds: float
    cpu_seconds: float
    ssim: float
    xpsnr: float
    worst: float
    worst_picture: int

    @property
    def bits(self) -> float:
        """Bits a second."""
        return self.bytes * 8 / self.seconds


@dataclass(frozen=True)
class Trial:
    """All that was tried, and the moments without loss by their words."""

    tried: tuple[Tried, ...]
    originals: dict[str, Path]

    @property
    def measured(self) -> list[Measured]:
        """Each variant over all moments: its bits, and XPSNR of its worst moment."""
        found = []
        for variant in dict.fromkeys(item.variant.words for item in self.tried):
            mine = [item for item in self.tried if item.variant.words == variant]
            whole = sum(item.seconds for item in mine)
            bits = sum(item.bytes for item in mine) * 8 / whole
            found.append(Measured(mine[0].variant.asked, bits, min(item.worst for item in mine)))
        return found


def carry_out(
    pieces: Sequence[TrialPiece],
    workspace: Workspace,
    progress: Callable[[int, int], None] = lambda _done, _all: None,
) -> Trial:
    """Encode a trial's pieces, measure them, and remember what they took: they are the forecast's probes.

    Parameters
    ----------
    pieces
        Every moment by every variant, and without loss.
    workspace
        Where slots are shared by locks.
    progress
        Told how many of how many are done.

    Raises
    ------
    ChronocastError
        A piece can't be made.
    """
    slots = machine_slots()

    async def work() -> list[Tried]:
        crew = LocalCrew(workspace.slots_folder, slots, workspace.child_log)
        try:
            jobs = [piece.job for piece in pieces]
            took = await do_jobs(crew, slots, jobs, [], lambda done: progress(done, len(jobs)))
        finally:
            await crew.close()
        found = []
        for piece, timed in zip(pieces, took, strict=True):
            if piece.variant is None:
                continue
            alike = timed.result.get("likeness", [])
            order = sorted(alike, key=lambda item: item[3])
            poor = order[: max(1, len(order) // 20)]
            job = piece.job
            fact = piece_fact(
                piece.ready,
                job,
                timed.result["bytes"],
                cpu_seconds=timed.cpu,
                wall_seconds=timed.wall,
            )
            with contextlib.suppress(ChronocastError), workspace.ledger() as ledger:
                ledger.add_piece(fact)
            found.append(
                Tried(
                    piece.moment,
                    piece.variant,
                    Path(job.target),
                    timed.result["bytes"],
                    float(Duration(job.frames, job.rate)),
                    timed.cpu,
                    _mean([item[1] for item in alike]),
                    _mean([item[3] for item in alike]),
                    _mean([item[3] for item in poor]),
                    int(order[0][0]) if order else 0,
                )
            )
        return found

    tried = asyncio.run(work())
    originals = {piece.moment.words: Path(piece.job.target) for piece in pieces if piece.variant is None}
    return Trial(tuple(tried), originals)


def _mean(values: Sequence[float]) -> float:
    return sum(values) / len(values) if values else 0.0
