"""From a clip and its facts to a cut list of whole frames."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from fractions import Fraction
from math import ceil

from chronocast.model.errors import TimecodeError
from chronocast.model.picture.colour import BT709, RGB_MATRIX, Colour, assumed, high_range, read_tags
from chronocast.model.picture.geometry import PictureSize
from chronocast.model.picture.terms import Scan
from chronocast.model.recipe.formats.layouts import known_layout
from chronocast.model.source.cutlist import (
    CutList,
    Layer,
    Marked,
    MediaRef,
    PictureSpan,
    SoundSpan,
)
from chronocast.model.source.facts import ClipFacts, SoundFacts
from chronocast.model.source.origin import Origin, SoundOrigin, samples_of
from chronocast.model.source.wording import upright_size
from chronocast.model.time.timing import Duration, Rate, frame_at, parse_timecode
from chronocast.timeline.errors import TimelineError


def clip_colour(facts: ClipFacts) -> Colour:
    """A clip's colour, what it doesn't say filled in as players do."""
    return assumed(read_tags(facts.colour), facts.height, facts.pixel_format)


def clip_layer(facts: ClipFacts) -> Layer:
    """All of a clip, from its first picture, at its own rate."""
    return Layer(
        media=MediaRef(path=facts.path, fingerprint=facts.fingerprint),
        last=facts.frames - 1,
        deinterlace="frame" if facts.interlaced else "",
        clock=facts.rate if facts.variable_timing else None,
        colour=clip_colour(facts),
        alpha=facts.alpha,
    )


def sound_tracks(facts: ClipFacts) -> tuple[int, ...]:
    """Which of a clip's sound tracks are heard: the first, or, where all have one channel, all as one sound."""
    if len(facts.audio) > 1 and all(track.channels == 1 for track in facts.audio):
        return tuple(range(len(facts.audio)))
    return (0,)


def clip_cut_list(facts: ClipFacts) -> CutList:
    """A clip as a cut list: one span of all it shows; of sound alone, black for as long as it lasts.

    Raises
    ------
    TimelineError
        It has neither picture nor sound.
    """
    if not facts.frames:
        return _sound_cut_list(facts)
    media = MediaRef(path=facts.path, fingerprint=facts.fingerprint)
    seconds = Duration(facts.frames, facts.rate).seconds
    sound = (
        (SoundSpan(start=Fraction(0), seconds=seconds, media=media, tracks=sound_tracks(facts)),)
        if facts.audio
        else ()
    )
    single = tuple(
        (SoundSpan(start=Fraction(0), seconds=seconds, media=media, tracks=(number,)),)
        for number in range(len(facts.audio))
    )
    width, height = upright_size(facts)
    colour, tags = common_colour({facts.path: facts}, Counter({facts.path: 1}), facts.path)
    return CutList(
        rate=facts.rate,
        width=width,
        height=height,
        frames=facts.frames,
        picture=(PictureSpan(start=0, frames=facts.frames, layers=(clip_layer(facts),)),),
        sound=sound,
        sound_tracks=single,
        languages=tuple(track.language for track in facts.audio),
        start_timecode=timecode_of(facts) or 0,
        drop_frame=bool(facts.timecode and ";" in facts.timecode),
        marked=_chapters(facts),
        colour=colour,
        tags=tags,
        origin=clip_origin(facts),
    )


SOUND_RATE: Rate = Fraction(25)
"""Sound without a picture has no frames; it is counted at this rate."""
SOUND_SIZE = PictureSize(1280, 720)


def _sound_cut_list(facts: ClipFacts) -> CutList:
    """Sound alone: its last frame is filled up with silence."""
    seconds = max([facts.seconds, *(track.seconds for track in facts.audio)])
    frames = ceil(round(seconds * SOUND_RATE, 3))
    if not facts.audio or frames < 1:
        raise TimelineError(f"{facts.path} has neither picture nor sound.", "Use another file.")
    media = MediaRef(path=facts.path, fingerprint=facts.fingerprint)
    single = tuple(
        (SoundSpan(start=Fraction(0), seconds=Fraction(frames) / SOUND_RATE, media=media, tracks=(number,)),)
        for number in range(len(facts.audio))
    )
    return CutList(
        rate=SOUND_RATE,
        width=SOUND_SIZE.width,
        height=SOUND_SIZE.height,
        frames=frames,
        picture=(PictureSpan(start=0, frames=frames, layers=()),),
        sound=tuple(span.model_copy(update={"tracks": sound_tracks(facts)}) for span in single[0]),
        sound_tracks=single,
        languages=tuple(track.language for track in facts.audio),
        marked=_chapters(facts),
        origin=Origin(clip=True, sound=tuple(sound_origin(track) for track in facts.audio)),
    )


