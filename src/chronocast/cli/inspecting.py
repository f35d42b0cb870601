"""``inspect``: facts of files as JSON and as lines."""

from __future__ import annotations

import logging
import os
import sys
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from chronocast.cli.answers import workspace
from chronocast.journal.films.facts import FactsStore
from chronocast.model.batch.batch import Source
from chronocast.model.errors import ChronocastError
from chronocast.model.paths import path_text, shown
from chronocast.model.picture.colour import told
from chronocast.model.show import counted, rate_bits_text, size_text, time_text
from chronocast.model.source.cutlist import CutList
from chronocast.model.source.facts import ClipFacts, Damage, SoundFacts
from chronocast.model.source.wording import scan_told, size_told
from chronocast.model.time.timing import format_timecode, rate_text
from chronocast.preparation.source.damaged import damage_lines, picture_time
from chronocast.preparation.source.gather import expand
from chronocast.preparation.source.ready import kind_of, notices, ready_source
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.timeline.clip_layout import clip_colour, clip_cut_list

log = logging.getLogger(__name__)


def inspect_paths(paths: Iterable[Path], rate: str | None = None) -> list[dict[str, Any]]:
    """One entry a file; what can't be used is listed with its reason."""
    store = workspace().facts
    with ThreadPoolExecutor(max_workers=max(2, os.cpu_count() or 2)) as pool:
        found = expand(paths)
        left_out = [
            {"path": shown(item.path), "unusable": True, "problems": [str(item)]} for item in found.skipped
        ]
        return [*pool.map(lambda path: _one(path, store, rate), found.files), *left_out]


def _one(path: Path, store: FactsStore, rate: str | None) -> dict[str, Any]:
    path = path.absolute()
    kind = kind_of(path)
    try:
        if kind == "sequence":
            source = Source(
                id="x",
                path=path_text(path),
                kind="sequence",
                name=shown(path.stem)[:200] or "sequence",
                rate=rate,
            )
            return _sequence(ready_source(source, path.parent, store))
        return _clip(store.looked_through(path_text(path)))
    except ChronocastError as error:
        sentence = str(error)
    except Exception as error:  # one file never spoils what is said of the others
        log.exception("%r could not be inspected", path)
        sentence = f"It could not be looked at ({type(error).__name__}: {error})."
    return {"path": shown(path), "kind": kind, "unusable": True, "problems": [sentence]}


def _clip(facts: ClipFacts) -> dict[str, Any]:
    return {
        "path": shown(facts.path),
        "kind": "clip",
        "frames": facts.frames,
        "rate": str(facts.rate),
        "width": facts.width,
        "height": facts.height,
        "pixel_aspect": str(facts.pixel_aspect),
        "scan": facts.scan,
        "told": {"size": size_told(facts), "scan": scan_told(facts)},
        "video_codec": facts.video_codec,
        "pixel_format": facts.pixel_format,
        "colour": told(clip_colour(facts)),
        "turned": facts.turned,
        "variable_timing": facts.variable_timing,
        "audio": [_track(track) for track in facts.audio],
        "field_order": facts.field_order or None,
        "alpha": facts.alpha or None,
        "hdr10": {"mastering_display": facts.mastering, "light_level": facts.light}
        if facts.mastering or facts.light
        else None,
        "damage": [_damage(item, facts) for item in facts.damage],
        "looked_through": facts.looked_through,
        "seconds": facts.seconds,
        "bytes": facts.bytes,
        "bit_rate": facts.bit_rate,
        "timecode": facts.timecode,
        "marked": _marked(clip_cut_list(facts)) if facts.frames else [],
        "fingerprint": facts.fingerprint,
        "problems": [*facts.problems, *damage_lines(facts)],
        "unusable": False,
    }


def _track(track: SoundFacts) -> dict[str, Any]:
    return {
        "codec": track.codec,
        "channels": track.channels,
        "sample_rate": track.sample_rate,
        "layout": track.layout,
        "language": track.language or None,
        "depth": track.depth or None,
        "name": track.name or None,
    }


