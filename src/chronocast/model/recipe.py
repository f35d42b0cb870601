"""Recipes: every setting that makes one kind of file."""

from __future__ import annotations

import re
from fractions import Fraction
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from chronocast.model.errors import ModelError
from chronocast.model.timing import parse_rate

Identifier = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9._-]{0,63}$")]


class Document(BaseModel):
    """The base of all that is written to a file: frozen, unknown fields preserved."""

    model_config = ConfigDict(frozen=True, extra="allow", str_strip_whitespace=False)


class FrameSize(Document):
    """How large the picture becomes.

    *source* keeps the source's size; *ceiling* keeps it up to width × height
    and never enlarges; *fixed* fits it inside with bars.
    """

    mode: Literal["source", "ceiling", "fixed"] = "source"
    width: int = Field(default=1920, ge=16, le=16384)
    height: int = Field(default=1080, ge=16, le=16384)


class RateControl(Document):
    """*variable*: a target and a peak in bit/s.  *quality*: one constant quality, 0 (best) to 51."""

    mode: Literal["variable", "quality"] = "variable"
    target_bits_per_second: int = Field(default=4_000_000, ge=10_000, le=1_000_000_000)
    peak_bits_per_second: int | None = Field(default=None, ge=10_000, le=2_000_000_000)
    quality: float = Field(default=20.0, ge=0, le=51)


class PictureRecipe(Document):
    codec: Literal["h264"] = "h264"
    route: Literal["software"] = "software"
    effort: Literal["fast", "medium", "slow"] = "medium"
    size: FrameSize = FrameSize()
    framing: Literal["fit", "fill", "stretch"] = "fit"
    rate: str | None = None  # frames per second; None as the source
    retime: Literal["nearest", "blend", "motion"] = "nearest"
    rate_control: RateControl = RateControl()
    key_frame_seconds: float = Field(default=2.0, ge=0.1, le=20)

    @field_validator("rate")
    @classmethod
    def _a_rate(cls, value: str | None) -> str | None:
        if value is not None:
            try:
                parse_rate(value)
            except ModelError as error:
                raise ValueError(error.sentence) from None
        return value


class SoundRecipe(Document):
    """*mixed*: one track of everything.  *each*: every sound track of the source as a track of its own;
    with *mono*, discrete channels stay discrete."""

    codec: Literal["aac"] = "aac"
    bits_per_second: int = Field(default=128_000, ge=16_000, le=512_000)
    sample_rate: Literal[44100, 48000] = 48000
    layout: Literal["mono", "stereo", "5.1"] = "stereo"
    tracks: Literal["mixed", "each"] = "mixed"


class Recipe(Document):
    """Container, picture, sound.  ``id`` names it in a batch; ``name`` tells what it makes."""

    id: Identifier
    name: str = Field(min_length=1, max_length=80)
    purpose: str = Field(default="", max_length=400)
    container: Literal["mp4"] = "mp4"
    picture: PictureRecipe = PictureRecipe()
    sound: SoundRecipe | None = SoundRecipe()

    @field_validator("name")
    @classmethod
    def _one_line(cls, value: str) -> str:
        return re.sub(r"\s+", " ", value).strip() or "Recipe"


def frame_size(
    size: FrameSize, width: int, height: int, pixel_aspect: Fraction = Fraction(1)
) -> tuple[int, int]:
    """The exact frame size of an output, in square pixels, both sides even.

    >>> frame_size(FrameSize(mode="ceiling", width=640, height=360), 1280, 720)
    (640, 360)
    >>> frame_size(FrameSize(mode="ceiling", width=1920, height=1080), 1080, 1920)
    (606, 1080)
    """
    shown_width = Fraction(width) * pixel_aspect
    if size.mode == "fixed":
        return size.width // 2 * 2, size.height // 2 * 2
    if size.mode == "source":
        return max(2, round(shown_width / 2) * 2), max(2, height // 2 * 2)
    scale = min(Fraction(1), Fraction(size.width) / shown_width, Fraction(size.height, height))
    # rounded down, to stay below the ceiling
    return max(2, int(shown_width * scale / 2) * 2), max(2, int(height * scale / 2) * 2)


SUPPLIED: tuple[Recipe, ...] = (
    Recipe(
        id="web-720",
        name="Web 720, 3 Mb/s",
        purpose="For the exhibition site: up to 1280×720, an average of 3 Mb/s.",
        picture=PictureRecipe(
            size=FrameSize(mode="ceiling", width=1280, height=720),
            rate_control=RateControl(target_bits_per_second=3_000_000, peak_bits_per_second=6_000_000),
        ),
    ),
    Recipe(
        id="review-360",
        name="Review 360, 700 kb/s",
        purpose="A small copy to look at and comment on: up to 640×360, quick to make.",
        picture=PictureRecipe(
            effort="fast",
            size=FrameSize(mode="ceiling", width=640, height=360),
            rate_control=RateControl(target_bits_per_second=700_000, peak_bits_per_second=1_400_000),
        ),
        sound=SoundRecipe(bits_per_second=96_000),
    ),
    Recipe(
        id="kiosk-quality",
        name="Kiosk, constant quality 20",
        purpose="For the hall's players: size as the source, the same quality everywhere, whatever it takes.",
        picture=PictureRecipe(
            size=FrameSize(mode="source"),
            rate_control=RateControl(mode="quality", quality=20),
            key_frame_seconds=1.0,
        ),
        sound=SoundRecipe(bits_per_second=192_000),
    ),
    Recipe(
        id="upright-720",
        name="Upright 720×1280, 2 Mb/s",
        purpose="For phones held upright and the column at the door: 720×1280, filled, its sides cut off.",
        picture=PictureRecipe(
            size=FrameSize(mode="fixed", width=720, height=1280),
            framing="fill",
            rate_control=RateControl(target_bits_per_second=2_000_000, peak_bits_per_second=4_000_000),
        ),
    ),
)


def supplied(identifier: str) -> Recipe | None:
    """The supplied recipe of that id, if there is one."""
    return next((recipe for recipe in SUPPLIED if recipe.id == identifier), None)
