"""Whether a source's pictures already are what a recipe asks for, so that their packets can be copied as they are.

Only where nothing would be otherwise: whole frames (each picture for itself)
of the same codec and grade, the same samples, size, shape, rate, colour tags,
shown at their own pace, in one layer, uncropped.  What is in doubt is encoded.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from chronocast.model.messages.jobs import PieceJob
from chronocast.model.picture.colour import read_tags, same_tags
from chronocast.model.picture.weight import ALL
from chronocast.model.recipe.codec import Grade, PictureCodec
from chronocast.model.recipe.recipe import PictureRecipe
from chronocast.model.source.cutlist import Layer
from chronocast.model.source.facts import ClipFacts

GRADED = frozenset({"prores", "dnxhr"})
"""Codecs whose streams say which grade they are, and have no parameter sets that could differ."""


def why_encoded(job: PieceJob, picture: PictureRecipe, facts: Mapping[str, ClipFacts]) -> str:
    """The first thing in which a piece's sources aren't what is asked for, in a few words; "" where packets can be copied.

    Parameters
    ----------
    job
        The piece's, as it would be encoded.
    picture
        What is asked of the picture.
    facts
        What is known of its media, by path.
    """
    codec = picture.kind
    if codec.id not in GRADED:
        return f"{codec.name} is encoded anew"
    if not picture.copies:
        return "the recipe asks for everything to be encoded"
    if job.accept_damage:
        return "the source is damaged"
    return next(_differences(job, codec, codec.grade(picture.grade), facts), "")


def _differences(
    job: PieceJob, codec: PictureCodec, grade: Grade | None, facts: Mapping[str, ClipFacts]
) -> Iterator[str]:
    if job.settings.fields or not job.view.uncropped or job.canvas != (job.width, job.height):
        yield "its picture is made smaller, larger, cropped, or of fields"
    for span in job.spans:
        if len(span.layers) != 1 or (layer := span.layers[0]).media is None:
            yield "pictures are mixed, or black"
            return
        clip = facts.get(layer.media.path)
        if clip is None:
            yield "nothing is known of its media"
            return
        yield from _of_clip(job, codec, grade, clip)
        yield from _of_layer(layer, span.frames, clip)


def _of_clip(job: PieceJob, codec: PictureCodec, grade: Grade | None, clip: ClipFacts) -> Iterator[str]:
    stream = codec.stream or codec.id
    if clip.video_codec != stream:
        yield f"its source is {clip.video_codec}, not {codec.name}"
    elif grade is None or clip.profile != profile_of(codec, grade):
        yield f"its source is {codec.name} {clip.profile or 'of an unknown grade'}, {grade.name if grade else 'another'} is asked for"
    if clip.pixel_format != job.settings.pixel_format:
        yield f"its source has other samples ({clip.pixel_format})"
    if (clip.width, clip.height) != (job.width, job.height) or clip.turned or clip.pixel_aspect != job.shape:
        yield f"its source is {clip.width}×{clip.height}, or its pixels have another shape"
    if clip.rate != job.rate or clip.variable_timing:
        yield "its source has another rate, or uneven times"
    if clip.scan != "progressive":
        yield "its source has fields"
    if not all(same_tags(read_tags(tags), job.settings.colour) for tags in (clip.colour, clip.own_colour)):
        yield "its source, or its pictures by themselves, are tagged with other colours"
    if clip.damage or clip.problems:
        yield "something is wrong with its source"


def _of_layer(layer: Layer, frames: int, clip: ClipFacts) -> Iterator[str]:
    plain = layer.weight == ALL and layer.clock is None and not layer.deinterlace and not layer.alpha
    if not plain or layer.step != 1 or layer.start.denominator != 1 or layer.start < 0:
        yield "its pictures are retimed, mixed or deinterlaced"
    elif layer.start + frames - 1 > min(layer.last, clip.frames - 1):
        yield "its last picture is held"


def profile_of(codec: PictureCodec, grade: Grade) -> str:
    """What streams of a grade call themselves, by the libraries' names."""
    return grade.name if codec.id == "prores" else f"DNXHR {grade.name}"
