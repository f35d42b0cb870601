"""From a cut list, a range and a recipe to everything that has to be made."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from math import ceil

from chronocast.media.codecs import encoder_settings, library_version, sound_encoder
from chronocast.model.colour import Colour, tags_for
from chronocast.model.cutlist import CutList
from chronocast.model.formats import SOUND
from chronocast.model.geometry import View
from chronocast.model.jobs import EncoderSettings, PieceJob, SoundJob
from chronocast.model.recipe import CHANNELS, PictureRecipe, Recipe, SoundRecipe, frame_size
from chronocast.model.timing import FrameRange, Rate, parse_rate
from chronocast.pieces.cut import cut
from chronocast.pieces.name import piece_name, sound_name
from chronocast.pieces.rounds import Rounds, first_quality


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
    def seconds(self) -> float:
        """Length in seconds."""
        return float(self.frames / self.rate)


def output_rate(source: CutList, picture: PictureRecipe | None) -> Rate:
    """The rate of an output's frames: the recipe's, or the source's; of stills one each interval."""
    if picture is None:
        return source.rate
    if picture.codec in ("jpeg", "png", "tiff", "dpx", "exr") and picture.stills.mode == "interval":
        return min(source.rate, 1 / Fraction(picture.stills.seconds).limit_denominator(1000))
    return parse_rate(picture.rate) if picture.rate else source.rate


def in_output(part: FrameRange, source: CutList, rate: Rate) -> FrameRange:
    """A range of the source in frames of the output's rate."""
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


def picture_size(source: CutList, picture: PictureRecipe, view: View) -> tuple[int, int]:
    """The frame size of an output, its codec's own wishes included."""
    shown_width, shown_height = view.shown(source.width, source.height)
    return frame_size(picture.size, round(shown_width), round(shown_height), multiple=picture.kind.multiple)


def picture_colours(source: CutList, picture: PictureRecipe, height: int) -> tuple[Colour, Colour]:
    """What pictures are composed in, and what the stream is tagged with: as near to the source as its codec can say."""
    carried = picture.kind.tags
    if carried == "all":
        return source.colour, tags_for(source.tags, source.colour, height)
    composed: Colour = (*source.colour[:3], 1)
    if carried == "said":  # with the code for its curve that every such codec knows
        curve = composed[1] if composed[1] in (16, 18) else 1
        matrix = composed[2] if composed[2] in (1, 9) else 6
        return composed, (composed[0], curve, matrix, 1)
    tags = tags_for(source.tags, source.colour, height)
    return composed, (*tags[:3], 1)


