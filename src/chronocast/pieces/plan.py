"""From a cut list, a range and a recipe to everything that has to be made."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache, partial
from math import ceil
from typing import NamedTuple

from chronocast.media.piece.settings import encoder_settings, sampling_of
from chronocast.model.lookup import Same
from chronocast.model.messages.jobs import EncoderSettings, PieceJob, SoundJob
from chronocast.model.picture.colour import RGB_MATRIX, Colour, high_range, tags_for
from chronocast.model.picture.geometry import PictureSize, View
from chronocast.model.recipe.as_source import definite, stored_shape
from chronocast.model.recipe.recipe import PictureRecipe, Recipe, frame_size
from chronocast.model.source.cutlist import CutList
from chronocast.model.source.facts import ClipFacts
from chronocast.model.source.origin import Origin
from chronocast.model.time.timing import Duration, FrameRange, Rate, parse_rate
from chronocast.pieces.copying import sound_copied
from chronocast.pieces.picture_pieces import picture_pieces
from chronocast.pieces.rounds import TYPICAL_BITS, Rounds, first_quality
from chronocast.pieces.sound_plan import plan_sound, renamed


@dataclass(frozen=True)
class OutputPlan:
    """The pieces of one output in order, and its sound.  Targets are still empty.

    Sound only has no ``settings`` and no pieces.  ``shown`` names what each piece shows, whatever quality
    was found for it; ``quality`` is the common one of an output in two passes.  ``why_encoded`` is why pictures
    that could be copied aren't, "" where nothing is to be said.
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
    why_encoded: str = ""

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
    return _size((source.width, source.height), source.origin, Same(picture), view, container)


@lru_cache(maxsize=1024)
def _size(
    square: tuple[int, int], origin: Origin, of: Same[PictureRecipe], view: View, container: str
) -> PictureSize:
    """One size for thousands of sources that are alike."""
    picture = of.thing
    if stored_shape(picture, container, origin, view) != 1:
        return PictureSize(origin.width, origin.height)
    shown_width, shown_height = view.shown(*square)
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


def _kernel(picture: PictureRecipe, size: tuple[int, int], view: View, facts: Mapping[str, ClipFacts]) -> str:
    """The kernel that pictures are scaled with; "" for the usual one, and where nothing is scaled."""
    if picture.kernel == "bicubic":
        return ""
    same = view.uncropped and all(
        (clip.width, clip.height) == size and clip.pixel_aspect == 1 and not clip.turned
        for clip in facts.values()
    )
    return "" if facts and same else picture.kernel


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
    told = partial(encoder_settings, width=width, height=height, rate=rate, colour=tags, rgb=rgb, light=light)
    settings = told(picture, quality=quality)
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
    first = PieceJob(
        name="",
        target="",
        rate=rate,
        width=width,
        height=height,
        canvas=(source.width, source.height),
        view=view,
        colour=composed,
        spans=spans,
        settings=settings,
        shape=shape,
        accept_damage=accept_damage,
        kernel=_kernel(picture, (width, height), view, facts or {}),
    )
    made = picture_pieces(first, picture, told, quality=quality, rounds=rounds, facts=facts or {})
    count = len(frames) // 2 if settings.woven else len(frames)
    sound = None
    if recipe.sound and source.sound:  # exactly as long as the picture, whatever its rate was rounded to
        sound = plan_sound(source, part, recipe, accept_damage, Fraction(count) / rate)
        if sound_copied(sound, recipe, facts or {}):
            sound = renamed(sound.model_copy(update={"copies": True}))
    return OutputPlan(
        count, rate, width, height, made.settings, made.jobs, sound, made.shown, quality, made.why_encoded
    )
