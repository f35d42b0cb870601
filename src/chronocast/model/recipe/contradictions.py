"""Does a recipe agree with itself, and with what it is to be made of?  Each contradiction with its way out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from chronocast.model.lookup import once_each
from chronocast.model.recipe.formats.codec import Sampling
from chronocast.model.recipe.formats.codecs import PICTURE, SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS, holding
from chronocast.model.recipe.formats.levels import broken, least_level, level_of, levels
from chronocast.model.recipe.formats.rate_controls import RATE_CONTROLS
from chronocast.model.recipe.recipe import CHANNELS, PictureRecipe, Recipe, SoundRecipe
from chronocast.model.show import rate_bits_text
from chronocast.model.time.timing import Rate, rate_text


@dataclass(frozen=True)
class Conflict:
    """Two settings that exclude each other: where (a dotted field), what, and the way out.

    ``changes`` are the fields that would mend it, where one answer is at hand.
    """

    field: str
    sentence: str
    remedy: str
    changes: tuple[tuple[str, object], ...] = ()


def conflicts(recipe: Recipe) -> list[Conflict]:
    """What in a recipe contradicts itself, whatever it is made of."""
    return list(_conflicts(recipe))


@once_each
def _conflicts(recipe: Recipe) -> tuple[Conflict, ...]:
    found = list(_container(recipe))
    if recipe.picture:
        found += _picture(recipe.picture)
    if recipe.sound:
        found += _sound(recipe.sound, recipe.container)
    return tuple(found)


def _names(ids: tuple[str, ...]) -> str:
    return ", ".join(CONTAINERS[item].name for item in ids) or "none that is written here"


def rate_conflicts(recipe: Recipe, rate: Rate) -> list[Conflict]:
    """Whether a container takes a frame rate."""
    rates = CONTAINERS[recipe.container].rates
    if recipe.picture is None or rates is None or rate in rates:
        return []
    return [
        Conflict(
            "picture.rate",
            f"MXF has no edit rate of {rate_text(rate)}.",
            "Convert the rate to 23.976, 24, 25, 29.97, 30, 50, 59.94 or 60, or choose MOV.",
            (("picture.rate", "25"),),
        )
    ]


def _container(recipe: Recipe) -> Iterator[Conflict]:
    box = CONTAINERS[recipe.container]
    picture = recipe.picture.codec if recipe.picture else None
    sound = recipe.sound.codec if recipe.sound else None
    both = holding(picture, sound)
    first = (("container", both[0]),) if both else ()
    if picture and not box.picture:
        yield Conflict(
            "container",
            f"{box.name} holds sound only, and this recipe has a picture.",
            f"Choose {_names(both)}, or take the picture out.",
            first,
        )
    elif picture and picture not in box.picture:
        yield Conflict(
            "container",
            f"{box.name} doesn't hold {PICTURE[picture].name}.",
            f"Choose {_names(both or holding(picture, None))}, or another picture codec.",
            first,
        )
    elif picture is None and box.picture:
        yield Conflict(
            "container",
            f"{box.name} is for pictures; this recipe is sound only.",
            f"Choose {_names(both)}.",
            first,
        )
    if sound and not box.sound:
        yield Conflict(
            "sound",
            "A folder of images holds no sound.",
            "Take the sound out, or choose a film's container.",
            (("sound", None),),
        )
    elif sound and sound not in box.sound:
        usual = box.sound[0]
        yield Conflict(
            "sound.codec",
            f"{box.name} doesn't hold {SOUND[sound].name}.",
            f"Choose {' or '.join(SOUND[item].name for item in box.sound)}"
            + (f", or {_names(both)}." if both else "."),
            (("sound.codec", usual), *((("sound.sample_rate", 48000),) if usual == "opus" else ())),
        )
    if recipe.sound and recipe.sound.sample_rate not in (*box.sound_rates, "source") and box.sound:
        yield Conflict(
            "sound.sample_rate",
            f"{box.name} takes sound at {box.sound_rates[0]:,} Hz only.",
            f"Choose {box.sound_rates[0]:,} Hz.",
            (("sound.sample_rate", box.sound_rates[0]),),
        )
    if recipe.sound and recipe.sound.tracks == "each" and box.most_tracks == 1:
        yield Conflict(
            "sound.tracks",
            f"{box.name} holds one sound track.",
            "Mix the tracks to one, or choose MKV or MOV.",
            (("sound.tracks", "mixed"),),
        )


def _picture(picture: PictureRecipe) -> Iterator[Conflict]:
    codec = picture.kind
    control = picture.rate_control
    if codec.modes and control.mode not in codec.modes:
        why = codec.without.get(control.mode, "it has no such rate control")
        yield Conflict(
            "picture.rate_control.mode",
            f"{codec.name} can't be had with {control.mode}: {why}.",
            f"Choose {' or '.join(codec.modes)}.",
            (("picture.rate_control.mode", codec.modes[-1]),),
        )
    if codec.quality and picture.steering is RATE_CONTROLS["quality"]:
        best, worst, usual = codec.quality
        if not best <= control.quality <= worst:
            yield Conflict(
                "picture.rate_control.quality",
                f"{codec.name} has qualities from {best:g} (best) to {worst:g}; {control.quality:g} is none of them.",
                f"Choose one of them; {usual:g} is usual.",
                (("picture.rate_control.quality", usual),),
            )
    peak = control.peak_bits_per_second
    if (
        picture.steering.rated
        and not picture.steering.even
        and peak
        and peak < control.target_bits_per_second
    ):
        yield Conflict(
            "picture.rate_control.peak_bits_per_second",
            f"The peak of {rate_bits_text(peak)} is below the average of {rate_bits_text(control.target_bits_per_second)}.",
            "Raise the peak, or lower the average.",
            (("picture.rate_control.peak_bits_per_second", control.target_bits_per_second * 2),),
        )
    if peak and codec.modes and picture.control not in codec.peaks:
        yield Conflict(
            "picture.rate_control.peak_bits_per_second",
            f"{codec.name} keeps no peak with {picture.control}.",
            "Take the peak out, or choose H.264, HEVC or MPEG-2.",
            (("picture.rate_control.peak_bits_per_second", None),),
        )
    if codec.grades and picture.grade is not None and all(item.id != picture.grade for item in codec.grades):
        yield Conflict(
            "picture.grade",
            f"{codec.name} has no grade “{picture.grade}”.",
            f"Choose {', '.join(item.name for item in codec.grades)}.",
            (("picture.grade", None),),
        )
    asked = [
        item
        for item in codec.choices
        if picture.depth in (None, "source", item.depth) and picture.chroma in (None, "source", item.chroma)
    ]
    if not codec.grades and not asked:
        told = " ".join(
            str(part) for part in (picture.depth and f"{picture.depth} bit", picture.chroma) if part
        )
        yield Conflict(
            "picture.depth",
            f"{codec.name} isn't written in {told} here.",
            f"Choose {', '.join(item.name for item in codec.choices)}.",
            (("picture.depth", None), ("picture.chroma", None)),
        )
    if picture.scan not in (*codec.scans, "source"):
        able = " or ".join(item.name for item in PICTURE.values() if len(item.scans) > 1)
        yield Conflict(
            "picture.scan",
            f"{codec.name} is written progressive only; interlaced is for {able}.",
            f"Choose progressive, or {able}.",
            (("picture.scan", "progressive"),),
        )
    if picture.alpha == "keep" and not codec.grades and not any(item.alpha for item in codec.samplings):
        able = " or ".join(item.name for item in PICTURE.values() if any(s.alpha for s in item.samplings))
        yield Conflict(
            "picture.alpha",
            f"{codec.name} holds no alpha.",
            f"Drop it, or choose {able} or ProRes 4444.",
            (("picture.alpha", "drop"),),
        )
    if picture.encoder is not None and picture.encoder not in (*codec.encoders, *codec.hardware):
        yield Conflict(
            "picture.encoder",
            f"{picture.encoder} doesn't write {codec.name}.",
            f"Choose {' or '.join(codec.encoders)}.",
            (("picture.encoder", None),),
        )
    yield from _profile(picture)


def _sampling(picture: PictureRecipe) -> Sampling:
    """What is encoded; where the source decides, what is usual."""
    depth = picture.depth if picture.depth != "source" else None
    chroma = picture.chroma if picture.chroma != "source" else None
    return picture.kind.sampling(depth, chroma, picture.grade, picture.alpha == "keep")


def usual_profile(picture: PictureRecipe) -> str | None:
    """The profile a recipe's settings need, where its codec has profiles."""
    return picture.kind.profile(_sampling(picture))


