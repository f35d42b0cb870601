"""What a recipe is called by what it makes, and in a few words."""

from __future__ import annotations

from typing import Any

from chronocast.model.recipe.formats.codecs import PICTURE, SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.model.recipe.formats.rate_controls import GRADED, LOSSLESS
from chronocast.model.recipe.recipe import PictureRecipe, Recipe, SoundRecipe
from chronocast.model.show import rate_bits_text


def size_words(picture: PictureRecipe) -> str:
    """Its frame size in a few words."""
    size = picture.size
    if size.mode == "source":
        return "as source"
    return f"up to {size.width}×{size.height}" if size.mode == "ceiling" else f"{size.width}×{size.height}"


def rate_words(picture: PictureRecipe) -> str:
    """How its rate comes about: ``3 Mb/s``, ``quality 20``, ``HQ``, ``lossless``."""
    control = picture.rate_control
    if picture.steering is GRADED:
        grade = picture.kind.grade(picture.grade)
        return grade.name if grade else ""
    if picture.steering is LOSSLESS:
        return "lossless"
    return picture.steering.words(control.target_bits_per_second, control.quality)


def sound_words(sound: SoundRecipe | None) -> str:
    """Its sound in a few words."""
    if sound is None:
        return "no sound"
    codec = SOUND[sound.codec]
    depth = "as source" if sound.depth == "source" else f"{sound.depth} bit"
    more = depth if codec.lossless else f"{sound.bits_per_second / 1000:g} kb/s"
    each = ", each track" if sound.tracks == "each" else ""
    layout = "as source" if sound.layout == "source" else sound.layout
    chosen = f", {' '.join(sound.choose)} only" if sound.choose else ""
    both = layout if layout == more else f"{layout} {more}"
    return f"{codec.name} {both}{each}{chosen}"


def telling_name(recipe: Recipe) -> str:
    """A name proposed from what the recipe makes, at most 80 signs.

    >>> telling_name(Recipe(id="a", name="A", sound=None))
    'H.264 as source, 4 Mb/s, no sound, MP4'
    """
    box = CONTAINERS[recipe.container].name
    if recipe.picture is None:
        return f"{sound_words(recipe.sound)}, {box}"[:80]
    picture = recipe.picture
    codec = PICTURE[picture.codec].name
    if picture.kind.kind == "images":
        every = {"every": "every picture", "first": "the first", "middle": "the middle one"}.get(
            picture.stills.mode, f"every {picture.stills.seconds:g} s"
        )
        return f"{codec} stills {size_words(picture)}, {every}"[:80]
    scan = {"progressive": "", "source": ", scan as source"}.get(picture.scan, ", interlaced")
    rate = f", {picture.rate} fps" if picture.rate else ""
    sound = (
        ", no sound"
        if recipe.sound is None
        else ""
        if recipe.sound.layout in ("stereo", "source")
        else f", {recipe.sound.layout}"
    )
    return f"{codec} {size_words(picture)}, {rate_words(picture)}{rate}{scan}{sound}, {box}"[:80]


def recipe_facts(recipe: Recipe) -> str:
    """A recipe in a few words: size, codec, rate."""
    if recipe.picture is None:
        return f"sound only · {sound_words(recipe.sound)}"
    size = recipe.picture.size
    where = {
        "source": "as source",
        "ceiling": f"up to {size.height}",
        "fixed": f"{size.width}×{size.height}",
    }[size.mode]
    silent = "" if recipe.sound or recipe.picture.kind.kind == "images" else " · no sound"
    return f"{where} · {PICTURE[recipe.picture.codec].name} · {rate_words(recipe.picture)}{silent}"


COPIES_WORDS = {"exact": "where nothing changes", "alike": "where the source fits", "never": "nothing"}
_LABELS = {
    "picture.rate_control.target_bits_per_second": "rate",
    "picture.rate_control.peak_bits_per_second": "peak",
    "picture.rate_control.buffer_bits": "buffer",
    "picture.rate_control.quality": "quality",
    "picture.rate_control.mode": "rate control",
    "picture.key_frame_seconds": "key frames",
    "picture.copies": "copied",
    "picture.drawn": "drawn from",
    "picture.bases": "composed once",
    "picture.route": "encoded in",
    "picture.kernel": "scaled with",
    "picture.working_depth": "composed in",
    "picture.without_device": "if its device is lost",
    "sound.bits_per_second": "sound rate",
    "picture.size.mode": "frame size",
    "picture.size.width": "width",
    "picture.size.height": "height",
}


def label_of(name: str) -> str:
    """A field as a person calls it."""
    return _LABELS.get(name, name.removeprefix("picture.").replace("_", " ").replace(".", " "))


def say(name: str, value: Any) -> str:
    """A field's value as a person says it."""
    if value is None:
        return "none"
    if name.endswith("bits_per_second"):
        return rate_bits_text(value)
    if name.endswith("_seconds"):
        return f"{value:g} s"
    if name == "picture.copies":
        return COPIES_WORDS[value]
    if isinstance(value, dict):
        return "there"
    return ", ".join(map(str, value)) if isinstance(value, list | tuple) else str(value)
