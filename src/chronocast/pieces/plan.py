"""From a cut list, a range and a recipe to everything that has to be made."""

from __future__ import annotations

from dataclasses import dataclass

from chronocast.media.codecs import encoder_settings, library_version
from chronocast.model.colour import tags_for
from chronocast.model.cutlist import CutList
from chronocast.model.geometry import View
from chronocast.model.jobs import EncoderSettings, PieceJob, SoundJob
from chronocast.model.recipe import Recipe, SoundRecipe, frame_size
from chronocast.model.timing import FrameRange, Rate, parse_rate
from chronocast.pieces.cut import cut
from chronocast.pieces.name import piece_name, sound_name

CHANNELS = {"mono": 1, "stereo": 2, "5.1": 6}


@dataclass(frozen=True)
class OutputPlan:
    """The pieces of one output in order, and its sound.  Targets are still empty."""

    frames: int
    rate: Rate
    width: int
    height: int
    settings: EncoderSettings
    pieces: tuple[PieceJob, ...]
    sound: SoundJob | None

    @property
    def seconds(self) -> float:
        """Length in seconds."""
        return float(self.frames / self.rate)


def output_rate(source: CutList, recipe: Recipe) -> Rate:
    """The rate of an output's frames: the recipe's, or the source's."""
    return parse_rate(recipe.picture.rate) if recipe.picture.rate else source.rate


def in_output(part: FrameRange, source: CutList, rate: Rate) -> FrameRange:
    """A range of the source in frames of the output's rate."""
    if rate == source.rate:
        return part
    first = round(part.start * rate / source.rate)
    return FrameRange(first, max(first + 1, round(part.stop * rate / source.rate)))


def plan_output(source: CutList, part: FrameRange, recipe: Recipe, view: View | None = None) -> OutputPlan:
    """Plan one output.  ``view`` is how it is framed; without one as the recipe says."""
    rate = output_rate(source, recipe)
    view = view or View(placing=recipe.picture.framing)
    shown_width, shown_height = view.shown(source.width, source.height)
    width, height = frame_size(recipe.picture.size, round(shown_width), round(shown_height))
    settings = encoder_settings(
        recipe.picture, width, height, rate, tags_for(source.tags, source.colour, height)
    )
    cut_list = source.retimed(recipe.picture.retime).at_rate(rate, recipe.picture.retime)
    frames = in_output(part, source, rate)
    frames = FrameRange(frames.start, min(frames.stop, cut_list.frames))
    spans = cut_list.picture_in(frames)
    library = library_version(settings.encoder)
    pieces = []
    for piece in cut(spans, rate):
        shown = tuple(span.part(both, piece.start) for span in spans if (both := span.range.intersect(piece)))
        job = PieceJob(
            name="", target="", rate=rate, width=width, height=height, canvas=(source.width, source.height),
            view=view.later(piece.start), colour=source.colour, spans=shown, settings=settings,
        )  # fmt: skip
        pieces.append(job.model_copy(update={"name": piece_name(job, library)}))
    sound = plan_sound(source, part, recipe.sound) if recipe.sound and source.sound else None
    return OutputPlan(len(frames), rate, width, height, settings, tuple(pieces), sound)


def plan_sound(source: CutList, part: FrameRange, recipe: SoundRecipe) -> SoundJob:
    """Plan an output's sound; boundaries are rounded from exact times, so that nothing drifts."""
    samples = round(part.seconds(source.rate) * recipe.sample_rate)
    tracks = source.sound_tracks_in(part) if recipe.tracks == "each" and len(source.sound_tracks) > 1 else ()
    job = SoundJob(
        name="", target="", samples=samples, sample_rate=recipe.sample_rate, channels=CHANNELS[recipe.layout],
        codec=recipe.codec, bits_per_second=recipe.bits_per_second, spans=() if tracks else source.sound_in(part),
        tracks=tracks,
    )  # fmt: skip
    return job.model_copy(update={"name": sound_name(job, library_version(recipe.codec))})
