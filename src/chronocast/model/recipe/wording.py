"""What a recipe is called by what it makes, and in a few words."""

from __future__ import annotations

from chronocast.model.recipe.codecs import PICTURE, SOUND
from chronocast.model.recipe.containers import CONTAINERS
from chronocast.model.recipe.rate_controls import GRADED, LOSSLESS
from chronocast.model.recipe.recipe import PictureRecipe, Recipe, SoundRecipe


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
