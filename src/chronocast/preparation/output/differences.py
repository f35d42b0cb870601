"""In what an output is not as its source: listed before anything is made, and once more with the check."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING

from chronocast.media.piece.settings import sampling_of
from chronocast.model.messages.jobs import SoundJob
from chronocast.model.picture.colour import high_range, same_look
from chronocast.model.picture.colour import told as colour_told
from chronocast.model.picture.geometry import place
from chronocast.model.recipe.formats.codecs import SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.model.recipe.formats.layouts import channels_of, layout_told
from chronocast.model.source.clip_changes import changes
from chronocast.model.source.origin import Origin
from chronocast.model.source.wording import pixels_told
from chronocast.model.time.timing import rate_text
from chronocast.pieces.sound_plan import tracks_taken

if TYPE_CHECKING:
    from chronocast.preparation.output.output_ready import OutputReady

FINENESS = {"gray": 0, "4:2:0": 1, "4:2:2": 2, "4:4:4": 3, "RGB": 3}


@dataclass(frozen=True)
class Difference:
    """One thing in which an output is not as its source; ``loss`` if something is gone that can't be had back."""

    what: str
    sentence: str
    loss: bool = True


def differences_from_source(ready: OutputReady) -> tuple[Difference, ...]:
    """Everything an output loses or changes against its source, picture first.

    That a lossy codec is lossy isn't listed; what is done to single clips of
    a sequence is.
    """
    return (*_picture(ready), *_sound(ready))


def _picture(ready: OutputReady) -> Iterator[Difference]:
    picture, plan, cut = ready.recipe.picture, ready.plan, ready.source.cut
    origin = cut.origin
    if picture is None or plan.settings is None:
        if any(clip.frames for clip in ready.source.facts.values()):
            yield Difference("picture", "the picture is left out")
        return
    if not any(clip.frames for clip in ready.source.facts.values()) and ready.source.facts:
        yield Difference("picture", "there is no picture: it is black", loss=False)
        return
    if ready.source.timeline is not None:
        for told in changes(cut, ready.source.facts):
            yield Difference("clip", told.rstrip("."), loss=False)
    if picture.drawn == "proxies":
        yield _drawn(ready)
    if _sets_among_pictures(ready):
        yield Difference(
            "tag",
            "its parameter sets stand among its pictures (hev1), since copied and encoded ones differ: a few players "
            "take them in the file's description only",
            False,
        )
    yield from _shape(ready)
    if plan.rate != cut.rate:
        how = {"nearest": "nearest picture", "blend": "blended", "motion": "by motion"}[picture.retime]
        yield Difference(
            "rate", f"{rate_text(cut.rate)} becomes {rate_text(plan.rate)} frames per second ({how})"
        )
    yield from _scan(ready, origin)
    yield from _samples(ready, origin)
    yield from _colour(ready)
    if origin.timecode and not ready.timecode and (ready.source.timeline is None or cut.start_timecode):
        why = (
            ""
            if CONTAINERS[ready.recipe.container].timecode
            else f": {CONTAINERS[ready.recipe.container].name} carries none"
        )
        yield Difference("timecode", f"its start timecode is left out{why}")


def _sets_among_pictures(ready: OutputReady) -> bool:
    """Whether an HEVC file in MP4 or MOV has sets of several kinds."""
    picture = ready.recipe.picture
    if picture is None or picture.codec != "hevc" or ready.recipe.container not in ("mp4", "mov"):
        return False
    copied = [piece for piece in ready.plan.pieces if piece.copied]
    films = {media.path for piece in copied for media in piece.media}
    return bool(copied) and (len(films) > 1 or len(copied) < len(ready.plan.pieces))


def _drawn(ready: OutputReady) -> Difference:
    """That it is a draft: how many of its films' pictures come from proxies."""
    shown = {media.path for piece in ready.plan.pieces for media in piece.media}
    small = len(shown & set(ready.source.from_proxies))
    if not small:
        return Difference(
            "draft", "it was to be drawn from proxies, but there are none: drawn from originals", False
        )
    some = "" if small == len(shown) else f" ({small} of {len(shown)} films)"
    return Difference("draft", f"drawn from proxies{some}: a draft")