def _profile(picture: PictureRecipe) -> Iterator[Conflict]:
    codec, needed = picture.kind, usual_profile(picture)
    if picture.profile is None:
        return
    sampling = _sampling(picture)
    if picture.profile not in codec.profiles:
        yield Conflict(
            "picture.profile",
            f"{codec.name} has no profile “{picture.profile}” here.",
            f"Choose {', '.join(codec.profiles)}." if codec.profiles else "Leave the profile out.",
            (("picture.profile", None),),
        )
    elif picture.codec == "h264" and picture.profile in ("baseline", "main"):
        if sampling.name != "8 bit 4:2:0":
            yield Conflict(
                "picture.profile",
                f"The {picture.profile} profile of H.264 holds 8 bit 4:2:0, not {sampling.name}.",
                f"Choose the profile {needed}, or 8 bit 4:2:0.",
                (("picture.profile", needed),),
            )
        elif picture.profile == "baseline" and picture.scan != "progressive":
            yield Conflict(
                "picture.profile",
                "The baseline profile of H.264 holds no interlaced pictures.",
                "Choose main or high.",
                (("picture.profile", "main"),),
            )
    elif needed and picture.profile != needed:
        below = codec.profiles.index(picture.profile) < codec.profiles.index(needed)
        yield Conflict(
            "picture.profile",
            f"The profile {picture.profile} of {codec.name} doesn't hold {sampling.name}."
            if below
            else f"A stream of {sampling.name} is of the profile {needed}, not {picture.profile}.",
            f"Choose {needed}, or other samples." if not below else f"Choose {needed}.",
            (("picture.profile", needed),),
        )


