"""This machine as a station: its pace, how much it does at once, what others take of it."""

from __future__ import annotations

import os

from chronocast.forecast.station import Load, Station
from chronocast.journal.workspace import Workspace
from chronocast.model.stages import HERE
from chronocast.preparation.station.devices import device_sessions, devices_known
from chronocast.preparation.station.helpers import helpers_of


def this_station(
    workspace: Workspace, slots: int | None = None, load: Load | None = None, *, run: str | None = None
) -> Station:
    """What a forecast must know of this machine, and of the stations of its house that help it.

    Parameters
    ----------
    workspace
        Where its pace is kept.
    slots
        How many tasks at once, if not as many as it does by itself.
    load
        What others take of it now.
    run
        The run that it is for: what that has booked is its own.  "" for one that is alone.
    """
    sessions = tuple(device_sessions(devices_known(workspace)).items())
    helpers = () if run == "" else helpers_of(workspace.house.known_now(), run or "")
    pace = workspace.paces.of(HERE)
    return Station(HERE, pace, slots or machine_slots(), load or Load(), sessions, helpers)


def machine_slots() -> int:
    """How many pieces this machine works on at once: one a core (CHRONOCAST_SLOTS overrides)."""
    said = os.environ.get("CHRONOCAST_SLOTS", "")
    if said.isdigit() and int(said) > 0:
        return min(64, int(said))
    try:
        cores = len(os.sched_getaffinity(0))
    except OSError:
        cores = os.cpu_count() or 1
    return max(1, min(16, cores))
