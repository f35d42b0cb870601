"""A sequence, or part of it, back out as an open timeline file or as edit lists."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple

import opentimelineio as otio

from chronocast.media.source.images import Images, is_numbered
from chronocast.model.source.cutlist import CutList
from chronocast.model.time.timing import FrameRange, Rate
from chronocast.timeline.described import Placed, Timeline, Track, trimmed


def clip_timeline(cut: CutList, name: str) -> Timeline:
    """A clip as a sequence of one edit."""
    seconds = cut.duration.seconds
    media = cut.media[0].path
    common = {
        "start": Fraction(0),
        "seconds": seconds,
        "kind": "media",
        "name": Path(media).stem,
        "media": media,
        "source_start": Fraction(cut.start_timecode) / cut.rate,
        "media_zero": Fraction(cut.start_timecode) / cut.rate,
        "media_seconds": seconds,
    }
    tracks = [Track(kind="picture", name="V1", placed=(Placed(**common),))]
    if cut.sound:
        tracks.append(Track(kind="sound", name="A1", placed=(Placed(**common),)))
    return Timeline(
        path="",
        name=name,
        rate=cut.rate,
        size=(cut.width, cut.height),
        tracks=tuple(tracks),
        start_timecode=cut.start_timecode,
    )


def part_of(timeline: Timeline, part: FrameRange, name: str) -> Timeline:
    """A range of a sequence as a sequence of its own; dissolves cut by its ends are left out.

    Parameters
    ----------
    timeline
        The sequence.
    part
        The range, in frames of the source.
    name
        What it is called.
    """
    first, last = Fraction(part.start) / timeline.rate, Fraction(part.stop) / timeline.rate
    tracks = tuple(
        track.model_copy(
            update=dict(
                zip(
                    ("placed", "crosses"),
                    trimmed(track.placed, track.crosses, first, last - first),
                    strict=True,
                )
            )
        )
        for track in timeline.tracks
    )
    markers = tuple(
        marker.model_copy(update={"at": marker.at - first})
        for marker in timeline.markers
        if first <= marker.at < last
    )
    return timeline.model_copy(
        update={
            "name": name,
            "tracks": tracks,
            "markers": markers,
            "marked": None,
            "start_timecode": timeline.start_timecode + part.start,
        }
    )


def otio_text(timeline: Timeline, folder: Path) -> str:
    """OTIO of a sequence; its media's paths are written relative to ``folder``."""
    return str(otio.adapters.write_to_string(_otio(timeline, folder), "otio_json"))


def picks_text(name: str, picks: Sequence[tuple[str, Timeline, FrameRange]], folder: Path) -> str:
    """OTIO of ranges of sources as sub-clips: a collection of them, each under its own name.

    A range of a clip is a clip with its range; one of a sequence a nested stack.

    Parameters
    ----------
    name
        What it is called.
    picks
        Name, sequence and range of each.
    folder
        Where the file will lie, for relative paths.
    """
    made = otio.schema.SerializableCollection(name=name)
    for title, timeline, part in picks:
        cut = part_of(timeline, part, title)
        pictures = [track for track in cut.tracks if track.kind == "picture"]
        plain = len(pictures) == 1 and len(pictures[0].placed) == 1 and pictures[0].placed[0].kind == "media"
        if plain and not timeline.path:
            item = _item(pictures[0].placed[0].model_copy(update={"name": title}), timeline.rate, folder)
        else:
            item = _otio(cut, folder)
        made.append(item)
    return str(otio.adapters.write_to_string(made, "otio_json"))


class EditLists(NamedTuple):
    """CMX 3600 edit lists of a sequence's picture tracks, text by the track's name; ``left_out`` says why others aren't there."""

    texts: dict[str, str]
    left_out: tuple[str, ...]


def edit_lists(timeline: Timeline, folder: Path) -> EditLists:
    """Edit lists of a sequence, one for each picture track that an edit list can say.

    Parameters
    ----------
    timeline
        The sequence.
    folder
        Where the files will lie, for relative paths.
    """
    texts, left_out = dict[str, str](), list[str]()
    for number, track in enumerate(t for t in timeline.tracks if t.kind == "picture"):
        name = track.name or f"V{number + 1}"
        why = " and ".join(_unsayable(track))
        if not why:
            alone = timeline.model_copy(update={"tracks": (track,), "name": timeline.name[:60]})
            try:
                made = _otio(alone, folder)
                texts[name] = str(otio.adapters.write_to_string(made, "cmx_3600", rate=float(timeline.rate)))
            except Exception as error:
                why = f"what its writer refuses ({error})"
        if why:
            left_out.append(f"{timeline.name}, {name} can't be written as an edit list: it holds {why}.")
    return EditLists(texts, tuple(left_out))