def _damage(item: Damage, facts: ClipFacts) -> dict[str, Any]:
    return {
        "first": item.first,
        "last": item.last,
        "pictures": item.pictures,
        "at": picture_time(facts, item.first),
        "said": item.sentence,
    }


def _sequence(ready: SourceReady) -> dict[str, Any]:
    cut = ready.cut
    first = next((ready.facts[s.media.path] for s in cut.sound), None)
    audio = first.audio[0] if first and first.audio else None
    size = sum(facts.bytes for facts in ready.facts.values())
    seconds = float(cut.duration)
    return {
        "path": shown(ready.path),
        "kind": "sequence",
        "frames": cut.frames,
        "rate": str(cut.rate),
        "width": cut.width,
        "height": cut.height,
        "pixel_aspect": "1",
        "scan": "progressive",
        "told": {"size": f"{cut.width}×{cut.height}", "scan": "progressive"},
        "video_codec": "",
        "audio": [{"codec": audio.codec, "channels": audio.channels, "sample_rate": audio.sample_rate}]
        if audio
        else [],
        "seconds": seconds,
        "bytes": size,
        "bit_rate": int(size * 8 / seconds) if seconds else 0,
        "timecode": format_timecode(cut.start_timecode, cut.rate, cut.drop_frame),
        "edits": len(cut.picture),
        "tracks": _tracks(ready),
        "markers": _markers(ready),
        "marked": _marked(cut),
        "colour": told(cut.colour),
        "media": sorted(ready.facts),
        "problems": [problem.sentence for problem in notices(ready)],
        "unusable": False,
    }


def _marked(cut: CutList) -> list[dict[str, Any]]:
    """The stretches that a source marks of itself, in frames, ``stop`` exclusive."""
    return [{"name": mark.name, "start": mark.start, "stop": mark.stop} for mark in cut.marked]


def _tracks(ready: SourceReady) -> dict[str, int]:
    tracks = ready.timeline.tracks if ready.timeline else ()
    return {kind: sum(track.kind == kind for track in tracks) for kind in ("picture", "sound")}


def _markers(ready: SourceReady) -> list[dict[str, Any]]:
    rate = ready.cut.rate
    return [
        {"name": m.name, "frame": round(m.at * rate), "frames": round(m.seconds * rate), "comment": m.comment}
        for m in (ready.timeline.markers if ready.timeline else ())
    ]


def _length(seconds: float) -> str:
    """A length of a source; a few pictures are not nothing."""
    return time_text(seconds) if seconds >= 10 else f"{seconds:.2f}".rstrip("0").rstrip(".") + " s"


def print_sources(found: list[dict[str, Any]]) -> None:
    """Lines for people."""
    from fractions import Fraction

    for item in found:
        sys.stdout.write(f"{item['path']}\n")
        if not item["unusable"]:
            rate = rate_text(Fraction(item["rate"]))
            what = (
                f"sequence of {item['edits']} edits"
                if item["kind"] == "sequence"
                else item["video_codec"] or "sound only"
            )
            sound = (
                ", ".join(
                    f"{a['codec']} {a['channels']} ch {a['sample_rate']} Hz"
                    + (f" {a['language']}" if a.get("language") else "")
                    for a in item["audio"]
                )
                or "no sound"
            )
            picture = (
                f"{item['told']['size']} · {rate} frames a second · {item['told']['scan']} · "
                if item["width"]
                else ""
            )
            length = f" ({counted(item['frames'], 'frame')})" if item["frames"] else ""
            sys.stdout.write(
                f"    {picture}{what} · {_length(item['seconds'])}{length} · {size_text(item['bytes'])} · "
                f"{rate_bits_text(item['bit_rate'])} · {sound}\n"
            )
        for problem in item["problems"]:
            sys.stdout.write(f"    ! {problem}\n")
