"""``inspect``: facts of files as JSON and as lines."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from chronocast.journal.facts import FactsStore
from chronocast.journal.places import data_folder
from chronocast.model.batch import Source
from chronocast.model.colour import told
from chronocast.model.cutlist import CutList
from chronocast.model.errors import ChronocastError
from chronocast.model.facts import ClipFacts
from chronocast.model.show import rate_bits_text, size_text, time_text
from chronocast.model.timing import format_timecode, rate_text
from chronocast.run.gather import expand
from chronocast.run.prepare import SourceReady, kind_of, notices, ready_source
from chronocast.timeline.layout import clip_colour, clip_cut_list


def inspect_paths(paths: Iterable[Path], rate: str | None = None) -> list[dict[str, Any]]:
    """One entry a file; what can't be used is listed with its reason."""
    store = FactsStore(data_folder() / "facts")
    with ThreadPoolExecutor(max_workers=max(2, os.cpu_count() or 2)) as pool:
        return list(pool.map(lambda path: _one(path, store, rate), expand(paths)))


def _one(path: Path, store: FactsStore, rate: str | None) -> dict[str, Any]:
    path = path.absolute()
    kind = kind_of(path)
    try:
        if kind == "sequence":
            source = Source(
                id="x", path=str(path), kind="sequence", name=path.stem[:200] or "sequence", rate=rate
            )
            return _sequence(ready_source(source, path.parent, store))
        return _clip(store.clip(str(path)))
    except ChronocastError as error:
        return {"path": str(path), "kind": kind, "unusable": True, "problems": [str(error)]}


def _clip(facts: ClipFacts) -> dict[str, Any]:
    return {
        "path": facts.path, "kind": "clip", "frames": facts.frames, "rate": str(facts.rate), "width": facts.width,
        "height": facts.height, "pixel_aspect": str(facts.pixel_aspect), "scan": facts.scan, "video_codec": facts.video_codec,
        "pixel_format": facts.pixel_format, "colour": told(clip_colour(facts)), "turned": facts.turned, "variable_timing": facts.variable_timing,
        "audio": [{"codec": a.codec, "channels": a.channels, "sample_rate": a.sample_rate} for a in facts.audio],
        "seconds": facts.seconds, "bytes": facts.bytes, "bit_rate": facts.bit_rate, "timecode": facts.timecode,
        "marked": _marked(clip_cut_list(facts)) if facts.frames else [],
        "fingerprint": facts.fingerprint, "problems": list(facts.problems), "unusable": False,
    }  # fmt: skip


def _sequence(ready: SourceReady) -> dict[str, Any]:
    cut = ready.cut
    first = next((ready.facts[s.media.path] for s in cut.sound), None)
    audio = first.audio[0] if first and first.audio else None
    size = sum(facts.bytes for facts in ready.facts.values())
    seconds = float(cut.frames / cut.rate)
    return {
        "path": str(ready.path), "kind": "sequence", "frames": cut.frames, "rate": str(cut.rate), "width": cut.width,
        "height": cut.height, "pixel_aspect": "1", "scan": "progressive", "video_codec": "",
        "audio": [{"codec": audio.codec, "channels": audio.channels, "sample_rate": audio.sample_rate}] if audio else [],
        "seconds": seconds, "bytes": size, "bit_rate": int(size * 8 / seconds) if seconds else 0,
        "timecode": format_timecode(cut.start_timecode, cut.rate), "edits": len(cut.picture),
        "tracks": _tracks(ready), "markers": _markers(ready), "marked": _marked(cut), "colour": told(cut.colour),
        "media": sorted(ready.facts), "problems": [problem.sentence for problem in notices(ready)], "unusable": False,
    }  # fmt: skip


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


def _turned(item: dict[str, Any]) -> str:
    return f" · turned {item['turned']}°" if item.get("turned") else ""


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
                ", ".join(f"{a['codec']} {a['channels']} ch {a['sample_rate']} Hz" for a in item["audio"])
                or "no sound"
            )
            sys.stdout.write(
                f"    {item['width']}×{item['height']} · {rate} frames a second · {item['scan']}{_turned(item)} · {what} · "
                f"{time_text(item['seconds'])} ({item['frames']} frames) · {size_text(item['bytes'])} · "
                f"{rate_bits_text(item['bit_rate'])} · {sound}\n"
            )
        for problem in item["problems"]:
            sys.stdout.write(f"    ! {problem}\n")