def sound_origin(track: SoundFacts) -> SoundOrigin:
    """One sound track by itself."""
    channels = min(track.channels, 8)
    return SoundOrigin(
        channels=channels,
        layout=known_layout(track.layout, channels),
        sample_rate=track.sample_rate,
        depth=track.depth,
        language=track.language,
        name=track.name,
    )


def clip_origin(facts: ClipFacts) -> Origin:
    """What “as the source” means of a clip."""
    depth, chroma, _ = samples_of(facts.pixel_format)
    width, height, shape = facts.width, facts.height, facts.pixel_aspect
    if facts.turned in (90, 270):
        width, height, shape = height, width, 1 / shape
    tags = read_tags(facts.colour)
    return Origin(
        clip=True,
        depth=depth,
        chroma=chroma,
        alpha=facts.alpha,
        scan=field_order_of(facts),
        width=width,
        height=height,
        pixel_aspect=shape,
        timecode=facts.timecode is not None,
        guessed_colour=2 in tags[:3] and chroma != "RGB" and facts.video_codec != "mjpeg",
        mastering=facts.mastering,
        light=facts.light,
        sound=tuple(sound_origin(track) for track in facts.audio),
    )


def field_order_of(facts: ClipFacts) -> Scan:
    """Whether its pictures are progressive; else which field is shown first."""
    if not facts.interlaced:
        return "progressive"
    return "bottom first" if facts.field_order == "bottom first" else "top first"


def _chapters(facts: ClipFacts) -> tuple[Marked, ...]:
    """A film's chapters in whole frames; one that is all of it marks nothing."""
    found = []
    for number, (name, first, last) in enumerate(facts.chapters):
        start = max(0, frame_at(Fraction(first), facts.rate))
        stop = min(facts.frames, frame_at(Fraction(last), facts.rate))
        if start < stop and stop - start < facts.frames:
            found.append(Marked(name=name or f"Chapter {number + 1}", start=start, stop=stop))
    return tuple(found)


def timecode_of(facts: ClipFacts) -> int | None:
    """The number of a clip's first picture, where it has timecode."""
    if not facts.timecode:
        return None
    try:
        return parse_timecode(facts.timecode, facts.rate)
    except TimecodeError:
        return None


def common_colour(facts: Mapping[str, ClipFacts], shown: Counter[str], name: str) -> tuple[Colour, Colour]:
    """What to compose in and what to tag with: what most of it is in; untagged only where nothing is tagged.

    Parameters
    ----------
    facts
        Of every clip, by path.
    shown
        How many frames of each are shown.
    name
        What it is of.

    Raises
    ------
    TimelineError
        Pictures of high dynamic range together with others.
    """
    seen = [facts[path] for path, _ in shown.most_common()]
    if not seen:
        return BT709, BT709
    colours = {clip.path: clip_colour(clip) for clip in seen}
    highs = {high_range(colour) for colour in colours.values()}
    if len(highs) > 1:
        raise TimelineError(
            f"{name} mixes pictures in {' and '.join(sorted(high or 'standard range' for high in highs))}, "
            "which would need tone mapping.",
            "Convert them to one kind first.",
        )
    votes: Counter[Colour] = Counter()
    for path, frames in shown.items():
        votes[colours[path]] += frames
    best = votes.most_common(1)[0][0]
    if best[2] == RGB_MATRIX:  # stills and animations in RGB are encoded as BT.709
        return BT709, BT709
    raw = {read_tags(clip.colour)[:3] for clip in seen}
    said = raw.pop() if len(raw) == 1 else best[:3]
    return best, (said[0], said[1], said[2], best[3])
