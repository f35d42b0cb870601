"""Watches over a run: room on drives, drives that come back, attempts that nobody works on or that stand still."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from pathlib import Path

from chronocast.crew.contract import Crew
from chronocast.forecast.band import Band
from chronocast.pieces.stock import Stock
from chronocast.preparation.station.drives import room_on
from chronocast.run import events as e
from chronocast.run.machine import Machine
from chronocast.run.runner.folders import Folders
from chronocast.run.runner.hand.in_hand import InHand

ROOM_SECONDS, WAITING_SECONDS = 2.0, 0.3
"""How often drives are looked at: while nothing waits for them, and while something does."""
CREW_SECONDS = 2.0
MISSED_LOOKS = 3
"""So many looks in a row an attempt may be in nobody's hands, as while it is handed over."""
STILL_SECONDS = 180.0
"""How long an attempt may show neither progress nor any use of a processor before it is ended."""
TIME_SECONDS = 0.5
ABSENT_SECONDS = 60.0
"""A kind of device that no station has had for so long isn't waited for."""
MORE_ROOM = 1.05
"""A join takes a little more than its pieces."""


class Watch:
    """``Watch(machine, in_hand, stock, folders, tell)``; ``tell`` gives the machine an event.

    ``reserve`` is whether drives keep what is left free on purpose;
    ``patience_seconds`` how long a drive is waited for.
    """

    def __init__(
        self,
        machine: Machine,
        in_hand: InHand,
        stock: Stock,
        folders: Folders,
        tell: Callable[[e.Event], None],
        *,
        reserve: bool,
        patience_seconds: float,
    ) -> None:
        self.machine, self.in_hand, self.stock, self.folders = machine, in_hand, stock, folders
        self.reserve, self.patience_seconds = reserve, patience_seconds
        self._tell = tell

    async def room(self) -> None:
        """See whether what outputs wait for has come: room on a drive, or the drive itself."""
        since = 0.0
        while True:
            waits = self.machine.waits_for in ("space", "drive")
            await asyncio.sleep(WAITING_SECONDS if waits else ROOM_SECONDS)
            waiting = {name: t.waits_for for name, t in self.machine.outputs.items() if t.waits_for}
            if not waiting:
                since = 0.0
                continue
            since = since or time.monotonic()
            places = {self.stock.folder, *(item.path.parent for item in self.in_hand.ready.values())}
            if "space" in waiting.values() and all(self._has_room(folder) for folder in places):
                self._tell(e.SpaceFreed())
            away = [name for name, what in waiting.items() if what == "drive"]
            back = tuple(name for name in away if self.folders.is_back(self.in_hand.ready[name]))
            if back:
                self._tell(e.DriveReturned(back))
            elif time.monotonic() - since > self.patience_seconds:
                self._tell(e.WaitingOver())

    async def times(self) -> None:
        """Release outputs when their time has come."""
        while True:
            await asyncio.sleep(TIME_SECONDS)
            early = [name for name, tracked in self.machine.outputs.items() if tracked.spec.waits]
            ready = {name: self.in_hand.ready[name] for name in early if name in self.in_hand.ready}
            due = {
                name
                for name, item in ready.items()
                if item.not_before is None or item.not_before.timestamp() <= time.time()
            }
            if due := due & self.machine.early:
                self._tell(e.Released(tuple(sorted(due))))

    async def devices(self, crew: Crew, absent: Callable[[str], None]) -> None:
        """See whether somebody has the devices that outputs wait for; tell of one that nobody had for a while."""
        since: dict[str, float] = {}
        while True:
            await asyncio.sleep(CREW_SECONDS)
            wanted = {
                tracked.spec.device
                for tracked in self.machine.outputs.values()
                if tracked.spec.device and tracked.state in ("waiting", "rendering")
            }
            gone = wanted - {device for device, sessions in crew.sessions().items() if sessions}
            now = time.monotonic()
            since = {device: since.get(device, now) for device in gone}
            for device in [device for device, at in since.items() if now - at > ABSENT_SECONDS]:
                since[device] = now
                absent(device)

    async def crew(self, crew: Crew, lost: Callable[[e.TaskId, int], None]) -> None:
        """See that every attempt the machine counts on is in somebody's hands, and that it moves.

        Attempts that nobody works on are reported as ``lost``; those that stand still are stopped.
        """
        missing: dict[tuple[str, int], int] = {}
        while True:
            await asyncio.sleep(CREW_SECONDS)
            signs = crew.signs()
            missing = {key: missing.get(key, 0) + 1 for key in self.in_hand.attempts if key not in signs}
            for key, looks in missing.items():
                if looks > MISSED_LOOKS and key in self.in_hand.attempts:
                    lost(self.in_hand.attempts[key].task, key[1])
            for key, seconds in signs.items():
                known = key in self.in_hand.ended_still
                if seconds > STILL_SECONDS and not self.machine.paused and not known:
                    self.in_hand.ended_still.add(key)
                    await crew.control("stop", *key)

    def _has_room(self, folder: Path) -> bool:
        """Whether outputs that wait for room in a folder can be tried again."""
        needs = [
            sum(self.stock.size(piece.name) or 0 for piece in item.plan.pieces) * MORE_ROOM
            for name, item in self.in_hand.ready.items()
            if item.path.parent == folder and self.machine.outputs[name].waits_for == "space"
        ]
        need = self.in_hand.piece_room if folder == self.stock.folder else max(needs, default=0.0) + 2**16
        return need <= room_on(folder, Band(need, need, need), reserve=self.reserve).usable
