"""This machine as a station: its pace, how much it does at once, what others take of it."""

from __future__ import annotations

import os
import time
from dataclasses import replace

from chronocast.forecast.station import Helper, Load, SharedDrive, Station
from chronocast.journal.workspace import Workspace
from chronocast.model.device import TriedEncoder
from chronocast.model.errors import ChronocastError
from chronocast.model.house import Rank, within
from chronocast.model.paths import path_text
from chronocast.model.stages import HERE
from chronocast.preparation.station.devices import device_sessions, devices_known
from chronocast.preparation.station.helpers import helpers_of, shared_drives, with_house_devices


def this_station(
    workspace: Workspace,
    slots: int | None = None,
    load: Load | None = None,
    *,
    run: str | None = None,
    rank: Rank = "as others",
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
        The run that it is for, or the key of its batch: what that has booked is its own.  "" for one that is alone.
    rank
        How it stands among other operators' runs.
    """
    sessions = tuple(device_sessions(devices_known(workspace)).items())
    shared = () if run == "" else shared_folders(workspace)
    helpers: tuple[Helper, ...] = ()
    drives: tuple[SharedDrive, ...] = ()
    if shared:
        house, roots = workspace.house.known_now(), workspace.house.belonging().roots
        drives = shared_drives(house, roots)
        helpers = helpers_of(
            house, run or "", devices=devices_usable(workspace), drives=drives, roots=roots, rank=rank
        )
        seen = workspace.house.attendance()
        helpers = tuple(replace(item, attendance=seen.get(item.id, item.attendance)) for item in helpers)
    pace = workspace.paces.of(HERE)
    return Station(
        HERE,
        pace,
        slots or machine_slots(),
        load or Load(),
        sessions,
        helpers,
        shared,
        house_name(workspace),
        drives if helpers else (),
    )


def house_name(workspace: Workspace) -> str:
    """What this machine is called in its house; "" where it belongs to none.

    Parameters
    ----------
    workspace
        How it belongs to a house.
    """
    try:
        return workspace.house.belonging().name
    except ChronocastError:
        return ""


def devices_usable(workspace: Workspace, alone: bool = False) -> tuple[TriedEncoder, ...]:
    """Hardware encoders that a run from this machine can use: its own, and those of its house that it hasn't.

    Parameters
    ----------
    workspace
        What is kept of all batches.
    alone
        Whether the run leaves the house be.
    """
    own = devices_known(workspace)
    if alone or not shared_folders(workspace):
        return own
    return with_house_devices(own, workspace.house.known_now(), workspace.devices.resting(time.time()))


def shared_folders(workspace: Workspace) -> tuple[str, ...]:
    """Folders that this machine's house shares; none where its pieces aren't kept in one: then nobody could help.

    Parameters
    ----------
    workspace
        Where pieces are kept, and how this machine belongs to a house.
    """
    try:
        folders = tuple(root.path for root in workspace.house.belonging().roots)
    except ChronocastError:
        return ()
    return folders if within(path_text(workspace.stock.folder), folders) else ()


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


def unshared_told(workspace: Workspace) -> str:
    """Why nobody of the house can help, in a sentence; "" where they can.

    Parameters
    ----------
    workspace
        Where pieces are kept, and how this machine belongs to a house.
    """
    if shared_folders(workspace):
        return ""
    return (
        f"Pieces are kept in {workspace.stock.folder.parent}, which the house doesn't share, so nobody can help. "
        "Keep them in a shared folder: chronocast stock place DIR."
    )
