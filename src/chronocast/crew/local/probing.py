"""Probes, carried out on this machine: pieces encoded ahead, kept in the stock, learned from."""

from __future__ import annotations

import asyncio
import contextlib
import os
from collections.abc import Callable, Sequence

from chronocast.crew.local.crew import LocalCrew
from chronocast.crew.local.jobs import Timed, do_jobs
from chronocast.journal.workspace import Workspace
from chronocast.model.errors import ChronocastError
from chronocast.model.messages.jobs import measured_every
from chronocast.preparation.asked.probes import Probe
from chronocast.preparation.output.piece_fact import composing_fact, piece_fact
from chronocast.preparation.station.this import machine_slots


def carry_out_probes(
    probes: Sequence[Probe],
    workspace: Workspace,
    progress: Callable[[int, int], None] = lambda _done, _all: None,
    stopped: Callable[[], bool] = lambda: False,
) -> int:
    """Encode pieces ahead, every slot busy; how many were made. Each is kept as soon as it is finished.

    Parameters
    ----------
    probes
        The pieces.
    workspace
        What is kept of all batches.
    progress
        Told how many of how many are done.
    stopped
        Asked now and then whether to leave the rest.

    Raises
    ------
    ChronocastError
        One of them can't be made.
    """
    if not probes:
        return 0
    stock, slots = workspace.stock, machine_slots()
    jobs = [
        probe.piece.model_copy(
            update={"target": str(stock.temporary(probe.piece.name, f"probe-{os.getpid()}-{number}"))}
            | ({"measure_every": measured_every(probe.piece.frames)} if probe.ready.look_prior else {})
        )
        for number, probe in enumerate(probes)
    ]

    def keep(number: int, timed: Timed) -> None:
        probe, job = probes[number], jobs[number]
        facts = {
            **timed.result,
            "wall_seconds": round(timed.wall, 4),
            "cpu_seconds": round(timed.cpu, 4),
            "label": f"{probe.ready.title} · {probe.ready.recipe.title}",
        }
        stock.keep(stock.path(job.name).with_name(os.path.basename(job.target)), job.name, facts)
        fact = piece_fact(probe.ready, job, timed.result, cpu_seconds=timed.cpu, wall_seconds=timed.wall)
        composed = composing_fact(probe.ready, job, timed.result, based=False)
        with contextlib.suppress(ChronocastError), workspace.ledger() as ledger:
            for one in (fact, composed):
                if one is not None:
                    ledger.add_piece(one)

    async def work() -> int:
        crew = LocalCrew(workspace.slots_folder, slots, workspace.child_log)
        try:
            took = await do_jobs(
                crew, slots, jobs, [], lambda done: progress(done, len(jobs)), made=keep, stopped=stopped
            )
        finally:
            await crew.close()
            for job in jobs:
                with contextlib.suppress(OSError):
                    os.unlink(job.target)
        return len(took)

    return asyncio.run(work())
