"""What the crew says, as events of the machine: results kept, failures named, lessons learned."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from chronocast.crew import contract as c
from chronocast.deliver.place import measured
from chronocast.forecast.learning.experience import PieceFact
from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.database import JournalError
from chronocast.journal.station.ledger import Ledger, MadeFile
from chronocast.journal.workspace import Workspace
from chronocast.media.errors import DamagedPicture
from chronocast.model.answers import Answer
from chronocast.model.errors import ChronocastError
from chronocast.model.paths import path_text
from chronocast.model.stages import BASE, CHECK, ENCODE, JOIN
from chronocast.preparation.output.measured_looks import measured_looks
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.run import events as e
from chronocast.run.runner.folders import Folders
from chronocast.run.runner.hand.in_hand import Attempt, InHand
from chronocast.run.runner.helpers import own_error
from chronocast.run.runner.lessons import damaged_parts, does_not_fit, learn, remember_damage
from chronocast.run.runner.pictures import RunPictures
from chronocast.run.runner.watch import STILL_SECONDS

log = logging.getLogger("chronocast.runner")


class Results:
    """``Results(in_hand, folders, journal, workspace, ledger)``.

    ``checks`` are what was proved of outputs; ``wall_seconds`` and
    ``cpu_seconds`` what attempts for them took, every round included.
    """

    def __init__(
        self,
        in_hand: InHand,
        folders: Folders,
        journal: RunJournal,
        workspace: Workspace,
        ledger: Ledger | None,
    ) -> None:
        self.in_hand, self.folders, self.journal = in_hand, folders, journal
        self.workspace, self.stock, self.ledger = workspace, workspace.stock, ledger
        self.pictures = RunPictures(journal.path)
        self.checks: dict[str, list[Answer]] = {}
        self.wall_seconds: dict[str, float] = {}
        self.cpu_seconds: dict[str, float] = {}

    def count(self, output: str, wall_seconds: float, cpu_seconds: float) -> None:
        """Count an attempt as work for an output: every round of it, whatever became of its pieces.

        Parameters
        ----------
        output
            Its id.
        wall_seconds, cpu_seconds
            What the attempt took, by the clock and by the processor.
        """
        self.wall_seconds[output] = self.wall_seconds.get(output, 0.0) + wall_seconds
        self.cpu_seconds[output] = self.cpu_seconds.get(output, 0.0) + cpu_seconds

    def record_made(self, ready: OutputReady, promised: Mapping[str, Any]) -> None:
        """Keep that an output's file is whole at its final place: in the journal, and in the ledger for other runs.

        Parameters
        ----------
        ready
            The output.
        promised
            What was forecast of it when the run began, as JSON; empty if nothing was.
        """
        output = ready.output.id
        size, changed = measured(ready.path)
        body: Answer = {
            "path": str(ready.path),
            "bytes": size,
            "seconds": round(self.wall_seconds.get(output, 0.0), 3),
            "cpu_seconds": round(self.cpu_seconds.get(output, 0.0), 3),
            "checks": self.checks.get(output, []),
        }
        made = MadeFile(
            digest=ready.digest,
            bytes=size,
            mtime_ns=changed,
            seconds=body["seconds"],
            cpu_seconds=body["cpu_seconds"],
            checks=body["checks"],
            forecast={
                key: promised.get(key) for key in ("seconds", "cpu_seconds", "bytes", "looks", "widened")
            },
            recipe=(ready.asked or ready.recipe).model_dump(mode="json"),
            source=path_text(ready.source.path),
            quality=ready.plan.quality,
            looks=looks.as_json() if (looks := measured_looks(ready, self.stock)) else {},
        )
        self.journal.append("made", {"id": output, **body, "kept": asdict(made)})
        if self.ledger:
            with contextlib.suppress(JournalError):
                self.ledger.add_made(path_text(ready.path), made)

    async def take(self, event: c.CrewEvent) -> e.Event | None:
        """Take in what the crew says; what it is to the machine, if anything."""
        match event:
            case c.Granted(slot, station, device):
                return e.SlotGranted(slot, station, device)
            case c.Returned(slot):
                return e.SlotWithdrawn(slot)
            case c.StationGone(station):
                for key in [key for key, item in self.in_hand.attempts.items() if item.station == station]:
                    del self.in_hand.attempts[key]
                self.journal.append("station", {"station": station, "sentence": f"{station} went away."})
                return e.StationLost(station)
            case c.Progressed(task, attempt, count, _):
                if (task, attempt) in self.in_hand.attempts:
                    self.in_hand.counts[task] = count
                return None
            case c.Finished():
                return await self._finished(event)
            case c.AttemptFailed():
                return self._failed(event)
        return None

    def _failed(self, event: c.AttemptFailed) -> e.Event | None:
        task, attempt, sentence, detail = event.task, event.attempt, event.sentence, event.detail
        started = self.in_hand.attempts.pop((task, attempt), None)
        self.in_hand.counts.pop(task, None)
        if started is None:
            return None
        known: Any = event.fault if event.fault in e.Fault.__args__ else "encode"  # type: ignore[attr-defined]
        if known == "space" and started.task.is_part:
            self.in_hand.piece_room *= 2
        if (task, attempt) in self.in_hand.ended_still:
            known = "encode"
            sentence = f"Nothing moved for {STILL_SECONDS / 60:.0f} minutes, so this attempt was ended."
        of = None if started.task.is_part else self.in_hand.ready.get(started.task.name)
        if of is not None and (gone := self.folders.gone(of)):
            known, sentence = "away", gone
        self.journal.append(
            "failed",
            {
                "task": task,
                "attempt": attempt,
                "fault": known,
                "sentence": sentence,
                "detail": detail,
                "at": self._place_of(started),
            },
        )
        shows = self.in_hand.planned_for.get(started.task)
        if known == "base" and shows and (base := shows.base_of.get(started.task.name)):
            self.stock.discard(base.name)
        if known == "media" and detail.startswith('{"damaged"'):
            pictures = [DamagedPicture(*entry) for entry in json.loads(detail)["damaged"]]
            sentence = remember_damage(self.workspace, shows, pictures, sentence)
        unjoined = started.task.kind == JOIN.id and known in ("encode", "media")
        damaged = damaged_parts(of, self.stock) if of is not None and unjoined else ()
        return e.Failed(started.task, attempt, "pieces" if damaged else known, sentence, damaged)

    async def _finished(self, event: c.Finished) -> e.Event | None:
        started = self.in_hand.attempts.pop((event.task, event.attempt), None)
        self.in_hand.counts.pop(event.task, None)
        if started is None:
            return None
        task = started.task
        self.count(started.output, event.wall_seconds, event.cpu_seconds)
        picture = await asyncio.to_thread(self._picture, started, event) if task.is_part else None
        if task.is_part:
            temporary = self.stock.temporary(task.name, f"{self.folders.mark}-{event.attempt}")
            facts = {
                **event.result,
                "wall_seconds": round(event.wall_seconds, 4),
                "cpu_seconds": round(event.cpu_seconds, 4),
                "station": started.station,
            }
            shows = self.in_hand.planned_for.get(task)
            if (of := shows or self.in_hand.ready.get(started.output)) is not None:
                device = f" · {of.route.device.device}" if of.route.device and task.kind == ENCODE.id else ""
                facts["label"] = f"{of.title} · {of.recipe.title}{device}"
                if task.kind == BASE.id and of.recipe.picture:
                    facts["wished"] = of.recipe.picture.bases == "kept"
            fitting = None if task.kind == BASE.id else shows
            if sentence := does_not_fit(fitting, self.stock, task.name, facts.get("sets")):
                return e.Failed(task, event.attempt, "encode", sentence)
            try:
                await asyncio.to_thread(self.stock.keep, temporary, task.name, facts)
            except ChronocastError as error:
                return e.Failed(task, event.attempt, "place", str(error))
        elif task.kind == CHECK.id:
            self.checks[task.name] = [*event.result["checks"], *self._looks(task.name)]
        learned = self._learn(task, event, started)
        body = {
            "task": event.task,
            "attempt": event.attempt,
            "wall_seconds": event.wall_seconds,
            "cpu_seconds": event.cpu_seconds,
            "memory_bytes": event.memory_bytes,
            "output": started.output,
            "result": event.result,
        }
        if picture is not None:
            body["picture"] = picture
        if learned is not None:  # a ledger that is lost can be written anew
            body["learned"] = asdict(learned)
        self.journal.append("finished", body)
        if task.kind == CHECK.id:
            wrong = [check for check in event.result["checks"] if not check["ok"]]
            if wrong:
                first = wrong[0]
                sentence = f"The finished file is not what was asked: {first['name']} is {first['found']}, not {first['expected']}."
                return e.Failed(task, event.attempt, "disproved", sentence)
        return e.Done(task, event.attempt)

    def _place_of(self, started: Attempt) -> str:
        """Which part of its source a piece shows, as timecode; "" for what is no piece."""
        shows = self.in_hand.planned_for.get(started.task)
        if shows is None:
            return ""
        begin = 0
        for piece in shows.plan.pieces:
            if piece.name == started.task.name:
                return f"{shows.timecode_at(begin)} to {shows.timecode_at(begin + piece.frames - 1)}"
            begin += piece.frames
        return ""

    def _picture(self, started: Attempt, event: c.Finished) -> Answer | None:
        """Keep a picture of a piece beside its original, for people to see how it goes."""
        shows, told = self.in_hand.planned_for.get(started.task), event.result.get("pictured")
        if shows is None or not told:
            return None
        temporary = self.stock.temporary(started.task.name, f"{self.folders.mark}-{event.attempt}")
        piece = next((item for item in shows.plan.pieces if item.name == started.task.name), None)
        if piece is None:
            self.pictures.drop(temporary)
            return None
        return self.pictures.take(shows, piece, temporary, (int(told[0]), float(told[1])))

    def _looks(self, output: str) -> list[Answer]:
        """What of its pictures was measured while they were made, beside what is proved of its file."""
        ready = self.in_hand.ready.get(output)
        looks = measured_looks(ready, self.stock) if ready else None
        route = ready.route.as_check() if ready else None
        return [check.as_json() for check in (route, looks.as_check() if looks else None) if check]

    def _learn(self, task: e.TaskId, event: c.Finished, started: Attempt) -> PieceFact | None:
        """Put what work took into the ledger.  It is finished, whatever becomes of that."""
        if self.ledger is None:
            return None
        try:
            return learn(self.in_hand, self.ledger, self.workspace, task, event, started=started)
        except Exception as error:
            log.exception("nothing could be learned from %s", task)
            self.journal.append("trouble", {"sentence": own_error(error, "learning from a piece")})
            return None
