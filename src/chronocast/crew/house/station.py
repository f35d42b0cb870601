"""A station: grants its slots to the runners of a house, and gives way to whoever sits at it.

What it has in hand doesn't hang on its line to the hub: a hub that ends and
comes back finds it at work.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import signal
import socket
import time
from collections.abc import Callable
from dataclasses import asdict
from datetime import datetime
from typing import Any

from distributed import Worker

from chronocast import __version__
from chronocast.crew.house.certificates import (
    RENEW_DAYS,
    CertificateError,
    Files,
    own_member,
    wish_for,
    write_privately,
)
from chronocast.crew.house.copies import SourceCopies
from chronocast.crew.house.line import HubAway, HubRefused, Line, security_of, set_quiet
from chronocast.crew.house.mounts import measure_mount
from chronocast.crew.house.session import NotUnderstood, Session
from chronocast.crew.local.crew import LocalCrew
from chronocast.forecast.station import Pace
from chronocast.journal.workspace import Workspace
from chronocast.media.piece.here import libraries_version
from chronocast.model.calendar import OpenSpan, open_spans
from chronocast.model.errors import ChronocastError
from chronocast.model.house import Belonging, StationTold, within
from chronocast.preparation.station.devices import decodes_by, device_sessions, devices_known
from chronocast.preparation.station.load import LoadMeter
from chronocast.preparation.station.this import machine_slots
from chronocast.schedule.courtesy import Courtesy
from chronocast.schedule.shares import fair_shares

log = logging.getLogger("chronocast.station")

TELL_SECONDS = 2.0
LOOK_SECONDS = 0.5
SILENT_SECONDS = 60.0
"""A runner that hasn't spoken for so long is gone: what it had in hand here is ended."""
HAND_BACK_SECONDS = 120.0
"""What has been frozen for so long is handed back, so that another station can do it."""
AGAIN_SECONDS = 5.0
RENEW_LOOK_SECONDS = 6 * 3600.0
"""How often a station that stays connected looks whether its certificate is to be renewed."""
MOST_SESSIONS = 64
SHARE_SECONDS = 0.2
"""A stand-in that is told to be slower lets its children work for a share of such stretches."""
SLOWED = ("encode", "decode", "sound", "packet", "start")
"""What of a pace is longer on a slower machine."""


