"""The runner: one detached process that owns a run.

It carries out what the state machine says, and tells it what came of it.  It
believes the disk first, then the journal; so it can be killed and started again
at any moment.

No error is only logged: one that belongs to a task fails that task, one that
belongs to a request refuses it, and any other ends the run as *needs you*.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import time
from collections.abc import Iterable
from dataclasses import dataclass
from operator import itemgetter
from pathlib import Path
from typing import Any

from chronocast.crew import contract as c
from chronocast.crew.local.crew import LocalCrew
from chronocast.deliver.place import (
    FolderGone,
    PlaceError,
    discard,
    measured,
    place,
)
from chronocast.journal.batches.runs import Record, Request, RunJournal
from chronocast.journal.database import JournalError
from chronocast.journal.locks import Lock
from chronocast.journal.workspace import Workspace
from chronocast.model.answers import Answer
from chronocast.model.batch.batch import Batch, read_batch
from chronocast.model.errors import ChronocastError
from chronocast.model.lookup import find
from chronocast.model.stages import JOIN
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.outlook_json import as_json
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.station.devices import decodes_by, device_sessions, devices_known
from chronocast.preparation.station.drives import NoRoom
from chronocast.preparation.station.this import house_name
from chronocast.preparation.stock_keeping import keep_to_limit
from chronocast.run import events as e
from chronocast.run.lease import Leased, take_lease
from chronocast.run.machine import MOST_FAILURES, Machine
from chronocast.run.runner.admission import Admission, Options
from chronocast.run.runner.folders import Folders
from chronocast.run.runner.hand.grace import Grace
from chronocast.run.runner.hand.in_hand import Attempt, InHand
from chronocast.run.runner.helpers import crew_with_house, hear_first, own_error, plan_of, run_id
from chronocast.run.runner.jobs import Jobs
from chronocast.run.runner.prepared_batch import PreparedBatch
from chronocast.run.runner.recovery import tidy
from chronocast.run.runner.reporter import Reporter
from chronocast.run.runner.results import Results
from chronocast.run.runner.settling import decide, superseded
from chronocast.run.runner.watch import Watch
from chronocast.run.view_kept import keep_view

_ID = itemgetter("id")
log = logging.getLogger("chronocast.runner")

POLL_SECONDS = 0.1
RESTING_SECONDS = 600.0
"""A device that failed twice at a piece is left alone for so long."""


@dataclass(frozen=True)
class DeviceAbsent:
    """A kind of device that no station has any more."""

    family: str


class StoppedEarly(ChronocastError):
    """The run was stopped while it was still being prepared."""


def first_of(group: BaseExceptionGroup[Any]) -> BaseException:
    """The first error in a group of them, however deep."""
    found: BaseException = group
    while isinstance(found, BaseExceptionGroup):
        found = found.exceptions[0]
    return found


class Runner:
    """Carries one run through."""

    def __init__(
        self, journal: RunJournal, crew: c.Crew | None = None, workspace: Workspace | None = None
    ) -> None:
        self.journal = journal
        self.machine = Machine()
        self.workspace = workspace or Workspace()
        self.stock, self.rounds = self.workspace.stock, self.workspace.rounds
        self.work = PreparedBatch(self.workspace)
        self.child_log = self.workspace.child_log
        self.queue: asyncio.Queue[e.Event | Request | DeviceAbsent | None] = asyncio.Queue()
        self.in_hand = InHand()
        self.grace = Grace(self.in_hand)
        self.promised: dict[str, Any] = {}
        self.options = Options()
        self.folders = Folders(self.work.path)
        self.jobs = Jobs(self.in_hand, self.stock, self.folders)
        self.results = Results(self.in_hand, self.folders, journal, self.workspace, None)
        self.admission = self._door()
        self.crew = crew
        self.leaving = False
        self.lease: Lock | None = None
        self.seen_requests: set[int] = set()
        self.stop_asked = False
        self.reporter = Reporter(journal, self.machine, self.in_hand)

    # Beginning

    async def run(self) -> str:
        """From the journal's first record to its last; the outcome."""
        records = await asyncio.to_thread(self.journal.records)
        begin = next((record for record in records if record.kind == "begin"), None)
        if begin is None:
            raise JournalError(f"{self.journal.path} holds no run.")
        ended = next((record for record in records if record.kind == "ended"), None)
        if ended is not None:
            return str(ended.body["outcome"])
        self.options = Options.model_validate(begin.body["options"])
        hub = self.options.hub
        self.work = PreparedBatch(
            self.workspace,
            read_batch(json.dumps(begin.body["batch"])),
            Path(begin.body["path"]),
            hub,
            run_id(self.journal) if hub else "",
            self.options.rank,
            self.options.slots,
        )
        self.folders = Folders(self.work.path)
        self.jobs = Jobs(
            self.in_hand,
            self.stock,
            self.folders,
            not self.options.any_room,
            house_name(self.workspace) if hub else "",
        )
        self.results = Results(self.in_hand, self.folders, self.journal, self.workspace, None)
        self.admission = self._door()
        self.reporter.beat()
        if len(records) > 1:  # it had a runner before, which has been gone for so long
            self.journal.append(
                "taken up", {"gone_seconds": round(max(0.0, time.time() - records[-1].time), 1)}
            )
        try:
            self.lease = take_lease(self.work.path)
        except Leased as error:
            self._end("needs you", str(error))
            return "needs you"
        try:
            return await self._with_helpers(records)
        finally:
            if self.crew is not None:
                await self.crew.close()
            if self.lease is not None:
                self.lease.free()  # at once, not when nobody remembers this runner

    def _door(self) -> Admission:
        """What brings outputs into the run."""
        return Admission(
            self.work,
            self.in_hand,
            self.folders,
            jobs=self.jobs,
            results=self.results,
            journal=self.journal,
            options=self.options,
            step=self._step,
            sessions=lambda: self.crew.sessions() if self.crew else {},
        )

    async def _with_helpers(self, records: list[Record]) -> str:
        """Prepare and carry the run through; whatever fails of the runner itself ends the run and says so."""
        outcome = "needs you"
        try:
            async with asyncio.TaskGroup() as group:
                helpers = [group.create_task(job) for job in (self.reporter.report(), self._read_requests())]
                try:
                    await self._prepare(records)
                    assert self.crew is not None
                    watch = Watch(
                        self.machine,
                        self.in_hand,
                        self.stock,
                        self.folders,
                        self.queue.put_nowait,
                        reserve=not self.options.any_room,
                        patience_seconds=self.options.space_wait_seconds,
                    )
                    helpers += [
                        group.create_task(job)
                        for job in (
                            self._listen(),
                            self.reporter.forecast(self.outlook, self._guide),
                            self.reporter.fold(),
                            watch.room(),
                            watch.times(),
                            watch.crew(self.crew, self._lost),
                            watch.devices(
                                self.crew, lambda family: self.queue.put_nowait(DeviceAbsent(family))
                            ),
                        )
                    ]
                    await self._steps()
                finally:
                    for helper in helpers:
                        helper.cancel()
        except BaseExceptionGroup as errors:
            error = first_of(errors)
            if isinstance(error, StoppedEarly):
                self._end("stopped")
                return "stopped"
            log.error("the run could not go on", exc_info=error)
            known = isinstance(error, ChronocastError)
            told = str(error) if known else own_error(error, "this run")
            self._end("needs you", f"{told} What is finished is kept; begin again.")
            return "needs you"
        if self.leaving:
            return "left"
        assert self.machine.ended is not None
        outcome = (
            "needs you"
            if self.admission.unready and self.machine.ended == "done"
            else str(self.machine.ended)
        )
        with contextlib.suppress(ChronocastError, OSError):
            await asyncio.to_thread(self._tidy_stock)
        self._end(outcome)
        with contextlib.suppress(JournalError):
            await asyncio.to_thread(keep_view, self.journal)
        return outcome

    def _tidy_stock(self) -> None:
        """Nothing waits for the pieces of what is proved; the stock keeps the size that was set for it."""
        self.work.needed(self._proved)
        if freed := keep_to_limit(self.workspace):
            self.journal.append("tidied", {"bytes": freed})

    async def _prepare(self, records: list[Record]) -> None:
        """Look at the batch, forecast it, bring every output into the machine."""
        with contextlib.suppress(ChronocastError):
            self.work.ledger = self.results.ledger = self.workspace.open_ledger()
        self.machine.attempts = max(
            (int(r.body["attempt"]) for r in records if r.kind == "started"), default=0
        )  # attempts of an earlier life never count
        for record in records:
            if record.kind == "finished":
                self.results.count(
                    record.body["output"], record.body["wall_seconds"], record.body["cpu_seconds"]
                )
            elif record.kind == "forecast":
                self.promised = record.body
            elif record.kind == "output ready" and record.body.get("drive"):
                self.folders.drives[Path(record.body["path"]).parent] = Path(record.body["drive"])
        await asyncio.to_thread(hear_first, self.options.hub, self.workspace)
        await asyncio.to_thread(self.work.prepare, self._still_wanted)
        await asyncio.to_thread(tidy, self.work.prospect, self.stock, self.child_log, self.folders.mark)
        if self.crew is None:
            sessions = device_sessions(devices_known(self.workspace))
            own = LocalCrew(
                self.workspace.slots_folder,
                self.options.slots,
                self.child_log,
                devices=sessions,
                decoder=decodes_by(self.workspace),
            )
            self.crew = crew_with_house(
                own,
                self.options.hub,
                self.journal,
                self.workspace,
                booked=lambda: self.work.bookings,
                devices=self.work.prospect.devices,
                rank=self.options.rank,
            )
        first = await asyncio.to_thread(self.outlook)
        await asyncio.to_thread(self.work.needed)
        self.work.judge(first)
        self.jobs.expect(first)
        if not self.promised:
            self.promised = as_json(first)
            self.journal.append("forecast", self.promised)
        with self.journal.together():
            for identifier in [output.id for output in self.work.batch.outputs]:
                await self.admission.admit(identifier, self.work.prospect)
        for record in records:
            if record.kind == "request" and record.body["kind"] != "retry":
                await self._obey(record.body["kind"], record.body["body"])
        await self._step(e.Sealed())
        self._guide(first)

    def _guide(self, view: Outlook) -> None:
        """Have the machine follow the plan of a forecast."""
        if plan := plan_of(view):
            self.queue.put_nowait(plan)

    def _still_wanted(self, _done: int, _total: int) -> None:
        """Called for each source that was looked at: leave preparing if the run was stopped meanwhile.

        Raises
        ------
        StoppedEarly
            It was.
        """
        if self.stop_asked or self.leaving:
            raise StoppedEarly("The run was stopped before it had begun.")

    @property
    def _proved(self) -> frozenset[str]:
        """Outputs that are proved."""
        return frozenset(name for name, item in self.machine.outputs.items() if item.state == "proved")

    def outlook(self) -> Outlook:
        """The forecast of what is left."""
        if self.in_hand.ready:
            proved = self._proved
            paths = {name: item.path for name, item in self.in_hand.ready.items() if name in proved}
        else:
            paths = {item.output.id: item.path for item in self.work.prospect.outputs if self.work.made(item)}
        return self.work.outlook(
            {name: measured(path).bytes for name, path in paths.items() if path.exists()}
        )

    # Going on

    async def _steps(self) -> None:
        """Take events and requests, one after another, until the run is over or is to be left."""
        while self.machine.ended is None and not self.leaving:
            item = await self.queue.get()
            self.in_hand.moved = time.time()
            if isinstance(item, Request):
                await self._answer(item)
            elif isinstance(item, DeviceAbsent):
                why = "no station that is there has it"
                self.journal.append("house", {"sentence": f"{item.family}: {why}."})
                await self._reroute(item.family, why)
            elif item is not None:
                if isinstance(item, e.Failed) and item.fault == "device" and self._gives_up(item):
                    await self._reroute_after(item)
                await self._step(item)

    def _gives_up(self, failed: e.Failed) -> bool:
        """Whether a task isn't tried again after this."""
        task = self.machine.tasks.get(failed.task)
        return task is not None and task.failures + 1 >= MOST_FAILURES

    async def _reroute_after(self, failed: e.Failed) -> None:
        """Plan anew what was to be encoded by the device that failed at a task."""
        ready = self.in_hand.planned_for.get(failed.task)
        if ready is not None and ready.device:
            why = failed.sentence.removeprefix(f"{ready.device}: ").partition(". ")[0]
            await self._reroute(ready.device, why)

    async def _reroute(self, family: str, why: str) -> None:
        """A device is lost: it is left alone for a while, and what it was to encode is planned anew, as its recipe says.

        Parameters
        ----------
        family
            The kind of device.
        why
            In a few words.
        """
        until = time.time() + RESTING_SECONDS
        with contextlib.suppress(
            ChronocastError, OSError
        ):  # not noted, it is tried once more: its files need somebody
            await asyncio.to_thread(self.workspace.devices.leave_alone, family, until, why)
        await asyncio.to_thread(self.work.prepare)
        for name, tracked in self.machine.outputs.items():
            before, now = self.in_hand.ready[name], self.work.prospect.output(name)
            over = tracked.state in ("placing", "proved", "stopped", "checking", "joining")
            if before.device != family or over or now is None:
                continue
            self.in_hand.ready[name] = now
            self.jobs.know(now)
            spec, kept = self.jobs.spec(now, tracked.state == "held")
            self.journal.append("round", {"id": name, "round": 0, "sentence": now.route.told, "again": True})
            await self._step(e.Amended(spec, kept))

    def _end(self, outcome: str, sentence: str = "") -> None:
        self.journal.set_now({"tasks": {}, "runner": None})
        self.journal.append("ended", {"outcome": outcome, "sentence": sentence})

    async def _step(self, event: e.Event) -> None:
        """Feed the machine; carry out what it says, in order.

        What fails at a task or an output fails that; the machine decides what follows.
        """
        with self.journal.together():
            await self._carry_out_all(self.machine.step(event))

    async def _carry_out_all(self, instructions: Iterable[e.Instruction]) -> None:
        for instruction in instructions:
            try:
                await self._carry_out(instruction)
            except JournalError:
                raise  # nothing can be promised any more
            except Exception as error:
                log.exception("an instruction could not be carried out: %s", instruction)
                sentence = str(error) if isinstance(error, ChronocastError) else own_error(error, "this step")
                match instruction:
                    case e.Start(task, attempt, _):
                        self._failed(task, attempt, "internal", sentence)
                    case e.Place(output, _):
                        self.queue.put_nowait(e.PlaceRefused(output, sentence))
                    case _:
                        self.journal.append("trouble", {"sentence": sentence})

    def _failed(self, task: e.TaskId, attempt: int, fault: e.Fault, sentence: str, detail: str = "") -> None:
        """Record that an attempt failed, and tell the machine."""
        self.in_hand.attempts.pop((str(task), attempt), None)
        self.in_hand.counts.pop(str(task), None)
        body = {"task": str(task), "attempt": attempt, "fault": fault, "sentence": sentence, "detail": detail}
        self.journal.append("failed", body)
        self.queue.put_nowait(e.Failed(task, attempt, fault, sentence))

    def _lost(self, task: e.TaskId, attempt: int) -> None:
        self._failed(task, attempt, "lost", "Nobody is working on it any more.")

    async def _carry_out(self, item: e.Instruction) -> None:
        assert self.crew is not None
        match item:
            case e.Start(task, attempt, slot):
                await self._start(task, attempt, slot)
            case e.Control(verb, task, attempt, _):
                if verb == "stop":
                    await self.grace.stop(self.crew, task, attempt)
                else:
                    await self.crew.control(verb, str(task), attempt)
            case e.Tell(output, state, reason):
                self.journal.append("output", {"id": output, "state": state, "reason": reason})
            case e.Place(output, attempt):
                await self._place(output, attempt)
            case e.Discard(output, attempt):
                if output in self.in_hand.ready:
                    discard(self.folders.temporary(self.in_hand.ready[output], attempt))
            case e.DropPiece(name):
                self.jobs.drop(name)
            case e.Offer(slots, device):
                await self.crew.offer(slots, device)
            case e.Refuse(sentence):
                log.warning("refused: %s", sentence)
            case e.End(_):
                pass

    async def _start(self, task: e.TaskId, attempt: int, slot: str) -> None:
        assert self.crew is not None
        if task.kind == JOIN.id and await self._goes_on(task, attempt):
            return
        output = self.machine.tasks[task].output if task.is_part else task.name
        body = {"task": str(task), "attempt": attempt, "slot": slot, "output": output}
        self.journal.append("started", body)
        self.journal.flush()  # before it is begun: no other life of this run may take the attempt's number
        self.in_hand.attempts[(str(task), attempt)] = Attempt(
            task, slot, time.time(), output, self.machine.stations[slot]
        )
        try:
            joined = 0 if task.is_part else self.machine.outputs[task.name].joined
            job = await asyncio.to_thread(self.jobs.job, task, attempt, joined)
        except ChronocastError as error:
            fault: e.Fault = (
                "space" if isinstance(error, NoRoom) else "away" if isinstance(error, FolderGone) else "place"
            )
            self._failed(task, attempt, fault, str(error))
            return
        await self.crew.start(slot, str(task), attempt, job, fresh=task.stage.fresh)

    async def _goes_on(self, join: e.TaskId, attempt: int) -> bool:
        """Before an output is joined: whether its pieces will do.  If not, they are made anew and the join waits."""
        ready = self.in_hand.ready[join.name]
        if not ready.rounds_key:
            return False
        decided = await asyncio.to_thread(decide, ready, self.stock, self.rounds)
        self.in_hand.ready[join.name] = decided.ready
        self.work.replace(decided.ready)
        if decided.sentence:
            number = len(decided.ready.rounds.tried) if decided.ready.rounds else 0
            self.journal.append(
                "round",
                {"id": join.name, "round": number, "sentence": decided.sentence, "again": decided.again},
            )
        if decided.refused:
            self._failed(join, attempt, "media", decided.refused)
            return True
        if not decided.again:
            self._drop_superseded(decided.ready)
            return False
        self.jobs.know(decided.ready)
        spec, kept = self.jobs.spec(decided.ready, self.machine.outputs[join.name].state == "held")
        self.queue.put_nowait(e.Amended(spec, kept))
        self.queue.put_nowait(e.Failed(join, attempt, "stopped"))
        return True

    def _drop_superseded(self, ready: OutputReady) -> None:
        """Give back the room of pieces of qualities that were tried and not taken, unless another output has them."""
        wanted = {piece.name for item in self.in_hand.ready.values() for piece in item.plan.pieces}
        for name in superseded(ready) - wanted:
            self.stock.discard(name)

    async def _place(self, output: str, attempt: int) -> None:
        ready = self.in_hand.ready[output]
        temporary = self.folders.temporary(ready, attempt)
        try:
            await asyncio.to_thread(place, temporary, ready.path, self.options.replace)
        except PlaceError as error:
            gone = self.folders.gone(ready)
            self.queue.put_nowait(e.PlaceRefused(output, gone or str(error), away=bool(gone)))
            return
        promised: Answer = find(self.promised.get("outputs", []), _ID, output) or {}
        self.results.record_made(ready, promised)
        self.queue.put_nowait(e.Placed(output))

    # What comes in

    async def _listen(self) -> None:
        assert self.crew is not None
        async for event in self.crew.events():
            self.in_hand.moved = time.time()
            try:
                translated = await self.results.take(event)
            except JournalError:
                raise
            except Exception as error:
                log.exception("an event of the crew could not be taken: %s", event)
                if not isinstance(event, c.Finished | c.AttemptFailed):
                    raise
                task = e.TaskId.read(event.task)
                self._failed(task, event.attempt, "internal", own_error(error, "taking in a result"))
                continue
            if translated is not None:
                self.queue.put_nowait(translated)

    async def _read_requests(self) -> None:
        seen: object = None
        while True:
            await asyncio.sleep(POLL_SECONDS)
            if (mark := self.journal.written()) == seen:
                continue  # nobody has written anything: not worth a query ten times a second
            seen = mark
            with contextlib.suppress(JournalError):
                for request in self.journal.requests():
                    if request.id not in self.seen_requests:
                        self.seen_requests.add(request.id)
                        if request.kind == "stop" and not request.body.get("outputs"):
                            self.stop_asked = True
                        self.queue.put_nowait(request)

    async def _answer(self, request: Request) -> None:
        try:
            refusal = await self._obey(request.kind, request.body)
        except ChronocastError as error:
            refusal = str(error)
        except Exception as error:
            log.exception("a request could not be met: %s", request)
            refusal = own_error(error, f"“{request.kind}”")
        if not refusal:
            self.journal.append("request", {"kind": request.kind, "body": request.body})
        self.journal.answer(request.id, not refusal, refusal)

    async def _obey(self, kind: str, body: dict[str, Any]) -> str:
        """Carry out a request; a sentence if it can't be met."""
        outputs = tuple(str(name) for name in body.get("outputs", ()))
        unknown = [
            name
            for name in outputs
            if name not in self.machine.outputs and name not in self.admission.unready
        ]
        if unknown and kind not in ("add",):
            return f"There is no output “{unknown[0]}” in this run."
        if kind == "pause":
            await self._step(e.PauseAsked())
        elif kind == "resume":
            await self._step(e.ResumeAsked())
        elif kind == "stop":
            await self._step(e.StopAsked(outputs))
            self._stop_unready(outputs or tuple(self.admission.unready))
        elif kind == "hold":
            await self._step(e.HoldAsked(outputs, bool(body.get("held", True))))
        elif kind == "order":
            self.work.reorder(outputs)
            await self._step(e.OrderAsked(outputs))
        elif kind == "wish":
            self.work.wish(str(body.get("wish", "")))
        elif kind == "retry":
            await self._retry(outputs, bool(body.get("replace")))
        elif kind == "add":
            return await self._add(read_batch(json.dumps(body["batch"])), outputs)
        else:
            return f"“{kind}” is nothing a run can do."
        return ""

    def _stop_unready(self, outputs: tuple[str, ...]) -> None:
        """Say that outputs which couldn't be prepared are stopped, too."""
        with self.journal.together():
            for name in outputs:
                if self.admission.unready.pop(name, None):
                    self.journal.append("output", {"id": name, "state": "stopped", "reason": ""})

    async def _retry(self, outputs: tuple[str, ...], replace: bool) -> None:
        """Try outputs again that need somebody, or all; ``replace``: files of the same name may be replaced now."""
        if replace:
            self.options = self.admission.options = self.options.model_copy(update={"replace": True})
        await asyncio.to_thread(self.work.prepare)
        self.work.judge(await asyncio.to_thread(self.outlook))
        for name in outputs or tuple(self.admission.unready):
            if name in self.admission.unready:
                await self.admission.admit(name, self.work.prospect)
        await self._step(e.RetryAsked(outputs or tuple(self.machine.outputs)))

    async def _add(self, batch: Batch, outputs: tuple[str, ...]) -> str:
        """Outputs of an edited batch join the run, or replace what they were."""
        missing = [name for name in outputs if batch.output(name) is None]
        if missing or not outputs:
            return f"The batch has no output “{missing[0]}”." if missing else "No output was named."
        prospect = await asyncio.to_thread(self.work.prepared, batch)
        for name in outputs:
            present = self.machine.outputs.get(name)
            if present and present.state in ("placing", "proved", "stopped"):
                return f"The output “{name}” is {present.state} and can't be changed any more."
        self.work.batch, self.work.prospect = batch, prospect
        self.work.judge(await asyncio.to_thread(self.outlook))
        for name in outputs:
            await self.admission.admit(name, prospect, amended=name in self.machine.outputs)
        return ""

    def leave(self) -> None:
        """Go without ending the run: it can be taken up again."""
        self.leaving = True
        self.queue.put_nowait(None)
