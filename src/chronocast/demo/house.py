"""``demo --house``: four stand-ins for workstations, on this machine, as real stations of a real hub over TLS.

Each differs in slots, pace, encoders and hours; one has somebody at it now
and then; one can be told to fail.  They are labelled stand-ins wherever they
show.  Everything lies in a folder of its own, and ends with the demo.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path
from typing import NamedTuple

from chronocast.demo.copy import copy_demo
from chronocast.journal.documents import save_json
from chronocast.journal.paces import PaceStore
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


class DemoHouse:
    """``DemoHouse(folder)``: ``begin`` it, ``end`` it.  ``batch`` is the demo's batch in it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.shared = folder / "shared"
        self.batch = Path()
        self._processes: list[subprocess.Popen[bytes]] = []

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
        """Make the folders, start the hub and the stand-ins, have the desk join.

        Raises
        ------
        ChronocastError
            The hub can't be started.
        """
        from chronocast.crew.house.certificates import sign, wish_for, write_privately
        from chronocast.crew.house.joining import make_house

        self.batch = copy_demo(self.shared / "demo")
        kept = self.shared / "kept"
        kept.mkdir(parents=True, exist_ok=True)
        save_json(self.folder / "desk" / "config" / "settings.json", {"kept_in": str(kept)})
        hub = self._space("hub").house.hub_folder
        make_house(hub)
        address = self._start_hub()
        own = Workspace().paces
        for name in ("desk", *(item.name for item in STAND_INS)):
            space = self._space(name)
            kind = "desktop" if name == "desk" else "station"
            key, wish = wish_for(name, kind)
            write_privately(space.house.folder / "own.key", key)
            write_privately(space.house.folder / "own.pem", sign(hub, wish, name, kind))
            write_privately(space.house.folder / "authority.pem", (hub / "authority.pem").read_bytes())
            stand_in = next((item for item in STAND_INS if item.name == name), StandIn("desk"))
            roots = (Root(name="exhibition", path=str(self.shared)),)
            space.house.keep_belonging(
                Belonging(
                    name=name,
                    hub=address,
                    roots=roots,
                    slots=1,
                    manner=stand_in.manner,
                    calendar=stand_in.calendar,
                )
            )
            self._hand_on(own, space.paces)
            if stand_in.device:
                plugged.plug(space.state / plugged.place().name)
            if name != "desk":
                self._start([str(stand_in.slower), str(stand_in.visits)], name, "chronocast.demo.stand_in")

    def end(self) -> None:
        """End every process of it."""
        for process in self._processes:
            process.terminate()
        for process in self._processes:
            with suppress(subprocess.TimeoutExpired):
                process.wait(5)
            if process.poll() is None:
                process.kill()

    def _space(self, name: str) -> Workspace:
        place = self.folder / name
        return Workspace(place / "data", place / "state", place / "config")

    @staticmethod
    def _hand_on(own: PaceStore, other: PaceStore) -> None:
        """This machine's pace, where it was measured: how slow a stand-in seems has to be found by its work."""
        pace = own.of()
        if pace.calibrated:
            told = own.told()
            other.keep(pace, measured=told.get("measured", ""), machine=told.get("machine", ""))

    def _start(self, words: list[str], name: str, module: str) -> subprocess.Popen[bytes]:
        state = self.folder / name / "state"
        state.mkdir(parents=True, exist_ok=True)
        with open(state / "log", "ab") as log:
            process = subprocess.Popen(
                [sys.executable, "-m", module, str(os.getpid()), *words],
                env=os.environ | self.surroundings(name),
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
            )
        self._processes.append(process)
        return process

    def _start_hub(self) -> str:
        """Start the hub; its address."""
        ready = self.folder / "hub" / "state" / "ready.json"
        ready.unlink(missing_ok=True)
        process = self._start([str(ready)], "hub", "chronocast.demo.stand_in_hub")
        deadline = time.monotonic() + START_SECONDS
        while time.monotonic() < deadline and process.poll() is None:
            with suppress(OSError, ValueError, KeyError):
                return str(json.loads(ready.read_text())["address"])
            time.sleep(0.1)
        raise ChronocastError("The demo's hub could not be started.", f"See {self.folder / 'hub/state/log'}.")
