"""Bytes that a container takes besides picture and sound."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class ContainerCost:
    """Bytes a container takes: once, a frame (``whole``: where every frame is a key frame), a packet of sound, a second.

    ``share`` is of what is put in; ``tags`` and ``timecode`` are what a finished
    file's titles and its track of timecode take, which pieces don't have.
    Measured on joined files of 25 to 1,000 frames at 160×96, each codec it is
    used with, and on tagged films with several channels (2026-11).
    """

    once: float
    frame: float
    whole: float
    sound: float
    second: float = 0.0
    share: float = 0.0
    tags: float = 0.0
    timecode: float = 0.0


CONTAINER_COSTS = {
    "mp4": ContainerCost(850, 11.1, 5.0, 10.2, tags=740.0, timecode=620.0),
    "mov": ContainerCost(900, 11.1, 4.2, 6.2, tags=1_100.0, timecode=620.0),
    "mkv": ContainerCost(600, 7.5, 40.0, 7.2, tags=420.0, timecode=65.0),
    "webm": ContainerCost(600, 7.1, 40.0, 7.1, tags=350.0),
    "ts": ContainerCost(800, 92.0, 92.0, 112.0, 3760.0, 0.0217),
    "mxf": ContainerCost(11_500, 980.0, 980.0, 10.0),
    "m4a": ContainerCost(900, 0.0, 0.0, 5.0, tags=400.0),
    "wav": ContainerCost(90, 0.0, 0.0, 0.0, tags=450.0),
    "flac": ContainerCost(8_300, 0.0, 0.0, 0.0),
    "mp3": ContainerCost(500, 0.0, 0.0, 0.0),
    "opus": ContainerCost(400, 0.0, 0.0, 2.5),
    "images": ContainerCost(0, 0.0, 0.0, 0.0),
}
CONTAINER_UNSURE = 0.12
"""Relative error of these figures (one standard deviation)."""
CONTAINER_UNSURE_BYTES = 300.0
"""What titles, languages and layouts make of it besides (one standard deviation)."""


def container_bytes(
    container: str,
    frames: int,
    sound_packets: int,
    *,
    seconds: float = 0.0,
    payload: float = 0.0,
    whole: bool = False,
    finished: bool = False,
    timecode: bool = False,
) -> float:
    """Bytes the container adds.

    Parameters
    ----------
    container
        Our own word for it.
    frames, sound_packets
        How many packets it holds.
    seconds
        How long it lasts.
    payload
        Bytes that are put in.
    whole
        Whether every frame is a key frame.
    finished
        Whether it is a finished file, with its titles, and not a piece.
    timecode
        Whether it carries timecode.
    """
    cost = CONTAINER_COSTS.get(container, CONTAINER_COSTS["mp4"])
    each = cost.whole if whole else cost.frame
    return (
        cost.once
        + each * frames
        + cost.sound * sound_packets
        + cost.second * seconds
        + cost.share * payload
        + cost.tags * finished
        + cost.timecode * timecode
    )
