"""*As the source is*: the nearest recipe that can be written here."""

from __future__ import annotations

from typing import NamedTuple

from chronocast.model.errors import ModelError
from chronocast.model.recipe.formats.codec import PictureCodec, SoundCodec
from chronocast.model.recipe.formats.codecs import PICTURE, SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS, holding
from chronocast.model.recipe.recipe import PictureRecipe, RateControl, Recipe, SoundRecipe
from chronocast.model.recipe.wording import telling_name
from chronocast.model.source.facts import ClipFacts
from chronocast.model.source.origin import samples_of


def picture_codec(stream: str) -> PictureCodec | None:
    """The codec that a stream is written in here, or the nearest to it; by what the libraries call the stream."""
    films = [codec for codec in PICTURE.values() if codec.kind != "images"]
    same = next((codec for codec in films if codec.stream_name == stream), None)
    return same or next((codec for codec in films if stream in codec.stands_for), None)


def sound_codec(stream: str) -> SoundCodec | None:
    """The codec that a track is written in here, or the nearest to it."""
    if stream.startswith("pcm"):
        return SOUND["pcm"]
    return SOUND.get(stream) or next((codec for codec in SOUND.values() if stream in codec.stands_for), None)


class Nearest(NamedTuple):
    """The recipe nearest to a file, and a sentence for each thing in which it can't be like it."""

    recipe: Recipe
    departures: list[str]


def as_the_source(facts: ClipFacts) -> Nearest:
    """A recipe that makes files as this one is, and where it can't: sentences.

    Raises
    ------
    ModelError
        Nothing like it can be written.
    """
    told: list[str] = []
    picture = _picture(facts, told) if facts.width else None
    sound = _sound(facts, told)
    if picture is None and sound is None:
        raise ModelError(f"{facts.path} has neither picture nor sound that can be written.")
    ending = "." + facts.path.rsplit(".", 1)[-1].lower()
    fits = holding(picture.codec if picture else None, sound.codec if sound else None)
    box = next(
        (item.id for item in CONTAINERS.values() if ending in (item.extension, *item.other_extensions)), ""
    )
    if box not in fits:
        if not fits and picture and sound:
            sound = sound.model_copy(
                update={"codec": "pcm" if "mov" in holding(picture.codec, "pcm") else "aac"}
            )
            fits = holding(picture.codec, sound.codec)
            told.append(
                f"Its sound goes to {sound.codec.upper()}: no container that is written here holds both codecs."
            )
        if not fits:
            raise ModelError(f"No container that is written here holds what {facts.path} is made of.")
        told.append(
            f"{ending[1:].upper()} is not written with these codecs here; {CONTAINERS[fits[0]].name} stands for it."
        )
        box = fits[0]
    if picture is not None:
        picture = picture.model_copy(update=_kept_by(box, picture))
    made = Recipe.model_validate(
        {
            "id": "as-the-source",
            "name": "As the source",
            "purpose": "As the source is, as near as can be written here.",
            "container": box,
            "picture": picture.model_dump() if picture else None,
            "sound": sound.model_dump() if sound else None,
        }
    )
    return Nearest(made.model_copy(update={"name": telling_name(made)}), told)


def _kept_by(box: str, picture: PictureRecipe) -> dict[str, str]:
    """What a container can't carry is not asked of it."""
    return {} if CONTAINERS[box].timecode else {"timecode": "none"}


def _picture(facts: ClipFacts, told: list[str]) -> PictureRecipe:
    kind = picture_codec(facts.video_codec) or PICTURE["h264"]
    if kind.stream_name != facts.video_codec:
        told.append(f"{facts.video_codec} is not written here; {kind.name} stands for it.")
    sound = (
        sum(track.sample_rate * track.channels * 2 for track in facts.audio)
        if not kind.modes
        else 128_000 * len(facts.audio)
    )
    bits = min(1_000_000_000, max(10_000, facts.bit_rate - sound))
    depth, chroma, _ = samples_of(facts.pixel_format)
    grade = _grade(kind, facts)
    exact = any(item.depth == depth and item.chroma == chroma for item in kind.samplings) and not kind.grades
    order = "bottom first" if facts.field_order == "bottom first" else "top first"
    scan = order if facts.interlaced and order in kind.scans else "progressive"
    if facts.interlaced and scan == "progressive":
        told.append(f"{kind.name} is written progressive here; its fields become frames.")
    mode = "two pass" if "two pass" in kind.modes else "variable"
    return PictureRecipe.model_validate(
        {
            "codec": kind.id,
            "grade": grade,
            "depth": depth if exact else None,
            "chroma": chroma if exact else None,
            "scan": scan,
            "alpha": "source" if facts.alpha else "drop",
            "timecode": "source" if facts.timecode else "none",
            "rate_control": RateControl(
                mode=mode, target_bits_per_second=bits, peak_bits_per_second=bits * 2
            ).model_dump(),
        }
    )


def _grade(kind: PictureCodec, facts: ClipFacts) -> str | None:
    """The grade that a stream says it is of; the nearest by its rate where it doesn't say."""
    if not kind.grades:
        return None
    said = facts.profile.lower().replace("dnxhr", "").replace("prores", "").strip()
    named = next((item for item in kind.grades if said and said in (item.id, item.name.lower())), None)
    pixels = max(1, facts.width * facts.height) * float(facts.rate)
    near = min(kind.grades, key=lambda item: abs(item.bits_a_pixel - facts.bit_rate / pixels))
    return (named or near).id


def _sound(facts: ClipFacts, told: list[str]) -> SoundRecipe | None:
    if not facts.audio:
        return None
    first = facts.audio[0]
    found = sound_codec(first.codec)
    codec = found.id if found else "aac"
    if found is None:
        told.append(f"{first.codec} is not written here; AAC stands for it.")
    layout = {1: "mono", 2: "stereo"}.get(first.channels, "5.1" if first.channels >= 6 else "stereo")
    rate = first.sample_rate if first.sample_rate in (44100, 48000) else 48000
    return SoundRecipe.model_validate(
        {
            "codec": codec,
            "layout": layout,
            "sample_rate": 48000 if codec == "opus" else rate,
            "depth": 16 if "16" in first.codec else 24,
            "tracks": "each" if len(facts.audio) > 1 else "mixed",
            "bits_per_second": {"mono": 96_000, "stereo": 192_000, "5.1": 384_000}[layout],
        }
    )
