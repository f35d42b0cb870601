"""What a station does for one runner: a crew of its own on the station's slots, and what that runner hasn't heard yet."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Literal

from pydantic import TypeAdapter, ValidationError

from chronocast.crew.contract import AttemptFailed, CrewEvent, Finished, Returned
from chronocast.crew.house.copies import SourceCopies
from chronocast.crew.house.shared_paths import NotShared, as_here, as_shared
from chronocast.crew.house.told_events import as_told
from chronocast.crew.local.crew import LocalCrew
from chronocast.media.files.sums import file_sum
from chronocast.model.errors import ChronocastError
from chronocast.model.house import MOST_SLOTS, Doing, Rank, Root
from chronocast.model.messages.jobs import Job, read_job
from chronocast.model.messages.moved import moved
from chronocast.model.paths import real_path

log = logging.getLogger("chronocast.station")

READ_RANK: TypeAdapter[Rank] = TypeAdapter(Rank)
MOST_EVENTS = 20_000
WAIT_SECONDS = 5.0
"""A runner that asks for news waits so long for them."""


class NotUnderstood(ChronocastError):
    """A runner said what makes no sense."""


class Session:
    """``Session(crew, roots, who, run, copies)``; ``copies`` are sources that were copied to the station.

    ``heard`` is when its runner spoke last (monotonic seconds); ``share`` is how many slots it may have while others
    want some too, None for as many as there are; ``served`` what it has had so far, in seconds of a slot.
    """

    def __init__(
        self,
        crew: LocalCrew,
        roots: Sequence[Root],
        who: str,
        run: str,
        copies: SourceCopies | None = None,
    ) -> None:
        self.copies = copies
        self.crew, self.roots, self.who, self.run = crew, tuple(roots), who, run
        self.heard = time.monotonic()
        self.wanted: dict[str, int] = {}
        self.in_hand: dict[tuple[str, int], Job] = {}
        self.frozen: set[tuple[str, int]] = set()
        self.shut = False
        self._begun: set[tuple[str, int]] = set()
        self.share: int | None = None
        self.rank: Rank = "as others"
        self.served = 0.0
        self._events: list[tuple[int, dict[str, Any]]] = []
        self._number = 0
        self._news = asyncio.Event()
        self._listening = asyncio.create_task(self._listen())
        self._held_back: set[asyncio.Task[None]] = set()

    @property
    def doing(self) -> tuple[Doing, ...]:
        """What it has in hand."""
        return tuple(Doing(task=task, run=self.run, who=self.who) for task, _ in tuple(self.in_hand))

    async def do(self, verb: str, body: dict[str, Any]) -> dict[str, Any]:
        """Do what its runner says.

        Parameters
        ----------
        verb
            One of the crew's.
        body
            What goes with it.

        Raises
        ------
        NotUnderstood
            It makes no sense.
        """
        self.heard = time.monotonic()
        try:
            match verb:
                case "offer":
                    self.rank = READ_RANK.validate_python(body.get("rank", "as others"))
                    return await self._offer(int(body["slots"]), str(body.get("device", "")))
                case "start":
                    return await self._start(body)
                case "control":
                    return await self._control(
                        str(body["control"]), (str(body["task"]), int(body["attempt"]))
                    )
                case "events":
                    return await self._tell(int(body["since"]))
                case _:
                    raise NotUnderstood(f"“{verb[:20]}” is nothing a station does.")
        except (KeyError, TypeError, ValueError, ValidationError) as error:
            raise NotUnderstood(f"What was said with “{verb[:20]}” makes no sense.") from error

    async def set_shut(self, shut: bool) -> None:
        """Take no more work, and freeze what is in hand; or go on.

        Parameters
        ----------
        shut
            Whether the station takes no work now.
        """
        if shut == self.shut:
            return
        self.shut = shut
        await self._offer_on()
        for key in list(self.in_hand):  # work ends meanwhile
            if key not in self.frozen:  # what its runner froze stays so
                await self.crew.control("freeze" if shut else "thaw", *key)

    async def set_share(self, share: int | None) -> None:
        """Let it have so many slots of the processor; what is above that comes back when its work is done.

        Parameters
        ----------
        share
            How many; None for as many as there are.
        """
        if share != self.share:
            self.share = share
            await self._offer_on()

    async def hand_back(self) -> None:
        """Give what is in hand back to the runner, undone."""
        for task, attempt in list(self.in_hand):
            await self.crew.control("stop", task, attempt)

    async def close(self) -> None:
        """End whatever it has in hand."""
        self._listening.cancel()
        for task in self._held_back:
            task.cancel()
        await self.crew.close()
        self._news.set()

    # What the verbs rest on

    async def _offer(self, slots: int, device: str) -> dict[str, Any]:
        if not 0 <= slots <= MOST_SLOTS:
            raise ValueError(slots)
        self.wanted[device] = slots
        await self._offer_on()
        return {}

    async def _offer_on(self) -> None:
        """Have the crew take what its runner wants, as far as it may."""
        for device, slots in list(self.wanted.items()):
            most = slots if self.share is None or device else min(slots, self.share)
            await self.crew.offer(0 if self.shut else most, device)

    async def _start(self, body: dict[str, Any]) -> dict[str, Any]:
        job = read_job.validate_python(body["job"])
        slot, key = str(body["slot"]), (str(body["task"])[:200], int(body["attempt"]))
        if key in self._begun:  # said again, since our answer wasn't heard
            return {}
        try:
            here = await asyncio.to_thread(moved, job, lambda path: as_here(path, self.roots))
        except NotShared as error:
            log.warning("%s asked for a file that isn't shared: %s", self.who, error)
            return {"elsewhere": str(error)}
        if self.shut:
            return {"shut": "it gives way to somebody, or isn't open."}
        if not self.crew.has(slot):
            return {"elsewhere": f"The slot {slot[:60]} isn't one of this station's."}
        if not self.crew.is_free(slot):
            self._keep(Returned(slot))
            return {"shut": "that slot is another's now."}
        if self.copies is not None:
            here = await asyncio.to_thread(self.copies.used, here)
        self.in_hand[key] = here
        self._begun.add(key)
        self.frozen.discard(key)
        await self.crew.start(slot, *key, here, fresh=bool(body.get("fresh")))
        return {}

    async def _control(self, verb: str, key: tuple[str, int]) -> dict[str, Any]:
        verbs: dict[str, Literal["freeze", "thaw", "stop"]] = {
            "freeze": "freeze",
            "thaw": "thaw",
            "stop": "stop",
        }
        if verb == "freeze":
            self.frozen.add(key)
        elif verb == "thaw":
            self.frozen.discard(key)
            if self.shut:
                return {"here": key in self.in_hand}
        return {"here": await self.crew.control(verbs[verb], *key)}

    async def _tell(self, since: int) -> dict[str, Any]:
        self._events = [entry for entry in self._events if entry[0] > since]
        if not self._events:
            self._news.clear()
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(self._news.wait(), WAIT_SECONDS)
        self.heard = time.monotonic()
        signs = [[task, attempt, seconds] for (task, attempt), seconds in self.crew.signs().items()]
        return {"events": [[number, told] for number, told in self._events], "signs": signs}

    async def _listen(self) -> None:
        async for event in self.crew.events():
            if isinstance(event, Finished):  # what it takes to sum a file up must hold nothing else up
                task = asyncio.create_task(self._sum_up(event))
                self._held_back.add(task)
                task.add_done_callback(self._held_back.discard)
                continue
            if isinstance(event, AttemptFailed):
                event = self._as_told_there(event)
            self._keep(event)

    async def _sum_up(self, event: Finished) -> None:
        job = self.in_hand.pop((event.task, event.attempt), None)
        self.served += event.wall_seconds
        proof: dict[str, Any] = {}
        if job is not None and job.kind not in ("join", "check"):
            with contextlib.suppress(OSError):
                proof = {"sum_there": await asyncio.to_thread(file_sum, Path(real_path(job.target)))}
        result = {**event.result, **proof}
        if "damaged" in result and job is not None and job.kind != "sound":
            result["damaged"] = [[self._there(entry[0]), *entry[1:]] for entry in result["damaged"]]
        self._keep(
            Finished(
                event.task,
                event.attempt,
                result,
                event.wall_seconds,
                event.cpu_seconds,
                event.memory_bytes,
                event.read_bytes,
            )
        )
        if (
            self.copies is not None and job is not None
        ):  # its runner has heard: nothing of this may hold that up
            with contextlib.suppress(OSError):
                await asyncio.to_thread(self.copies.note, job, event.read_bytes, event.wall_seconds)

    def _as_told_there(self, event: AttemptFailed) -> AttemptFailed:
        """A failure with the runner's paths where they mean something to it."""
        self.in_hand.pop((event.task, event.attempt), None)
        if not event.detail.startswith('{"damaged"'):
            return event
        pictures = json.loads(event.detail)["damaged"]
        detail = json.dumps({"damaged": [[self._there(entry[0]), *entry[1:]] for entry in pictures]})
        return AttemptFailed(event.task, event.attempt, event.fault, event.sentence, detail)

    def _there(self, path: str) -> str:
        """A path by its root, as the runner named it."""
        try:
            return as_shared(self.copies.original(path) if self.copies else path, self.roots)
        except NotShared:
            return path

    def _keep(self, event: CrewEvent) -> None:
        self._number += 1
        if type(event).__name__ == "Progressed" and self._events:
            task = getattr(event, "task", "")
            self._events = [  # only the latest word of a task's progress counts
                entry
                for entry in self._events
                if not (entry[1]["what"] == "Progressed" and entry[1]["task"] == task)
            ]
        self._events = [*self._events[-MOST_EVENTS:], (self._number, as_told(event))]
        self._news.set()
