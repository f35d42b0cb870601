"""Damaged stretches of media: where they are, in words, and which outputs show them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from math import floor

from chronocast.media.source.damage import within
from chronocast.model.errors import TimecodeError
from chronocast.model.paths import shown
from chronocast.model.source.cutlist import CutList, media_title
from chronocast.model.source.facts import ClipFacts, Damage
from chronocast.model.time.timing import FrameRange, format_timecode, parse_timecode


@dataclass(frozen=True)
class Shown:
    """A damaged stretch of a file that an output shows."""

    path: str
    fingerprint: str
    damage: Damage
    where: str

    @property
    def sentence(self) -> str:
        """What is damaged, and where: ``reef.ts is damaged at 00:00:03:12 (7 pictures)``."""
        count = self.damage.pictures
        return f"{shown(media_title(self.path))} is damaged at {self.where} ({count} picture{'s' if count != 1 else ''})"


def picture_time(facts: ClipFacts, number: int) -> str:
    """The timecode of a picture of a file; from 0 where the file has none."""
    zero = 0
    if facts.timecode:
        try:
            zero = parse_timecode(facts.timecode, facts.rate)
        except TimecodeError:
            zero = 0
    return format_timecode(zero + number, facts.rate, bool(facts.timecode and ";" in facts.timecode))


def stretch_told(facts: ClipFacts, item: Damage) -> str:
    """A stretch by its timecode, first and last."""
    first = picture_time(facts, item.first)
    return first if item.first == item.last else f"{first} to {picture_time(facts, item.last)}"


def damage_lines(facts: ClipFacts) -> list[str]:
    """A sentence for each damaged stretch of a file, with what the decoder said."""
    return [
        f"It is damaged at {stretch_told(facts, item)}: {item.pictures} picture{'s' if item.pictures != 1 else ''} "
        f"({item.sentence})."
        for item in facts.damage
    ]


def damage_shown(cut: CutList, part: FrameRange, facts: Mapping[str, ClipFacts]) -> list[Shown]:
    """Damaged stretches of media that are shown in a part of a source, in order, each once.

    Parameters
    ----------
    cut
        The source's cut.
    part
        The range, in frames of the source.
    facts
        What is known of its media, by path.
    """
    return list(dict.fromkeys(_shown(cut, part, facts)))


def _shown(cut: CutList, part: FrameRange, facts: Mapping[str, ClipFacts]) -> Iterator[Shown]:
    for span in cut.picture_in(part):
        for layer in span.layers:
            clip = facts.get(layer.media.path) if layer.media else None
            if clip is None or not clip.damage or (needed := layer.needs(span.frames)) is None:
                continue
            each = 2 if layer.deinterlace == "field" else 1
            for item in within(clip.damage, floor(needed[0] / each), floor(needed[1] / each)):
                yield Shown(clip.path, clip.fingerprint, item, stretch_told(clip, item))
