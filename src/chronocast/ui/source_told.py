"""What is said of a source wherever it stands in a list: in plain Python, once for each."""

from __future__ import annotations

from pathlib import PurePosixPath
from typing import NamedTuple

from chronocast.model.batch.extent import short_time
from chronocast.model.lookup import once_each
from chronocast.model.recipe.formats.layouts import layout_told
from chronocast.model.source.cutlist import CutList
from chronocast.model.source.facts import ClipFacts
from chronocast.model.source.wording import scan_told
from chronocast.model.time.timing import rate_text
from chronocast.preparation.source.source_ready import SourceReady

STILLS_AT = (0.36, 0.62)
"""Where in a source the pictures lie that stand for it, as shares of its length."""


class _Shown(NamedTuple):
    """Which frames stand for a source, a name for them, and its length in seconds."""

    frames: tuple[int, ...]
    mark: str
    seconds: float


def _shown(cut: CutList) -> _Shown:
    frames = tuple(min(cut.frames - 1, round(cut.frames * at)) for at in STILLS_AT) if cut.frames else ()
    media = "-".join(dict.fromkeys(m.fingerprint for m in cut.media))[:64]
    return _Shown(frames, f"{media}-{cut.frames}-{cut.width}×{cut.height}", float(cut.duration))


def clip_of(ready: SourceReady) -> ClipFacts:
    """The one file that a clip is."""
    (clip,) = ready.facts.values()
    return clip


def _found_by(ready: SourceReady) -> str:
    """Words that a source is found by besides its name: where it is, what is in it."""
    words = [ready.source.path]
    for path, clip in ready.facts.items():
        words += [
            *PurePosixPath(path).parts[-2:],
            clip.video_codec,
            clip.pixel_format,
            scan_told(clip),
            clip.timecode or "",
        ]
        words += [f"{clip.width}×{clip.height} {clip.width}x{clip.height}", f"{rate_text(clip.rate)} fps"]
        words += ["alpha" if clip.alpha else "", "uneven variable" if clip.variable_timing else ""]
        words += ["upright turned" if clip.turned else "", "sound only" if not clip.frames else ""]
        for track in clip.audio:
            words += [track.codec, layout_told(track.layout) or "", track.language, f"{track.sample_rate}"]
    return " ".join(dict.fromkeys(filter(None, words)))


class SourceTold(NamedTuple):
    """What a source's row says of it: facts, the frames that stand for it and their mark, seconds, bytes, words to find it by."""

    facts: str
    frames: tuple[int, ...]
    mark: str
    seconds: float
    bytes: int
    found_by: str


@once_each
def told_of_source(ready: SourceReady) -> SourceTold:
    """What a source's row says of it; worked out once, by whoever asks first: of a thousand beside the window."""
    cut = ready.cut
    clip = ready.source.kind == "clip"
    kind = rate_text(cut.rate) if clip else f"{len(cut.picture)} edits"
    kind += " interlaced" if clip and clip_of(ready).interlaced else ""
    silent = "" if cut.sound else " · no sound"
    frames, mark, seconds = cut.once(_shown)
    return SourceTold(
        f"{cut.width}×{cut.height} · {kind} · full, {short_time(seconds)}{silent}",
        frames,
        mark,
        seconds,
        sum(clip.bytes for clip in ready.facts.values()),
        _found_by(ready),
    )
