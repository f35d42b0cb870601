"""The hub: knows the stations of a house, passes on what runners say to them, keeps what is booked.

It decides nothing: stations grant their own slots, runners place their own
work.  It can be ended and begun again at any moment; nothing is lost by it.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import socket
import time
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any, NamedTuple

from distributed import Scheduler
from pydantic import ValidationError

from chronocast import __version__
from chronocast.crew.house.certificates import RENEW_DAYS, CertificateError, own_member, sign
from chronocast.crew.house.joining import JoinPort, make_house
from chronocast.crew.house.line import bounded, security_of, set_quiet
from chronocast.model.house import Booking, House, StationAway, StationTold

log = logging.getLogger("chronocast.hub")

PORT, JOIN_PORT = 8786, 8787
STALE_SECONDS = 10.0
"""A station that hasn't said anything for so long isn't told of."""
AWAY_SECONDS = 24 * 3600.0
"""A station that went away is told of so long."""
BOOKED_SECONDS = 30.0
"""What a run has booked is forgotten so long after it said so."""
MOST_BOOKINGS = 4096
PASS_SECONDS = 12.0
"""A station has so long to answer; less than a runner waits for the hub."""


class Known(NamedTuple):
    """A station as the hub knows it: what it said, where its line ends, when it was heard (monotonic seconds)."""

    told: StationTold
    address: str
    heard: float


class Hub:
    """``Hub(folder, scheduler)``: the house's part of a scheduler."""

    def __init__(self, folder: Path, scheduler: Scheduler) -> None:
        self.folder, self.scheduler = folder, scheduler
        self.stations: dict[str, Known] = {}
        self.booked: dict[str, tuple[float, tuple[Booking, ...]]] = {}
        handlers: dict[str, Callable[..., Awaitable[dict[str, Any]]]] = {
            "house_tell": self.tell,
            "house_look": self.look,
            "house_pass": self.pass_on,
            "house_book": self.book,
            "house_renew": self.renew,
        }
        scheduler.handlers.update(handlers)

    async def tell(self, comm: Any, station: dict[str, Any], address: str) -> dict[str, Any]:
        """Take in what a station says of itself.

        Parameters
        ----------
        comm
            Its line.
        station
            A ``StationTold``.
        address
            Where it can be spoken to.
        """
        peer = peer_of(comm)
        try:
            told = StationTold.model_validate(station)
        except ValidationError:
            log.warning("%s says of itself what can't be understood", peer.name)
            return {
                "refused": "What this station says of itself can't be understood: its version may be another."
            }
        if told.name != peer.name:
            log.warning("%s calls itself %s", peer.name, told.name)
            return {"refused": f"This machine's certificate is of “{peer.name}”, not of “{told.name}”."}
        if told.version != __version__:
            return {
                "refused": f"{told.name} has version {told.version[:20]}, and this house works with {__version__}: "
                "bring them to the same version."
            }
        before = self.stations.get(told.name)
        if before and before.address != address and before.address in self.scheduler.workers:
            return {"refused": f"There is a station called “{told.name}” in this house already."}
        self.stations[told.name] = Known(told, address, time.monotonic())
        return {"at": time.time()}

    async def look(self, comm: Any, version: str = "") -> dict[str, Any]:
        """What is known of the house.

        Parameters
        ----------
        comm
            Whose line it is.
        version
            Of whoever asks.
        """
        if version != __version__:
            return {
                "refused": f"This house works with version {__version__}, and this machine has {version[:20]}."
            }
        now = time.monotonic()
        self.stations = {
            name: known for name, known in self.stations.items() if now - known.heard < AWAY_SECONDS
        }
        everybody = sorted(self.stations.values(), key=lambda item: item.told.name)
        there = [known for known in everybody if self._is_there(known, now)]
        self.booked = {run: entry for run, entry in self.booked.items() if now - entry[0] < BOOKED_SECONDS}
        house = House(
            known_at=time.time(),
            stations=tuple(known.told for known in there),
            away=tuple(
                StationAway(
                    name=known.told.name,
                    since=time.time() - (now - known.heard),
                    stand_in=known.told.stand_in,
                )
                for known in everybody
                if known not in there
            ),
            bookings=tuple(booking for _, entries in self.booked.values() for booking in entries),
        )
        return {"house": house.model_dump(mode="json")}

    def _is_there(self, known: Known, now: float) -> bool:
        return now - known.heard < STALE_SECONDS and known.address in self.scheduler.workers

    async def pass_on(self, comm: Any, station: str, verb: str, body: dict[str, Any]) -> dict[str, Any]:
        """Pass a runner's words on to a station; its answer.

        Parameters
        ----------
        comm
            The runner's line.
        station
            The station's name.
        verb, body
            What is said.
        """
        known = self.stations.get(station)
        if known is None or known.address not in self.scheduler.workers:
            return {"away": f"{station} isn't in the house now."}
        who = peer_of(comm).name
        try:
            call = self.scheduler.rpc(known.address).house_do(who=who, verb=verb, body=body)
            answer = await bounded(call, PASS_SECONDS)
        except (OSError, TimeoutError) as error:
            return {"away": f"{station} doesn't answer ({error or type(error).__name__})."}
        return answer if isinstance(answer, dict) else {"away": f"{station} answered nothing."}

    async def book(self, comm: Any, run: str, bookings: list[dict[str, Any]]) -> dict[str, Any]:
        """Keep what a run has placed, in place of what it said before.

        Parameters
        ----------
        comm
            Its line.
        run
            Its id.
        bookings
            Each a ``Booking``; what it says of who that is doesn't count.
        """
        who = peer_of(comm).name
        try:
            read = tuple(
                Booking.model_validate(item).model_copy(update={"who": who, "run": run[:80]})
                for item in bookings[:MOST_BOOKINGS]
            )
        except ValidationError:
            return {"refused": "What was booked can't be understood."}
        self.booked[f"{who} {run[:80]}"] = (time.monotonic(), read)
        return {}

    async def renew(self, comm: Any, wish: str) -> dict[str, Any]:
        """Sign a new certificate for whoever has a good one, for the same name and kind.

        Parameters
        ----------
        comm
            Its line.
        wish
            The signing request, PEM.
        """
        peer = peer_of(comm)
        try:
            signed = await asyncio.to_thread(sign, self.folder, wish.encode(), peer.name, peer.kind)
        except CertificateError as error:
            return {"refused": str(error)}
        log.info("%s has a new certificate", peer.name)
        return {"certificate": signed.decode()}


