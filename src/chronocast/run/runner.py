"""The runner: one detached process that owns a run.

``python -m chronocast.run.runner JOURNAL [LOCK]``.  It carries out what the
state machine says, and tells it what came of it.  It believes the disk first,
then the journal; so it can be killed and started again at any moment.

No error is only logged: one that belongs to a task fails that task, one that
belongs to a request refuses it, and any other ends the run as *needs you*.
"""

from __future__ import annotations

import asyncio
import contextlib
import fcntl
import json
import logging
import os
import signal
import sys
import time
from dataclasses import asdict, replace
from fractions import Fraction
from pathlib import Path
from typing import IO, Any

from chronocast.crew import contract as c
from chronocast.crew.local.crew import LocalCrew
from chronocast.deliver.place import (
    FolderGone,
    PlaceError,
    discard,
    existing_folder,
    make_folder,
    measured,
    mount_point,
    place,
)
from chronocast.forecast.band import Band
from chronocast.forecast.size import basis_value
from chronocast.journal.database import JournalError
from chronocast.journal.ledger import Ledger
from chronocast.journal.runs import Record, Request, RunJournal, batch_key
from chronocast.journal.workspace import Workspace
from chronocast.media.errors import DAMAGE_REMEDY
from chronocast.media.source.images import is_there
from chronocast.model.batch.batch import Batch, read_batch
from chronocast.model.errors import ChronocastError
from chronocast.model.frozen import FrozenModel
from chronocast.model.messages.jobs import CheckJob, JoinJob, PieceJob, SoundJob
from chronocast.model.paths import path_text, real_path, shown
from chronocast.model.source.cutlist import media_title
from chronocast.preparation.judging import refusals
from chronocast.preparation.outlook import Outlook, as_json, experience, outlook, picture_ask
from chronocast.preparation.output.expectation import expected_file
from chronocast.preparation.output.output_ready import OutputReady, Prospect
from chronocast.preparation.output.prepare import prepare
from chronocast.preparation.source.damaged import picture_time
from chronocast.preparation.station.drives import PIECE_BYTES, NoRoom, need_room, room_on
from chronocast.preparation.station.pace import LoadMeter, load_pace
from chronocast.preparation.station.slots import machine_slots
from chronocast.preparation.today import made_record
from chronocast.run import events as e
from chronocast.run.in_hand import Attempt, InHand
from chronocast.run.lease import Leased, take_lease
from chronocast.run.machine import Machine
from chronocast.run.recovery import tidy
from chronocast.run.reporter import Reporter
from chronocast.run.settling import decide, superseded, wanted_pieces

log = logging.getLogger("chronocast.runner")

POLL_SECONDS = 0.1
ROOM_SECONDS = 2.0
CREW_SECONDS = 2.0
STILL_SECONDS = 180.0
"""How long an attempt may show neither progress nor any use of a processor before it is ended."""


class StoppedEarly(ChronocastError):
    """The run was stopped while it was still being prepared."""


def own_error(error: BaseException, doing: str) -> str:
    """An error of our own as a sentence: what was being done, what came in the way, where the detail is."""
    return f"The runner failed at {doing} ({type(error).__name__}: {error}). Its log has the detail."


def media_of(ready: OutputReady) -> set[Path]:
    """Every file that an output's source is read from."""
    return {ready.source.path, *(Path(real_path(path)) for path in ready.source.facts)}


def first_of(group: BaseExceptionGroup[Any]) -> BaseException:
    """The first error in a group of them, however deep."""
    found: BaseException = group
    while isinstance(found, BaseExceptionGroup):
        found = found.exceptions[0]
    return found


class Options(FrozenModel):
    """How a run was asked for.  ``any_room``: fill drives to the last byte, too."""

    replace: bool = False
    any_room: bool = False
    space_wait_seconds: float = 0.0
    slots: int | None = None


