"""What a source shows and sounds like, frame by frame, computed before any decoding.

A clip is a cut list of one span; a sequence has as many as its edits made.
Each span has the layers that are seen in it, each with a weight; the weights
of a frame add up to at most 1, and what is missing is black.
"""

from __future__ import annotations

import re
from fractions import Fraction
from functools import cached_property
from math import ceil, floor
from typing import Literal, NamedTuple

from chronocast.model.frozen import FrozenModel
from chronocast.model.paths import FilePath
from chronocast.model.picture.colour import BT709, Colour
from chronocast.model.picture.terms import Placing
from chronocast.model.picture.weight import ALL, Weight
from chronocast.model.source.origin import Alpha, Origin
from chronocast.model.time.timing import Duration, FrameRange, Rate

Retime = Literal["nearest", "blend", "motion"]
Deinterlace = Literal["", "frame", "field"]


class MediaRef(FrozenModel):
    """A media file: its path, and the fingerprint of what is in it ("" while unknown)."""

    path: FilePath
    fingerprint: str = ""


def media_title(path: str) -> str:
    """A media file's name as people say it; of numbered images with # for their digits.

    >>> media_title("/plates/reef.%04d.png?1-40@25")
    'reef.####.png'
    """
    name = path.partition("?")[0].rsplit("/", 1)[-1]
    return re.sub(r"%0(\d+)d", lambda found: "#" * int(found[1]), name)


class PicturesNeeded(NamedTuple):
    """The first and the last picture of a medium that are needed."""

    first: int
    last: int


class Layer(FrozenModel):
    """One picture source within a span.

    ``start`` is the place in the media at the span's first frame, in pictures
    of the media (0 is the beginning of its first one, whatever its timecode),
    ``step`` how far it moves with each frame of the span: 1 plays, 2 is
    double speed, 0 freezes, below 0 plays backwards, beginning at the *end*
    of the picture before ``start``.

    ``last`` is the last picture that may be shown: beyond the media's ends,
    its first and last pictures are held.  ``clock`` is set for media of
    uneven timing: places then are times, in pictures at that rate.
    ``fill`` is what is shown without media: *black*, *bars* or ``#rrggbb``.
    ``alpha`` is how its pictures are see-through, if they are.  Layers of one
    ``level`` are added by their weights; each level then lies over those
    below it, as far as its weights and its alpha cover them.
    """

    media: MediaRef | None = None
    fill: str = "black"
    start: Fraction = Fraction(0)
    step: Fraction = Fraction(1)
    last: int = 1 << 40
    weight: Weight = ALL
    retime: Retime = "nearest"
    deinterlace: Deinterlace = ""
    clock: Fraction | None = None
    placing: Placing = "fit"
    colour: Colour = BT709
    alpha: Alpha = ""
    level: int = 0

    def later(self, frames: int) -> Layer:
        """The layer as seen from ``frames`` later on."""
        if frames == 0:
            return self
        return self.model_copy(
            update={"start": self.start + frames * self.step, "weight": self.weight.shifted(frames)}
        )

    def resampled(self, start: Fraction, step: Fraction) -> Layer:
        """The layer whose frame ``k`` is this one's frame ``start + step·k``."""
        return self.model_copy(
            update={
                "start": self.start + self.step * start,
                "step": self.step * step,
                "weight": self.weight.affine(start, step),
            }
        )

    def by_field(self) -> Layer:
        """The layer with each field of an interlaced picture as a picture of its own, twice as many."""
        return self.model_copy(
            update={
                "start": self.start * 2,
                "step": self.step * 2,
                "last": min(self.last * 2 + 1, 1 << 41),
                "deinterlace": "field",
            }
        )

    def pictures(self, frame: int) -> tuple[tuple[int, Fraction], ...]:
        """Which pictures of the media are seen at a frame of the span, with shares that add up to 1.

        *nearest* shows the picture that is on at that moment; *blend* mixes
        the two around it, or, when pictures are skipped, all that are passed
        over; *motion* names the two to go between.
        """
        place = self.start + frame * self.step
        if self.retime == "nearest" or (self.step in (1, -1) and place.denominator == 1):
            index = floor(place) if self.step >= 0 else ceil(place) - 1
            return ((self._held(index), Fraction(1)),)
        if self.retime == "motion" or abs(self.step) <= 1:
            low = place if self.step >= 0 else place - 1
            index, part = floor(low), low - floor(low)
            shares = {self._held(index): 1 - part}
            upper = self._held(index + 1)
            shares[upper] = shares.get(upper, Fraction(0)) + part
        else:
            low, high = sorted((place, place + self.step))
            shares = {}
            for index in range(floor(low), ceil(high)):
                covered = min(high, Fraction(index + 1)) - max(low, Fraction(index))
                held = self._held(index)
                shares[held] = shares.get(held, Fraction(0)) + covered / (high - low)
        return tuple((index, share) for index, share in sorted(shares.items()) if share > 0)

    def _held(self, index: int) -> int:
        return min(max(index, 0), self.last)

    def needs(self, frames: int) -> PicturesNeeded | None:
        """First and last picture of the media needed for ``frames`` of the span, lead-in and lead-out included.

        Motion looks one picture further at both sides; deinterlacing one frame.
        """
        if self.media is None or frames <= 0:
            return None
        if self.step == 1 and self.start.denominator == 1:  # each picture once, as nearly everywhere
            ends = [self._held(self.start.numerator), self._held(self.start.numerator + frames - 1)]
        else:
            ends = [index for frame in (0, frames - 1) for index, _ in self.pictures(frame)]
        around = (1 if self.retime == "motion" else 0) + {"": 0, "frame": 1, "field": 2}[self.deinterlace]
        return PicturesNeeded(self._held(min(ends) - around), self._held(max(ends) + around))


