"""Small timelines for tests, built with the timeline library itself."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import opentimelineio as otio


def span(start: float, frames: float, rate: float = 25) -> otio.opentime.TimeRange:
    """A range of frames."""
    return otio.opentime.TimeRange(
        otio.opentime.RationalTime(start, rate), otio.opentime.RationalTime(frames, rate)
    )


def clip_item(path: Path, start: float, frames: float, rate: float = 25) -> Any:
    """A clip on a track; its reference says nothing of its length."""
    return otio.schema.Clip(
        name=path.stem,
        media_reference=otio.schema.ExternalReference(target_url=str(path)),
        source_range=span(start, frames, rate),
    )


def gap(frames: float) -> Any:
    return otio.schema.Gap(source_range=span(0, frames))


def sequence(*pictures: list[Any], sounds: list[list[Any]] | None = None) -> Any:
    """A timeline of picture tracks, bottom first, and sound tracks."""
    timeline = otio.schema.Timeline(name="A film")
    timeline.metadata["chronocast"] = {"width": 320, "height": 180}
    timeline.global_start_time = otio.opentime.RationalTime(900000, 25)
    for kind, tracks in (("Video", pictures), ("Audio", sounds or [])):
        for number, items in enumerate(tracks):
            track = otio.schema.Track(name=f"{kind[0]}{number + 1}", kind=kind)
            track.extend(items)
            timeline.tracks.append(track)
    return timeline