def _shape(ready: OutputReady) -> Iterator[Difference]:
    """Crop, size, bars, the shape of pixels."""
    plan, cut, origin = ready.plan, ready.source.cut, ready.source.cut.origin
    piece, asked = plan.pieces[0], ready.recipe.picture.size if ready.recipe.picture else None
    if (
        asked is not None
        and asked.mode == "fixed"
        and (asked.width, asked.height) != (plan.width, plan.height)
    ):
        yield Difference(
            "size",
            f"{asked.width}×{asked.height} is asked for and {plan.width}×{plan.height} made, the nearest that its codec takes",
            False,
        )
    lies = place(
        (cut.width, cut.height),
        Fraction(1),
        "fit",
        canvas=(cut.width, cut.height),
        view=piece.view,
        output=(plan.width, plan.height),
        frame=0,
        output_shape=piece.shape,
    )
    if lies is not None:
        wide, high = lies.scale[0] * float(piece.shape), lies.scale[1]
        if lies.crop[2] < cut.width - 1 or lies.crop[3] < cut.height - 1:
            yield Difference(
                "size", f"cropped from {cut.width}×{cut.height} to {lies.crop[2]}×{lies.crop[3]}"
            )
        if abs(wide / high - 1) > 0.02:
            yield Difference(
                "shape", f"{'stretched' if wide > high else 'squeezed'} sideways by {wide / high:.0%}", False
            )
        if high > 1.02:
            yield Difference(
                "size",
                f"enlarged to {high:.0%}: {cut.width}×{cut.height} becomes {lies.size[0]}×{lies.size[1]}",
                False,
            )
        elif high < 0.98:
            yield Difference(
                "size",
                f"reduced to {high:.0%}: {cut.width}×{cut.height} becomes {lies.size[0]}×{lies.size[1]}",
            )
        if lies.size != (plan.width, plan.height):
            yield Difference("size", f"shown with bars in {plan.width}×{plan.height}", loss=False)
    if origin.width and origin.pixel_aspect != 1 and piece.shape == 1:
        yield Difference(
            "pixel shape",
            f"{pixels_told(origin.pixel_aspect)} become square: {origin.width}×{origin.height} is resampled to {plan.width}×{plan.height}",
        )


def _colour(ready: OutputReady) -> Iterator[Difference]:
    """What the stream says of colour and light."""
    picture, settings, cut = ready.recipe.picture, ready.plan.settings, ready.source.cut
    assert picture is not None and settings is not None
    origin, piece = cut.origin, ready.plan.pieces[0]
    if high_range(cut.colour) and (origin.mastering or origin.light) and not picture.kind.light:
        yield Difference(
            "HDR10", f"{picture.kind.name} is written without HDR10's mastering display and light levels"
        )
    if settings.colour[:3] != (2, 2, 2) and picture.kind.tags != "none":
        composed = piece.colour
        if not same_look(cut.colour, composed) and composed[2] != 0 and cut.colour[3] == composed[3]:
            yield Difference(
                "colour", f"{colour_told(cut.colour)} becomes {colour_told(composed)}", loss=False
            )
    if cut.colour[3] == 2 and settings.colour[3] == 1 and cut.colour[2] != 0 and picture.kind.tags != "none":
        yield Difference("range", "full range becomes limited range", loss=False)


def _scan(ready: OutputReady, origin: Origin) -> Iterator[Difference]:
    picture, settings = ready.recipe.picture, ready.plan.settings
    assert picture is not None and settings is not None
    if origin.scan != "progressive" and picture.scan == "progressive":
        yield Difference(
            "scan", f"interlaced, {origin.scan}, becomes progressive: each picture is made of one field"
        )
    elif origin.scan == "progressive" and picture.scan != "progressive":
        yield Difference("scan", f"progressive becomes interlaced ({picture.scan})", loss=False)
    elif origin.scan != picture.scan:
        yield Difference("scan", f"fields {origin.scan} become {picture.scan}")
    elif origin.scan != "progressive" and not settings.own_fields:
        yield Difference("scan", "its fields are taken apart and woven anew", loss=False)