class PictureSpan(FrozenModel):
    """Consecutive frames that show the same layers, bottom first; black where there are none."""

    start: int
    frames: int
    layers: tuple[Layer, ...] = ()
    name: str = ""

    @property
    def range(self) -> FrameRange:
        """The frames it is shown in."""
        return FrameRange(self.start, self.start + self.frames)

    def part(self, part: FrameRange) -> PictureSpan | None:
        """What lies in a stretch, moved so that its first frame becomes 0; None where nothing does."""
        start, stop = max(self.start, part.start), min(self.start + self.frames, part.stop)
        if start >= stop:
            return None
        if not part.start and stop - start == self.frames:
            return self
        offset = start - self.start
        layers = tuple([layer.later(offset) for layer in self.layers]) if offset else self.layers
        return self.model_copy(update={"start": start - part.start, "frames": stop - start, "layers": layers})


class Fade(FrozenModel):
    """Where a stretch of sound is in its fades: ``since`` its beginning, of ``whole``; all in seconds."""

    since: Fraction = Fraction(0)
    whole: Fraction
    rise: Fraction = Fraction(0)
    fall: Fraction = Fraction(0)


class SoundSpan(FrozenModel):
    """Sound of one source; overlapping spans are mixed, between spans there is silence.

    All in seconds, exact.  ``tracks`` are the file's sound tracks used, from
    0; several are its channels, one after another.  ``speed`` below 0 plays
    backwards from ``media_start``.
    """

    start: Fraction
    seconds: Fraction
    media: MediaRef
    media_start: Fraction = Fraction(0)
    speed: Fraction = Fraction(1)
    tracks: tuple[int, ...] = (0,)
    gain: Fraction = Fraction(1)
    fade: Fade | None = None

    def part(self, first: Fraction, last: Fraction) -> SoundSpan | None:
        """What lies in [first, last), moved so that ``first`` becomes 0."""
        stop = self.start + self.seconds
        if first == 0 <= self.start < stop <= last:
            return self
        begin, end = max(first, self.start), min(last, stop)
        if begin >= end:
            return None
        inside = begin - self.start
        return self.model_copy(
            update={
                "start": begin - first,
                "seconds": end - begin,
                "media_start": self.media_start + inside * self.speed,
                "fade": self.fade.model_copy(update={"since": self.fade.since + inside})
                if self.fade
                else None,
            }
        )


class Marked(FrozenModel):
    """A stretch of a source that the source itself marks: a chapter, a long marker, its in and out."""

    name: str
    start: int
    stop: int


class MediaPicture(NamedTuple):
    """One picture of one medium, by its number from 0."""

    media: MediaRef
    number: int


