"""What *Plan* says of one source, and of its new cut."""

from __future__ import annotations

from dataclasses import dataclass

from chronocast.model.batch.batch import Batch, Source
from chronocast.model.picture.colour import told as colour_told
from chronocast.model.recipe.formats.layouts import layout_told
from chronocast.model.show import rate_bits_text, size_text, time_text
from chronocast.model.source.wording import scan_told, size_told
from chronocast.model.time.timing import format_timecode, rate_text
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.problem import Problem
from chronocast.preparation.recut import Recut
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.ui.source_told import clip_of


@dataclass(frozen=True)
class SourceSheet:
    """What is known of a source: facts as pairs, what is done to it, what stands in its way."""

    source: str
    title: str
    lines: tuple[tuple[str, str], ...]
    notes: tuple[str, ...]
    problems: tuple[str, ...]
    missing: bool = False
    changed: bool = False
    damaged: bool = False


def source_sheet(batch: Batch, prospect: Prospect | None, source: str) -> SourceSheet | None:
    """The sheet of one source; None for one that is not in the batch."""
    owner = batch.source(source)
    if owner is None:
        return None
    ready = prospect.sources.get(source) if prospect else None
    mine = [told for told in (prospect.problems if prospect else ()) if told.source == owner.id]
    damaged = any(told.accepts for told in mine)
    lines: list[tuple[str, str]] = [("file", owner.path)]
    if ready is not None:
        cut = ready.cut
        lines.append(
            (
                "length",
                f"{time_text(float(cut.duration))}, {cut.frames} frames at {rate_text(cut.rate)}",
            )
        )
        lines.append(("starts", format_timecode(cut.start_timecode, cut.rate, cut.drop_frame)))
        shown = any(clip.frames for clip in ready.facts.values())
        size = f"{cut.width}×{cut.height}" if ready.timeline is not None else size_told(clip_of(ready))
        lines.append(("picture", f"{size}, {colour_told(cut.colour)}" if shown else "none, sound only"))
        if ready.timeline is not None:
            tracks = [
                sum(track.kind == kind for track in ready.timeline.tracks) for kind in ("picture", "sound")
            ]
            lines.append(("tracks", f"{tracks[0]} picture, {tracks[1]} sound, {len(cut.picture)} edits"))
            lines.append(
                (
                    "media",
                    f"{len(ready.facts)} files, {size_text(sum(c.bytes for c in ready.facts.values()))}",
                )
            )
        else:
            clip = clip_of(ready)
            if shown:
                lines.append(("codec", f"{clip.video_codec} {clip.pixel_format}, {scan_told(clip)}"))
            lines.append(("rate", f"{rate_bits_text(clip.bit_rate)}, {size_text(clip.bytes)}"))
            if clip.alpha:
                lines.append(("alpha", clip.alpha))
            for number, track in enumerate(clip.audio):
                depth = f", {track.depth} bit" if track.depth else ""
                told_track = f"{track.codec} {layout_told(track.layout) or track.channels}, {track.sample_rate / 1000:g} kHz{depth}"
                words = " · ".join(filter(None, [told_track, track.language, track.name]))
                lines.append((f"sound {number + 1}" if len(clip.audio) > 1 else "sound", words))
            if not clip.audio:
                lines.append(("sound", "none"))
            if clip.frames and not clip.looked_through:
                lines.append(("damage", "not looked for yet"))
    return SourceSheet(
        source,
        owner.name,
        tuple(lines),
        tuple(p.sentence for p in mine if not p.blocks),
        tuple(f"{p.sentence} {p.remedy}".strip() for p in mine if p.blocks),
        ready is None and bool(mine),
        _can_be_taken(owner, ready, mine),
        damaged,
    )


def _can_be_taken(owner: Source, ready: SourceReady | None, mine: list[Problem]) -> bool:
    """Whether what is there now could be taken instead: a sequence's new cut, or a file that replaced another."""
    if ready is not None and ready.changed and ready.present:
        return True
    return ready is None and any("has been replaced" in told.sentence for told in mine)


def recut_lines(recuts: list[Recut]) -> list[str]:
    """What a new cut does to each output, a line each."""
    found = []
    for item in recuts:
        if item.problem:
            found.append(f"{item.output}: {item.problem}")
        elif not item.changed:
            found.append(f"{item.output}: as before")
        else:
            new = item.pieces[1] - item.same
            found.append(
                f"{item.output}: {new} of {item.pieces[1]} pieces new, {item.frames[0]} frames become {item.frames[1]}"
            )
    return found
