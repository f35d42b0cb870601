"""From a cut list, a range and a recipe to everything that has to be made."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from chronocast.media.codecs import encoder_settings, library_version
from chronocast.model.cutlist import CutList
from chronocast.model.jobs import EncoderSettings, PieceJob, SoundJob, SoundSpanJob, SpanJob
from chronocast.model.recipe import Recipe, SoundRecipe, frame_size
from chronocast.model.timing import FrameRange, Rate
from chronocast.pieces.cut import cut
from chronocast.pieces.name import piece_name, sound_name

UNTAGGED = (2, 2, 2, 1)
CHANNELS = {"mono": 1, "stereo": 2}


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


def plan_output(
    source: CutList, part: FrameRange, recipe: Recipe, colour: tuple[int, int, int, int] = UNTAGGED
) -> OutputPlan:
    """Plan one output.  ``colour`` is what its pictures are tagged with (H.273 codes)."""
    width, height = frame_size(recipe.picture.size, source.width, source.height)
    settings = encoder_settings(recipe.picture, width, height, source.rate, colour)
    spans = source.picture_in(part)
    library = library_version(settings.encoder)
    rate = str(source.rate)
    pieces = []
    for piece in cut(spans, source.rate):
        shown = []
        for span in spans:
            if both := span.range.intersect(piece):
                media = span.media
                shown.append(
                    SpanJob(
                        frames=len(both),
                        media=media.path if media else None,
                        fingerprint=media.fingerprint if media else "",
                        media_start=span.media_start + both.start - span.start if media else 0,
                    )
                )
        job = PieceJob(
            name="", target="", rate=rate, width=width, height=height, spans=tuple(shown), settings=settings
        )
        pieces.append(job.model_copy(update={"name": piece_name(job, library)}))
    sound = plan_sound(source, part, recipe.sound) if recipe.sound and source.sound else None
    return OutputPlan(len(part), source.rate, width, height, settings, tuple(pieces), sound)


def plan_sound(source: CutList, part: FrameRange, recipe: SoundRecipe) -> SoundJob:
    """Plan an output's sound; boundaries are rounded from exact times, so that nothing drifts."""
    samples = round(part.seconds(source.rate) * recipe.sample_rate)
    spans = []
    for span in source.sound_in(part):
        first = round(span.start * recipe.sample_rate)
        last = min(samples, round((span.start + span.seconds) * recipe.sample_rate))
        if last > first:
            spans.append(
                SoundSpanJob(
                    start_sample=first,
                    samples=last - first,
                    media=span.media.path,
                    fingerprint=span.media.fingerprint,
                    media_start=str(Fraction(span.media_start)),
                )
            )
    job = SoundJob(
        name="", target="", samples=samples, sample_rate=recipe.sample_rate, channels=CHANNELS[recipe.layout],
        codec=recipe.codec, bits_per_second=recipe.bits_per_second, spans=tuple(spans),
    )  # fmt: skip
    return job.model_copy(update={"name": sound_name(job, library_version(recipe.codec))})