def plan_output(
    source: CutList, part: FrameRange, recipe: Recipe, view: View | None = None, rounds: Rounds | None = None
) -> OutputPlan:
    """Plan one output.  ``view`` is how it is framed; without one as the recipe says.

    ``rounds`` is what was decided so far for an output in two passes, or to keep its peak.

    Raises:
        EncodeFailed: no encoder for it is here.
    """
    if recipe.picture is None:
        sound = plan_sound(source, part, recipe.sound) if recipe.sound and source.sound else None
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
    width, height = picture_size(source, picture, view)
    composed, tags = picture_colours(source, picture, height)
    quality = None
    if picture.control == "two pass":
        quality = (
            rounds.quality
            if rounds
            else first_quality(
                picture.rate_control.target_bits_per_second, width * height, float(rate),
                picture.kind.quality[2] if picture.kind.quality else 20, picture.codec,
            )
        )  # fmt: skip
    settings = encoder_settings(picture, width, height, rate, tags, quality)
    moments = rate * 2 if settings.fields else rate
    cut_list = source.retimed(picture.retime).at_rate(moments, picture.retime)
    frames = in_output(part, source, rate)
    if settings.fields:
        view = view.at_double_rate()
        frames = FrameRange(frames.start * 2, frames.stop * 2)
        frames = FrameRange(frames.start, min(frames.stop, cut_list.frames // 2 * 2))
    else:
        frames = FrameRange(frames.start, min(frames.stop, cut_list.frames))
    if frames.stop <= frames.start:
        frames = FrameRange(frames.start, frames.start + 1)
    spans = cut_list.picture_in(frames)
    library = library_version(settings.encoder)
    eased = rounds.eased if rounds else {}
    pieces, shown = [], []
    for piece in cut(spans, moments, 2 if settings.fields else 1):
        parts = tuple(span.part(both, piece.start) for span in spans if (both := span.range.intersect(piece)))
        job = PieceJob(
            name="", target="", rate=rate, width=width, height=height, canvas=(source.width, source.height),
            view=view.later(piece.start), colour=composed, spans=parts, settings=settings,
        )  # fmt: skip
        content = ""
        if picture.peak or quality is not None:
            content = piece_name(_unrated(job), library)
            steps = eased.get(content, 0)
            its = None if quality is None else (rounds.quality_of(content) if rounds else quality) + steps
            if steps or its != quality:
                made = eased_by(picture, steps) if steps else picture
                job = job.model_copy(
                    update={"settings": encoder_settings(made, width, height, rate, tags, its)}
                )
        pieces.append(job.model_copy(update={"name": piece_name(job, library)}))
        shown.append(content)
    sound = plan_sound(source, part, recipe.sound) if recipe.sound and source.sound else None
    count = len(frames) // 2 if settings.fields else len(frames)
    return OutputPlan(count, rate, width, height, settings, tuple(pieces), sound, tuple(shown), quality)


def _unrated(job: PieceJob) -> PieceJob:
    """A piece without the quality that was found for it: what it shows, and how it is written otherwise."""
    options = {
        key: value for key, value in job.settings.options.items() if key not in ("crf", "maxrate", "bufsize")
    }
    return job.model_copy(update={"settings": job.settings.model_copy(update={"options": options})})


EASE = 0.9


def eased_by(picture: PictureRecipe, steps: int) -> PictureRecipe:
    """A recipe whose rates are lower, for a piece that would overrun its receiver's buffer."""
    control = picture.rate_control
    less = EASE**steps
    update: dict[str, object] = {"peak_bits_per_second": max(10_000, round((picture.peak or 10_000) * less)),
                                 "buffer_bits": max(10_000, round((picture.buffer or 10_000) * less))}  # fmt: skip
    if picture.control in ("variable", "constant"):
        update["target_bits_per_second"] = max(10_000, round(control.target_bits_per_second * less))
    if picture.control == "quality":
        update["quality"] = min(51.0, control.quality + steps)
    return picture.model_copy(update={"rate_control": control.model_copy(update=update)})


def plan_sound(source: CutList, part: FrameRange, recipe: SoundRecipe) -> SoundJob:
    """Plan an output's sound; boundaries are rounded from exact times, so that nothing drifts."""
    samples = round(part.seconds(source.rate) * recipe.sample_rate)
    tracks = source.sound_tracks_in(part) if recipe.tracks == "each" and len(source.sound_tracks) > 1 else ()
    lossless = SOUND[recipe.codec].lossless
    count = len(tracks) or 1
    own = source.languages if tracks else source.languages[:1]
    languages = tuple((recipe.languages[n] if n < len(recipe.languages) else "") or (own[n] if n < len(own) else "")
                      for n in range(count))  # fmt: skip
    job = SoundJob(
        name="", target="", samples=samples, sample_rate=recipe.sample_rate, channels=CHANNELS[recipe.layout],
        codec=recipe.codec, bits_per_second=0 if lossless else recipe.bits_per_second,
        spans=() if tracks else source.sound_in(part), tracks=tracks, depth=recipe.depth if lossless else 0,
        languages=languages if any(languages) else (),
    )  # fmt: skip
    encoder, _ = sound_encoder(recipe.codec, recipe.depth)
    return job.model_copy(update={"name": sound_name(job, library_version(encoder))})
