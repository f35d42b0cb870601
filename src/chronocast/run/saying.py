"""What a runner says of itself while it works: its heartbeat, what is in hand, the forecast as it narrows."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import os
import socket
import time
from typing import TYPE_CHECKING, Any

from chronocast.deliver.place import measured
from chronocast.journal.database import JournalError
from chronocast.model.errors import ChronocastError
from chronocast.model.jobs import PieceJob, SoundJob
from chronocast.run import events as e
from chronocast.run.local import machine_slots
from chronocast.run.outlook import Outlook, as_json, experience, outlook
from chronocast.run.pace import LoadMeter, load_pace

if TYPE_CHECKING:
    from chronocast.run.runner import Runner

log = logging.getLogger("chronocast.runner")

SAY_SECONDS = 0.25
HEARTBEAT_SECONDS = 1.0
FORECAST_SECONDS = 2.0


class Saying:
    """``Saying(runner)``: writes to the runner's journal what others read there."""

    def __init__(self, runner: Runner) -> None:
        self.runner = runner
        self.meter: LoadMeter | None = None

    def beat(self) -> None:
        """Who runs it, and that they live."""
        self.runner.journal.set_now({"runner": {"pid": os.getpid(), "host": socket.gethostname()}})

    async def say_now(self) -> None:
        """What is in hand, four times a second, while it changes."""
        beat, last, moving = 0.0, "", ""
        while True:
            now = time.time()
            tasks = {
                task: {"attempt": attempt, "count": self.runner.counts.get(task, 0), "slot": slot, "since": since, "output": output,
                       "total": self.total(key)}
                for (task, attempt), (key, slot, since, output) in self.runner.starts.items()
            }  # fmt: skip
            body = {"tasks": tasks, "outputs": self.done_frames(), "paused": self.runner.machine.paused,
                    "waits_for": self.runner.machine.waits_for, "finish": self.runner.finish}  # fmt: skip
            text = json.dumps(body)
            if (counts := json.dumps([tasks, body["outputs"]])) != moving:
                self.runner.moved, moving = now, counts
            body["moved"] = self.runner.moved
            values: dict[str, Any] = {}
            if text != last:
                values["tasks"], last = body, text
            if now - beat >= HEARTBEAT_SECONDS:
                values["tasks"] = body
                values["runner"], beat = {"pid": os.getpid(), "host": socket.gethostname()}, now
            if values:
                try:
                    self.runner.journal.set_now(values)
                except JournalError as error:
                    log.warning("the journal could not be written: %s", error)
            await asyncio.sleep(HEARTBEAT_SECONDS if self.runner.machine.paused else SAY_SECONDS)

    def total(self, task: e.TaskId) -> int:
        """How many frames or samples a task has."""
        job = self.runner.jobs.get(task)
        if isinstance(job, PieceJob):
            return job.frames
        if isinstance(job, SoundJob):
            return job.samples
        return self.runner.ready[task.name].plan.frames if task.name in self.runner.ready else 0

    def done_frames(self) -> dict[str, int]:
        """Pictures of each output that are in the stock or under way."""
        found = {}
        for name, tracked in self.runner.machine.outputs.items():
            ready = self.runner.ready.get(name)
            if ready is None or tracked.state in ("waiting", "stopped"):
                continue
            count = 0
            for piece in ready.plan.pieces:
                key = e.TaskId("piece", piece.name)
                done = (
                    self.runner.machine.tasks[key].state == "done"
                    if key in self.runner.machine.tasks
                    else False
                )
                count += piece.frames if done else min(piece.frames, self.runner.counts.get(str(key), 0))
            found[name] = count
        return found

    def outlook(self) -> Outlook:
        """The forecast of what is left, from the stock, the ledger and the pace."""
        rows = {}
        with contextlib.suppress(JournalError):
            rows = self.runner.ledger.pieces() if self.runner.ledger else {}
        made = {name: measured(item.path)[0] for name, item in self.runner.ready.items()
                if name in self.runner.machine.outputs and self.runner.machine.outputs[name].state == "proved" and item.path.exists()}  # fmt: skip
        if not self.runner.ready:
            made = {
                item.output.id: measured(item.path)[0]
                for item in self.runner.prospect.outputs
                if self.runner.made(item)
            }
        slots = self.runner.options.slots or machine_slots()
        self.meter = self.meter or LoadMeter(slots)
        return outlook(
            self.runner.prospect, self.runner.stock, load_pace(), slots, experience(rows), made, load=self.meter.read()
        )  # fmt: skip

    async def forecast_again(self) -> None:
        """The forecast as it narrows, every two seconds."""
        while True:
            await asyncio.sleep(FORECAST_SECONDS)
            if self.runner.machine.paused:
                continue
            try:
                view = await asyncio.to_thread(self.outlook)
            except (ChronocastError, OSError) as error:
                log.warning("no forecast: %s", error)
                continue
            told = as_json(view)["total"]
            self.runner.finish = {"at": view.at.isoformat(), **told, "room": as_json(view)["room"],
                           "outputs": {o.ready.output.id: o.finish.as_json() for o in view.outputs}}  # fmt: skip
            self.runner.journal.append(
                "outlook",
                {"finish": told["finish"], "bytes": told["bytes"], "seconds": view.finish.as_json()},
            )
