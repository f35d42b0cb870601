"""A house on the loopback: a hub and stations in this process, over real TLS."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator
from dataclasses import dataclass, field
from pathlib import Path

from chronocast.crew.house.certificates import sign, wish_for, write_privately
from chronocast.crew.house.house_crew import HouseCrew
from chronocast.crew.house.hub import run_hub
from chronocast.crew.house.line import Line
from chronocast.crew.house.station import Station
from chronocast.crew.local.crew import LocalCrew
from chronocast.journal.workspace import Workspace
from chronocast.model.house import Belonging, House, Root


def certify(hub: Path, folder: Path, name: str, kind: str = "station", days: float = 30) -> None:
    """Give a folder a key and a certificate of a house."""
    key, wish = wish_for(name, kind)
    write_privately(folder / "own.key", key)
    write_privately(folder / "own.pem", sign(hub, wish, name, kind, days))
    write_privately(folder / "authority.pem", (hub / "authority.pem").read_bytes())


@dataclass
class Rig:
    """A running house: its hub's address and folder; what was heard of it last by crews."""

    address: str
    join_port: int
    folder: Path
    shared: Path
    stations: dict[str, Station] = field(default_factory=dict)
    tasks: dict[str, asyncio.Task[None]] = field(default_factory=dict)
    crews: list[HouseCrew] = field(default_factory=list)
    heard: list[House] = field(default_factory=list)

    async def station(self, name: str, state: Path, slots: int = 2, **how: object) -> Station:
        """A station that has joined and is known."""
        space = Workspace(state / "data", state, state / "config")
        certify(self.folder, space.house.folder, name)
        root = Root(name="shared", path=str(self.shared))
        belonging = Belonging(
            name=name, hub=self.address, roots=(root,), slots=slots, **{"manner": "always", **how}
        )  # type: ignore[arg-type]
        self.stations[name] = station = Station(space, belonging)
        self.tasks[name] = asyncio.create_task(station.run())
        return station

    async def crew(
        self, state: Path, own_slots: int = 0, run: str = "run", drivers: dict[str, str] | None = None
    ) -> HouseCrew:
        """A runner's crew, of a desktop that has joined."""
        desk = state / f"desk {run}"
        if not desk.exists():
            certify(self.folder, desk, "desk", "desktop")
        roots = (Root(name="shared", path=str(self.shared)),)
        own = LocalCrew(desk / "slots", own_slots)
        crew = HouseCrew(own, Line(self.address, desk), roots, run, hear=self.heard.append, drivers=drivers)
        self.crews.append(crew)
        return crew


@contextlib.asynccontextmanager
async def house(folder: Path, shared: Path, *stations: str) -> AsyncIterator[Rig]:
    """A house with a hub, and one station called Plover if none are named."""
    ready: asyncio.Future[tuple[str, int]] = asyncio.get_running_loop().create_future()
    hub = asyncio.create_task(
        run_hub(folder / "hub", "127.0.0.1", 0, 0, ready=lambda *found: ready.set_result(found))
    )
    await asyncio.wait({hub, ready}, return_when=asyncio.FIRST_COMPLETED)
    address, port = ready.result()
    rig = Rig(address, port, folder / "hub", shared)
    rig.tasks["hub"] = hub
    try:
        for name in stations or ("Plover",):
            await rig.station(name, folder / name if len(stations) > 1 else folder)
        yield rig
    finally:
        for crew in rig.crews:
            await crew.close()
        for name, task in reversed(rig.tasks.items()):
            task.cancel()
            await asyncio.gather(task, return_exceptions=True)
            if name in rig.stations:
                await rig.stations[name].close()
