"""The crew of one machine: a warm encoder child for each slot, under asyncio.

Slots are lock files shared by every run on the machine, so that two runs
take turns instead of fighting over its cores.  Nothing listens.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import os
import signal
import time
from collections import Counter
from collections.abc import AsyncIterator, Mapping
from pathlib import Path
from typing import Any, Literal

import psutil

from chronocast.crew.contract import AttemptFailed, CrewEvent, Finished, Granted, Progressed, Returned
from chronocast.crew.local.nursery import nursery
from chronocast.journal.locks import Lock
from chronocast.model.messages.jobs import Job
from chronocast.model.stages import ENCODE, HERE
from chronocast.preparation.station.this import machine_slots

log = logging.getLogger(__name__)
POLL_SECONDS = 0.1
KILL_AFTER_SECONDS = 5.0
MOST_HANDS = 8
"""Processes that share one check."""


class Child:
    """One encoder child, spoken to by a socket."""

    def __init__(
        self, pid: int, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, end: asyncio.Task[int]
    ) -> None:
        self.pid, self.reader, self.writer, self._end = pid, reader, writer, end
        self.jobs_done = 0
        self.frozen = False
        self.ready = False

    @classmethod
    async def begin(cls, order: dict[str, Any], said: Path) -> Child:
        """Start a child; what it says on standard error goes to a file."""
        born = await asyncio.to_thread(nursery().bear, order, said)
        end = asyncio.create_task(_exit_code(*await asyncio.open_connection(sock=born.status)))
        reader, writer = await asyncio.open_connection(sock=born.stream, limit=2**24)
        return cls(born.pid, reader, writer, end)

    def signal(self, number: int) -> None:
        """Send it and what it has begun a signal, if it lives."""
        if self.alive:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(self.pid, number)

    async def order(self, line: str) -> None:
        """Give it a line of standard input.

        Raises
        ------
        ConnectionError
            It has ended.
        """
        self.writer.write(line.encode())
        await self.writer.drain()

    async def ended(self) -> int:
        """Wait for its end: its exit code, or less than nothing for a signal."""
        code = await asyncio.shield(self._end)
        self.writer.close()
        return code

    @property
    def alive(self) -> bool:
        """Whether its process has not ended, as far as is known."""
        return not self._end.done()


async def _exit_code(status: asyncio.StreamReader, other_way: asyncio.StreamWriter) -> int:
    """What a nursery tells of a child's end; where it went before that, its children were killed with it."""
    told = await status.read()
    other_way.close()
    return int(told or -signal.SIGKILL)


SPINNING_SECONDS = 600.0
"""The slowest encoder's last pictures come sooner than that after the last one was given."""


class Hand:
    """A slot in use: its lock, its child, what it is doing."""

    def __init__(self, number: int, lock: Lock, device: str = "") -> None:
        self.name = f"{HERE}-{device}-{number}" if device else f"{HERE}-{number}"
        self.lock, self.device = lock, device
        self.child: Child | None = None
        self.said = lock.path.with_suffix(".stderr")
        self.warming = asyncio.Lock()
        self.task = ""
        self.attempt = 0
        self.granted = False
        self.stopping = False
        self.moved = self.told = 0.0
        self.cpu_seconds = 0.0
        self.frozen_seconds = 0.0
        self.frozen_since = 0.0

    def thawed(self) -> None:
        """Count the time it was frozen: that is no work."""
        if self.frozen_since:
            self.frozen_seconds += time.monotonic() - self.frozen_since
            self.frozen_since = 0.0

    def look(self) -> float:
        """Seconds since its child last reported progress or used a processor (a join and a lead-in report nothing).

        An encoder that has begun to report and then only uses the processor has lost itself: encoders have been
        seen to wait for a picture that never comes.
        """
        if self.child is not None and self.child.alive:
            with contextlib.suppress(psutil.Error):
                times = psutil.Process(self.child.pid).cpu_times()
                if times.user + times.system > self.cpu_seconds + 0.01 or self.child.frozen:
                    self.cpu_seconds, self.moved = times.user + times.system, time.monotonic()
        now = time.monotonic()
        if self.child is not None and self.child.frozen and self.told:
            self.told = now
        lost = self.told and self.task.startswith(ENCODE.id) and now - self.told > SPINNING_SECONDS
        return now - (self.told if lost else self.moved)


