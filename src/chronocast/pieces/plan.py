"""From a cut list, a range and a recipe to everything that has to be made."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from math import ceil
from typing import NamedTuple

from chronocast.media.piece.here import library_version
from chronocast.media.piece.settings import FULLNESS, encoder_settings, sampling_of
from chronocast.media.piece.sound import sound_encoder
from chronocast.model.errors import ModelError
from chronocast.model.messages.jobs import EncoderSettings, PieceJob, SoundJob
from chronocast.model.picture.colour import RGB_MATRIX, Colour, high_range, tags_for
from chronocast.model.picture.geometry import PictureSize, View
from chronocast.model.recipe.as_source import definite, stored_shape
from chronocast.model.recipe.codec import SoundCodec
from chronocast.model.recipe.codecs import SOUND
from chronocast.model.recipe.containers import CONTAINERS
from chronocast.model.recipe.languages import own_code
from chronocast.model.recipe.layouts import USUAL, channels_of, known_layout
from chronocast.model.recipe.recipe import PictureRecipe, Recipe, SoundRecipe, frame_size
from chronocast.model.source.cutlist import CutList
from chronocast.model.source.facts import ClipFacts
from chronocast.model.source.origin import SoundOrigin
from chronocast.model.time.timing import Duration, FrameRange, Rate, parse_rate
from chronocast.pieces.copying import why_encoded
from chronocast.pieces.cut import cut
from chronocast.pieces.name import piece_name, sound_name
from chronocast.pieces.rounds import TYPICAL_BITS, Rounds, first_quality


@dataclass(frozen=True)
class OutputPlan:
    """The pieces of one output in order, and its sound.  Targets are still empty.

    Sound only has no ``settings`` and no pieces.  ``shown`` names what each piece shows, whatever quality
    was found for it; ``quality`` is the common one of an output in two passes.
    """

    frames: int
    rate: Rate
    width: int
    height: int
    settings: EncoderSettings | None
    pieces: tuple[PieceJob, ...]
    sound: SoundJob | None
    shown: tuple[str, ...] = ()
    quality: float | None = None

    @property
    def duration(self) -> Duration:
        """Its length."""
        return Duration(self.frames, self.rate)

    @property
    def seconds(self) -> float:
        """Length in seconds."""
        return float(self.duration)


def output_rate(source: CutList, picture: PictureRecipe | None) -> Rate:
    """The rate of an output's frames: the recipe's, or the source's; of stills one each interval."""
    if picture is None:
        return source.rate
    if picture.kind.kind == "images" and picture.stills.mode == "interval":
        return min(source.rate, 1 / Fraction(picture.stills.seconds).limit_denominator(1000))
    return parse_rate(picture.rate) if picture.rate else source.rate


def in_output(part: FrameRange, source: CutList, rate: Rate) -> FrameRange:
    """A range of the source in frames of the output's rate.

    Parameters
    ----------
    part
        The range, in frames of the source.
    source
        The source's cut.
    rate
        Frames a second of the output.
    """
    if rate == source.rate:
        return part
    first = round(part.start * rate / source.rate)
    return FrameRange(first, max(first + 1, round(part.stop * rate / source.rate)))


def taken(part: FrameRange, picture: PictureRecipe) -> FrameRange:
    """The frames of a range that stills are made of."""
    if picture.kind.kind == "images" and picture.stills.mode in ("first", "middle"):
        at = part.start if picture.stills.mode == "first" else part.start + len(part) // 2
        return FrameRange(at, at + 1)
    return part


def picture_size(source: CutList, picture: PictureRecipe, view: View, container: str = "mp4") -> PictureSize:
    """The frame size of an output, its codec's own wishes included.

    Parameters
    ----------
    source
        The source's cut.
    picture
        What is asked of the picture.
    view
        How the picture is framed.
    container
        Our own word for it.
    """
    if stored_shape(picture, container, source.origin, view) != 1:
        return PictureSize(source.origin.width, source.origin.height)
    shown_width, shown_height = view.shown(source.width, source.height)
    return frame_size(picture.size, round(shown_width), round(shown_height), multiple=picture.kind.multiple)


class PictureColours(NamedTuple):
    """What pictures are composed in, and what their stream is tagged with."""

    composed: Colour
    tagged: Colour