class Station:
    """``Station(workspace, belonging)``: ``run`` it.

    A ``stand_in`` only seems to be a machine of its own: it is ``slower`` than this one so many times, and ``others``
    says what share of it others use.
    """

    def __init__(
        self,
        workspace: Workspace,
        belonging: Belonging,
        *,
        slower: float = 1.0,
        stand_in: bool = False,
        others: Callable[[], float] | None = None,
    ) -> None:
        self.workspace, self.belonging = workspace, belonging
        self.slower, self.stand_in = slower, stand_in
        self.sessions: dict[str, Session] = {}
        self.slots = belonging.slots or machine_slots()
        self.devices = devices_known(workspace)
        self.mounts = workspace.house.mounts()
        self.copies = SourceCopies(workspace.state / "copies", self._speed_of)
        self.courtesy = Courtesy(belonging.manner)
        self.meter = LoadMeter(self.slots)
        self._others = others
        self.why_shut, self.until = "", 0.0
        self._shut_since = 0.0
        self._making = asyncio.Lock()

    # What runners say

    async def do(self, who: str, verb: str, body: dict[str, Any]) -> dict[str, Any]:
        """What a runner says, by way of the hub; the answer.

        Parameters
        ----------
        who
            By its certificate.
        verb, body
            What it says.
        """
        if not isinstance(body, dict) or not isinstance(verb, str):
            return {"refused": "That makes no sense."}
        run, epoch = str(body.get("run", ""))[:80], str(body.get("session", ""))[:80]
        try:
            async with self._making:
                session = await self._session(who, run, epoch, begins=verb == "offer")
            if session is None:
                return {"unknown": True}
            if verb == "close":
                await self._end(f"{who} {run}")
                return {}
            return await session.do(verb, body)
        except NotUnderstood as error:
            log.warning("%s: %s", who, error)
            return {"refused": str(error)}

    async def _session(self, who: str, run: str, epoch: str, begins: bool) -> Session | None:
        key = f"{who} {run}"
        present = self.sessions.get(key)
        if present is not None and present.run == f"{run} {epoch}":
            return present
        if not begins:
            return None
        if present is not None:  # the runner was begun again: what its former life had in hand ends
            await self._end(key)
        if len(self.sessions) >= MOST_SESSIONS:
            raise NotUnderstood("This station works for too many runs already.")
        crew = LocalCrew(
            self.workspace.slots_folder,
            self.slots,
            self.workspace.child_log,
            devices=device_sessions(self.devices),
            decoder=decodes_by(self.workspace),
        )
        self.sessions[key] = session = Session(crew, self.belonging.roots, who, f"{run} {epoch}", self.copies)
        if self.why_shut:
            await session.set_shut(True)
        return session

    async def _end(self, key: str) -> None:
        session = self.sessions.pop(key, None)
        if session is not None:
            await session.close()

    # What it says

    def told(self) -> StationTold:
        """What it says of itself."""
        pace = self.workspace.paces.of()
        spans: tuple[OpenSpan, ...] = ()
        if self.belonging.calendar.hours or self.belonging.calendar.shut:
            spans = open_spans(self.belonging.calendar, datetime.now().astimezone())
        return StationTold(
            name=self.belonging.name,
            version=__version__,
            libraries=libraries_version(),
            slots=self.slots,
            pace=self._pace_told(pace) if pace.calibrated else {},
            devices=self.devices,
            roots=tuple(root.name for root in self.belonging.roots),
            mounts=self.mounts,
            copied=self.copies.bytes,
            manner=self.belonging.manner,
            load=self.meter.read().stretch,
            open=not self.why_shut,
            why_shut=self.why_shut,
            until=self.until,
            spans=spans,
            doing=tuple(item for session in list(self.sessions.values()) for item in session.doing),
            stand_in=self.stand_in,
        )

    def _pace_told(self, pace: Pace) -> dict[str, float]:
        """Its pace as a trial on it would find it: a slowed stand-in's too."""
        told = {key: float(value) for key, value in asdict(pace).items() if key != "calibrated"}
        return {key: value * (self.slower if key in SLOWED else 1.0) for key, value in told.items()}

    # What it does by itself

    async def run(self) -> None:
        """Belong to the house until cancelled; a hub that can't be reached is tried again and again.

        Raises
        ------
        CertificateError
            It can't show who it is.
        """
        set_quiet()
        async with asyncio.TaskGroup() as group:
            group.create_task(self._give_way())
            group.create_task(self._forget_the_silent())
            group.create_task(asyncio.to_thread(self._measure_mounts))
            if self.slower > 1:
                group.create_task(self._be_slow())
            told = ""
            while True:
                try:
                    sentence = await self._belong()
                except (HubAway, HubRefused) as error:
                    sentence = str(error)
                except CertificateError:
                    raise
                except Exception as error:  # the libraries have many of their own; what is in hand goes on
                    log.info("the line to the hub", exc_info=error)
                    sentence = f"The hub at {self.belonging.hub} can't be reached ({error})."
                if sentence != told:
                    log.warning("%s Trying again.", sentence)
                    told = sentence
                await asyncio.sleep(AGAIN_SECONDS)

    async def _belong(self) -> str:
        """Have a line to the hub for as long as it holds; why it doesn't any more, in a sentence."""
        folder = self.workspace.house.folder
        security = security_of(folder)
        line = Line(self.belonging.hub, folder)
        host = await asyncio.to_thread(own_address, self.belonging.hub)
        try:
            await line.ask(
                "house_look", version=__version__
            )  # a sentence, before the libraries only say “closed”
            async with Worker(
                self.belonging.hub,
                nthreads=1,
                memory_limit=0,
                security=security,
                name=f"{self.belonging.name} {time.time():.3f}",
                host=f"tls://{host}",
                dashboard=False,
                dashboard_address="127.0.0.1:0",
                local_directory=str(self.workspace.state / "station"),
                death_timeout=30,
            ) as worker:
                worker.handlers["house_do"] = self.do
                log.info("%s belongs to the house of %s", self.belonging.name, self.belonging.hub)
                await self._renew(line)
                looked = time.monotonic()
                while worker.status.name == "running":
                    if time.monotonic() - looked > RENEW_LOOK_SECONDS:
                        looked = time.monotonic()
                        if await self._renew(line):
                            return "The certificate was renewed."  # it is shown at the next connection
                    told = await asyncio.to_thread(self.told)
                    await line.ask("house_tell", station=told.model_dump(mode="json"), address=worker.address)
                    await asyncio.sleep(TELL_SECONDS)
                return "The hub ended."
        finally:
            await line.close()

    async def _renew(self, line: Line) -> bool:
        """Have the certificate signed anew while it is still good; whether it was."""
        folder = self.workspace.house.folder
        own = own_member(folder)
        if own.days_left > RENEW_DAYS:
            return False
        key, wish = wish_for(own.name, own.kind)
        answer = await line.ask("house_renew", wish=wish.decode())
        files = Files.within(folder)
        await asyncio.to_thread(write_privately, files.certificate, str(answer["certificate"]).encode())
        await asyncio.to_thread(write_privately, files.key, key)
        return True

    async def _give_way(self) -> None:
        """Take no work while it isn't open, somebody sits at it, or it was told so."""
        while True:
            await asyncio.sleep(LOOK_SECONDS)
            before = self.why_shut
            await asyncio.to_thread(self._read_settings)
            self.why_shut, self.until = await asyncio.to_thread(self._look)
            now = time.monotonic()
            if self.why_shut and not before:
                self._shut_since = now
                log.info("%s takes no work: %s", self.belonging.name, self.why_shut)
            elif before and not self.why_shut:
                log.info("%s works again", self.belonging.name)
            await self._share_out()
            for session in list(self.sessions.values()):
                await session.set_shut(bool(self.why_shut))
                if self.why_shut and now - self._shut_since > HAND_BACK_SECONDS:
                    await session.hand_back()

    async def _share_out(self) -> None:
        """While several runs want its slots, each has a share by its rank; what is left over goes to who had least."""
        wanting = [session for session in self.sessions.values() if session.wanted.get("")]
        shares = fair_shares(
            self.slots, [session.served for session in wanting], [session.rank for session in wanting]
        )
        for session, share in zip(wanting, shares, strict=True):
            await session.set_share(share if len(wanting) > 1 else None)

    def _read_settings(self) -> None:
        """Take in hours and manner that were set while it works; what makes no sense is left as it was."""
        with contextlib.suppress(ChronocastError):
            if self.workspace.house.belonging_changed():
                new = self.workspace.house.belonging()
                if new.manner != self.belonging.manner:
                    self.courtesy = Courtesy(new.manner)
                self.belonging = self.belonging.model_copy(
                    update={"calendar": new.calendar, "manner": new.manner}
                )

    def _look(self) -> tuple[str, float]:
        """Why it takes no work now ("" if it does), and until when (seconds since 1970; 0 where nobody knows)."""
        now = time.time()
        if (until := self.workspace.house.yields_until()) > now:
            return "it was told to give way", until
        calendar = self.belonging.calendar
        if calendar.hours or calendar.shut:
            spans = open_spans(calendar, datetime.now().astimezone())
            if not spans or spans[0].begin > now:
                return "it isn't open at this hour", spans[0].begin if spans else 0.0
        self.meter.read()
        others = self._others() if self._others else self.meter.people
        if not self.courtesy.see(time.monotonic(), others):
            return "somebody is at work on it", 0.0
        return "", 0.0

    def _speed_of(self, path: str) -> float:
        """Bytes a second at which a path is read from here; 0 where nobody knows."""
        holding = [root for root in self.belonging.roots if within(path, [root.path])]
        root = max(holding, key=lambda root: len(root.path), default=None)
        speed = self.mounts.get(root.name) if root else None
        return speed.read if speed else 0.0

    def _measure_mounts(self) -> None:
        """Measure how fast shared folders are that weren't measured lately."""
        for root in self.belonging.roots:
            if root.name not in self.mounts and (speed := measure_mount(root)):
                self.mounts = {**self.mounts, root.name: speed}
                with contextlib.suppress(OSError, ChronocastError):
                    self.workspace.house.keep_mounts({root.name: speed})

    async def _forget_the_silent(self) -> None:
        while True:
            await asyncio.sleep(TELL_SECONDS)
            for key, session in list(self.sessions.items()):
                if time.monotonic() - session.heard > SILENT_SECONDS:
                    log.warning("%s hasn't been heard for a minute: its work here is ended", key)
                    await self._end(key)

    async def _be_slow(self) -> None:
        """Let the children work for a share of the time only, as a slower machine's would."""
        work = SHARE_SECONDS / self.slower
        while True:
            await asyncio.sleep(work)
            held = [child for session in self.sessions.values() for child in session.crew.children()]
            for child in held:
                child.signal(signal.SIGSTOP)
            await asyncio.sleep(SHARE_SECONDS - work)
            for child in held:
                if not child.frozen:
                    child.signal(signal.SIGCONT)

    async def close(self) -> None:
        """End whatever it has in hand."""
        for key in list(self.sessions):
            with contextlib.suppress(Exception):
                await self._end(key)
        self.copies.end()


def own_address(hub: str) -> str:
    """The address of this machine that faces the hub: only there a station listens.

    Parameters
    ----------
    hub
        ``tls://host:port``.

    Raises
    ------
    OSError
        There is no way to it.
    """
    host, _, port = hub.removeprefix("tls://").rpartition(":")
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as way:
        way.connect((host.strip("[]"), int(port)))  # sends nothing: it only chooses a way
        return str(way.getsockname()[0])