def _unsayable(track: Track) -> Iterator[str]:
    """What a track holds that an edit list has no words for."""
    if any(placed.kind in ("nest", "fill") for placed in track.placed):
        yield "nested sequences or generated pictures"
    if any(placed.speed < 0 for placed in track.placed):
        yield "clips that play backwards"
    shown = [placed for placed in track.placed if placed.kind != "gap"]
    begins, ends = {item.start for item in shown}, {item.start + item.seconds for item in shown}
    if any(cross.at not in begins & ends for cross in track.crosses):
        yield "dissolves from or to nothing"


def _otio(timeline: Timeline, folder: Path) -> Any:
    made = otio.schema.Timeline(name=timeline.name)
    if timeline.size:
        made.metadata["chronocast"] = {"width": timeline.size[0], "height": timeline.size[1]}
    rate = timeline.rate
    made.global_start_time = _time(Fraction(timeline.start_timecode) / rate, rate)
    for track in timeline.tracks:
        made.tracks.append(_track(track, rate, folder))
    for marker in timeline.markers:
        made.tracks.markers.append(
            otio.schema.Marker(name=marker.name, marked_range=_range(marker.at, marker.seconds, rate))
        )
    if timeline.marked:
        made.tracks.source_range = _range(timeline.marked[0], timeline.marked[1] - timeline.marked[0], rate)
    return made


def _track(track: Track, rate: Rate, folder: Path) -> Any:
    kind = otio.schema.TrackKind.Audio if track.kind == "sound" else otio.schema.TrackKind.Video
    made = otio.schema.Track(name=track.name, kind=kind)
    crosses = {cross.at: cross for cross in track.crosses}
    at = Fraction(0)
    for placed in track.placed:
        if placed.start > at:
            made.append(otio.schema.Gap(source_range=_range(Fraction(0), placed.start - at, rate)))
        if (cross := crosses.get(placed.start)) and len(made):
            made.append(
                otio.schema.Transition(
                    transition_type=otio.schema.TransitionTypes.SMPTE_Dissolve,
                    in_offset=_time(cross.before, rate),
                    out_offset=_time(cross.after, rate),
                )
            )
        made.append(_item(placed, rate, folder))
        at = placed.start + placed.seconds
    return made


def _item(placed: Placed, rate: Rate, folder: Path) -> Any:
    inside = _range(placed.source_start, placed.seconds, rate)
    if placed.kind == "gap":
        return otio.schema.Gap(source_range=_range(Fraction(0), placed.seconds, rate))
    if placed.kind == "nest":
        item = otio.schema.Stack(name=placed.name, source_range=inside)
        for track in placed.inner:
            item.append(_track(track, rate, folder))
    else:
        item = otio.schema.Clip(
            name=placed.name, media_reference=_reference(placed, rate, folder), source_range=inside
        )
        if placed.reel:
            item.metadata["cmx_3600"] = {"reel": placed.reel}
    said: dict[str, Any] = {}
    if placed.opacity != 1:
        said["opacity"] = float(placed.opacity)
    if placed.placing != "fit":
        said["placing"] = placed.placing
    if said:
        item.metadata["chronocast"] = said
    if placed.speed == 0:
        item.effects.append(otio.schema.FreezeFrame())
    elif placed.speed != 1:
        item.effects.append(otio.schema.LinearTimeWarp(time_scalar=float(placed.speed)))
    return item


def _reference(placed: Placed, rate: Rate, folder: Path) -> Any:
    available = None
    if placed.media_zero is not None and placed.media_seconds is not None:
        available = _range(placed.media_zero, placed.media_seconds, rate)
    if placed.kind == "fill":
        kind = "SMPTEBars" if placed.fill == "bars" else "SolidColor"
        parameters = (
            {} if placed.fill == "bars" else {"color": "#000000" if placed.fill == "black" else placed.fill}
        )
        return otio.schema.GeneratorReference(name=placed.name, generator_kind=kind, parameters=parameters)
    if not placed.media:
        return otio.schema.MissingReference(available_range=available)
    if is_numbered(placed.media):
        images = Images(placed.media)
        return otio.schema.ImageSequenceReference(
            target_url_base=os.path.relpath(os.path.dirname(images.head) or ".", folder),
            name_prefix=os.path.basename(images.head),
            name_suffix=images.tail,
            start_frame=images.first,
            frame_zero_padding=images.digits,
            rate=float(images.rate),
            available_range=available,
        )
    return otio.schema.ExternalReference(
        target_url=os.path.relpath(placed.media, folder), available_range=available
    )


def _time(seconds: Fraction, rate: Rate) -> otio.opentime.RationalTime:
    return otio.opentime.RationalTime(float(seconds * rate), float(rate))


def _range(start: Fraction, seconds: Fraction, rate: Rate) -> otio.opentime.TimeRange:
    return otio.opentime.TimeRange(_time(start, rate), _time(seconds, rate))
