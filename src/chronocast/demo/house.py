"""``demo --house``: four stand-ins for workstations, on this machine, as real stations of a real hub over TLS.

Each differs in slots, pace, encoders and hours; one has somebody at it now
and then; one can be told to fail.  They are labelled stand-ins wherever they
show.  Everything lies in a folder of its own, and ends with the demo.
"""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path
from typing import NamedTuple

from chronocast.crew.house.certificates import sign, wish_for, write_privately
from chronocast.crew.house.joining import make_house
from chronocast.crew.local.device_trials import devices_tried
from chronocast.demo.copy import copy_demo
from chronocast.journal.documents import save_json
from chronocast.journal.workspace import Workspace
from chronocast.model.calendar import Calendar, OpenHours
from chronocast.model.errors import ChronocastError
from chronocast.model.house import Belonging, Manner, Root
from chronocast.standins.device import plugged

START_SECONDS = 30.0


class StandIn(NamedTuple):
    """A stand-in for a workstation.

    Parameters
    ----------
    name
        A shore bird.
    slower
        How many times as slow as this machine it seems.
    manner
        When it works.
    calendar
        At which hours.
    device
        Whether it has the stand-in device.
    visits
        Seconds of every two minutes for which somebody is at it.
    """

    name: str
    slower: float = 1.0
    manner: Manner = "always"
    calendar: Calendar = Calendar()
    device: bool = False
    visits: float = 0.0


NIGHTS = Calendar(
    hours=(
        OpenHours(days=(0, 1, 2, 3, 4), begin="19:00", end="07:00"),
        OpenHours(days=(5, 6), begin="00:00", end="24:00"),
    )
)
STAND_INS = (
    StandIn("Plover", 1.0),
    StandIn("Curlew", 1.5, device=True),
    StandIn("Dunlin", 2.0, calendar=NIGHTS),
    StandIn("Avocet", 2.5, manner="gently", visits=30.0),
)
VISIT_SECONDS = 120.0
"""Somebody comes to a stand-in so often."""


