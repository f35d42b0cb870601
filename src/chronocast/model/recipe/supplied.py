"""Recipes that come with Chronocast, each for a purpose."""

from __future__ import annotations

from typing import Literal, TypedDict

from chronocast.model.recipe.formats.rate_controls import Mode
from chronocast.model.recipe.recipe import (
    FrameSize,
    PictureRecipe,
    RateControl,
    Recipe,
    SoundRecipe,
    StillsTaken,
)


def _up_to(width: int, height: int) -> FrameSize:
    return FrameSize(mode="ceiling", width=width, height=height)


def _average(target: int, peak: int | None = None, mode: Mode = "variable") -> RateControl:
    return RateControl(mode=mode, target_bits_per_second=target, peak_bits_per_second=peak or target * 2)


class _Kept(TypedDict):
    alpha: Literal["source"]
    shape: Literal["source"]
    scan: Literal["source"]
    timecode: Literal["source"]


_AS_SOURCE: _Kept = {"alpha": "source", "shape": "source", "scan": "source", "timecode": "source"}
_SOUND_AS_SOURCE = SoundRecipe(
    codec="pcm", depth="source", sample_rate="source", layout="source", tracks="each"
)
"""What a master keeps of its source, wherever its codec and its container can hold it."""

_RECIPES = (
    Recipe(
        id="web-1080",
        name="Web 1080, 6 Mb/s",
        purpose="For the exhibition site at its best: up to 1920×1080, 6 Mb/s met within 1 %.",
        picture=PictureRecipe(
            size=_up_to(1920, 1080), rate_control=_average(6_000_000, 12_000_000, "two pass")
        ),
        sound=SoundRecipe(bits_per_second=192_000),
    ),
    Recipe(
        id="web-720",
        name="Web 720, 3 Mb/s",
        purpose="For the exhibition site: up to 1280×720, an average of 3 Mb/s.",
        picture=PictureRecipe(size=_up_to(1280, 720), rate_control=_average(3_000_000)),
    ),
    Recipe(
        id="web-360",
        name="Web 360, 800 kb/s",
        purpose="For slow lines: up to 640×360, an average of 800 kb/s.",
        picture=PictureRecipe(size=_up_to(640, 360), rate_control=_average(800_000)),
        sound=SoundRecipe(bits_per_second=96_000),
    ),
    Recipe(
        id="review-360",
        name="Review 360, 700 kb/s",
        purpose="A small copy to look at and comment on: up to 640×360, quick to make.",
        picture=PictureRecipe(effort="fast", size=_up_to(640, 360), rate_control=_average(700_000)),
        sound=SoundRecipe(bits_per_second=96_000),
    ),
    Recipe(
        id="broadcast-master",
        name="Broadcast master, MPEG-2 50 Mb/s interlaced",
        purpose="For a broadcaster's server: 1920×1080, 25 frames in fields, 50 Mb/s in 4:2:2, PCM sound, MXF.",
        container="mxf",
        picture=PictureRecipe(
            codec="mpeg2",
            chroma="4:2:2",
            size=FrameSize(mode="fixed", width=1920, height=1080),
            rate="25",
            scan="top first",
            key_frame_seconds=0.48,
            profile="4:2:2",
            level="high",
            rate_control=RateControl(
                mode="constant", target_bits_per_second=50_000_000, buffer_bits=36_408_000
            ),
        ),
        sound=SoundRecipe(codec="pcm", depth=24),
    ),
    Recipe(
        id="mezzanine-light",
        name="Mezzanine light, ProRes LT",
        purpose="To go on working with where drives are small: size as the source, every frame whole.",
        container="mov",
        picture=PictureRecipe(codec="prores", grade="lt", **_AS_SOURCE),
        sound=_SOUND_AS_SOURCE,
    ),
    Recipe(
        id="mezzanine-standard",
        name="Mezzanine standard, ProRes Standard",
        purpose="To go on working with: size as the source, every frame whole, 4:2:2 in 10 bits.",
        container="mov",
        picture=PictureRecipe(codec="prores", grade="standard", **_AS_SOURCE),
        sound=_SOUND_AS_SOURCE,
    ),
    Recipe(
        id="mezzanine-high",
        name="Mezzanine high, ProRes HQ",
        purpose="For grading and hand-over to another house: as good as the source to the eye.",
        container="mov",
        picture=PictureRecipe(codec="prores", grade="hq", **_AS_SOURCE),
        sound=_SOUND_AS_SOURCE,
    ),
    Recipe(
        id="archive-lossless",
        name="Archive lossless, FFV1",
        purpose="To keep for good: picture and sound as the source is, nothing lost, every slice with its own sum, an open format.",
        container="mkv",
        picture=PictureRecipe(codec="ffv1", depth="source", chroma="source", **_AS_SOURCE),
        sound=_SOUND_AS_SOURCE.model_copy(update={"codec": "flac"}),
    ),
    Recipe(
        id="kiosk-quality",
        name="Kiosk, constant quality 20",
        purpose="For the hall's players, in a loop: size as the source, the same quality everywhere, whatever it takes.",
        picture=PictureRecipe(rate_control=RateControl(mode="quality", quality=20), key_frame_seconds=1.0),
        sound=SoundRecipe(bits_per_second=192_000),
    ),
    Recipe(
        id="upright-720",
        name="Upright 720×1280, 2 Mb/s",
        purpose="For phones held upright and the column at the door: 720×1280, filled, its sides cut off.",
        picture=PictureRecipe(
            size=FrameSize(mode="fixed", width=720, height=1280),
            framing="fill",
            rate_control=_average(2_000_000),
        ),
    ),
    Recipe(
        id="phone-540",
        name="Phone 540, HEVC quality 27",
        purpose="To send by message: up to 960×540, HEVC, small for its look.",
        picture=PictureRecipe(
            codec="hevc", size=_up_to(960, 540), rate_control=RateControl(mode="quality", quality=27)
        ),
        sound=SoundRecipe(bits_per_second=96_000),
    ),
    Recipe(
        id="sound-wav",
        name="Sound only, WAV 24 bit",
        purpose="For the mix: the sound alone, as it is.",
        container="wav",
        picture=None,
        sound=SoundRecipe(codec="pcm", depth="source", sample_rate="source", layout="source"),
    ),
    Recipe(
        id="stills-5s",
        name="Stills, JPEG every 5 s",
        purpose="To choose a picture for print from: one every five seconds, size as the source.",
        container="images",
        picture=PictureRecipe(
            codec="jpeg",
            stills=StillsTaken(mode="interval", seconds=5),
            rate_control=RateControl(mode="quality", quality=3),
        ),
        sound=None,
    ),
)
SUPPLIED: tuple[Recipe, ...] = tuple(recipe.as_saved() for recipe in _RECIPES)
BASIC: tuple[Recipe, ...] = tuple(
    recipe
    for name in ("web-720", "review-360", "kiosk-quality", "upright-720")
    for recipe in SUPPLIED
    if recipe.id == name
)
"""The columns a new batch begins with."""


def supplied(identifier: str) -> Recipe | None:
    """The supplied recipe of that id, if there is one."""
    return next((recipe for recipe in SUPPLIED if recipe.id == identifier), None)
