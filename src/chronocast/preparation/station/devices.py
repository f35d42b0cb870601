"""Hardware encoders of this station: what they were tried with, whether that is still so."""

from __future__ import annotations

import contextlib
import platform
import time
from collections.abc import Iterable
from pathlib import Path

from chronocast.journal.workspace import Workspace
from chronocast.media.encoders.devices import amf, nvenc, quick_sync, stand_in, v4l2, vaapi
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
    """Hardware encoders as they were tried; none where nothing was, or the libraries are others since.

    One whose driver is another since, or gone, can't be used until it is tried again.

    Parameters
    ----------
    workspace
        What is kept of all batches.
    """
    found, before, now = workspace.devices.found(), workspace.devices.marks(), marks()
    if not found or before.get("libraries") != now["libraries"]:
        return ()
    resting = workspace.devices.resting(time.time())

    def as_now(tried: TriedEncoder) -> TriedEncoder:
        if why := resting.get(tried.family):  # the house may have had it
            return tried.model_copy(update={"why_not": f"left alone for a while ({why})", "resting": True})
        if not tried.works:
            return tried
        if before.get(tried.family) != now[tried.family]:
            why = "its driver is another since it was tried" if now[tried.family] else "its device is gone"
            return tried.model_copy(update={"why_not": why})
        return tried

    return tuple(as_now(tried) for tried in found)


def all_as_tried(workspace: Workspace) -> bool:
    """Whether every hardware encoder was tried with the libraries and drivers that are here now."""
    return bool(workspace.devices.found()) and workspace.devices.marks() == marks()


def decodes_by(workspace: Workspace) -> str:
    """The kind of device that films are decoded by here; "" for the processor.

    Of those that were tried with the libraries and drivers of today the
    quickest, if its pictures are the processor's.

    Parameters
    ----------
    workspace
        What is kept of all batches.
    """
    tried = [decoder for decoder in workspace.devices.decoders() if decoder.helps]
    if not tried or not all_as_tried(workspace):
        return ""
    return max(tried, key=lambda decoder: decoder.times_quicker).family


def device_sessions(devices: Iterable[TriedEncoder]) -> dict[str, int]:
    """How many encodes each device that works does at once, by its family: its encoders share them."""
    found: dict[str, int] = {}
    for tried in devices:
        if tried.works:
            found[tried.family] = max(found.get(tried.family, 0), tried.sessions)
    return found
