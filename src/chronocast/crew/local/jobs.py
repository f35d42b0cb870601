"""Jobs done on this machine outside a run: for a calibration, for a trial."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from chronocast.crew.contract import AttemptFailed, Finished, Granted
from chronocast.crew.local.crew import LocalCrew
from chronocast.model.errors import ChronocastError
from chronocast.model.messages.jobs import Job


class JobFailed(ChronocastError):
    """A job outside a run could not be done."""


@dataclass(frozen=True)
class Timed:
    """What a job took: seconds by the clock, and of the processor; and what came of it."""

    wall: float
    cpu: float
    result: dict[str, Any] = field(default_factory=dict)


async def do_jobs(
    crew: LocalCrew,
    slots: int,
    jobs: Sequence[Job],
    free: list[str],
    done: Callable[[int], None] = lambda _: None,
    *,
    made: Callable[[int, Timed], None] = lambda _number, _timed: None,
    stopped: Callable[[], bool] = lambda: False,
) -> list[Timed]:
    """Do all jobs, every slot busy; what each took, in their order; those that were stopped are missing.

    Parameters
    ----------
    crew
        Who does them.
    slots
        How many at once.
    jobs
        Named each otherwise.
    free
        The slots that are held.
    done
        Told how many are finished.
    made
        Told of each, by its number, as soon as it is finished.
    stopped
        Asked now and then whether to leave the rest.

    Raises
    ------
    JobFailed
        One of them failed; the sentence says why.
    """
    waiting = list(enumerate(jobs))
    took: dict[int, Timed] = {}
    running: dict[str, tuple[int, str]] = {}
    await crew.offer(slots)
    while waiting and free:
        number, job = waiting.pop(0)
        running[job.name] = (number, free.pop())
        await crew.start(running[job.name][1], job.name, number + 1, job)
    async for event in crew.events():
        if isinstance(event, Granted):
            free.append(event.slot)
        elif isinstance(event, Finished):
            number, slot = running.pop(event.task)
            took[number] = Timed(event.wall_seconds, event.cpu_seconds, event.result)
            made(number, took[number])
            done(len(took))
            free.append(slot)
        elif isinstance(event, AttemptFailed):
            raise JobFailed(event.sentence, "The log has the detail.")
        if stopped():
            break
        while free and waiting:
            number, job = waiting.pop(0)
            slot = free.pop()
            running[job.name] = (number, slot)
            await crew.start(slot, job.name, number + 1, job)
        if not running and not waiting:
            break
    return [took[number] for number in sorted(took)]