class Runner:
    """Carries one run through."""

    def __init__(
        self, journal: RunJournal, crew: c.Crew | None = None, workspace: Workspace | None = None
    ) -> None:
        self.journal = journal
        self.machine = Machine()
        self.workspace = workspace or Workspace()
        self.stock, self.store, self.rounds = (
            self.workspace.stock,
            self.workspace.facts,
            self.workspace.rounds,
        )
        self.ledger: Ledger | None = None
        self.child_log = self.workspace.child_log
        self.queue: asyncio.Queue[e.Event | Request | None] = asyncio.Queue()
        self.in_hand = InHand()
        self.unready: dict[str, str] = {}
        self.drives: dict[Path, Path] = {}
        self.refused_by_cards: dict[str, str] = {}
        self.planned_for: dict[e.TaskId, OutputReady] = {}
        self.spent: dict[str, list[float]] = {}
        self.cpu_spent: dict[str, float] = {}
        self.checks: dict[str, list[dict[str, Any]]] = {}
        self.promised: dict[str, Any] = {}
        self.options = Options()
        self.batch = Batch()
        self.batch_path = Path()
        self.prospect = Prospect(self.batch, Path(), Path())
        self.crew = crew
        self.leaving = False
        self.full_since = 0.0
        self.lease: IO[str] | None = None
        self.seen_requests: set[int] = set()
        self.ended_still: set[tuple[str, int]] = set()
        self.stop_asked = False
        self.reporter = Reporter(journal, self.machine, self.in_hand)
        self.meter: LoadMeter | None = None

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
        self.batch = read_batch(json.dumps(begin.body["batch"]))
        self.batch_path = Path(begin.body["path"])
        self.reporter.beat()
        if len(records) > 1:  # it had a runner before, which has been gone for so long
            self.journal.append(
                "taken up", {"gone_seconds": round(max(0.0, time.time() - records[-1].time), 1)}
            )
        try:
            self.lease = take_lease(self.batch_path)
        except Leased as error:
            self._end("needs you", str(error))
            return "needs you"
        try:
            return await self._with_helpers(records)
        finally:
            if self.crew is not None:
                await self.crew.close()
            if self.lease is not None:
                self.lease.close()  # at once, not when nobody remembers this runner

    async def _with_helpers(self, records: list[Record]) -> str:
        """Prepare and carry the run through; whatever fails of the runner itself ends the run and says so."""
        outcome = "needs you"
        try:
            async with asyncio.TaskGroup() as group:
                helpers = [group.create_task(job) for job in (self.reporter.report(), self._read_requests())]
                try:
                    await self._prepare(records)
                    helpers += [
                        group.create_task(job)
                        for job in (
                            self._listen(),
                            self.reporter.forecast(self.outlook),
                            self._watch_room(),
                            self._watch_crew(),
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
        outcome = "needs you" if self.unready and self.machine.ended == "done" else str(self.machine.ended)
        self._end(outcome)
        return outcome

    async def _prepare(self, records: list[Record]) -> None:
        """Look at the batch, forecast it, bring every output into the machine."""
        with contextlib.suppress(ChronocastError):
            self.ledger = self.workspace.open_ledger()
        self.machine.attempts = max(
            (int(r.body["attempt"]) for r in records if r.kind == "started"), default=0
        )  # attempts of an earlier life never count
        for record in records:
            if record.kind == "finished":
                self._count(record.body["output"], record.body["wall_seconds"], record.body["cpu_seconds"])
            elif record.kind == "forecast":
                self.promised = record.body
            elif record.kind == "output ready" and record.body.get("drive"):
                self.drives[Path(record.body["path"]).parent] = Path(record.body["drive"])
        self.prospect = await asyncio.to_thread(
            prepare, self.batch, self.batch_path.parent, self.workspace, self._still_wanted
        )
        await asyncio.to_thread(tidy, self.prospect, self.stock, self.child_log, self._mark)
        if self.crew is None:
            self.crew = LocalCrew(self.workspace.slots_folder, self.options.slots, self.child_log)
        first = await asyncio.to_thread(self.outlook)
        self.refused_by_cards = refusals(first)
        if not self.promised:
            self.promised = as_json(first)
            self.journal.append("forecast", self.promised)
        for identifier in [output.id for output in self.batch.outputs]:
            await self._admit(identifier, self.prospect)
        for record in records:
            if record.kind == "request" and record.body["kind"] != "retry":
                await self._obey(record.body["kind"], record.body["body"])
        await self._step(e.Sealed())

    def _still_wanted(self, _done: int, _total: int) -> None:
        """Called for each source that was looked at: leave preparing if the run was stopped meanwhile.

        Raises:
            StoppedEarly: it was.
        """
        if self.stop_asked or self.leaving:
            raise StoppedEarly("The run was stopped before it had begun.")

    @property
    def _mark(self) -> str:
        return batch_key(self.batch_path)[:8]

    async def _admit(self, identifier: str, prospect: Prospect, amended: bool = False) -> None:
        """Bring an output into the run, or say why it can't be."""
        output = prospect.batch.output(identifier)
        assert output is not None
        ready = prospect.output(identifier)
        if ready is None:
            blocking = (p for p in prospect.problems if p.blocks and p.source == output.source)
            found = next((p for p in blocking if p.output in ("", identifier)), None)
            found = prospect.refused.get(identifier, found)
            self._unready(
                identifier, f"{found.sentence} {found.remedy}".strip() if found else "It can't be prepared."
            )
            return
        made = self.made(ready)
        if not made and (refusal := self.refused_by_cards.get(identifier)):
            self._unready(identifier, refusal)
            return
        try:
            await asyncio.to_thread(self._make_folder, ready)
            self.drives.setdefault(ready.path.parent, mount_point(ready.path.parent))
        except FolderGone:
            pass  # its pieces can be made meanwhile; its join waits for the folder
        except PlaceError as error:
            self._unready(identifier, str(error))
            return
        if not made and not self.options.replace and os.path.lexists(ready.path):
            self._unready(
                identifier,
                f"{ready.path} is there already and was not touched. Rename or move it, choose another folder, "
                "or allow files of the same name to be replaced.",
            )
            return
        self.unready.pop(identifier, None)
        self.in_hand.ready[identifier] = ready
        plan = ready.plan
        self._know(ready)
        spec, kept = self._spec(ready, output.held)
        self.journal.append(
            "output ready",
            {"id": identifier, "path": str(ready.path), "drive": str(self.drives.get(ready.path.parent, "")), "frames": plan.frames, "pieces": len(plan.pieces),
             "kept": sum(1 for piece in plan.pieces if piece.name in kept), "rate": str(plan.rate),
             "width": plan.width, "height": plan.height, "title": ready.source.title, "range": ready.range_name,
             "extent": ready.extent.text,
             "recipe": ready.recipe.title, "made": bool(made)},
        )  # fmt: skip
        if made:
            self.checks[identifier] = made["checks"]
            self.journal.append("made", {"id": identifier, **made})
        await self._step(e.Amended(spec, kept) if amended else e.Added(spec, kept, proved=bool(made)))

    def outlook(self) -> Outlook:
        """The forecast of what is left, from the stock, the ledger and the pace."""
        rows = {}
        with contextlib.suppress(JournalError):
            rows = self.ledger.pieces() if self.ledger else {}
        if self.in_hand.ready:
            proved = {name for name, tracked in self.machine.outputs.items() if tracked.state == "proved"}
            paths = {name: item.path for name, item in self.in_hand.ready.items() if name in proved}
        else:
            paths = {item.output.id: item.path for item in self.prospect.outputs if self.made(item)}
        made = {name: measured(path)[0] for name, path in paths.items() if path.exists()}
        slots = self.options.slots or machine_slots()
        self.meter = self.meter or LoadMeter(slots)
        return outlook(
            self.prospect,
            self.stock,
            load_pace(self.workspace.pace_path),
            slots,
            experience(rows),
            made,
            load=self.meter.read(),
        )

    def _unready(self, identifier: str, sentence: str) -> None:
        self.unready[identifier] = sentence
        self.journal.append("output", {"id": identifier, "state": "needs you", "reason": sentence})

    def made(self, ready: OutputReady) -> dict[str, Any]:
        """The record of the very same file, if it is where it was and unchanged since it was proved."""
        row = made_record(ready, self.ledger) if self.ledger else {}
        if not row:
            return {}
        return {"path": str(ready.path), "bytes": row["bytes"], "seconds": row["seconds"], "again": True,
                "cpu_seconds": row["cpu_seconds"], "checks": row["checks"], "forecast": row.get("forecast")}  # fmt: skip

    # Going on

    async def _steps(self) -> None:
        """Take events and requests, one after another, until the run is over or is to be left."""
        while self.machine.ended is None and not self.leaving:
            item = await self.queue.get()
            self.in_hand.moved = time.time()
            if isinstance(item, Request):
                await self._answer(item)
            elif item is not None:
                await self._step(item)

    def _end(self, outcome: str, sentence: str = "") -> None:
        self.journal.set_now({"tasks": {}, "runner": None})
        self.journal.append("ended", {"outcome": outcome, "sentence": sentence})

    async def _step(self, event: e.Event) -> None:
        """Feed the machine; carry out what it says, in order.

        What fails at a task or an output fails that; the machine decides what follows.
        """
        for instruction in self.machine.step(event):
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

    async def _carry_out(self, item: e.Instruction) -> None:
        assert self.crew is not None
        match item:
            case e.Start(task, attempt, slot):
                await self._start(task, attempt, slot)
            case e.Control(verb, task, attempt, _):
                await self.crew.control(verb, str(task), attempt)
            case e.Tell(output, state, reason):
                self.journal.append("output", {"id": output, "state": state, "reason": reason})
            case e.Place(output, attempt):
                await self._place(output, attempt)
            case e.Discard(output, attempt):
                if output in self.in_hand.ready:
                    discard(self._joined(output, attempt))
            case e.DropPiece(name):
                self.stock.discard(name)
            case e.Offer(slots):
                await self.crew.offer(slots)
            case e.Refuse(sentence):
                log.warning("refused: %s", sentence)
            case e.End(_):
                pass

    def _joined(self, output: str, attempt: int) -> Path:
        final = self.in_hand.ready[output].path
        return final.with_name(f".{final.name}.{self._mark}-{attempt}.part")

    async def _start(self, task: e.TaskId, attempt: int, slot: str) -> None:
        assert self.crew is not None
        if task.kind == "join" and await self._goes_on(task, attempt):
            return
        self.journal.append("started", {"task": str(task), "attempt": attempt, "slot": slot})
        self.in_hand.attempts[(str(task), attempt)] = Attempt(task, slot, time.time(), self._for_output(task))
        try:
            job = await asyncio.to_thread(self._job, task, attempt)
        except ChronocastError as error:
            fault: e.Fault = (
                "space" if isinstance(error, NoRoom) else "away" if isinstance(error, FolderGone) else "place"
            )
            self._failed(task, attempt, fault, str(error))
            return
        await self.crew.start(slot, str(task), attempt, job, fresh=task.kind == "check")

    async def _goes_on(self, join: e.TaskId, attempt: int) -> bool:
        """Before an output is joined: whether its pieces will do.  If not, they are made anew and the join waits."""
        ready = self.in_hand.ready[join.name]
        if not ready.rounds_key:
            return False
        decided = await asyncio.to_thread(decide, ready, self.stock, self.rounds)
        self.in_hand.ready[join.name] = decided.ready
        self.prospect.outputs = [
            decided.ready if item.output.id == join.name else item for item in self.prospect.outputs
        ]
        if decided.sentence:
            number = len(decided.ready.rounds.tried) if decided.ready.rounds else 0
            self.journal.append(
                "round", {"id": join.name, "round": number, "sentence": decided.sentence, "again": decided.again}
            )  # fmt: skip
        if decided.refused:
            self._failed(join, attempt, "media", decided.refused)
            return True
        if not decided.again:
            self._drop_superseded(decided.ready)
            return False
        self._know(decided.ready)
        spec, kept = self._spec(decided.ready, self.machine.outputs[join.name].state == "held")
        self.queue.put_nowait(e.Amended(spec, kept))
        self.queue.put_nowait(e.Failed(join, attempt, "stopped"))
        return True

    def _drop_superseded(self, ready: OutputReady) -> None:
        """Give back the room of pieces of qualities that were tried and not taken, unless another output has them."""
        wanted = {piece.name for item in self.in_hand.ready.values() for piece in item.plan.pieces}
        for name in superseded(ready) - wanted:
            self.stock.discard(name)

    def _know(self, ready: OutputReady) -> None:
        """Have an output's jobs at hand."""
        for piece in ready.plan.pieces:
            task = e.TaskId("piece", piece.name)
            self.in_hand.jobs[task], self.planned_for[task] = piece, ready
        if ready.plan.sound:
            self.in_hand.jobs[e.TaskId("sound", ready.plan.sound.name)] = ready.plan.sound

    def _spec(self, ready: OutputReady, held: bool) -> tuple[e.OutputSpec, frozenset[str]]:
        """An output as the machine must know it, and what of it is in the stock."""
        sound = ready.plan.sound.name if ready.plan.sound else None
        pieces = wanted_pieces(ready)
        kept = frozenset(
            name for name in (*pieces, *([sound] if sound else [])) if self.stock.size(name) is not None
        )
        return e.OutputSpec(ready.output.id, pieces, sound, held), kept

    def _for_output(self, task: e.TaskId) -> str:
        if task.kind in ("join", "check"):
            return task.name
        return next((name for name in self.machine.order if task in self.machine.outputs[name].tasks
                     and self.machine.outputs[name].state not in ("proved", "stopped", "held")), "")  # fmt: skip

    def _job(self, task: e.TaskId, attempt: int) -> PieceJob | SoundJob | JoinJob | CheckJob:
        """The whole job, its target chosen.

        Raises:
            ChronocastError: there is no room, or no place.
        """
        if task.kind in ("piece", "sound"):
            need_room(self.stock.folder, PIECE_BYTES, not self.options.any_room)
            target = self.stock.temporary(task.name, f"{self._mark}-{attempt}")
            return self.in_hand.jobs[task].model_copy(update={"target": str(target)})
        ready = self.in_hand.ready[task.name]
        plan = ready.plan
        if task.kind == "join":
            self._make_folder(ready)
            names = [piece.name for piece in plan.pieces] + ([plan.sound.name] if plan.sound else [])
            need_room(
                ready.path.parent,
                sum(self.stock.size(name) or 0 for name in names) + plan.frames * 20 + 2**16,
                not self.options.any_room,
            )
            return JoinJob(
                name=task.name, target=path_text(self._joined(task.name, attempt)), container=ready.recipe.container,
                rate=str(plan.rate), pieces=tuple((str(self.stock.path(p.name)), p.frames) for p in plan.pieces),
                sound=str(self.stock.path(plan.sound.name)) if plan.sound else None, title=ready.title,
                codec=ready.recipe.picture.codec if ready.recipe.picture else "",
                languages=plan.sound.languages if plan.sound else (), shape=plan.pieces[0].shape if plan.pieces else Fraction(1),
                timecode=ready.timecode, stem=path_text(ready.path.name),
                colour=plan.settings.colour if plan.settings and ready.recipe.picture and ready.recipe.picture.kind.tags != "none" else None,
            )  # fmt: skip
        kept = self.stock.find(plan.sound.name) if plan.sound else None
        expected = expected_file(ready, bool(kept and kept.facts.get("silent")))
        expected = replace(
            expected, onset=kept.facts.get("onset") if kept else None, exact=self._digests(ready),
            source_damage=(*expected.source_damage, *(kept.facts.get("damaged", ()) if kept else ())),
        )  # fmt: skip
        joined = self.machine.outputs[task.name].joined
        return CheckJob(
            name=task.name, target=path_text(self._joined(task.name, joined)), expected=asdict(expected)
        )

    def _digests(self, ready: OutputReady) -> tuple[tuple[int, str], ...]:
        """Frames and digest of each piece of a lossless output, where all of them are known."""
        found = []
        for piece in ready.plan.pieces:
            kept = self.stock.find(piece.name)
            if kept is None or not kept.facts.get("digest"):
                return ()
            found.append((piece.frames, str(kept.facts["digest"])))
        return tuple(found)

    async def _place(self, output: str, attempt: int) -> None:
        ready, temporary = self.in_hand.ready[output], self._joined(output, attempt)
        try:
            await asyncio.to_thread(place, temporary, ready.path, self.options.replace)
        except PlaceError as error:
            gone = self._drive_gone(ready)
            self.queue.put_nowait(e.PlaceRefused(output, gone or str(error), away=bool(gone)))
            return
        size, changed = measured(ready.path)
        promised: dict[str, Any] = next(
            (o for o in self.promised.get("outputs", []) if o["id"] == output), {}
        )
        body = {
            "path": str(ready.path), "bytes": size, "seconds": round(sum(self.spent.get(output, ())), 3),
            "cpu_seconds": round(self.cpu_spent.get(output, 0.0), 3), "checks": self.checks.get(output, []),
        }  # fmt: skip
        self.journal.append("made", {"id": output, **body})
        if self.ledger:
            with contextlib.suppress(JournalError):
                self.ledger.add_made(
                    path_text(ready.path), ready.digest, size, changed,
                    {**body, "forecast": {key: promised.get(key) for key in ("seconds", "bytes")},
                     "recipe": (ready.asked or ready.recipe).model_dump(mode="json"), "source": path_text(ready.source.path),
                     "quality": ready.plan.quality},
                )  # fmt: skip
        self.queue.put_nowait(e.Placed(output))

    # What comes in

    async def _listen(self) -> None:
        assert self.crew is not None
        async for event in self.crew.events():
            self.in_hand.moved = time.time()
            try:
                translated = await self._translate(event)
            except JournalError:
                raise
            except Exception as error:
                log.exception("an event of the crew could not be taken: %s", event)
                if not isinstance(event, c.Finished | c.AttemptFailed):
                    raise
                task = e.TaskId(*event.task.split(":", 1))  # type: ignore[arg-type]
                self._failed(task, event.attempt, "internal", own_error(error, "taking in a result"))
                continue
            if translated is not None:
                self.queue.put_nowait(translated)

    async def _translate(self, event: c.CrewEvent) -> e.Event | None:
        match event:
            case c.Granted(slot, station):
                return e.SlotGranted(slot, station)
            case c.Returned(slot):
                return e.SlotWithdrawn(slot)
            case c.StationGone(station):
                return e.StationLost(station)
            case c.Progressed(task, attempt, count, _):
                if (task, attempt) in self.in_hand.attempts:
                    self.in_hand.counts[task] = count
                return None
            case c.Finished():
                return await self._finished(event)
            case c.AttemptFailed(task, attempt, fault, sentence, detail):
                started = self.in_hand.attempts.pop((task, attempt), None)
                self.in_hand.counts.pop(task, None)
                if started is None:
                    return None
                known: Any = fault if fault in e.Fault.__args__ else "encode"  # type: ignore[attr-defined]
                if (task, attempt) in self.ended_still:
                    known = "encode"
                    sentence = (
                        f"Nothing moved for {STILL_SECONDS / 60:.0f} minutes, so this attempt was ended."
                    )
                of = (
                    self.in_hand.ready.get(started.task.name)
                    if started.task.kind in ("join", "check")
                    else None
                )
                if of is not None and (gone := self._drive_gone(of)):
                    known, sentence = "away", gone
                self.journal.append(
                    "failed",
                    {
                        "task": task,
                        "attempt": attempt,
                        "fault": known,
                        "sentence": sentence,
                        "detail": detail,
                    },
                )
                if known == "media" and detail.startswith('{"damaged"'):
                    sentence = self._remember_damage(started.task, json.loads(detail)["damaged"], sentence)
                damaged = (
                    self._damaged(started.task)
                    if started.task.kind == "join" and known in ("encode", "media")
                    else ()
                )
                return e.Failed(started.task, attempt, "pieces" if damaged else known, sentence, damaged)
        return None

    def _remember_damage(self, task: e.TaskId, pictures: list[list[Any]], sentence: str) -> str:
        """Keep what decoders said of a source; the sentence with the timecode of the first place."""
        by_file: dict[str, dict[int, str]] = {}
        for path, number, said in pictures:
            by_file.setdefault(path, {})[int(number)] = str(said)
        for path, complaints in by_file.items():
            with contextlib.suppress(ChronocastError, OSError):
                self.store.damaged(path, complaints)
        ready = self.planned_for.get(task)
        path, number, said = pictures[0]
        if ready is None or path not in ready.source.facts:
            return sentence
        at = picture_time(ready.source.facts[path], int(number))
        return f"{shown(media_title(path))} is damaged at {at} ({said}). {DAMAGE_REMEDY}"

    def _damaged(self, task: e.TaskId) -> tuple[str, ...]:
        """After a join that failed: pieces that can't be opened or are not as long as they were."""
        plan = self.in_hand.ready[task.name].plan
        found = []
        parts: list[PieceJob | SoundJob] = [*plan.pieces, *([plan.sound] if plan.sound else [])]
        for job in parts:
            kept = self.stock.find(job.name)
            if kept is None or kept.facts.get("bytes") not in (None, kept.bytes):
                found.append(job.name)
        return tuple(found or [piece.name for piece in plan.pieces])

    async def _finished(self, event: c.Finished) -> e.Event | None:
        started = self.in_hand.attempts.pop((event.task, event.attempt), None)
        self.in_hand.counts.pop(event.task, None)
        if started is None:
            return None
        task = started.task
        self._count(started.output, event.wall_seconds, event.cpu_seconds)
        if task.kind in ("piece", "sound"):
            temporary = self.stock.temporary(task.name, f"{self._mark}-{event.attempt}")
            facts = {
                **event.result,
                "wall_seconds": round(event.wall_seconds, 4),
                "cpu_seconds": round(event.cpu_seconds, 4),
            }
            if task.kind == "piece" and (sentence := self._does_not_fit(task, facts)):
                return e.Failed(task, event.attempt, "encode", sentence)
            try:
                await asyncio.to_thread(self.stock.keep, temporary, task.name, facts)
            except ChronocastError as error:
                return e.Failed(task, event.attempt, "place", str(error))
            self._learn(task, event)
        elif task.kind == "check":
            self.checks[task.name] = event.result["checks"]
        body = {
            "task": event.task, "attempt": event.attempt, "wall_seconds": event.wall_seconds,
            "cpu_seconds": event.cpu_seconds, "memory_bytes": event.memory_bytes, "output": started.output,
            "result": event.result,
        }  # fmt: skip
        self.journal.append("finished", body)
        if task.kind == "check":
            wrong = [check for check in event.result["checks"] if not check["ok"]]
            if wrong:
                first = wrong[0]
                sentence = f"The finished file is not what was asked: {first['name']} is {first['found']}, not {first['expected']}."
                return e.Failed(task, event.attempt, "disproved", sentence)
        return e.Done(task, event.attempt)

    def _does_not_fit(self, task: e.TaskId, facts: dict[str, Any]) -> str:
        """A sentence if a piece has other parameter sets than those of its output before it: it couldn't be joined.

        Found at the second piece, and not after the last one.
        """
        ready = self.planned_for.get(task)
        if ready is None or ready.recipe.container == "images" or not facts.get("sets"):
            return ""
        others = (self.stock.find(piece.name) for piece in ready.plan.pieces if piece.name != task.name)
        other = next((kept for kept in others if kept is not None and kept.facts.get("sets")), None)
        if other is None or other.facts["sets"] == facts["sets"]:
            return ""
        return (
            f"The encoder {ready.plan.settings.encoder if ready.plan.settings else ''} wrote other parameter sets for a piece "
            "than for those before it, so they can't be joined. Choose another rate control, or another codec."
        )

    def _count(self, output: str, wall_seconds: float, cpu_seconds: float) -> None:
        """Count an attempt as work for an output: every round of it, whatever became of its pieces."""
        self.spent.setdefault(output, []).append(wall_seconds)
        self.cpu_spent[output] = self.cpu_spent.get(output, 0.0) + cpu_seconds

    def _learn(self, task: e.TaskId, event: c.Finished) -> None:
        """Put what a piece took into the ledger.  The piece is finished, whatever becomes of that."""
        job, ready = self.in_hand.jobs.get(task), self.planned_for.get(task)
        if not isinstance(job, PieceJob) or ready is None or self.ledger is None:
            return
        try:
            ask = picture_ask(ready, self.stock)
            self.ledger.add_piece(
                family=ready.family, pace=ready.pace, frames=job.frames, pixels=round(ready.work(job) * 1e6),
                seconds=float(job.frames / ready.plan.rate), bytes=event.result["bytes"], cpu_seconds=event.cpu_seconds,
                wall_seconds=event.wall_seconds, target=0 if ready.searching else round(basis_value(ask, job.frames)),
                film=ready.film,
            )  # fmt: skip
        except Exception as error:
            log.exception("nothing could be learned from %s", task)
            self.journal.append("trouble", {"sentence": own_error(error, "learning from a piece")})

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
        unknown = [name for name in outputs if name not in self.machine.outputs and name not in self.unready]
        if unknown and kind not in ("add",):
            return f"There is no output “{unknown[0]}” in this run."
        if kind == "pause":
            await self._step(e.PauseAsked())
        elif kind == "resume":
            await self._step(e.ResumeAsked())
        elif kind == "stop":
            await self._step(e.StopAsked(outputs))
            for name in outputs or list(self.unready):
                if self.unready.pop(name, None):
                    self.journal.append("output", {"id": name, "state": "stopped", "reason": ""})
        elif kind == "hold":
            await self._step(e.HoldAsked(outputs, bool(body.get("held", True))))
        elif kind == "order":
            await self._step(e.OrderAsked(outputs))
        elif kind == "retry":
            if body.get("replace"):
                self.options = self.options.model_copy(update={"replace": True})
            self.prospect = await asyncio.to_thread(
                prepare, self.batch, self.batch_path.parent, self.workspace
            )
            self.refused_by_cards = refusals(await asyncio.to_thread(self.outlook))
            for name in outputs or tuple(self.unready):
                if name in self.unready:
                    await self._admit(name, self.prospect)
            await self._step(e.RetryAsked(outputs or tuple(self.machine.outputs)))
        elif kind == "add":
            return await self._add(read_batch(json.dumps(body["batch"])), outputs)
        else:
            return f"“{kind}” is nothing a run can do."
        return ""

    async def _add(self, batch: Batch, outputs: tuple[str, ...]) -> str:
        """Outputs of an edited batch join the run, or replace what they were."""
        missing = [name for name in outputs if batch.output(name) is None]
        if missing or not outputs:
            return f"The batch has no output “{missing[0]}”." if missing else "No output was named."
        prospect = await asyncio.to_thread(prepare, batch, self.batch_path.parent, self.workspace)
        for name in outputs:
            present = self.machine.outputs.get(name)
            if present and present.state in ("placing", "proved", "stopped"):
                return f"The output “{name}” is {present.state} and can't be changed any more."
        self.batch, self.prospect = batch, prospect
        self.refused_by_cards = refusals(await asyncio.to_thread(self.outlook))
        for name in outputs:
            await self._admit(name, prospect, amended=name in self.machine.outputs)
        return ""

    async def _watch_room(self) -> None:
        """See whether what outputs wait for has come: room on a drive, or the drive itself."""
        while True:
            await asyncio.sleep(ROOM_SECONDS if self.machine.waits_for not in ("space", "drive") else 0.3)
            waiting = {name: t.waits_for for name, t in self.machine.outputs.items() if t.waits_for}
            if not waiting:
                self.full_since = 0.0
                continue
            self.full_since = self.full_since or time.monotonic()
            places = {self.stock.folder, *(item.path.parent for item in self.in_hand.ready.values())}
            if "space" in waiting.values() and all(self._has_room(folder) for folder in places):
                self.queue.put_nowait(e.SpaceFreed())
            back = tuple(name for name, what in waiting.items() if what == "drive" and self._is_back(name))
            if back:
                self.queue.put_nowait(e.DriveReturned(back))
            elif time.monotonic() - self.full_since > self.options.space_wait_seconds:
                self.queue.put_nowait(e.WaitingOver())

    def _is_back(self, output: str) -> bool:
        """Whether the folder an output goes to, and all media it needs, are there."""
        ready = self.in_hand.ready[output]
        media = media_of(ready)
        home = self.batch_path.parent
        drive = self.drives.get(ready.path.parent)
        there = existing_folder(ready.path.parent, home, media, drive)
        return there and all(is_there(str(path)) for path in media)

    def _drive_gone(self, ready: OutputReady) -> str:
        """A sentence if the drive an output goes to was taken out since the run began."""
        try:
            self._make_folder(ready)
        except FolderGone as error:
            return str(error)
        except PlaceError:
            pass
        return ""

    def _make_folder(self, ready: OutputReady) -> None:
        """Make the folder an output goes to, unless it has gone with its drive.

        Raises:
            PlaceError: it can't be had.
        """
        folder = ready.path.parent
        make_folder(folder, self.batch_path.parent, media_of(ready), self.drives.get(folder))

    async def _watch_crew(self) -> None:
        """See that every attempt the machine counts on is in somebody's hands, and that it moves."""
        assert self.crew is not None
        missing: dict[tuple[str, int], int] = {}
        while True:
            await asyncio.sleep(CREW_SECONDS)
            signs = self.crew.signs()
            missing = {key: missing.get(key, 0) + 1 for key in self.in_hand.attempts if key not in signs}
            for key, looks in list(missing.items()):
                if looks > 3 and key in self.in_hand.attempts:
                    self._failed(
                        self.in_hand.attempts[key].task, key[1], "lost", "Nobody is working on it any more."
                    )
            for key, seconds in signs.items():
                if seconds > STILL_SECONDS and not self.machine.paused and key not in self.ended_still:
                    self.ended_still.add(key)
                    await self.crew.control("stop", *key)

    def _has_room(self, folder: Path) -> bool:
        """Whether outputs that wait for room in a folder can be tried again."""
        needs = [
            sum(self.stock.size(piece.name) or 0 for piece in item.plan.pieces) * 1.05
            for name, item in self.in_hand.ready.items()
            if item.path.parent == folder and self.machine.outputs[name].waits_for == "space"
        ]
        need = PIECE_BYTES if folder == self.stock.folder else max(needs, default=0.0) + 2**16
        return need <= room_on(folder, Band(need, need, need), reserve=not self.options.any_room).usable

    def leave(self) -> None:
        """Go without ending the run: it can be taken up again."""
        self.leaving = True
        self.queue.put_nowait(None)


async def _main(path: Path) -> int:
    journal = RunJournal(path)
    runner = Runner(journal)
    loop = asyncio.get_running_loop()
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        loop.add_signal_handler(number, runner.leave)
    try:
        outcome = await runner.run()
    except Exception as error:
        log.exception("the run could not go on")
        sentence = str(error) if isinstance(error, ChronocastError) else own_error(error, "this run")
        journal.append("ended", {"outcome": "needs you", "sentence": sentence})
        return 1
    return {"done": 0, "needs you": 1, "stopped": 130, "left": 0}.get(outcome, 1)


def lock_path(journal: Path) -> Path:
    """The lock file that the runner of a journal holds."""
    return journal.with_suffix(".lock")


def hold_lock(path: Path, inherited: int | None) -> IO[str] | None:
    """The runner's lock, to be held for as long as it lives; None if another runner has it.

    Whoever starts a runner takes the lock first and hands it down, so that
    there is no moment in which the run seems to be nobody's.
    """
    if inherited is not None:
        lock = os.fdopen(inherited, "r+")
    else:
        lock = open(path, "a+")  # noqa: SIM115 - held for as long as the runner lives
        for _ in range(20):  # whoever asks whether we live holds it for a moment, too
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except OSError:
                time.sleep(0.05)
        else:
            return None
    lock.seek(0)
    lock.truncate()
    lock.write(str(os.getpid()))
    lock.flush()
    return lock


def main() -> None:
    path = Path(sys.argv[1])
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    lock = hold_lock(lock_path(path), int(sys.argv[2]) if len(sys.argv) > 2 else None)
    if lock is None:
        log.info("another runner has this journal")
        sys.exit(0)
    sys.exit(asyncio.run(_main(path)))


if __name__ == "__main__":
    main()
