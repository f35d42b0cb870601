"""Parts that are nearly done when a run is stopped: they are let finish, so that their work isn't lost."""

from __future__ import annotations

import asyncio
import time

from chronocast.crew.contract import Crew
from chronocast.model.messages.jobs import PieceJob
from chronocast.run import events as e
from chronocast.run.runner.hand.in_hand import InHand

MOST_SECONDS = 10.0
"""Nobody who stops a run waits longer for a part."""
SHORT_SECONDS = 3.0
"""So long is waited for any part; longer only for one that has taken at least a third of what it still takes."""
LEAST_DONE = 8
"""Of a part fewer pictures of which are done it isn't known how long it still takes."""
AHEAD = 48
"""So many pictures encoders have been given before they are done with the first; of short parts three in four."""


class Grace:
    """``Grace(in_hand)``: stops attempts, those at once that aren't nearly done."""

    def __init__(self, in_hand: InHand) -> None:
        self._in_hand = in_hand
        self._waiting: set[asyncio.Task[None]] = set()

    async def stop(self, crew: Crew, task: e.TaskId, attempt: int) -> None:
        """Stop an attempt; a piece that is nearly done has a few seconds to finish.

        Parameters
        ----------
        crew
            Whose attempt it is.
        task
            Its task.
        attempt
            Its number.
        """
        left = self.seconds_left(task, attempt, time.time())
        if left is None:
            await crew.control("stop", str(task), attempt)
            return

        async def later() -> None:
            await asyncio.sleep(min(MOST_SECONDS, 2 * left + 1))
            await crew.control("stop", str(task), attempt)

        waiting = asyncio.create_task(later())
        self._waiting.add(waiting)
        waiting.add_done_callback(self._waiting.discard)

    def seconds_left(self, task: e.TaskId, attempt: int, now: float) -> float | None:
        """How long a piece that is nearly done still takes; None where it isn't, or where that isn't known.

        Parameters
        ----------
        task
            Its task.
        attempt
            The attempt's number.
        now
            Seconds since 1970.
        """
        started, job = self._in_hand.attempts.get((str(task), attempt)), self._in_hand.jobs.get(task)
        if started is None or not isinstance(job, PieceJob):
            return None
        done = self._in_hand.counts.get(str(task), 0) - min(AHEAD, 0.75 * job.frames)
        if done < LEAST_DONE:
            return None
        taken = now - started.since
        left = taken * (job.frames / done - 1)
        return left if left <= SHORT_SECONDS or left <= min(MOST_SECONDS, 3 * taken) else None
