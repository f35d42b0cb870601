"""From a timeline and the facts of its media to a cut list of whole frames."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from math import ceil

from chronocast.model.source.cutlist import (
    CutList,
    Fade,
    Layer,
    Marked,
    MediaRef,
    PictureSpan,
    SoundSpan,
    media_title,
)
from chronocast.model.source.facts import ClipFacts
from chronocast.model.source.origin import Origin, samples_of
from chronocast.model.source.wording import upright_size
from chronocast.model.time.timing import Duration, Rate, format_timecode, frame_at
from chronocast.timeline.clip_layout import (
    clip_layer,
    clip_origin,
    common_colour,
    field_order_of,
    sound_origin,
    sound_tracks,
    timecode_of,
)
from chronocast.timeline.described import Note, Placed, Timeline, Track
from chronocast.timeline.errors import TimelineError
from chronocast.timeline.flatten import flatten


def sequence_origin(
    shown: Iterable[ClipFacts], heard: Sequence[Iterable[ClipFacts]], size: tuple[int, int], rate: Rate
) -> Origin:
    """What “as the source” means of a sequence: the best of what it is made of.

    ``shown`` are the clips that are seen, ``heard`` those of each sound track; ``size`` is the sequence's frame.

    Parameters
    ----------
    shown
        The clips that are seen.
    heard
        The clips of each sound track.
    size
        Width and height of the sequence's frame.
    rate
        Frames a second.
    """
    clips = list(shown)
    kinds = [samples_of(clip.pixel_format) for clip in clips]
    fineness = ("gray", "4:2:0", "4:2:2", "4:4:4", "RGB")
    chroma = max((kind[1] for kind in kinds), key=fineness.index, default="4:2:0")
    if chroma == "RGB":
        chroma = "RGB" if all(kind[1] == "RGB" for kind in kinds) else "4:4:4"
    orders = {field_order_of(clip) for clip in clips}
    fields = len(orders) == 1 and all(
        clip.rate == rate and (clip.width, clip.height) == size and clip.pixel_aspect == 1 for clip in clips
    )
    tracks = []
    for track in heard:
        sounds = [sound_origin(clip.audio[0]) for clip in track if clip.audio]
        if sounds:
            best = max(sounds, key=lambda sound: sound.channels)
            rates = {"sample_rate": max(s.sample_rate for s in sounds), "depth": max(s.depth for s in sounds)}
            tracks.append(best.model_copy(update={**rates, "language": "", "name": ""}))
    return Origin(
        depth=max((kind[0] for kind in kinds), default=8),
        chroma=chroma,
        scan=orders.pop() if fields and orders else "progressive",
        timecode=True,
        sound=tuple(tracks),
        guessed_colour=any(clip_origin(clip).guessed_colour for clip in clips),
        mastering=_common(clip.mastering for clip in clips),
        light=_common(clip.light for clip in clips),
    )


def _common(values: Iterable[str]) -> str:
    found = set(values)
    return found.pop() if len(found) == 1 else ""


def _marked(timeline: Timeline, frames: int) -> tuple[Marked, ...]:
    """What a sequence marks of itself: its in and out, and markers that last."""
    said = [("Marked", *timeline.marked)] if timeline.marked else []
    said += [(mark.name or "Marker", mark.at, mark.at + mark.seconds) for mark in timeline.markers]
    found = []
    for name, first, last in said:
        start, stop = max(0, frame_at(first, timeline.rate)), min(frames, frame_at(last, timeline.rate))
        if stop - start > 1 and stop - start < frames:
            found.append(Marked(name=name[:80], start=start, stop=stop))
    return tuple(found)


def sequence_cut_list(timeline: Timeline, facts: Mapping[str, ClipFacts]) -> tuple[CutList, tuple[Note, ...]]:
    """A sequence as a cut list, and what is done otherwise than its file says.

    ``facts`` has every media file it needs, by the path the timeline names.

    Raises
    ------
    TimelineError
        A clip that is too short, or without what is needed of it.
    """
    laying = _Laying(timeline, facts)
    stretches = flatten(timeline.tracks, timeline.rate, laying.layer)
    if not any(stretch.layers for stretch in stretches):
        raise TimelineError(
            f"The sequence {timeline.name} shows nothing.", "Export it with its picture track."
        )
    spans = tuple(
        PictureSpan(start=part.first, frames=part.stop - part.first, layers=part.layers, name=part.name)
        for part in stretches
    )
    frames = stretches[-1].stop
    shown: Counter[str] = Counter()
    for span in spans:
        for layer in span.layers:
            if layer.media:
                shown[layer.media.path] += span.frames
    by_path = {clip.path: clip for clip in facts.values()}
    width, height = timeline.size or _largest([by_path[path] for path in shown])
    colour, tags = common_colour(by_path, shown, timeline.name)
    end = Duration(frames, timeline.rate).seconds
    heard = laying.sound_by_track(timeline.tracks, Fraction(0), end)
    sound = [span for track in heard for span in track]
    cut = CutList(
        rate=timeline.rate,
        width=width,
        height=height,
        frames=frames,
        picture=spans,
        sound=tuple(sorted(sound, key=lambda span: span.start)),
        sound_tracks=tuple(tuple(track) for track in heard),
        start_timecode=timeline.start_timecode,
        drop_frame=timeline.drop_frame,
        marked=_marked(timeline, frames),
        colour=colour,
        tags=tags,
        origin=sequence_origin(
            [by_path[path] for path in shown],
            [[by_path[path] for path in dict.fromkeys(span.media.path for span in track)] for track in heard],
            (width, height),
            timeline.rate,
        ),
    )
    return cut, (*timeline.notes, *laying.notes)


@dataclass
class _Laying:
    """A sequence being laid out."""

    timeline: Timeline
    facts: Mapping[str, ClipFacts]
    notes: list[Note] = field(default_factory=list)
    looked_up: dict[str, tuple[ClipFacts, Layer, Fraction | None]] = field(default_factory=dict)

    def where(self, placed: Placed, frame: int) -> str:
        """An item and its place in words."""
        name = media_title(placed.media) if placed.media else placed.name or placed.reel
        at = format_timecode(
            self.timeline.start_timecode + frame, self.timeline.rate, self.timeline.drop_frame
        )
        return f"{name} at {at}"

    def layer(self, placed: Placed, first: int, before: int, after: int) -> Layer:
        """The layer of an item at its first frame.

        Parameters
        ----------
        placed
            The item.
        first
            The sequence's frame that it is first seen at.
        before
            Frames of it that a dissolve takes before that.
        after
            Frames of it that a dissolve takes after its end.

        Raises
        ------
        TimelineError
            Its media has no picture, or not as much as is used of it.
        """
        if placed.kind == "fill":
            return Layer(fill=placed.fill)
        clip, whole, stamp = self._known(placed.media)
        rate = self.timeline.rate
        if not clip.frames:
            raise TimelineError(
                f"{self.where(placed, first)} is used as picture, but has none.",
                "Relink it to a file with a picture.",
            )
        frames = frame_at(placed.start + placed.seconds, rate) - first
        if clip.rate == rate and placed.speed == 1 and not whole.deinterlace and stamp is None:
            begin = frame_at(
                placed.source_start - placed.media_zero if placed.media_zero else placed.source_start, rate
            )
            if (
                begin - before >= 0 and begin + frames + after <= clip.frames
            ):  # by far the most: nothing to say of it
                return whole.model_copy(update={"start": Fraction(begin)})
        start = self._begin(placed, clip, stamp, frames, first)
        if clip.rate == rate and placed.speed == 1 and not whole.deinterlace:
            layer = whole.model_copy(update={"start": Fraction(round(start))})
        else:
            layer = self._retimed(whole, placed, clip, start, frames)
        self._long_enough(layer, frames, before, after=after, placed=placed, first=first)
        return layer

    def _known(self, media: str) -> tuple[ClipFacts, Layer, Fraction | None]:
        """A media file's facts, all of it as a layer, and its timecode in seconds."""
        if media not in self.looked_up:
            clip = self.facts[media]
            code = timecode_of(clip)
            stamp = Fraction(code) / clip.rate if code is not None else None
            self.looked_up[media] = (clip, clip_layer(clip), stamp)
        return self.looked_up[media]

    def _retimed(self, layer: Layer, placed: Placed, clip: ClipFacts, start: Fraction, frames: int) -> Layer:
        step = placed.speed * clip.rate / self.timeline.rate
        if clip.rate == self.timeline.rate and placed.speed == 1:
            start = Fraction(round(start))
        if placed.speed < 0:
            start += abs(step) * frames
        if layer.deinterlace and abs(step) <= Fraction(3, 4):
            layer, start, step = layer.by_field(), start * 2, step * 2
        return layer.model_copy(update={"start": start, "step": step})

    def _begin(
        self, placed: Placed, clip: ClipFacts, stamp: Fraction | None, frames: int, first: int
    ) -> Fraction:
        """Where an item begins in its media, in pictures of it."""
        zero, half = placed.media_zero, Fraction(1, 2)

        def fits(begin: Fraction) -> bool:
            length = abs(placed.speed) * frames / self.timeline.rate
            return begin * clip.rate >= -half and (begin + length) * clip.rate <= clip.frames + half

        if zero is None:
            zero = stamp if self.timeline.by_timecode and stamp is not None else Fraction(0)
            if (
                stamp is not None
                and not fits(placed.source_start - zero)
                and fits(placed.source_start - stamp)
            ):
                zero = stamp
        elif stamp is not None and zero not in (0, stamp) and fits(placed.source_start - stamp):
            self.notes.append(
                Note(
                    where=self.where(placed, first),
                    sentence=f"says that its media begins at {_clock(zero, clip)}, but the "
                    f"file begins at {clip.timecode}; the file's timecode is followed.",
                )
            )
            zero = stamp
        begin = (placed.source_start - zero) * clip.rate
        if begin < -half:
            raise TimelineError(
                f"{self.where(placed, first)} starts before its media does.",
                "Relink the clip and export the sequence again.",
            )
        return max(Fraction(0), begin)

    def _long_enough(
        self, layer: Layer, frames: int, before: int, *, after: int, placed: Placed, first: int
    ) -> None:
        if frames <= 0:
            return
        if layer.step == 1 and layer.start.denominator == 1:
            low, high = int(layer.start), int(layer.start) + frames - 1
        else:
            unheld = layer.model_copy(update={"last": 1 << 62})
            ends = [index for at in (0, frames - 1) for index, _ in unheld.pictures(at)]
            low, high = min(ends), max(ends)
        if high > layer.last and not (layer.step != 1 and high <= layer.last + ceil(abs(layer.step))):
            raise TimelineError(
                f"{self.where(placed, first)} is used up to picture {high + 1}, but has {layer.last + 1}.",
                "Relink it to the file it was cut from, or shorten the edit.",
            )
        if low < 0:
            raise TimelineError(
                f"{self.where(placed, first)} is used from before its first picture.",
                "Relink it, or shorten the edit.",
            )
        for at, side in ((-before, "first"), (frames - 1 + after, "last")):
            if at in (0, frames - 1):
                continue
            place = layer.start + at * layer.step
            missing = max(Fraction(0), -place, place - layer.last) / (abs(layer.step) or 1)
            if missing >= 1:
                self.notes.append(
                    Note(
                        where=self.where(placed, first),
                        sentence=f"has {int(missing)} frames too few for its dissolve; "
                        f"its {side} picture is held.",
                    )
                )

    # Sound

    def sound_by_track(
        self, tracks: tuple[Track, ...], offset: Fraction, end: Fraction
    ) -> list[list[SoundSpan]]:
        """The sound of a stack, track by track; that of nests on picture tracks goes with the first.

        Parameters
        ----------
        tracks
            The stack's tracks, lowest first.
        offset
            Where it begins on the sequence, in seconds.
        end
            Where it ends, in seconds.
        """
        found: list[list[SoundSpan]] = []
        pictured: list[SoundSpan] = []
        for track in tracks:
            heard = self.sound((track,), offset, end)
            if track.kind == "sound":
                found.append(heard)
            else:
                pictured += heard
        if pictured:
            found = [[*pictured, *found[0]], *found[1:]] if found else [pictured]
        return [part for part in found if part]

    def sound(self, tracks: tuple[Track, ...], offset: Fraction, end: Fraction) -> list[SoundSpan]:
        """The sound of a stack, its tracks mixed; ``offset`` is where it begins on the sequence.

        Parameters
        ----------
        tracks
            The stack's tracks, lowest first.
        offset
            Where it begins on the sequence, in seconds.
        end
            Where it ends, in seconds.
        """
        found: list[SoundSpan] = []
        for track in tracks:
            crosses = {cross.at: cross for cross in track.crosses}
            for placed in track.placed:
                lead, tail = crosses.get(placed.start), crosses.get(placed.start + placed.seconds)
                if placed.kind == "nest":
                    found += self._nested_sound(placed, offset, end)
                elif placed.kind == "media" and track.kind == "sound":
                    span = self._heard(
                        placed,
                        offset,
                        lead.before if lead else Fraction(0),
                        after=tail.after if tail else Fraction(0),
                        lead=lead.after if lead else Fraction(0),
                        tail=tail.before if tail else Fraction(0),
                    )
                    cut = span.part(Fraction(0), end) if span else None
                    if cut:
                        found.append(cut)
        return found

    def _nested_sound(self, placed: Placed, offset: Fraction, end: Fraction) -> list[SoundSpan]:
        if placed.speed != 1:
            if any(track.kind == "sound" for track in placed.inner):
                self.notes.append(
                    Note(
                        where=placed.name or "A nested sequence",
                        sentence="is played at another speed; its sound is left out.",
                    )
                )
            return []
        first, stop = placed.source_start, placed.source_start + placed.seconds
        inner = self.sound(placed.inner, Fraction(0), stop)
        moved = [part for span in inner if (part := span.part(first, stop))]
        return [
            part.model_copy(update={"start": part.start + offset + placed.start})
            for part in moved
            if part.start + offset + placed.start < end
        ]

    def _heard(
        self,
        placed: Placed,
        offset: Fraction,
        before: Fraction,
        *,
        after: Fraction,
        lead: Fraction,
        tail: Fraction,
    ) -> SoundSpan | None:
        """An item's sound, its crossfades included."""
        clip = self.facts[placed.media]
        where = self.where(placed, round((offset + placed.start) * self.timeline.rate))
        if not clip.audio:
            self.notes.append(Note(where=where, sentence="is used as sound, but has none; there is silence."))
            return None
        if placed.speed == 0:
            return None
        frames = round(placed.seconds * self.timeline.rate)
        at = round((offset + placed.start) * self.timeline.rate)
        begin = (
            self._begin(placed, clip, self._known(placed.media)[2], frames, at) / clip.rate
            if clip.frames
            else placed.source_start - (placed.media_zero or 0)
        )
        if placed.speed < 0:
            begin += placed.seconds * -placed.speed
        start, seconds = placed.start - before, placed.seconds + before + after
        fade = Fade(whole=seconds, rise=before + lead, fall=after + tail)
        return SoundSpan(
            start=start + offset,
            seconds=seconds,
            media=MediaRef(path=clip.path, fingerprint=clip.fingerprint),
            media_start=begin - before * placed.speed,
            speed=placed.speed,
            tracks=sound_tracks(clip),
            gain=placed.opacity,
            fade=fade if fade.rise or fade.fall else None,
        )


def _clock(seconds: Fraction, clip: ClipFacts) -> str:
    return format_timecode(
        round(seconds * clip.rate), clip.rate, bool(clip.timecode and ";" in clip.timecode)
    )


def _largest(shown: list[ClipFacts]) -> tuple[int, int]:
    if not shown:
        return 1920, 1080
    return upright_size(max(shown, key=lambda clip: clip.width * clip.height))
