"""Hardware encoders of this station: what they were tried with, whether that is still so."""

from __future__ import annotations

import contextlib
import platform
import time
from collections.abc import Iterable
from pathlib import Path

from chronocast.journal.workspace import Workspace
from chronocast.media.encoders import amf, nvenc, quick_sync, stand_in, v4l2, vaapi
from chronocast.media.piece.here import libraries_version
from chronocast.model.device import TriedEncoder
from chronocast.standins.device import plugged

NVIDIA = Path("/sys/module/nvidia/version")


def driver_of(family: str) -> str:
    """What tells a device's driver from another version of it; "" where none is there."""
    if family == stand_in.FAMILY:
        return plugged.DRIVER if plugged.behaviour() is not None else ""
    if family == nvenc.FAMILY:
        with contextlib.suppress(OSError):
            return NVIDIA.read_text().strip()
        return ""
    nodes = {
        quick_sync.FAMILY: "dri/renderD*",
        amf.FAMILY: "dri/renderD*",
        vaapi.FAMILY: "dri/renderD*",
        v4l2.FAMILY: "video*",
    }
    there = sorted(str(path) for path in Path("/dev").glob(nodes.get(family, "none")))
    return f"{platform.release()} {' '.join(there)}" if there else ""


def marks() -> dict[str, str]:
    """What hardware encoders are tried with now: the libraries' version, and each driver's."""
    families = (module.FAMILY for module in (nvenc, quick_sync, amf, v4l2, vaapi, stand_in))
    return {"libraries": libraries_version(), **{family: driver_of(family) for family in families}}


def devices_known(workspace: Workspace) -> tuple[TriedEncoder, ...]:
    """Hardware encoders as they were tried; none where nothing was, or a library or a driver is another since.

    Parameters
    ----------
    workspace
        What is kept of all batches.
    """
    found = workspace.devices.found()
    if not found or workspace.devices.marks() != marks():
        return ()
    resting = workspace.devices.resting(time.time())
    return tuple(
        tried.model_copy(
            update={"why_not": f"left alone for a while, since {resting[tried.family]}", "resting": True}
        )
        if tried.works and tried.family in resting
        else tried
        for tried in found
    )


def device_sessions(devices: Iterable[TriedEncoder]) -> dict[str, int]:
    """How many encodes each device that works does at once, by its family: its encoders share them."""
    found: dict[str, int] = {}
    for tried in devices:
        if tried.works:
            found[tried.family] = max(found.get(tried.family, 0), tried.sessions)
    return found
