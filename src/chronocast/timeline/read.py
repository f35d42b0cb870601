"""Open timeline files (OTIO) to a plain description of what lies where.

One picture track and one sound track with cuts and gaps.  What is beyond that
is refused by name, rather than rendered wrongly.
"""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlparse

import opentimelineio as otio

from chronocast.model.errors import ModelError
from chronocast.model.timing import Rate, parse_rate
from chronocast.timeline.described import Placed, Timeline
from chronocast.timeline.errors import TimelineError
from chronocast.timeline.guard import guard

MOST_FRAMES = 24 * 3600 * 120


def read_timeline(path: Path) -> Timeline:
    """Read an OTIO file.

    Raises:
        TimelineError: no timeline, or one with something that can't be rendered.
    """
    text = guard(path)
    try:
        timeline = otio.adapters.read_from_string(text, "otio_json")
    except Exception as error:
        raise TimelineError(
            f"{path} is not an open timeline file: {str(error).splitlines()[0]}.", "Export it as OTIO."
        ) from None
    if isinstance(timeline, otio.schema.SerializableCollection):
        found = [item for item in timeline if isinstance(item, otio.schema.Timeline)]
        if len(found) != 1:
            raise TimelineError(f"{path} holds {len(found)} sequences.", "Export one sequence to a file.")
        timeline = found[0]
    if not isinstance(timeline, otio.schema.Timeline):
        raise TimelineError(f"{path} is OTIO, but holds no sequence.", "Export a sequence.")
    pictures = [t for t in timeline.video_tracks() if t.enabled and len(t)]
    sounds = [t for t in timeline.audio_tracks() if t.enabled and len(t)]
    if not pictures:
        raise TimelineError(f"The sequence in {path} has no picture.", "Export it with its picture track.")
    for kind, tracks in (("picture", pictures), ("sound", sounds)):
        if len(tracks) > 1:
            raise TimelineError(
                f"The sequence in {path} has {len(tracks)} {kind} tracks; one can be rendered.",
                "Flatten them to one track and export it again.",
            )
    rate = _rate(timeline, pictures[0], path)
    picture = _placed(pictures[0], path)
    sound = _placed(sounds[0], path) if sounds else ()
    start = timeline.global_start_time
    first = round(Fraction(start.value) / parse_rate(start.rate) * rate) if start else 0
    return Timeline(path, timeline.name or path.stem, rate, _size(timeline), picture, sound, first)


def _rate(timeline: Any, track: Any, path: Path) -> Rate:
    candidates = [timeline.global_start_time] if timeline.global_start_time else []
    candidates += [item.source_range.duration for item in track if getattr(item, "source_range", None)]
    for time in candidates:
        try:
            return parse_rate(time.rate)
        except ModelError:
            continue
    raise TimelineError(
        f"The sequence in {path} doesn't say its frame rate.", "Export it with source ranges."
    )


def _size(timeline: Any) -> tuple[int, int] | None:
    """Frame size, where the file says one (OTIO itself has no place for it)."""
    said = timeline.metadata.get("chronocast", {})
    try:
        width, height = int(said["width"]), int(said["height"])
    except (KeyError, TypeError, ValueError):
        return None
    return (width, height) if 16 <= width <= 16384 and 16 <= height <= 16384 else None


def _seconds(time: Any, path: Path) -> Fraction:
    try:
        return Fraction(time.value) / parse_rate(time.rate)
    except (ModelError, ValueError, OverflowError):
        raise TimelineError(
            f"{path} holds a time that can't be used ({time.value} at {time.rate})."
        ) from None


def _placed(track: Any, path: Path) -> tuple[Placed, ...]:
    at, found = Fraction(0), []
    for item in track:
        label = f"“{item.name or type(item).__name__}” at {float(at):.2f} s"
        if isinstance(item, otio.schema.Transition):
            raise TimelineError(
                f"{path} has a transition, {label}, which can't be rendered.", "Replace it by a cut."
            )
        if not isinstance(item, otio.schema.Clip | otio.schema.Gap):
            raise TimelineError(
                f"{path} has {label}, a nested sequence, which can't be rendered.", "Flatten it."
            )
        if item.effects:
            effect = item.effects[0]
            raise TimelineError(
                f"{path} has an effect ({effect.effect_name or effect.name or type(effect).__name__}) on {label}, "
                "which can't be rendered.", "Render the effect to a clip first.",
            )  # fmt: skip
        try:
            trimmed = item.trimmed_range()
        except Exception:
            raise TimelineError(
                f"{path} doesn't say how long {label} is.", "Export it with source ranges."
            ) from None
        length = _seconds(trimmed.duration, path)
        if not 0 < length <= 24 * 3600:
            raise TimelineError(
                f"{path} says that {label} lasts {float(length):g} s.",
                "Mend the sequence and export it again.",
            )
        media, begin = None, Fraction(0)
        if isinstance(item, otio.schema.Clip) and item.enabled:
            media, begin = _media(item, trimmed, path, label)
        found.append(Placed(at, length, media, begin, item.name or ""))
        at += length
    return tuple(found)


def _media(item: Any, trimmed: Any, path: Path, label: str) -> tuple[Path, Fraction]:
    reference = item.media_reference
    if not isinstance(reference, otio.schema.ExternalReference):
        raise TimelineError(
            f"{path} names no media file for {label}.", "Relink the clip and export the sequence again."
        )
    url = urlparse(reference.target_url)
    if url.scheme not in ("", "file"):
        raise TimelineError(f"{path} wants {reference.target_url} for {label}, which is not on this machine.")
    place = Path(unquote(url.path if url.scheme else reference.target_url))
    first = _seconds(reference.available_range.start_time, path) if reference.available_range else Fraction(0)
    begin = _seconds(trimmed.start_time, path) - first
    if begin < 0:
        raise TimelineError(
            f"{path} starts {label} before its media does.", "Relink the clip and export the sequence again."
        )
    return (place if place.is_absolute() else path.parent / place), begin
