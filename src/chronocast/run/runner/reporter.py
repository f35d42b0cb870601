"""What a run says of itself while it goes on: its heartbeat, what is in hand, the forecast as it narrows."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import os
import socket
import time
from collections.abc import Callable
from typing import Any

from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.database import JournalError
from chronocast.model.errors import ChronocastError
from chronocast.model.messages.jobs import PieceJob, SoundJob
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.outlook_json import lanes_json, room_json, total_json
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.run import events as e
from chronocast.run.machine import Machine
from chronocast.run.runner.hand.in_hand import InHand
from chronocast.run.view_kept import keep_view

log = logging.getLogger("chronocast.runner")

REPORT_SECONDS = 0.25
HEARTBEAT_SECONDS = 1.0
COUNTED_SECONDS, FEW = 5.0, 50
"""Of more outputs than a few, all pictures are counted again so often; in between, of those that are worked at."""
FOLD_SECONDS = 20.0
FORECAST_SECONDS = 2.0
FORECAST_SHARE = 0.05
"""Of one core, forecasting takes no more than this: the others are there to encode."""


class Reporter:
    """``Reporter(journal, machine, in_hand)``: writes to a run's journal what others read there."""

    def __init__(self, journal: RunJournal, machine: Machine, in_hand: InHand) -> None:
        self.journal = journal
        self.machine = machine
        self.in_hand = in_hand
        self._counted: dict[str, int] = {}
        self._active: set[str] = set()
        self._counted_at = 0.0

    def beat(self) -> None:
        """Say who carries the run, and that they live."""
        self.journal.set_now({"runner": {"pid": os.getpid(), "host": socket.gethostname()}})

    async def report(self) -> None:
        """Say what is in hand, four times a second, while it changes."""
        beat, last, moving = 0.0, "", ""
        with contextlib.suppress(JournalError):
            self.journal.set_now({"finish": None})  # what an earlier life foresaw
        while True:
            now = time.time()
            tasks = {
                name: {
                    "attempt": number,
                    "count": self.in_hand.counts.get(name, 0),
                    "slot": attempt.slot,
                    "since": attempt.since,
                    "output": attempt.output,
                    "kind": attempt.task.kind,
                    "station": attempt.station,
                    "total": self.total(attempt.task),
                }
                for (name, number), attempt in self.in_hand.attempts.items()
            }
            body = {
                "tasks": tasks,
                "outputs": self.done_frames(),
                "paused": self.machine.paused,
                "waits_for": self.machine.waits_for,
                "waiting": {
                    name: tracked.waits_for
                    for name, tracked in self.machine.outputs.items()
                    if tracked.waits_for
                },
            }
            text = json.dumps(body)
            if (counts := json.dumps([tasks, body["outputs"]])) != moving:
                self.in_hand.moved, moving = now, counts
            body["moved"] = self.in_hand.moved
            values: dict[str, Any] = {}
            if text != last:
                values["tasks"], last = body, text
            if now - beat >= HEARTBEAT_SECONDS:
                values["tasks"] = body
                values["runner"], beat = {"pid": os.getpid(), "host": socket.gethostname()}, now
            if values:
                try:
                    self.journal.set_now(values)
                except JournalError as error:
                    log.warning("the journal could not be written: %s", error)
            await asyncio.sleep(HEARTBEAT_SECONDS if self.machine.paused else REPORT_SECONDS)

    def total(self, task: e.TaskId) -> int:
        """How many frames or samples a task has."""
        job = self.in_hand.jobs.get(task)
        if isinstance(job, PieceJob):
            return job.frames
        if isinstance(job, SoundJob):
            return job.samples
        return self.in_hand.ready[task.name].plan.frames if task.name in self.in_hand.ready else 0

    def done_frames(self) -> dict[str, int]:
        """Pictures that are in the stock or under way, of each output that is being made: of proved ones it is all."""
        active = {attempt.output for attempt in self.in_hand.attempts.values()}
        touched, self._active = active | self._active, active
        all_of = time.monotonic() - self._counted_at >= COUNTED_SECONDS or len(self.machine.outputs) <= FEW
        if all_of:
            self._counted_at, self._counted = time.monotonic(), {}
        found = {}
        for name, tracked in self.machine.outputs.items():
            ready = self.in_hand.ready.get(name)
            if ready is None or tracked.state in ("waiting", "stopped", "proved"):
                continue
            if name in touched or name not in self._counted:
                self._counted[name] = self._frames_done(ready)
            found[name] = self._counted[name]
        return found

    def _frames_done(self, ready: OutputReady) -> int:
        count = 0
        for piece in ready.plan.pieces:
            task = self.machine.tasks.get(e.TaskId(piece.stage.id, piece.name))
            done = task is not None and task.state == "done"
            under_way = 0 if task is None else self.in_hand.counts.get(str(task.id), 0)
            count += piece.frames if done else min(piece.frames, under_way)
        return count

    async def fold(self) -> None:
        """Keep what a long run comes to so far, now and then: whoever looks at it needs not read all of it."""
        while True:
            await asyncio.sleep(FOLD_SECONDS)
            try:
                await asyncio.to_thread(keep_view, self.journal)
            except JournalError as error:
                log.warning("the journal could not be written: %s", error)

    async def forecast(self, outlook: Callable[[], Outlook], told: Callable[[Outlook], None]) -> None:
        """Keep the forecast as it narrows, every two seconds, of a large batch seldomer.

        Parameters
        ----------
        outlook
            Works it out.
        told
            Gets each.
        """
        took = 0.0
        while True:
            await asyncio.sleep(max(FORECAST_SECONDS, took / FORECAST_SHARE))
            if self.machine.paused:
                continue
            begin = time.monotonic()
            try:
                view = await asyncio.to_thread(outlook)
            except (ChronocastError, OSError) as error:
                log.warning("no forecast: %s", error)
                continue
            took = time.monotonic() - begin
            told(view)
            total = total_json(view)
            finish = {
                "at": view.at.isoformat(),
                **total,
                "room": room_json(view),
                "outputs": {o.ready.output.id: o.finish.as_json() for o in view.outputs},
                "work": {
                    o.ready.output.id: {"cpu_seconds": o.cpu_seconds.likely, "bytes": o.bytes.likely}
                    for o in view.outputs
                },
            }
            self.journal.set_now({"lanes": lanes_json(view), "finish": finish})
            self.journal.append(
                "outlook",
                {
                    "finish": total["finish"],
                    "bytes": total["bytes"],
                    "seconds": view.finish.as_json(),
                    "stand_ins": [helper.id for helper in view.station.helpers if helper.stand_in],
                },
            )