class StandInHouse:
    """``StandInHouse(folder, stand_ins)``: ``begin`` it, ``end`` it.

    Parameters
    ----------
    folder
        Where everything of it lies; ``shared`` is the folder that all of it share.
    stand_ins
        Its stations.
    host
        The address at which the hub listens.
    prefix
        Words before the command of a machine's process, by its name.
    """

    def __init__(
        self,
        folder: Path,
        stand_ins: Sequence[StandIn] = STAND_INS,
        host: str = "127.0.0.1",
        prefix: Callable[[str], list[str]] = lambda _: [],
    ) -> None:
        self.folder, self.stand_ins, self.host, self.prefix = folder, tuple(stand_ins), host, prefix
        self.shared = folder / "shared"
        self.processes: dict[str, subprocess.Popen[bytes]] = {}
        self.address, self.join_port = "", 0

    def surroundings(self, name: str) -> dict[str, str]:
        """The environment of a machine of the house.

        Parameters
        ----------
        name
            *desk*, *hub* or a stand-in's.
        """
        place = self.folder / name
        folders = {key.upper(): str(place / key) for key in ("data", "state", "config")}
        return {f"CHRONOCAST_{key}": value for key, value in folders.items()}

    def begin(self) -> None:
        """Make the folders, start the hub and the stand-ins.

        Raises
        ------
        ChronocastError
            The hub can't be started.
        """
        self.shared.mkdir(parents=True, exist_ok=True)
        own = Workspace()
        if any(item.device for item in self.stand_ins):
            devices_tried(own)  # once, and not by each of them
        make_house(self._space("hub").house.hub_folder)
        self.start_hub()
        for item in self.stand_ins:
            space = self._space(item.name)
            self.let_in(space, item.name, "station", item)
            self._hand_on(own, space)
            if item.device:
                plugged.plug(space.state / plugged.place().name)
            self.start(item.name)

    def let_in(self, space: Workspace, name: str, kind: str, like: StandIn | None = None) -> None:
        """Have a machine belong to the house.

        Parameters
        ----------
        space
            Its folders.
        name, kind
            What it is called, and as what it belongs.
        like
            How it works, where it is a station.
        """
        hub, folder = self._space("hub").house.hub_folder, space.house.folder
        key, wish = wish_for(name, kind)
        write_privately(folder / "own.key", key)
        write_privately(folder / "own.pem", sign(hub, wish, name, kind))
        write_privately(folder / "authority.pem", (hub / "authority.pem").read_bytes())
        roots = (Root(name="exhibition", path=str(self.shared)),)
        belonging = Belonging(name=name, hub=self.address, roots=roots, slots=1)
        if like is not None:
            belonging = belonging.model_copy(update={"manner": like.manner, "calendar": like.calendar})
        space.house.keep_belonging(belonging)

    def start(self, name: str) -> None:
        """Start a stand-in, or start it again.

        Parameters
        ----------
        name
            Which.
        """
        item = next(item for item in self.stand_ins if item.name == name)
        words = [str(item.slower), str(item.visits), *(["device"] if item.device else [])]
        self._start(words, name, "chronocast.demo.stand_in")

    def start_hub(self) -> None:
        """Start the hub, or start it again at the same address.

        Raises
        ------
        ChronocastError
            It can't be started.
        """
        ready = self.folder / "hub" / "state" / "ready.json"
        ready.unlink(missing_ok=True)
        port = self.address.rpartition(":")[2] or "0"
        process = self._start([str(ready), self.host, port], "hub", "chronocast.demo.stand_in_hub")
        deadline = time.monotonic() + START_SECONDS
        while time.monotonic() < deadline and process.poll() is None:
            with suppress(OSError, ValueError, KeyError):
                told = json.loads(ready.read_text())
                self.address, self.join_port = str(told["address"]), int(told["join_port"])
                return
            time.sleep(0.05)
        raise ChronocastError("The hub could not be started.", f"See {self.folder / 'hub/state/log'}.")

    def end(self) -> None:
        """End every process of it."""
        for process in self.processes.values():
            process.send_signal(signal.SIGCONT)
            process.terminate()
        for process in self.processes.values():
            with suppress(subprocess.TimeoutExpired):
                process.wait(5)
            if process.poll() is None:
                process.kill()

    def _space(self, name: str) -> Workspace:
        place = self.folder / name
        return Workspace(place / "data", place / "state", place / "config")

    @staticmethod
    def _hand_on(own: Workspace, other: Workspace) -> None:
        """What is known of this machine: its pace, and its encoders as they were tried.

        How slow a stand-in seems has to be found by its work.
        """
        pace, told = own.paces.of(), own.paces.told()
        if pace.calibrated:
            other.paces.keep(pace, measured=told.get("measured", ""), machine=told.get("machine", ""))
        if found := own.devices.found():
            other.devices.keep(found, own.devices.marks(), own.devices.when(), own.devices.decoders())

    def _start(self, words: list[str], name: str, module: str) -> subprocess.Popen[bytes]:
        state = self.folder / name / "state"
        state.mkdir(parents=True, exist_ok=True)
        with open(state / "log", "ab") as log:
            process = subprocess.Popen(
                [*self.prefix(name), sys.executable, "-m", module, str(os.getpid()), *words],
                env=os.environ | self.surroundings(name),
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
            )
        self.processes[name] = process
        return process


class DemoHouse(StandInHouse):
    """``DemoHouse(folder)``: the demo in a house; ``batch`` is its batch, *desk* the machine that renders it."""

    batch = Path()

    def begin(self) -> None:
        """Copy the demo, start the house, have the desk belong to it.

        Raises
        ------
        ChronocastError
            The hub can't be started.
        """
        self.batch = copy_demo(self.shared / "demo")
        kept = self.shared / "kept"
        kept.mkdir(parents=True, exist_ok=True)
        save_json(self.folder / "desk" / "config" / "settings.json", {"kept_in": str(kept)})
        super().begin()
        desk = self._space("desk")
        self.let_in(desk, "desk", "desktop")
        self._hand_on(Workspace(), desk)
