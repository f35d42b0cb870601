"""The crew of a house, as a runner has it: this machine's slots and those of every station that its hub knows.

Each verb goes to whoever has the slot.  What a station sends back is checked
before it is believed.  A line that is cut for a moment costs nothing: events
are numbered, and told until they were heard.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import time
import uuid
from collections import Counter
from collections.abc import AsyncIterator, Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, Literal

from chronocast import __version__
from chronocast.crew.contract import (
    AttemptFailed,
    CrewEvent,
    Finished,
    Granted,
    Progressed,
    Returned,
    StationGone,
)
from chronocast.crew.house.line import HubAway, HubRefused, Line, heard_now
from chronocast.crew.house.session import WAIT_SECONDS
from chronocast.crew.house.shared_paths import NotShared, as_here, as_shared
from chronocast.crew.house.told_events import as_event
from chronocast.crew.local.crew import LocalCrew
from chronocast.media.files.sums import file_sum
from chronocast.media.piece.here import libraries_version
from chronocast.model.house import Booking, House, Rank, Root, StationTold
from chronocast.model.messages.jobs import Job, PieceJob
from chronocast.model.messages.moved import moved
from chronocast.model.paths import real_path

log = logging.getLogger("chronocast.runner")

LOOK_SECONDS = 2.0
GONE_SECONDS, AWAY_SECONDS = 20.0, 8.0
"""A station that hasn't been heard for so long is gone: its work is done elsewhere.  Sooner where its hub says so."""
SEEN_SECONDS = 5.0
"""A file that a station wrote may be seen here so much later, on shared storage."""
SHUT_SECONDS = 0.3
AGAIN_SECONDS = 0.5
CONTROL_SECONDS = 3.0
"""A station that doesn't answer holds the runner up no longer than that."""
Key = tuple[str, int]
"""An attempt: its task and its number."""
ELSEWHERE = ("away", "place")
"""Faults of a station that say something of its view of the files, not of the work."""


class Linked:
    """A station as a runner has it: what it wants of it, what it has in hand there, what it heard last.

    ``share`` is how many slots of each kind it is to be asked for, ``told_share`` what it was asked for and heard.
    """

    def __init__(self, told: StationTold) -> None:
        self.told = told
        self.share: dict[str, int] = {}
        self.told_share: dict[str, int] = {}
        self.telling = False
        self.slots: dict[str, str] = {}
        self.in_hand: dict[Key, Job] = {}
        self.signs: dict[Key, float] = {}
        self.heard = self.signs_at = time.monotonic()
        self.since = 0
        self.listening: asyncio.Task[None] | None = None
        self.gone = self.away = False
        self.session = uuid.uuid4().hex


def _unheard(station: Linked) -> dict[str, int]:
    """Of which kinds of slot a station hasn't heard how many it is asked for; none of a device is nothing to say."""
    told = station.told_share
    return {
        device: share
        for device, share in station.share.items()
        if told.get(device, None if not device else 0) != share
    }


