"""What a source shows and sounds like, frame by frame, before any decoding.

A clip is a cut list of one span; a sequence has as many as its edits made.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from chronocast.model.timing import FrameRange, Rate


@dataclass(frozen=True)
class MediaRef:
    """A media file: its path, and the fingerprint of what is in it ("" while unknown)."""

    path: str
    fingerprint: str = ""


@dataclass(frozen=True)
class PictureSpan:
    """Consecutive pictures of one source frame run, or black where ``media`` is None.

    ``start`` is the first frame on the sequence, ``media_start`` the first
    frame in the media file (0 is its first picture, whatever its timecode).
    """

    start: int
    frames: int
    media: MediaRef | None
    media_start: int = 0
    name: str = ""

    @property
    def range(self) -> FrameRange:
        return FrameRange(self.start, self.start + self.frames)


@dataclass(frozen=True)
class SoundSpan:
    """Consecutive sound of one source; between spans there is silence.  All in seconds."""

    start: Fraction
    seconds: Fraction
    media: MediaRef
    media_start: Fraction = Fraction(0)


@dataclass(frozen=True)
class CutList:
    """One source laid out: picture spans without gaps or overlaps, and sound spans."""

    rate: Rate
    width: int
    height: int
    frames: int
    picture: tuple[PictureSpan, ...]
    sound: tuple[SoundSpan, ...]
    start_timecode: int = 0

    @property
    def media(self) -> tuple[MediaRef, ...]:
        """Every media file shown or heard, once each, in order."""
        found = [span.media for span in self.picture if span.media] + [span.media for span in self.sound]
        return tuple(dict.fromkeys(found))

    def picture_in(self, part: FrameRange) -> tuple[PictureSpan, ...]:
        """The spans of ``part``, moved so that its first frame is 0."""
        cut = []
        for span in self.picture:
            if both := span.range.intersect(part):
                offset = both.start - span.start
                cut.append(
                    PictureSpan(
                        both.start - part.start, len(both), span.media, span.media_start + offset, span.name
                    )
                )
        return tuple(cut)

    def sound_in(self, part: FrameRange) -> tuple[SoundSpan, ...]:
        """The sound of ``part``, moved so that its first frame is second 0."""
        begin, end = Fraction(part.start) / self.rate, Fraction(part.stop) / self.rate
        cut = []
        for span in self.sound:
            first, last = max(begin, span.start), min(end, span.start + span.seconds)
            if first < last:
                cut.append(
                    SoundSpan(first - begin, last - first, span.media, span.media_start + first - span.start)
                )
        return tuple(cut)

    def media_frame(self, frame: int) -> tuple[MediaRef, int] | None:
        """Which frame of which media is shown at ``frame``; None for black."""
        for span in self.picture:
            if frame in span.range:
                return (span.media, span.media_start + frame - span.start) if span.media else None
        return None
