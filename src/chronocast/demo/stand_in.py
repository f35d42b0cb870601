"""One stand-in for a workstation of ``demo --house``: a real station on this machine that only seems to be another.

What it is told to do while it runs is in ``stand-in.json`` of its folder of
state: ``{"person": true}`` has somebody sit down at it, ``{"fails": true}``
has its encoders die.
"""

from __future__ import annotations

import asyncio
import json
import logging
import random
import signal
import sys
import time
from contextlib import suppress
from pathlib import Path

from chronocast.crew.house.station import Station
from chronocast.crew.local.device_trials import devices_tried
from chronocast.demo.house import VISIT_SECONDS
from chronocast.journal.workspace import Workspace
from chronocast.preparation.station.children import die_with_parent

FAIL_SECONDS = 2.0


def told(place: Path, what: str) -> bool:
    """Whether it was told so."""
    with suppress(OSError, ValueError, AttributeError):
        return bool(json.loads(place.read_text()).get(what))
    return False


async def work(space: Workspace, slower: float, visits: float) -> None:
    """Be a station until cancelled.

    Parameters
    ----------
    space
        Its folders.
    slower
        How many times as slow as this machine it seems.
    visits
        Seconds of every two minutes for which somebody is at it.
    """
    place, begun = space.state / "stand-in.json", time.monotonic()

    def others() -> float:
        there = (time.monotonic() - begun) % VISIT_SECONDS > VISIT_SECONDS - visits
        return 0.8 if there or told(place, "person") else 0.0

    station = Station(space, space.house.belonging(), slower=slower, stand_in=True, others=others)

    async def fail() -> None:
        while True:
            await asyncio.sleep(FAIL_SECONDS)
            children = [child for session in station.sessions.values() for child in session.crew.children()]
            if children and told(place, "fails"):
                random.choice(children).signal(signal.SIGKILL)

    async with asyncio.TaskGroup() as group:
        group.create_task(fail())
        group.create_task(station.run())


def main() -> None:
    """Be the station of this process's folders."""
    die_with_parent(int(sys.argv[1]))
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    space = Workspace()
    if "device" in sys.argv[4:]:
        devices_tried(space)
    asyncio.run(work(space, float(sys.argv[2]), float(sys.argv[3])))


if __name__ == "__main__":
    main()