def _samples(ready: OutputReady, origin: Origin) -> Iterator[Difference]:
    picture = ready.recipe.picture
    assert picture is not None
    sampling = sampling_of(picture)
    if origin.depth > sampling.depth:
        yield Difference("depth", f"{origin.depth} bits become {sampling.depth}")
    if origin.chroma == "RGB" and sampling.chroma != "RGB":
        yield Difference("chroma", f"RGB becomes {sampling.chroma}")
    elif FINENESS[origin.chroma] > FINENESS[sampling.chroma]:
        yield Difference("chroma", f"colour of {origin.chroma} becomes {sampling.chroma}")
    if origin.alpha and not sampling.alpha:
        yield Difference("alpha", "what is see-through is laid over black")


def _sound(ready: OutputReady) -> Iterator[Difference]:
    asked, job, cut = ready.recipe.sound, ready.plan.sound, ready.source.cut
    origin = cut.origin
    if not cut.sound:
        return
    if asked is None or job is None:
        yield Difference("sound", "its sound is left out")
        return
    taken = tracks_taken(cut, asked, ready.recipe.container)
    if origin.clip and len(origin.sound) > 1:
        left = [n for n in range(len(origin.sound)) if n not in taken]
        if left:
            names = ", ".join(_track_name(origin, n) for n in left)
            yield Difference(
                "tracks", f"of {len(origin.sound)} sound tracks {_count(left)} left out: {names}"
            )
    elif not origin.clip and len(cut.sound_tracks) > 1 and not job.tracks:
        yield Difference(
            "tracks", f"{len(cut.sound_tracks)} sound tracks are mixed to one, as they are heard", loss=False
        )
    known = (number for number in (taken if job.tracks else taken[:1]) if number < len(origin.sound))
    if (first := next(known, None)) is not None:
        yield from _track(ready, job, first, taken)


def _track(ready: OutputReady, job: SoundJob, number: int, taken: Sequence[int]) -> Iterator[Difference]:
    """What becomes of a track: its layout, its rate, its depth, its language."""
    cut, origin = ready.source.cut, ready.source.cut.origin
    own, made = origin.sound[number], job.layout_of(taken.index(number) if job.tracks else 0)
    channels = (
        sum(origin.sound[n].channels for n in taken)
        if not job.tracks and len(cut.sound[0].tracks) > 1
        else own.channels
    )
    if channels > channels_of(made):
        yield Difference(
            "layout",
            f"{layout_told(own.layout)} is folded to {layout_told(made)}"
            if channels == own.channels
            else f"{channels} channels are folded to {layout_told(made)}",
        )
    elif channels < channels_of(made):
        yield Difference("layout", f"{layout_told(own.layout)} becomes {layout_told(made)}", loss=False)
    if own.sample_rate != job.sample_rate:
        yield Difference(
            "sampling rate",
            f"{own.sample_rate:,} Hz becomes {job.sample_rate:,} Hz",
            own.sample_rate > job.sample_rate,
        )
    if own.depth and SOUND[job.codec].lossless and own.depth > job.depth:
        yield Difference("sound depth", f"{own.depth} bits become {job.depth}")
    if (
        own.language
        and not job.languages
        and ready.recipe.container not in ("mp4", "mov", "mkv", "webm", "ts")
    ):
        yield Difference(
            "language", f"{CONTAINERS[ready.recipe.container].name} doesn't say the language of sound"
        )


def _count(items: list[int]) -> str:
    return "one is" if len(items) == 1 else f"{len(items)} are"


def _track_name(origin: Origin, number: int) -> str:
    track = origin.sound[number]
    return f"{number + 1} ({track.language or layout_told(track.layout)})"
