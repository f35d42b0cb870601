"""A cut list back out as an open timeline file."""

from __future__ import annotations

import os
from fractions import Fraction
from pathlib import Path

import opentimelineio as otio

from chronocast.model.cutlist import CutList, MediaRef
from chronocast.model.timing import Rate


def otio_text(cut: CutList, name: str, lengths: dict[str, int], folder: Path) -> str:
    """OTIO of a cut list; ``lengths`` has each media's frames, paths are written relative to ``folder``."""
    timeline = otio.schema.Timeline(name=name)
    timeline.metadata["chronocast"] = {"width": cut.width, "height": cut.height}
    timeline.global_start_time = _time(cut.start_timecode, cut.rate)
    picture = otio.schema.Track(name="V1", kind=otio.schema.TrackKind.Video)
    for span in cut.picture:
        if span.media is None:
            picture.append(otio.schema.Gap(source_range=_range(0, span.frames, cut.rate)))
        else:
            picture.append(
                otio.schema.Clip(
                    name=span.name or Path(span.media.path).stem,
                    media_reference=_reference(span.media, lengths, cut.rate, folder),
                    source_range=_range(span.media_start, span.frames, cut.rate),
                )
            )
    timeline.tracks.append(picture)
    sound = otio.schema.Track(name="A1", kind=otio.schema.TrackKind.Audio)
    at = Fraction(0)
    for part in cut.sound:
        if part.start > at:
            sound.append(
                otio.schema.Gap(source_range=_range(0, float((part.start - at) * cut.rate), cut.rate))
            )
        sound.append(
            otio.schema.Clip(
                name=Path(part.media.path).stem,
                media_reference=_reference(part.media, lengths, cut.rate, folder),
                source_range=_range(
                    float(part.media_start * cut.rate), float(part.seconds * cut.rate), cut.rate
                ),
            )
        )
        at = part.start + part.seconds
    if len(sound):
        timeline.tracks.append(sound)
    return str(otio.adapters.write_to_string(timeline, "otio_json"))


def _reference(
    media: MediaRef, lengths: dict[str, int], rate: Rate, folder: Path
) -> otio.schema.ExternalReference:
    return otio.schema.ExternalReference(
        target_url=os.path.relpath(media.path, folder), available_range=_range(0, lengths[media.path], rate)
    )


def _time(frames: float, rate: Rate) -> otio.opentime.RationalTime:
    return otio.opentime.RationalTime(frames, float(rate))


def _range(start: float, frames: float, rate: Rate) -> otio.opentime.TimeRange:
    return otio.opentime.TimeRange(_time(start, rate), _time(frames, rate))
