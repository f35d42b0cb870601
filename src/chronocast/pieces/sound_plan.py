"""What sound is made for an output: its tracks, their layouts and languages."""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache
from typing import NamedTuple

from chronocast.media.piece.here import library_version
from chronocast.media.piece.sound import sound_encoder
from chronocast.model.errors import ModelError
from chronocast.model.lookup import Same
from chronocast.model.messages.jobs import SoundJob
from chronocast.model.recipe.formats.codec import SoundCodec
from chronocast.model.recipe.formats.codecs import SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.model.recipe.formats.languages import own_code
from chronocast.model.recipe.formats.layouts import USUAL, channels_of, known_layout
from chronocast.model.recipe.recipe import Recipe, SoundRecipe
from chronocast.model.source.cutlist import CutList
from chronocast.model.source.origin import SoundOrigin
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.name import sound_name


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
    assert recipe.sound is not None
    wanted = _Wanted(recipe.sound, recipe.container, accept_damage, seconds or part.seconds(source.rate))
    return _planned(Same(source), part, wanted)


class _Wanted(NamedTuple):
    """What is asked of a sound: as the recipe has it, in which container, damage accepted or not, how long."""

    sound: SoundRecipe
    container: str
    accept_damage: bool
    seconds: Fraction


@lru_cache(maxsize=64)
def _planned(of: Same[CutList], part: FrameRange, wanted: _Wanted) -> SoundJob:
    """One plan for all outputs of a source that sound alike; they are planned one after another."""
    source, asked, container = of.thing, wanted.sound, wanted.container
    codec = SOUND[asked.codec]
    tracks = tracks_taken(source, asked, container)
    known = [source.origin.sound[n] if n < len(source.origin.sound) else SoundOrigin() for n in tracks]
    rates = [item.sample_rate for item in known] or [48000]
    if asked.sample_rate != "source":
        sample_rate: int = asked.sample_rate
    else:
        sample_rate = codec.nearest_rate(max(rates), CONTAINERS[container].sound_rates)
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
        samples=round(wanted.seconds * sample_rate),
        sample_rate=sample_rate,
        channels=channels_of(layouts[0]),
        codec=asked.codec,
        bits_per_second=0 if codec.lossless else asked.bits_per_second,
        spans=() if apart else whole,
        tracks=tuple(single[n] for n in tracks) if apart else (),
        depth=depth if codec.lossless else 0,
        languages=languages if any(languages) else (),
        layouts=() if usual else tuple(layouts),
        accept_damage=wanted.accept_damage,
    )
    return renamed(job)


def renamed(job: SoundJob) -> SoundJob:
    """A sound with the name that follows from what it is."""
    encoder, _ = sound_encoder(job.codec, job.depth)
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