def profile_reasons(picture: PictureRecipe) -> dict[str, str]:
    """Profiles of a codec that its samples or scan rule out, each with the reason."""
    found = {}
    for name in picture.kind.profiles:
        conflict = next(_profile(picture.model_copy(update={"profile": name})), None)
        if conflict is not None:
            found[name] = conflict.sentence.rstrip(".")
    return found


def _sound(sound: SoundRecipe, container: str) -> Iterator[Conflict]:
    codec = SOUND[sound.codec]
    if sound.sample_rate not in (*codec.rates, "source"):
        yield Conflict(
            "sound.sample_rate",
            f"{codec.name} works at {codec.rates[0]:,} Hz only.",
            f"Choose {codec.rates[0]:,} Hz.",
            (("sound.sample_rate", codec.rates[0]),),
        )
    if sound.layout != "source" and CHANNELS[sound.layout] not in codec.channels:
        yield Conflict(
            "sound.layout",
            f"{codec.name} holds mono or stereo, not {sound.layout}.",
            "Choose stereo, or another codec.",
            (("sound.layout", "stereo"),),
        )
    if not codec.lossless:
        low, high, usual = codec.bits
        if not low <= sound.bits_per_second <= high:
            yield Conflict(
                "sound.bits_per_second",
                f"{codec.name} takes {low // 1000} to {high // 1000} kb/s; {sound.bits_per_second / 1000:g} kb/s is outside.",
                f"Choose a rate within; {usual // 1000} kb/s is usual.",
                (("sound.bits_per_second", min(max(low, sound.bits_per_second), high)),),
            )


def level_conflicts(picture: PictureRecipe, width: int, height: int, rate: Rate) -> list[Conflict]:
    """Whether a recipe's level holds a frame size, a rate and a peak, and whether its codec takes the size at all.

    Parameters
    ----------
    picture
        What is asked of the picture.
    width, height
        Of the frame, in pixels.
    rate
        Frames a second.
    """
    found = []
    codec = picture.kind
    if width < codec.least[0] or height < codec.least[1]:
        found.append(
            Conflict(
                "picture.size",
                f"{codec.name} wants at least {codec.least[0]}×{codec.least[1]}; this is {width}×{height}.",
                "Choose a larger frame size, or another codec.",
            )
        )
    if codec.rates is not None and rate not in codec.rates:
        found.append(
            Conflict(
                "picture.rate",
                f"{codec.name} has no frame rate of {rate_text(rate)}.",
                "Convert the rate to 23.976, 24, 25, 29.97, 30, 50, 59.94 or 60, or choose another codec.",
                (("picture.rate", "25"),),
            )
        )
    table = levels(picture.codec, picture.profile or usual_profile(picture))
    if picture.level is None or not table:
        if picture.level is not None:
            found.append(
                Conflict(
                    "picture.level",
                    f"{codec.name} has no levels.",
                    "Leave the level out.",
                    (("picture.level", None),),
                )
            )
        return found
    profile = picture.profile or usual_profile(picture)
    level = level_of(picture.codec, profile, picture.level)
    if level is None:
        names = ", ".join(item.name for item in table)
        found.append(
            Conflict(
                "picture.level",
                f"{codec.name} has no level {picture.level}.",
                f"Choose one of {names}.",
                (("picture.level", None),),
            )
        )
        return found
    fields = picture.scan != "progressive"
    bits, buffer = picture.peak or 0, picture.buffer or 0
    clause = broken(
        picture.codec,
        level,
        width=width,
        height=height,
        rate=rate,
        bits=bits,
        buffer=buffer,
        interlaced=fields,
    )
    if clause:
        least = least_level(
            picture.codec,
            profile,
            width=width,
            height=height,
            rate=rate,
            bits=bits,
            buffer=buffer,
            interlaced=fields,
        )
        remedy = (
            f"Choose level {least.name}, or ask for less."
            if least
            else "No level holds all of it: ask for less."
        )
        found.append(
            Conflict(
                "picture.level",
                clause[0].upper() + clause[1:] + ".",
                remedy,
                (("picture.level", least.name),) if least else (),
            )
        )
    return found


def unavailable(picture: PictureRecipe) -> dict[str, str]:
    """Rate controls that a codec doesn't have, each with the reason."""
    codec = picture.kind
    if not codec.modes:
        why = (
            "its rate follows from its grade"
            if codec.grades
            else "nothing is lost, so there is no rate to ask for"
        )
        return dict.fromkeys(RATE_CONTROLS, f"{codec.name}: {why}")
    return {
        mode: f"{codec.name}: {codec.without.get(mode, 'it has no such rate control')}"
        for mode in RATE_CONTROLS
        if mode not in codec.modes
    }