class HouseCrew:
    """``HouseCrew(own, line, roots, run, hear, booked)``.

    Parameters
    ----------
    own
        This machine's crew.
    line
        To the hub; closed with the crew.
    roots
        What this machine shares.
    run
        The run's id: a runner that takes it up again ends what the former one had in hand.
    hear
        Gets what is known of the house whenever that was heard, trouble included.
    booked
        Gives what the run has placed on the stations.
    drivers
        Of each kind of device, the driver that the run counts on: another one makes other bits.
    rank
        How it stands among other operators' runs.
    """

    def __init__(
        self,
        own: LocalCrew,
        line: Line,
        roots: Sequence[Root],
        run: str,
        *,
        hear: Callable[[House], None],
        booked: Callable[[], tuple[Booking, ...]] = tuple,
        drivers: Mapping[str, str] | None = None,
        rank: Rank = "as others",
    ) -> None:
        self.rank: Rank = rank
        self.drivers = dict(drivers or {})
        self.own, self.line, self.roots, self.run = own, line, tuple(roots), run
        self._hear, self._booked_now = hear, booked
        self.stations: dict[str, Linked] = {}
        self._wanted: dict[str, int] = {}
        self._queue: asyncio.Queue[CrewEvent] = asyncio.Queue()
        self._tasks: set[asyncio.Task[Any]] = set()
        self._begun = self._closed = False
        self._refused: dict[str, str] = {}

    # The five verbs

    async def offer(self, slots: int, device: str = "") -> None:
        """Say how many slots could be used: this machine's first, then the stations' by their pace.

        Parameters
        ----------
        slots
            How many, those in use included.
        device
            Sessions of which device; "" for slots of the processor.
        """
        self._wanted[device] = slots
        if not self._begun:
            self._begun = True
            self._keep(self._listen_here())
            self._keep(self._look_after_house())
        await self.own.offer(slots, device)
        self._spread()

    async def start(self, slot: str, task: str, attempt: int, job: Job, fresh: bool = False) -> None:
        """Begin an attempt on a granted slot, of this machine or of a station.

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
        station = self._station_of(slot)
        if station is None:
            await self.own.start(slot, task, attempt, job, fresh)
            return
        station.in_hand[task, attempt] = job
        station.signs[task, attempt] = 0.0
        self._keep(self._start_there(station, slot, (task, attempt), job, fresh))

    async def control(self, verb: Literal["freeze", "thaw", "stop"], task: str, attempt: int) -> bool:
        """Freeze, thaw or stop an attempt wherever it is; False if nobody has it.

        Parameters
        ----------
        verb
            What to do to it.
        task
            The task, as the runner names it.
        attempt
            The attempt's number.
        """
        station = next((s for s in self.stations.values() if (task, attempt) in s.in_hand), None)
        if station is None:
            return await self.own.control(verb, task, attempt)
        body = {"control": verb, "task": task, "attempt": attempt}
        answer = await self._say(station, "control", body, CONTROL_SECONDS)
        if answer is None and verb == "stop":  # nobody can be told: what comes of it is not believed any more
            self._fail(station, (task, attempt), "stopped", "It was stopped.")
        return bool(answer and answer.get("here"))

    async def events(self) -> AsyncIterator[CrewEvent]:
        """What happens, in order."""
        while not self._closed:
            yield await self._queue.get()

    def signs(self) -> Mapping[tuple[str, int], float]:
        """What is in hand, here and there, and for how many seconds nothing of it has moved."""
        found = dict(self.own.signs())
        for station in self.stations.values():
            age = time.monotonic() - station.signs_at
            found |= {key: station.signs.get(key, 0.0) + age for key in station.in_hand}
        return found

    def lost(self) -> frozenset[str]:
        """Stations that have gone and not come back."""
        return frozenset(name for name, station in self.stations.items() if station.gone)

    async def close(self) -> None:
        """Stop everything, here and there, and give every slot back."""
        self._closed = True
        closing = [
            self._say(station, "close", {}, 3.0) for station in self.stations.values() if not station.gone
        ]
        for task in list(self._tasks):
            task.cancel()
        await asyncio.gather(*closing, return_exceptions=True)
        await self.own.close()
        await self.line.close()

    # This machine

    async def _listen_here(self) -> None:
        async for event in self.own.events():
            self._queue.put_nowait(event)

    # The stations

    async def _look_after_house(self) -> None:
        """See who is in the house, and say what is booked."""
        while True:
            house = House(hub=self.line.hub, known_at=time.time())
            try:
                answer = await self.line.ask("house_look", version=__version__)
                house = heard_now(answer["house"], self.line.hub)
                for told in house.stations:
                    self._meet(told)
                booked = [item.model_dump(mode="json") for item in self._booked_now()]
                await self.line.ask("house_book", run=self.run, bookings=booked)
            except (HubAway, HubRefused) as error:
                house = house.model_copy(update={"trouble": str(error)})
            except (ValueError, KeyError):
                house = house.model_copy(
                    update={"trouble": f"What the hub at {self.line.hub} says can't be understood."}
                )
            for station in self.stations.values():
                if not station.gone and station.listening is not None and station.listening.done():
                    self._lose(station)  # nobody would hear it any more
            await asyncio.to_thread(self._hear, house)
            self._spread()
            await asyncio.sleep(LOOK_SECONDS)

    def _meet(self, told: StationTold) -> None:
        """Take in what a station says of itself; begin to listen to one that is new or came back."""
        if refusal := self._unfit(told):
            if self._refused.get(told.name) != refusal:
                self._refused[told.name] = refusal
                log.warning("%s", refusal)
            return
        self._refused.pop(told.name, None)
        present = self.stations.get(told.name)
        if present is None or present.gone:
            self.stations[told.name] = present = Linked(told)
            present.listening = self._keep(self._listen(present))
        present.told = told

    def _unfit(self, told: StationTold) -> str:
        """Why a station can't work for this run, in a sentence; "" if it can."""
        if told.version != __version__:
            return f"{told.name} has version {told.version} and this machine {__version__}: it gets no work."
        if told.libraries != libraries_version():
            return (
                f"{told.name} encodes with libraries {told.libraries or '?'}, this machine with {libraries_version()}: "
                "its pieces would be others, so it gets no work."
            )
        return ""

    def _spread(self) -> None:
        """Share out among the stations what this machine's own slots can't do, the quickest first.

        Each is asked by itself and in turn: one that doesn't answer holds neither the others up nor the runner.
        """
        there = [station for station in self.stations.values() if not station.gone]
        there.sort(key=lambda s: (s.told.pace.get("encode", 1.0) * s.told.load, s.told.name))
        own = {"": self.own.capacity, **self.own.sessions()}
        for device, wanted in self._wanted.items():
            left = max(0, wanted - own.get(device, 0))
            for station in there:
                station.share[device] = min(left, self._most_of(station.told, device))
                left -= station.share[device]
        for station in there:
            if _unheard(station) and not station.telling:
                station.telling = True
                self._keep(self._ask_for_share(station))

    def _most_of(self, told: StationTold, device: str) -> int:
        """How many slots of a kind a station has for this run."""
        if not device:
            return told.slots
        alike = (
            tried.sessions
            for tried in told.devices
            if tried.works and (tried.family, tried.driver) == (device, self.drivers.get(device))
        )
        return max(alike, default=0)

    def sessions(self) -> Mapping[str, int]:
        """How many encodes each kind of device does at once, here and at the stations that are there."""
        found = Counter(self.own.sessions())
        for station in self.stations.values():
            for device in self.drivers if not station.gone else ():
                found[device] += self._most_of(station.told, device)
        return +found

    async def _ask_for_share(self, station: Linked) -> None:
        """Ask a station for its share until it has heard the latest; one that can't be asked is asked at the next look."""
        try:
            while (unheard := _unheard(station)) and not station.gone:
                for device, share in unheard.items():
                    if (
                        await self._say(
                            station, "offer", {"slots": share, "device": device, "rank": self.rank}
                        )
                        is None
                    ):
                        return
                    station.told_share[device] = share
        finally:
            station.telling = False

    async def _say(
        self, station: Linked, verb: str, body: dict[str, Any], seconds: float = 10.0
    ) -> dict[str, Any] | None:
        """Say something to a station; its answer, None where it can't be had."""
        words = {**body, "run": self.run, "session": station.session}
        try:
            answer = await self.line.ask(
                "house_pass", seconds, station=station.told.name, verb=verb, body=words
            )
        except (HubAway, HubRefused) as error:
            log.info("%s: %s", station.told.name, error)
            station.away = False  # nobody knows
            return None
        station.away = "away" in answer
        return None if station.away else answer

    async def _start_there(self, station: Linked, slot: str, key: Key, job: Job, fresh: bool) -> None:
        name = station.told.name
        try:
            shared = await asyncio.to_thread(moved, job, lambda path: as_shared(path, self.roots))
        except NotShared as error:
            self._fail(station, key, "elsewhere", f"{name}: {error}")
            return
        body = {
            "slot": slot.partition("/")[2],
            "task": key[0],
            "attempt": key[1],
            "job": shared.model_dump(mode="json"),
            "fresh": fresh,
        }
        while (answer := await self._say(station, "start", body)) is None or answer.get("unknown"):
            # whether it is gone is found out by listening; its slot given back now would be begun on again and
            # again, until the task had been lost too often
            await asyncio.sleep(AGAIN_SECONDS)
            if station.gone or key not in station.in_hand:
                return
        if why := answer.get("elsewhere"):
            self._fail(station, key, "elsewhere", f"{name}: {why}")
        elif why := answer.get("shut"):
            await asyncio.sleep(SHUT_SECONDS)  # its slots come back meanwhile
            self._fail(station, key, "stopped", f"{name}: {why}")

    async def _listen(self, station: Linked) -> None:
        """Hear what a station has to say for as long as it is there."""
        while True:
            answer = await self._say(station, "events", {"since": station.since}, WAIT_SECONDS + 10)
            if answer is None or answer.get("unknown"):
                patience = AWAY_SECONDS if station.away else GONE_SECONDS
                if time.monotonic() - station.heard > patience or (answer and station.since):
                    self._lose(station)
                    return
                if answer:  # it hasn't been asked for a slot yet, or was begun again
                    station.heard = time.monotonic()
                    station.told_share = {}
                await asyncio.sleep(0.5)
                continue
            station.heard = station.signs_at = time.monotonic()
            with contextlib.suppress(ValueError, TypeError):
                station.signs = {(str(task), int(n)): float(s) for task, n, s in answer.get("signs", [])}
            for entry in answer.get("events", []):
                await self._take(station, entry)

    async def _take(self, station: Linked, entry: object) -> None:
        """Take in one event of a station, if it is one."""
        number, told = entry if isinstance(entry, list | tuple) and len(entry) == 2 else (0, None)
        event = as_event(told)
        if not isinstance(number, int) or number <= station.since:
            return
        station.since = number
        match event:
            case Granted(slot, _, device):
                name = f"{station.told.name}/{slot}"
                station.slots[name] = device
                self._queue.put_nowait(Granted(name, station.told.name, device))
            case Returned(slot):
                name = f"{station.told.name}/{slot}"
                if station.slots.pop(name, None) is not None:
                    self._queue.put_nowait(Returned(name))
            case Progressed(task, attempt, count, slot):
                if (task, attempt) in station.in_hand:
                    name = f"{station.told.name}/{slot}"
                    self._queue.put_nowait(Progressed(task, attempt, count, name))
            case Finished(task=task, attempt=attempt):
                job = station.in_hand.get((task, attempt))
                if job is None:
                    return
                if wrong := await asyncio.to_thread(self._what_is_wrong, job, event):
                    self._fail(station, (task, attempt), "encode", f"{station.told.name}: {wrong}")
                    return
                if station.in_hand.pop((task, attempt), None) is not None:
                    self._queue.put_nowait(self._as_seen_here(event))
            case AttemptFailed(task, attempt, fault, sentence, detail):
                known = "elsewhere" if fault in ELSEWHERE else fault
                self._fail(station, (task, attempt), known, f"{station.told.name}: {sentence}", detail)
            case _:
                log.warning("%s said what can't be understood", station.told.name)

    def _as_seen_here(self, event: Finished) -> Finished:
        """A result whose paths are this machine's."""
        result = {key: value for key, value in event.result.items() if key != "sum_there"}
        if damaged := result.get("damaged"):
            result["damaged"] = [
                [self._here(entry[0]), *entry[1:]] if isinstance(entry, list) else entry for entry in damaged
            ]
        return Finished(
            event.task, event.attempt, result, event.wall_seconds, event.cpu_seconds, event.memory_bytes
        )

    def _here(self, path: str) -> str:
        try:
            return as_here(path, self.roots)
        except NotShared:
            return path

    @staticmethod
    def _what_is_wrong(job: Job, event: Finished) -> str:
        """What is wrong with a station's result, in a sentence; "" if it is what was asked for."""
        if isinstance(job, PieceJob) and event.result.get("frames") != job.frames:
            return f"it made {event.result.get('frames')} pictures of {job.frames}."
        if job.kind in ("join", "check"):
            return ""
        path = Path(real_path(job.target))
        known = str(event.result.get("sum_there") or "")
        deadline = time.monotonic() + SEEN_SECONDS
        while True:
            try:
                found = file_sum(path, known)
            except OSError:
                found = "none"
            if found == known:
                return ""
            if time.monotonic() > deadline:
                return (
                    "its file isn't here." if found == "none" else "its file is another one here than there."
                )
            time.sleep(0.1)

    def _fail(self, station: Linked, key: Key, fault: str, sentence: str, detail: str = "") -> None:
        if station.in_hand.pop(key, None) is not None:
            self._queue.put_nowait(AttemptFailed(*key, fault, sentence, detail))

    def _lose(self, station: Linked) -> None:
        """It is gone, with all it had in hand."""
        station.gone = True
        slots, station.slots = tuple(station.slots), {}
        station.in_hand.clear()
        self._queue.put_nowait(StationGone(station.told.name, slots))

    def _station_of(self, slot: str) -> Linked | None:
        name, found, _ = slot.partition("/")
        return self.stations.get(name) if found else None

    def _keep(self, work: Any) -> asyncio.Task[Any]:
        task = asyncio.create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._done)
        return task

    def _done(self, task: asyncio.Task[Any]) -> None:
        self._tasks.discard(task)
        if task.cancelled():
            if not self._closed:
                log.error("the crew of the house was cut short: %s", task)
        elif error := task.exception():
            log.error("the crew of the house could not go on", exc_info=error)
