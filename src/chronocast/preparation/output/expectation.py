"""What a finished file must turn out to be."""

from __future__ import annotations

from dataclasses import replace

from chronocast.media.piece.settings import FULLNESS, sampling_of
from chronocast.media.piece.sound import sound_stream
from chronocast.model.messages.check import Expected
from chronocast.model.messages.jobs import SoundJob
from chronocast.model.paths import path_text
from chronocast.model.picture.geometry import PictureSize
from chronocast.model.recipe.formats.codecs import SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.model.recipe.formats.layouts import channels_of
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.time.timing import Duration
from chronocast.preparation.output.differences import differences_from_source
from chronocast.preparation.output.output_ready import OutputReady


def expected_file(ready: OutputReady, sound_is_silent: bool) -> Expected:
    """What the finished file must be."""
    plan = ready.plan
    found = expected_of(
        ready.recipe,
        plan.duration,
        PictureSize(plan.width, plan.height),
        sound=plan.sound,
        silent=sound_is_silent,
    )
    found = replace(
        found,
        name=path_text(ready.path.name),
        cards=tuple(card.model_dump(mode="json") for card in ready.cards),
        timecode=ready.timecode,
        shape=str(plan.pieces[0].shape) if plan.pieces else "1",
        differences=tuple(item.sentence for item in differences_from_source(ready)),
        compared=True,
        source_damage=tuple(item.sentence for item in ready.damage),
    )
    picture, settings = ready.recipe.picture, plan.settings
    if picture is None or settings is None:
        return found
    if picture.steering.searched and ready.rounds and ready.rounds.settled:
        found = replace(
            found,
            picture_bytes=round(ready.target_bytes),
            picture_bytes_off=ready.rounds.off_allowed,
            picture_bytes_most=ready.rounds.at_best,
        )
    return replace(found, colour=settings.colour if picture.kind.tags != "none" else None)


def expected_of(
    recipe: Recipe, duration: Duration, size: PictureSize, *, sound: SoundJob | None, silent: bool
) -> Expected:
    """What a file of a recipe must be, at a size, a rate and a length.

    Parameters
    ----------
    recipe
        What it is made by.
    duration
        Its length.
    size
        Of its frame.
    sound
        Its sound's job.
    silent
        Whether its sound is silent, as the source's is.
    """
    picture = recipe.picture
    found = Expected(
        duration.frames if picture else 0,
        size.width if picture else 0,
        size.height if picture else 0,
        str(duration.rate),
        "",
        CONTAINERS[recipe.container].opened_as or "images",
        sound_stream(sound.codec, sound.depth) if sound else None,
        sound.samples if sound else None,
        sound.sample_rate if sound else 0,
        channels_of(sound.layout_of(0)) if sound else 0,
        silent,
        sound_tracks=len(sound.each_track) if sound else 1,
        sound_packet=SOUND[sound.codec].packet if sound else 1024,
        languages=sound.languages
        if sound and recipe.container in ("mp4", "mov", "mkv", "webm", "ts")
        else (),
        box=recipe.container,
        layouts=tuple(sound.layout_of(n) for n in range(len(sound.each_track))) if sound else (),
    )
    if picture is None:
        return found
    peak = picture.peak if picture.kind.keeps_peak else None
    return replace(
        found,
        video_codec=picture.kind.stream_name,
        scan=picture.scan,
        profile=picture.profile or "",
        level=picture.level or "" if picture.kind.keeps_peak else "",
        peak=peak or 0,
        buffer=(picture.buffer or 0) if peak else 0,
        full=FULLNESS,
        # of 4444 the decoder says 12 bits, whatever was written
        pixel_format=sampling_of(picture).pixel_format
        if picture.kind.kind != "images" and picture.grade != "4444"
        else "",
    )