def picture_colours(
    source: CutList, picture: PictureRecipe, height: int, rgb: bool = False
) -> PictureColours:
    """What pictures are composed in, and what the stream is tagged with: as near to the source as its codec can say.

    ``rgb`` says that they are composed and written in RGB.

    Parameters
    ----------
    source
        The source's cut.
    picture
        What is asked of the picture.
    height
        Of the frame, in pixels.
    rgb
        Whether pictures are composed and written in RGB.
    """
    carried = picture.kind.tags
    if rgb:
        return PictureColours((1, 13, RGB_MATRIX, 2), (1, 13, RGB_MATRIX, 2))
    if carried == "all":
        return PictureColours(source.colour, tags_for(source.tags, source.colour, height))
    composed: Colour = (*source.colour[:3], 1)
    if carried == "said":  # with the code for its curve that every such codec knows
        curve = composed[1] if composed[1] in (16, 18) else 1
        matrix = composed[2] if composed[2] in (1, 9) else 6
        return PictureColours(composed, (composed[0], curve, matrix, 1))
    tags = tags_for(source.tags, source.colour, height)
    return PictureColours(composed, (*tags[:3], 1))


def own_fields(source: CutList, picture: PictureRecipe, rate: Rate, size: tuple[int, int]) -> CutList | None:
    """The source with its interlaced pictures as they are, where an output keeps them so; else None.

    They can be kept where nothing is done to them: no other size, rate, speed
    or crop, one layer at a time, and the field order asked for.

    Parameters
    ----------
    source
        The source's cut.
    picture
        What is asked of the picture.
    rate
        Frames a second of the output.
    size
        Width and height of the output.
    """
    origin = source.origin
    if picture.scan == "progressive" or picture.scan != origin.scan or rate != source.rate:
        return None
    if not origin.clip or size != (origin.width, origin.height):
        return None
    spans = []
    for span in source.picture:
        for layer in span.layers:
            plain = layer.step == 1 and layer.start.denominator == 1 and layer.clock is None
            if len(span.layers) != 1 or not plain or layer.deinterlace != "frame" or not layer.weight.is_all:
                return None
        kept = tuple(layer.model_copy(update={"deinterlace": ""}) for layer in span.layers)
        spans.append(span.model_copy(update={"layers": kept}))
    return source.model_copy(update={"picture": tuple(spans)})


