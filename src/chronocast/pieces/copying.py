"""Whether a source's pictures already are what a recipe asks for, so that their packets can be copied as they are.

Two ways.  *Exact*: whole frames (each picture for itself) of the same codec
and grade: nothing would be otherwise.  *Alike*: groups of pictures of the same
codec, of whatever rate they have, where a recipe wishes it.  Of both: the same
samples, size, shape, rate, colour tags, shown at their own pace, in one layer,
uncropped.  What is in doubt is encoded.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from chronocast.model.messages.jobs import PieceJob, SoundJob
from chronocast.model.picture.colour import read_tags, same_tags
from chronocast.model.picture.weight import ALL
from chronocast.model.recipe.formats.codec import Grade, PictureCodec
from chronocast.model.recipe.formats.level_codes import level_code
from chronocast.model.recipe.recipe import PictureRecipe, Recipe
from chronocast.model.source.cutlist import Layer
from chronocast.model.source.facts import ClipFacts, GroupFacts

GRADED = frozenset({"prores", "dnxhr"})
"""Codecs whose streams say which grade they are, and have no parameter sets that could differ."""
GROUPED = frozenset({"h264", "hevc", "mpeg2"})
"""Codecs whose groups of pictures are copied."""
AROUND_CUTS = "only whole groups can be copied"


def may_copy(picture: PictureRecipe) -> bool:
    """Whether anything is copied by a recipe at all."""
    if picture.kind.id in GRADED:
        return picture.copies != "never"
    return picture.kind.id in GROUPED and picture.copies == "alike"


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
    if codec.id not in GRADED | GROUPED:
        return f"{codec.name} is encoded anew"
    if not may_copy(picture):
        return "the recipe asks for everything to be encoded"
    if job.accept_damage:
        return "the source is damaged"
    if codec.id in GROUPED and (picture.steering.id != "quality" or picture.peak):
        return "a rate or a peak is asked for, and copied pictures have that of their source"
    return next(_differences(job, picture, codec, codec.grade(picture.grade), facts), "")


def _differences(
    job: PieceJob,
    picture: PictureRecipe,
    codec: PictureCodec,
    grade: Grade | None,
    facts: Mapping[str, ClipFacts],
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
        yield from _of_clip(job, codec, clip)
        yield from _of_grade(codec, grade, clip) if codec.grades else _of_groups(picture, clip.groups, clip)
        yield from _of_layer(layer, span.frames, clip)


def _of_grade(codec: PictureCodec, grade: Grade | None, clip: ClipFacts) -> Iterator[str]:
    if grade is None or clip.profile != profile_of(codec, grade):
        yield f"its source is {codec.name} {clip.profile or 'of an unknown grade'}, {grade.name if grade else 'another'} is asked for"


def _of_groups(picture: PictureRecipe, groups: GroupFacts | None, clip: ClipFacts) -> Iterator[str]:
    if groups is None or groups.trouble or not groups.keys:
        yield (groups.trouble if groups else "") or "it isn't known where its packets can be cut"
        return
    profile, codec = picture.profile, picture.kind
    if profile and clip.profile.lower() != codec.profile_names.get(profile, profile).lower():
        yield f"its source has the profile {clip.profile}, not {profile}"
    if picture.level and groups.level != level_code(codec.stream_name, picture.level, profile or ""):
        yield "its source has another level"


def _of_clip(job: PieceJob, codec: PictureCodec, clip: ClipFacts) -> Iterator[str]:
    if clip.video_codec != codec.stream_name:
        yield f"its source is {clip.video_codec}, not {codec.name}"
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


def sound_copied(job: SoundJob, recipe: Recipe, facts: Mapping[str, ClipFacts]) -> bool:
    """Whether a sound's packets can be copied: one track of AAC as it is asked for, at its own pace and level.

    Parameters
    ----------
    job
        The sound's, as it would be encoded.
    recipe
        What it is made by.
    facts
        What is known of its media, by path.
    """
    picture = recipe.picture
    if (
        picture is None
        or picture.copies != "alike"
        or job.codec != "aac"
        or recipe.container not in ("mp4", "mov")
    ):
        return False
    if job.tracks or len(job.spans) != 1 or job.accept_damage:
        return False
    span = job.spans[0]
    clip = facts.get(span.media.path)
    if clip is None or len(span.tracks) != 1 or span.tracks[0] >= len(clip.audio) or clip.sound_gaps:
        return False
    track = clip.audio[span.tracks[0]]
    plain = span.start == 0 and span.speed == 1 and span.gain == 1 and span.fade is None
    whole = round(span.seconds * job.sample_rate) >= job.samples
    same = (track.codec, track.channels, track.sample_rate) == ("aac", job.channels, job.sample_rate)
    return plain and whole and same and track.layout == job.layout_of(0)