class CutList(FrozenModel):
    """One source laid out: picture spans without gaps or overlaps, and sound spans.

    ``sound`` is everything together, ``sound_tracks`` the same track by track, ``languages`` theirs (ISO 639-2).
    ``width`` and ``height`` are in square pixels; ``colour`` is what its
    pictures are composed in, ``tags`` what its outputs are tagged with;
    ``origin`` is what “as the source” means of it.
    """

    rate: Rate
    width: int
    height: int
    frames: int
    picture: tuple[PictureSpan, ...]
    sound: tuple[SoundSpan, ...] = ()
    sound_tracks: tuple[tuple[SoundSpan, ...], ...] = ()
    start_timecode: int = 0
    drop_frame: bool = False
    marked: tuple[Marked, ...] = ()
    languages: tuple[str, ...] = ()
    colour: Colour = BT709
    tags: Colour = (2, 2, 2, 1)
    origin: Origin = Origin()

    @cached_property
    def media(self) -> tuple[MediaRef, ...]:
        """Every media file shown or heard, once each, in order."""
        found = [layer.media for span in self.picture for layer in span.layers if layer.media]
        return tuple(dict.fromkeys(found + [span.media for span in self.sound]))

    def picture_in(self, part: FrameRange) -> tuple[PictureSpan, ...]:
        """The spans of ``part``, moved so that its first frame is 0."""
        return tuple([within for span in self.picture if (within := span.part(part))])

    def sound_in(self, part: FrameRange) -> tuple[SoundSpan, ...]:
        """The sound of ``part``, moved so that its first frame is second 0."""
        return self._heard(self.sound, part)

    def sound_tracks_in(self, part: FrameRange) -> tuple[tuple[SoundSpan, ...], ...]:
        """The same, track by track."""
        return tuple(self._heard(track, part) for track in self.sound_tracks)

    def _heard(self, spans: tuple[SoundSpan, ...], part: FrameRange) -> tuple[SoundSpan, ...]:
        begin, end = Fraction(part.start) / self.rate, Fraction(part.stop) / self.rate
        return tuple(found for span in spans if (found := span.part(begin, end)))

    @property
    def duration(self) -> Duration:
        """Its length."""
        return Duration(self.frames, self.rate)

    def span_at(self, frame: int) -> PictureSpan | None:
        """The span that has a frame."""
        return next((span for span in self.picture if frame in span.range), None)

    def media_frame(self, frame: int) -> MediaPicture | None:
        """Which picture of which media is seen most at ``frame``; None for black and generated pictures."""
        span = self.span_at(frame)
        if span is None:
            return None
        at = frame - span.start
        shown = [layer for layer in span.layers if layer.media and layer.weight.at(at) > 0]
        if not shown:
            return None
        best = max(reversed(shown), key=lambda layer: layer.weight.at(at))
        assert best.media
        return MediaPicture(best.media, max(best.pictures(at), key=lambda seen: seen[1])[0])

    def retimed(self, retime: Retime) -> CutList:
        """The same source, with pictures that fall between two of their media made in another way."""
        if retime == "nearest":
            return self

        def with_retime(layer: Layer) -> Layer:
            between = layer.media is not None and (
                abs(layer.step) not in (0, 1) or layer.start.denominator != 1
            )
            return layer.model_copy(update={"retime": retime}) if between else layer

        spans = tuple(
            span.model_copy(update={"layers": tuple(with_retime(layer) for layer in span.layers)})
            for span in self.picture
        )
        return self.model_copy(update={"picture": spans})

    def at_rate(self, rate: Rate, retime: Retime) -> CutList:
        """The same source at another rate of frames; its length in frames is rounded to the nearest."""
        if rate == self.rate:
            return self
        step = self.rate / rate
        frames = max(1, round(self.frames / step))
        spans = []
        for span in self.picture:
            first, stop = ceil(span.start / step), min(frames, ceil((span.start + span.frames) / step))
            if span is self.picture[-1]:
                stop = frames
            if stop <= first:
                continue
            inside = first * step - span.start
            layers = tuple(_at_rate(layer, inside, step, retime) for layer in span.layers)
            spans.append(PictureSpan(start=first, frames=stop - first, layers=layers, name=span.name))
        return self.model_copy(
            update={
                "rate": rate,
                "frames": frames,
                "picture": tuple(spans),
                "start_timecode": round(self.start_timecode / step),
                "marked": (),
            }
        )


def _at_rate(layer: Layer, inside: Fraction, step: Fraction, retime: Retime) -> Layer:
    if layer.media is None:
        return layer.resampled(inside, step)
    if layer.deinterlace == "frame" and abs(layer.step * step) <= Fraction(3, 4):
        layer = layer.by_field()
    return layer.resampled(inside, step).model_copy(update={"retime": retime})


def plain_span(
    start: int, frames: int, media: MediaRef | None, media_start: int = 0, name: str = ""
) -> PictureSpan:
    """Consecutive pictures of one file, or black.

    Parameters
    ----------
    start
        Where it begins, in frames.
    frames
        How long it is.
    media
        The file.
    media_start
        Where it begins in the file, in frames.
    name
        What it is called.
    """
    layers = (Layer(media=media, start=Fraction(media_start)),) if media else ()
    return PictureSpan(start=start, frames=frames, layers=layers, name=name)