class LocalCrew:
    """This machine's slots.

    ``decoder`` is the kind of device that its children decode films by, "" for the processor; from the first
    child on that is lost while it may have used it, the processor does.
    """

    def __init__(
        self,
        folder: Path,
        slots: int | None = None,
        child_log: Path | None = None,
        child_command: list[str] | None = None,
        devices: Mapping[str, int] | None = None,
        *,
        decoder: str = "",
    ) -> None:
        self._decoder = decoder
        self._child = {"command": child_command} if child_command else {"log": str(child_log or "")}
        count = machine_slots() if slots is None else slots
        self._hands = [Hand(n, Lock(folder / f"slot-{n}.lock")) for n in range(count)]
        for device, sessions in (
            devices or {}
        ).items():  # beside the processor's: a session uses little of it
            locks = (Lock(folder / f"{device} {n}.lock") for n in range(sessions))
            self._hands += [Hand(n, lock, device) for n, lock in enumerate(locks)]
        self._queue: asyncio.Queue[CrewEvent] = asyncio.Queue()
        self._wanted: dict[str, int] = {}
        self._tasks: set[asyncio.Task[None]] = set()
        self._granting: asyncio.Task[None] | None = None
        self._closed = False

    # The five verbs

    async def offer(self, slots: int, device: str = "") -> None:
        """Take lock files as they come free, up to ``slots`` of a kind; give idle ones back beyond it.

        Parameters
        ----------
        slots
            How many could be used.
        device
            Sessions of which device; "" for slots of the processor.
        """
        self._wanted[device] = slots
        if self._granting is None:
            self._granting = asyncio.create_task(self._grant())
        self._grant_what_is_free()

    async def start(self, slot: str, task: str, attempt: int, job: Job, fresh: bool = False) -> None:
        """Begin an attempt on a granted slot, in its warm child or in a fresh process.

        Parameters
        ----------
        slot
            The granted slot.
        task
            The task, as the runner names it.
        attempt
            The attempt's number.
        job
            The job.
        fresh
            Whether it wants a process that has done nothing before.
        """
        hand = self._hand(slot)
        if not hand.granted:  # given back while the runner didn't know it yet
            self._queue.put_nowait(AttemptFailed(task, attempt, "stopped", "Its slot was given back."))
            self._queue.put_nowait(Returned(slot))
            return
        hand.task, hand.attempt, hand.stopping = task, attempt, False
        hand.moved, hand.told = time.monotonic(), 0.0
        hand.frozen_seconds = hand.frozen_since = 0.0
        work = asyncio.create_task(self._work(hand, task, attempt, job, fresh))
        self._tasks.add(work)
        work.add_done_callback(self._tasks.discard)

    async def control(self, verb: Literal["freeze", "thaw", "stop"], task: str, attempt: int) -> bool:
        """Signal the child: STOP, CONT, or TERM with KILL after five seconds.

        Parameters
        ----------
        verb
            What to do to it.
        task
            The task, as the runner names it.
        attempt
            The attempt's number.
        """
        hand = next((h for h in self._hands if h.task == task and h.attempt == attempt), None)
        if hand is None:
            return False
        if verb == "stop":
            hand.stopping = True
        child = hand.child
        if child is None or not child.alive:
            return True
        if verb == "freeze":
            child.frozen = True
            hand.frozen_since = hand.frozen_since or time.monotonic()
            if child.ready:  # before that it could not yet die with us
                child.signal(signal.SIGSTOP)
        elif verb == "thaw":
            child.frozen = False
            hand.thawed()
            child.signal(signal.SIGCONT)
        else:
            child.signal(signal.SIGTERM)
            child.signal(signal.SIGCONT)
            asyncio.get_running_loop().call_later(KILL_AFTER_SECONDS, child.signal, signal.SIGKILL)
        return True

    async def events(self) -> AsyncIterator[CrewEvent]:
        """What happens, in order."""
        while not self._closed:
            yield await self._queue.get()

    def signs(self) -> Mapping[tuple[str, int], float]:
        """What is in hand, and for how many seconds nothing of it has moved."""
        return {(hand.task, hand.attempt): hand.look() for hand in self._hands if hand.task}

    def lost(self) -> frozenset[str]:
        """This machine doesn't lose itself."""
        return frozenset()

    async def close(self) -> None:
        """Stop every child and give every slot back."""
        self._closed = True
        if self._granting:
            self._granting.cancel()
        for work in list(self._tasks):
            work.cancel()
        for hand in self._hands:
            if hand.child and hand.child.alive:
                hand.child.signal(signal.SIGKILL)
                await hand.child.ended()
            hand.lock.free()

    @property
    def capacity(self) -> int:
        """How many slots of the processor it has at most."""
        return sum(not hand.device for hand in self._hands)

    def sessions(self) -> Mapping[str, int]:
        """How many encodes each of its devices does at once, by its family."""
        return Counter(hand.device for hand in self._hands if hand.device)

    def has(self, slot: str) -> bool:
        """Whether there is such a slot."""
        return any(hand.name == slot for hand in self._hands)

    def is_free(self, slot: str) -> bool:
        """Whether a slot is granted, and idle."""
        return any(hand.name == slot and hand.granted and not hand.task for hand in self._hands)

    def children(self) -> tuple[Child, ...]:
        """Its processes that are at work."""
        hands = [hand for hand in self._hands if hand.task]
        return tuple(hand.child for hand in hands if hand.child and hand.child.alive and hand.child.ready)

    # What they rest on

    def _hand(self, slot: str) -> Hand:
        return next(hand for hand in self._hands if hand.name == slot)

    async def _grant(self) -> None:
        while True:
            self._grant_what_is_free()
            await asyncio.sleep(POLL_SECONDS)

    def _grant_what_is_free(self) -> None:
        try:
            self._grant_once()
        except OSError as error:  # its folder may be full or away for a while
            log.warning("no slot can be taken: %s", error)

    def _grant_once(self) -> None:
        for device in dict.fromkeys(hand.device for hand in self._hands):
            self._grant_of(
                [hand for hand in self._hands if hand.device == device], self._wanted.get(device, 0)
            )

    def _grant_of(self, hands: list[Hand], wanted: int) -> None:
        """Take so many of these hands as are wanted and free; give idle ones back beyond that."""
        granted = [hand for hand in hands if hand.granted]
        for hand in hands:
            if len(granted) >= wanted:
                break
            if not hand.granted and hand.lock.take():
                hand.granted = True
                granted.append(hand)
                self._queue.put_nowait(Granted(hand.name, HERE, hand.device))
                self._keep(self._warm_ahead(hand))
        for hand in reversed(granted):
            if len([h for h in hands if h.granted]) <= wanted:
                break
            if not hand.task:
                hand.granted = False
                hand.lock.free()
                self._queue.put_nowait(Returned(hand.name))

    def _keep(self, work: Any) -> None:
        task = asyncio.create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _warm_ahead(self, hand: Hand) -> None:
        """Have a child ready; where none can be started, the first attempt says why."""
        with contextlib.suppress(OSError):
            await self._warm(hand)

    async def _warm(self, hand: Hand) -> None:
        async with hand.warming:
            if hand.child is None or not hand.child.alive:
                hand.child = await Child.begin(self._child, hand.said)

    async def _work(self, hand: Hand, task: str, attempt: int, job: Job, fresh: bool) -> None:
        try:
            event = await self._attempt(hand, task, attempt, job, fresh)
        except Exception as error:
            log.exception("an attempt could not be made")
            event = AttemptFailed(
                task, attempt, "lost", f"The encoder could not be started: {error}.", repr(error)
            )
        if hand.stopping and isinstance(event, AttemptFailed):
            event = AttemptFailed(task, attempt, "stopped", "It was stopped.")
        hand.task, hand.stopping = "", False
        self._queue.put_nowait(event)
        if not self._closed:
            self._grant_what_is_free()  # before the next task comes: else nobody else ever has its turn

    async def _attempt(
        self, hand: Hand, task: str, attempt: int, job: Job, fresh: bool
    ) -> Finished | AttemptFailed:
        if fresh and hand.child is not None and hand.child.jobs_done:
            hand.child.signal(signal.SIGKILL)
            await hand.child.ended()
            hand.child = None
        await self._warm(hand)
        if hand.stopping:
            return AttemptFailed(task, attempt, "stopped", "It was stopped.")
        child = hand.child
        assert child
        child.jobs_done += 1
        order = {"job": job.model_dump(mode="json"), "attempt": attempt, "hands": self._hands_for(hand)}
        if self._decoder:
            order["decoder"] = self._decoder
        try:
            await child.order(json.dumps(order) + "\n")
        except ConnectionError:
            return await self._gone(hand, task, attempt)
        while line := await self._line_of(child):
            try:
                report = json.loads(line)
                what = report["what"]
            except (ValueError, KeyError, TypeError):
                child.signal(signal.SIGKILL)
                await child.ended()
                hand.child = None
                return AttemptFailed(
                    task,
                    attempt,
                    "lost",
                    "The encoder said something that can't be understood.",
                    repr(line[:200]),
                )
            if what == "ready":
                child.ready = True
                if child.frozen:
                    child.signal(signal.SIGSTOP)
            elif what == "progress" and report.get("attempt") == attempt:
                hand.moved = hand.told = time.monotonic()
                self._queue.put_nowait(Progressed(task, attempt, int(report["frames"]), hand.name))
            elif what == "done" and report.get("attempt") == attempt:
                hand.thawed()
                worked = max(
                    float(report["cpu_seconds"]) * 0.1, float(report["wall_seconds"]) - hand.frozen_seconds
                )
                return Finished(
                    task,
                    attempt,
                    dict(report["result"]),
                    worked,
                    float(report["cpu_seconds"]),
                    int(report["memory_bytes"]),
                    int(report.get("read_bytes", 0)),
                )
            elif what == "failed" and report.get("attempt") == attempt:
                return AttemptFailed(
                    task,
                    attempt,
                    str(report["fault"]),
                    str(report["sentence"]),
                    str(report.get("detail", "")),
                )
        return await self._gone(hand, task, attempt)

    def _hands_for(self, hand: Hand) -> int:
        """How many processes may share what can be shared: as many as stand idle now, and two in any case.

        The last thing that is done would leave every slot but one unused; the system shares out the rest.
        """
        mine = [other for other in self._hands if not other.device]
        idle = sum(not other.task for other in mine if other is not hand)
        return min(MOST_HANDS, len(mine), max(2, 1 + idle))

    @staticmethod
    async def _line_of(child: Child) -> bytes:
        """What a child says next; nothing if it has ended."""
        with contextlib.suppress(ConnectionError):
            return await child.reader.readline()
        return b""

    async def _gone(self, hand: Hand, task: str, attempt: int) -> AttemptFailed:
        """The child died: what it said last."""
        child, hand.child = hand.child, None
        assert child is not None
        code = await child.ended()
        said = ""
        with contextlib.suppress(OSError):
            said = hand.said.read_text(errors="replace")[-2000:]
        how = f"signal {-code}" if code < 0 else f"exit status {code}"
        if self._decoder and not hand.stopping:
            log.warning("a child was lost; films aren't decoded by %s any more", self._decoder)
            self._decoder = ""
        return AttemptFailed(task, attempt, "lost", f"The encoder process ended unexpectedly ({how}).", said)