def plan_output(
    source: CutList,
    part: FrameRange,
    recipe: Recipe,
    *,
    view: View | None = None,
    rounds: Rounds | None = None,
    accept_damage: bool = False,
    facts: Mapping[str, ClipFacts] | None = None,
) -> OutputPlan:
    """Plan one output.  ``view`` is how it is framed; without one as the recipe says.

    ``rounds`` is what was decided so far for an output in two passes, or to keep its peak; with
    ``accept_damage`` a person has accepted that its source is damaged.

    Parameters
    ----------
    source
        The source's cut.
    part
        The range, in frames of the source.
    recipe
        What it is made by.
    view
        How it is framed; as the recipe says if not said.
    rounds
        What was decided so far.
    accept_damage
        Whether a person has accepted that its source is damaged.
    facts
        What is known of its media, by path: where they already are what is asked for, packets are copied.

    Raises
    ------
    EncodeFailed
        No encoder for it is here.
    """
    recipe = definite(recipe, source.origin)
    if recipe.picture is None:
        sound = plan_sound(source, part, recipe, accept_damage) if recipe.sound and source.sound else None
        return OutputPlan(len(part), source.rate, source.width, source.height, None, (), sound)
    picture = recipe.picture
    part = taken(part, picture)
    rate = output_rate(source, picture)
    if picture.kind.kind == "images" and picture.stills.mode == "interval" and part.start:
        # the first still is the first picture of the range, wherever it begins
        source = source.model_copy(update={"picture": source.picture_in(part), "frames": len(part)})
        part = FrameRange(0, len(part))
    if picture.kind.kind == "images" and picture.stills.mode == "interval":
        count = ceil(len(part) * rate / source.rate)  # one for an interval that has only begun, too
        part = FrameRange(0, ceil(count * source.rate / rate))
        source = source.model_copy(update={"frames": max(source.frames, part.stop)})
    view = view or View(placing=picture.framing)
    width, height = picture_size(source, picture, view, recipe.container)
    shape = stored_shape(picture, recipe.container, source.origin, view)
    rgb = source.origin.chroma == "RGB" and sampling_of(picture).chroma == "RGB"
    composed, tags = picture_colours(source, picture, height, rgb)
    light = (source.origin.mastering, source.origin.light) if high_range(source.colour) else ("", "")
    quality = None
    if picture.steering.searched:
        quality = (
            rounds.quality
            if rounds
            else first_quality(
                picture.rate_control.target_bits_per_second,
                width * height,
                float(rate),
                picture.kind.quality.usual if picture.kind.quality else 20,
                picture.kind.typical.bits if picture.kind.typical else TYPICAL_BITS,
            )
        )
    settings = encoder_settings(
        picture, width, height, rate=rate, colour=tags, quality=quality, rgb=rgb, light=light
    )
    whole = own_fields(source, picture, rate, (width, height)) if view.uncropped else None
    if whole is not None:
        settings, source = settings.model_copy(update={"own_fields": True}), whole
    moments = rate * 2 if settings.woven else rate
    cut_list = source.retimed(picture.retime).at_rate(moments, picture.retime)
    frames = in_output(part, source, rate)
    if settings.woven:
        view = view.at_double_rate()
        frames = FrameRange(frames.start * 2, frames.stop * 2)
        frames = FrameRange(frames.start, min(frames.stop, cut_list.frames // 2 * 2))
    else:
        frames = FrameRange(frames.start, min(frames.stop, cut_list.frames))
    if frames.stop <= frames.start:
        frames = FrameRange(frames.start, frames.start + 1)
    spans = cut_list.picture_in(frames)
    library = library_version(settings.encoder)
    eased, begun = (rounds.eased, rounds.begun) if rounds else ({}, {})
    pieces, shown = [], []
    for piece in cut(spans, moments, 2 if settings.woven else 1):
        parts = tuple(span.part(both, piece.start) for span in spans if (both := span.range.intersect(piece)))
        job = PieceJob(
            name="",
            target="",
            rate=rate,
            width=width,
            height=height,
            canvas=(source.width, source.height),
            view=view.later(piece.start),
            colour=composed,
            spans=parts,
            settings=settings,
            shape=shape,
            accept_damage=accept_damage,
        )
        content = ""
        if picture.peak or quality is not None:
            content = piece_name(_unrated(job), library)
            steps, full = eased.get(content, 0), begun.get(content, FULLNESS)
            its = None if quality is None else (rounds.quality_of(content) if rounds else quality) + steps
            if steps or full != FULLNESS or its != quality:
                made = eased_by(picture, steps) if steps else picture
                job = job.model_copy(
                    update={
                        "settings": encoder_settings(
                            made,
                            width,
                            height,
                            rate=rate,
                            colour=tags,
                            quality=its,
                            rgb=rgb,
                            light=light,
                            fullness=full,
                        )
                    }
                )
        kind = "encode" if why_encoded(job, picture, facts or {}) else "copy"
        job = job.model_copy(update={"kind": kind})
        pieces.append(job.model_copy(update={"name": piece_name(job, library)}))
        shown.append(content)
    count = len(frames) // 2 if settings.woven else len(frames)
    sound = None
    if recipe.sound and source.sound:  # exactly as long as the picture, whatever its rate was rounded to
        sound = plan_sound(source, part, recipe, accept_damage, Fraction(count) / rate)
    return OutputPlan(count, rate, width, height, settings, tuple(pieces), sound, tuple(shown), quality)


def _unrated(job: PieceJob) -> PieceJob:
    """A piece without the quality that was found for it: what it shows, and how it is written otherwise."""
    options = {
        key: re.sub(r"vbv-init=[0-9.]+:?", "", value)
        for key, value in job.settings.options.items()
        if key not in ("crf", "maxrate", "bufsize", "rc_init_occupancy")
    }
    return job.model_copy(update={"settings": job.settings.model_copy(update={"options": options})})


EASE = 0.9


def eased_by(picture: PictureRecipe, steps: int) -> PictureRecipe:
    """A recipe that asks for less, for a piece that would overrun its receiver's buffer.

    The peak and the buffer stay: they stand in the parameter sets, which all
    pieces of a file share.
    """
    control = picture.rate_control
    update: dict[str, object] = {}
    if picture.steering.eases == "rate":
        update["target_bits_per_second"] = max(10_000, round(control.target_bits_per_second * EASE**steps))
    if picture.steering.eases == "quality":
        update["quality"] = min(51.0, control.quality + steps)
    return picture.model_copy(update={"rate_control": control.model_copy(update=update)})


def plan_sound(
    source: CutList,
    part: FrameRange,
    recipe: Recipe,
    accept_damage: bool = False,
    seconds: Fraction | None = None,
) -> SoundJob:
    """Plan an output's sound; boundaries are rounded from exact times, so that nothing drifts.

    ``seconds`` is the length of the output's picture; without it, that of the part.

    Parameters
    ----------
    source
        The source's cut.
    part
        The range, in frames of the source.
    recipe
        What it is made by.
    accept_damage
        Whether a person has accepted that its source is damaged.
    seconds
        Length of the output's picture; that of the range without one.

    Raises
    ------
    ModelError
        None of the tracks that were chosen is there.
    """
    asked, codec = recipe.sound, SOUND[recipe.sound.codec if recipe.sound else "aac"]
    assert asked is not None
    tracks = tracks_taken(source, asked, recipe.container)
    known = [source.origin.sound[n] if n < len(source.origin.sound) else SoundOrigin() for n in tracks]
    rates = [item.sample_rate for item in known] or [48000]
    if asked.sample_rate != "source":
        sample_rate: int = asked.sample_rate
    else:
        sample_rate = codec.nearest_rate(max(rates), CONTAINERS[recipe.container].sound_rates)
    depth = asked.depth
    if depth == "source":
        depth = 16 if all(0 < item.depth <= 16 for item in known) else 24
    single = source.sound_tracks_in(part)
    apart = asked.tracks == "each" and len(source.sound_tracks) > 1
    whole = source.sound_in(part)
    if not apart and asked.choose:
        whole = (
            tuple(span for n in tracks for span in single[n]) if not source.origin.clip else single[tracks[0]]
        )
    layouts = [layout_of(asked, codec, item) for item in known]
    if not apart:
        joined = len(whole[0].tracks) if whole and len(whole[0].tracks) > 1 else 0
        widest = max(known, key=lambda item: item.channels, default=SoundOrigin())
        if joined and asked.layout == "source":  # tracks of one channel each that are one sound
            widest = SoundOrigin(channels=joined, layout=USUAL.get(joined, "7.1"))
        layouts = [layout_of(asked, codec, widest)]
    own = [item.language for item in known]
    count = len(tracks) if apart else 1
    languages = tuple(
        (asked.languages[n] if n < len(asked.languages) else "") or (own[n] if n < len(own) else "")
        for n in range(count)
    )
    usual = all(layout == USUAL[channels_of(layouts[0])] for layout in layouts)
    job = SoundJob(
        name="",
        target="",
        samples=round((seconds or part.seconds(source.rate)) * sample_rate),
        sample_rate=sample_rate,
        channels=channels_of(layouts[0]),
        codec=asked.codec,
        bits_per_second=0 if codec.lossless else asked.bits_per_second,
        spans=() if apart else whole,
        tracks=tuple(single[n] for n in tracks) if apart else (),
        depth=depth if codec.lossless else 0,
        languages=languages if any(languages) else (),
        layouts=() if usual else tuple(layouts),
        accept_damage=accept_damage,
    )
    encoder, _ = sound_encoder(asked.codec, depth)
    return job.model_copy(update={"name": sound_name(job, library_version(encoder))})


def tracks_taken(source: CutList, asked: SoundRecipe, container: str) -> list[int]:
    """Which of a source's sound tracks are taken, from 0, in order: those chosen by language or number, else those usual.

    Parameters
    ----------
    source
        The source's cut.
    asked
        What is asked of the sound.
    container
        Our own word for it.

    Raises
    ------
    ModelError
        None of the tracks that were chosen is there.
    """
    known = source.origin.sound
    count = len(source.sound_tracks) or len(known)
    everything = list(range(count))
    if asked.choose:
        wanted = {own_code(word) for word in asked.choose}
        everything = [
            n
            for n in range(count)
            if str(n + 1) in asked.choose or (n < len(known) and own_code(known[n].language) in wanted)
        ]
        if not everything:
            have = ", ".join(item.language or str(n + 1) for n, item in enumerate(known)) or "none"
            raise ModelError(
                f"None of the sound tracks asked for ({', '.join(asked.choose)}) is in this source; it has {have}.",
                "Choose another track, or all of them.",
            )
    if asked.tracks == "each" and len(source.sound_tracks) > 1:
        return everything[: CONTAINERS[container].most_tracks]
    if not source.origin.clip:
        return everything
    if asked.choose:
        return everything[:1]
    return list(source.sound[0].tracks) if source.sound else []


def layout_of(asked: SoundRecipe, codec: SoundCodec, origin: SoundOrigin) -> str:
    """The layout one track is written in, by the libraries' name.

    Parameters
    ----------
    asked
        What is asked of the sound.
    codec
        The codec it is written by.
    origin
        The track.
    """
    if asked.layout != "source":
        return asked.layout
    if codec.any_layout or origin.channels in codec.channels:
        return known_layout(origin.layout, origin.channels)
    return USUAL[max(n for n in codec.channels if n <= max(origin.channels, min(codec.channels)))]
