"""From a timeline, or a clip, and the facts of its media to a cut list of whole frames."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction

from chronocast.model.cutlist import CutList, MediaRef, PictureSpan, SoundSpan
from chronocast.model.facts import ClipFacts
from chronocast.model.timing import format_timecode, rate_text
from chronocast.timeline.described import Placed, Timeline
from chronocast.timeline.errors import TimelineError


def clip_cut_list(facts: ClipFacts) -> CutList:
    """A clip as a cut list: one span of all it shows.

    Raises:
        TimelineError: it has no picture.
    """
    if not facts.frames:
        raise TimelineError(f"{facts.path} has no picture.", "Use a clip with a picture.")
    media = MediaRef(facts.path, facts.fingerprint)
    sound = (SoundSpan(Fraction(0), Fraction(facts.frames) / facts.rate, media),) if facts.audio else ()
    width = max(2, round(facts.width * facts.pixel_aspect / 2) * 2)
    return CutList(
        facts.rate, width, facts.height, facts.frames,
        (PictureSpan(0, facts.frames, media, 0, ""),), sound,
    )  # fmt: skip


def sequence_cut_list(timeline: Timeline, facts: Mapping[str, ClipFacts]) -> CutList:
    """A sequence as a cut list.  ``facts`` has every media file it needs, by path.

    Raises:
        TimelineError: a clip that is too short, of another rate, or without what is needed of it.
    """
    rate = timeline.rate
    spans: list[PictureSpan] = []
    for placed in timeline.picture:
        first, last = round(placed.start * rate), round((placed.start + placed.seconds) * rate)
        if last <= first:
            continue
        if placed.media is None:
            spans.append(PictureSpan(first, last - first, None, 0, placed.name))
            continue
        clip = facts[str(placed.media)]
        where = f"{placed.media.name} at {format_timecode(timeline.start_timecode + first, rate)}"
        if not clip.frames:
            raise TimelineError(f"{where} is used as picture, but has none.")
        if clip.rate != rate:
            raise TimelineError(
                f"{where} has {rate_text(clip.rate)} frames per second, the sequence {rate_text(rate)}.",
                "Convert it to the sequence's rate first.",
            )
        begin = round(placed.media_start * rate)
        if begin + last - first > clip.frames:
            raise TimelineError(
                f"{where} is used up to frame {begin + last - first}, but has {clip.frames}.",
                "Relink it to the file it was cut from, or shorten the edit.",
            )
        media = MediaRef(clip.path, clip.fingerprint)
        spans.append(PictureSpan(first, last - first, media, begin, placed.name))
    if not spans:
        raise TimelineError(f"The sequence {timeline.name} shows nothing.")
    frames = spans[-1].start + spans[-1].frames
    width, height = timeline.size or _largest(spans, facts)
    sound = _sound(timeline.sound, facts, Fraction(frames) / rate)
    return CutList(rate, width, height, frames, tuple(spans), sound, timeline.start_timecode)


def _sound(track: tuple[Placed, ...], facts: Mapping[str, ClipFacts], end: Fraction) -> tuple[SoundSpan, ...]:
    found = []
    for placed in track:
        if placed.media is None or placed.start >= end:
            continue
        clip = facts[str(placed.media)]
        if not clip.audio:
            raise TimelineError(
                f"{placed.media.name} is used as sound at {float(placed.start):.2f} s, but has none."
            )
        length = min(placed.seconds, end - placed.start)
        found.append(
            SoundSpan(placed.start, length, MediaRef(clip.path, clip.fingerprint), placed.media_start)
        )
    return tuple(found)


def _largest(spans: list[PictureSpan], facts: Mapping[str, ClipFacts]) -> tuple[int, int]:
    shown = [facts[span.media.path] for span in spans if span.media]
    if not shown:
        return 1920, 1080
    best = max(shown, key=lambda clip: clip.width * clip.height)
    return max(2, round(best.width * best.pixel_aspect / 2) * 2), best.height // 2 * 2