class Peer(NamedTuple):
    """Who is at the other end of a line, by the certificate that was verified."""

    name: str
    kind: str


def peer_of(comm: Any) -> Peer:
    """Who is at the other end of a line."""
    with contextlib.suppress(AttributeError, ValueError, OSError):
        subject = dict(pair for entry in comm.stream.socket.getpeercert()["subject"] for pair in entry)
        return Peer(str(subject["commonName"]), str(subject["organizationalUnitName"]))
    return Peer("?", "?")


async def run_hub(
    folder: Path,
    host: str,
    port: int = PORT,
    join_port: int = JOIN_PORT,
    *,
    ready: Callable[[str, int], None],
) -> None:
    """Be the hub of a house until cancelled.

    Parameters
    ----------
    folder
        Where the house's authority and the hub's certificate are, made where they aren't.
    host
        The address to listen at.
    port, join_port
        For stations and runners; for those who have a code.  0 for any.
    ready
        Told the hub's address and the join port.

    Raises
    ------
    OSError
        It can't listen there.
    """
    set_quiet()
    for wanted in (port, join_port):
        with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as trial:
            trial.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            trial.bind((host, wanted))  # the libraries would only say that it failed
    await asyncio.to_thread(make_house, folder)
    if own_member(folder).days_left < RENEW_DAYS:
        (folder / "own.pem").unlink()
        await asyncio.to_thread(make_house, folder)
    async with Scheduler(
        host=host,
        port=port,
        protocol="tls",
        security=security_of(folder),
        dashboard_address="127.0.0.1:0",
        dashboard=False,
    ) as scheduler:
        Hub(folder, scheduler)
        door = JoinPort(folder)
        door.hub_port = int(scheduler.address.rpartition(":")[2])
        joined = await door.open(host, join_port)
        ready(scheduler.address, joined)
        try:
            await scheduler.finished()
        finally:
            await door.close()
