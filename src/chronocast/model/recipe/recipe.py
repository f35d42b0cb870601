"""Recipes: every setting that makes one kind of file."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Mapping
from datetime import date
from fractions import Fraction
from typing import Annotated, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    WithJsonSchema,
    field_validator,
    model_validator,
)
from pydantic_core import PydanticCustomError

from chronocast.model.errors import ModelError
from chronocast.model.lookup import once_each
from chronocast.model.picture.geometry import PictureSize
from chronocast.model.picture.terms import Scan
from chronocast.model.recipe.formats.codec import PictureCodec
from chronocast.model.recipe.formats.codecs import PICTURE, SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.model.recipe.formats.rate_controls import (
    GRADED,
    LOSSLESS,
    RATE_CONTROLS,
    Mode,
    RateControlKind,
)
from chronocast.model.time.timing import parse_rate

Identifier = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9._-]{0,63}$")]
Choice = Annotated[str, Field(pattern=r"^([a-z]{3}|[1-9][0-9]?)$")]
Language = Annotated[str, Field(pattern=r"^[a-z]{3}$")]


def _one_of(table: Mapping[str, object]) -> tuple[AfterValidator, WithJsonSchema]:
    """That a text is the id of a row of a table; the schema lists them."""
    names = list(table)

    def known(value: str) -> str:
        if value not in table:
            told = ", ".join(repr(name) for name in names[:-1]) + f" or {names[-1]!r}"
            raise PydanticCustomError("literal_error", "Input should be {expected}", {"expected": told})
        return value

    return AfterValidator(known), WithJsonSchema({"enum": names, "type": "string"})


PictureCodecId = Annotated[str, *_one_of(PICTURE)]
SoundCodecId = Annotated[str, *_one_of(SOUND)]
ContainerId = Annotated[str, *_one_of(CONTAINERS)]
Effort = Literal["fast", "medium", "slow"]
CHANNELS = {"mono": 1, "stereo": 2, "5.1": 6}


class Document(BaseModel):
    """The base of all that is written to a file: frozen, unknown fields preserved."""

    model_config = ConfigDict(frozen=True, extra="allow", str_strip_whitespace=False)


Copies = Literal["exact", "alike", "never"]
Bases = Literal["pays", "kept", "never"]
Route = Literal["software", "hardware", "either"]
Kernel = Literal["bicubic", "bilinear", "lanczos", "spline", "area", "neighbor"]


class FrameSize(Document):
    """How large the picture becomes.

    *source* keeps the source's size; *ceiling* keeps it up to width × height
    and never enlarges; *fixed* fits it inside with bars.
    """

    mode: Literal["source", "ceiling", "fixed"] = "source"
    width: int = Field(default=1920, ge=16, le=16384)
    height: int = Field(default=1080, ge=16, le=16384)


class RateControl(Document):
    """How many bits a picture gets.

    *constant*: the target at every moment.  *variable*: the target as an
    average, in one pass, no moment above the peak.  *two pass*: the target as an average
    of one quality for the whole output.  *quality*: one constant quality on the codec's own scale.
    Rates in bit/s; ``buffer_bits`` is the receiver's buffer that a peak is measured with
    (one second of the peak where none is said).
    """

    mode: Mode = "variable"
    target_bits_per_second: int = Field(default=4_000_000, ge=10_000, le=1_000_000_000)
    peak_bits_per_second: int | None = Field(default=None, ge=10_000, le=2_000_000_000)
    buffer_bits: int | None = Field(default=None, ge=10_000, le=4_000_000_000)
    quality: float = Field(default=20.0, ge=0, le=63)


class StillsTaken(Document):
    """Which pictures become stills: *every* one, one each *interval* of seconds, or the *first* or *middle* one."""

    mode: Literal["every", "interval", "first", "middle"] = "every"
    seconds: float = Field(default=5.0, ge=0.04, le=3600)


class PictureRecipe(Document):
    """Everything about the picture.  None of a setting means the codec's usual.

    *source* keeps what the source has, wherever codec and container can hold
    it: bits a sample, colour resolution, see-through pictures, the shape of
    pixels, fields and their order, the start timecode.  ``alpha`` *keep* writes
    it in any case.  ``copies`` says which pictures of the source are copied as
    they are, and not encoded once more: those where nothing would be otherwise (*exact*), all of the same
    kind, whatever rate they have (*alike*), or none (*never*).
    ``drawn`` from *proxies* is for drafts: pictures are read from small copies of the films that have one.
    ``bases`` says when pictures are composed once, into base pieces without loss: where that *pays*, or always, and
    *kept* for what is changed later, or *never*.
    ``route`` is whether software encodes it, a hardware encoder, or *either*, as the forecast chooses;
    ``without_device`` what becomes of it where a device is lost in the middle of a run: *software* encodes it, or it
    is to *wait* for somebody.
    ``kernel`` is what pictures are scaled with, ``working_depth`` the bits a sample they are composed in (as they
    are written, if none is said).
    """

    codec: PictureCodecId = "h264"
    encoder: str | None = Field(default=None, max_length=40)
    route: Route = "software"
    without_device: Literal["software", "wait"] = "software"
    kernel: Kernel = "bicubic"
    working_depth: Literal[8, 10, 16] | None = None
    effort: Effort = "medium"
    grade: str | None = Field(default=None, max_length=20)
    depth: Literal[8, 10, 12, 16, "source"] | None = None
    chroma: Literal["gray", "4:2:0", "4:2:2", "4:4:4", "RGB", "source"] | None = None
    alpha: Literal["drop", "source", "keep"] = "drop"
    shape: Literal["square", "source"] = "square"
    timecode: Literal["none", "source"] = "none"
    size: FrameSize = FrameSize()
    framing: Literal["fit", "fill", "stretch"] = "fit"
    rate: str | None = None  # frames per second; None as the source
    retime: Literal["nearest", "blend", "motion"] = "nearest"
    scan: Scan | Literal["source"] = "progressive"
    rate_control: RateControl = RateControl()
    key_frame_seconds: float = Field(default=2.0, ge=0.04, le=20)
    profile: str | None = Field(default=None, max_length=20)
    level: str | None = Field(default=None, max_length=10)
    stills: StillsTaken = StillsTaken()
    copies: Copies = "exact"
    drawn: Literal["originals", "proxies"] = "originals"
    bases: Bases = "pays"

    @field_validator("copies", mode="before")
    @classmethod
    def _as_it_was_said(cls, value: object) -> object:
        return {True: "exact", False: "never"}.get(value, value) if isinstance(value, bool) else value

    @field_validator("rate")
    @classmethod
    def _a_rate(cls, value: str | None) -> str | None:
        if value is not None:
            try:
                parse_rate(value)
            except ModelError as error:
                raise ValueError(error.sentence) from None
        return value

    @property
    def kind(self) -> PictureCodec:
        """Its codec's row of the table."""
        return PICTURE[self.codec]

    @property
    def control(self) -> str:
        """How its rate comes about: a mode of rate control, *grade*, or *lossless*."""
        return self.steering.id

    @property
    def steering(self) -> RateControlKind:
        """What that way depends on, as a row of its table."""
        if self.kind.grades:
            return GRADED
        return RATE_CONTROLS[self.rate_control.mode] if self.kind.modes else LOSSLESS

    @property
    def peak(self) -> int | None:
        """The peak that is kept, in bit/s, if there is one."""
        rates = self.rate_control
        if self.control not in self.kind.peaks:
            return None
        return self.steering.peak(rates.target_bits_per_second, rates.peak_bits_per_second)

    @property
    def buffer(self) -> int | None:
        """The buffer a peak is kept with, in bits."""
        return (self.rate_control.buffer_bits or self.peak) if self.peak else None


class SoundRecipe(Document):
    """Everything about the sound.

    *mixed*: one track: a sequence's tracks mixed as they are heard in it, a clip's first track.
    *each*: every sound track of the source as a track of its own; with *mono*, discrete channels
    stay discrete.  ``choose`` takes only some tracks, by language (``deu``) or number (``2``).
    *source* keeps the source's layout, sampling rate or depth.  ``languages`` are ISO 639-2 codes, one a track;
    where none is said a track keeps its source's.  ``depth`` is of PCM and FLAC, in bits a sample.
    """

    codec: SoundCodecId = "aac"
    bits_per_second: int = Field(default=128_000, ge=16_000, le=512_000)
    depth: Literal[16, 24, "source"] = 24
    sample_rate: Literal[44100, 48000, "source"] = 48000
    layout: Literal["mono", "stereo", "5.1", "source"] = "stereo"
    tracks: Literal["mixed", "each"] = "mixed"
    choose: tuple[Choice, ...] = Field(default=(), max_length=16)
    languages: tuple[Language, ...] = Field(default=(), max_length=16)


_SINCE_PICTURE: dict[str, object] = {
    "alpha": "drop",
    "shape": "square",
    "timecode": "none",
    "copies": "exact",
    "drawn": "originals",
    "bases": "pays",
    "without_device": "software",
    "kernel": "bicubic",
    "working_depth": None,
}
_SINCE_SOUND: dict[str, object] = {"choose": []}
"""Settings that came later, with what they say by themselves."""


class Recipe(Document):
    """Container, picture, sound.  ``id`` names it in a batch; ``name`` tells what it makes.

    No ``picture`` is sound only, no ``sound`` picture only.  ``saved`` is the mark of the
    saved recipe that it came from: while its own differs, it is a changed one.
    """

    id: Identifier
    name: str = Field(min_length=1, max_length=80)
    purpose: str = Field(default="", max_length=400)
    container: ContainerId = "mp4"
    picture: PictureRecipe | None = PictureRecipe()
    sound: SoundRecipe | None = SoundRecipe()
    dated: date | None = None
    saved: str = Field(default="", max_length=40)

    @field_validator("name")
    @classmethod
    def _one_line(cls, value: str) -> str:
        return re.sub(r"\s+", " ", value).strip() or "Recipe"

    @model_validator(mode="after")
    def _something(self) -> Recipe:
        if self.picture is None and self.sound is None:
            raise ValueError("it has neither picture nor sound")
        return self

    @property
    def mark(self) -> str:
        """A digest of everything that makes its files: id, names and dates are not in it.

        What says nothing isn't in it either, so that a recipe saved before a
        setting was known is still the same.
        """
        return _mark(self)

    @property
    def changed(self) -> bool:
        """Whether it differs from the saved recipe it came from."""
        return bool(self.saved) and self.saved != self.mark

    @property
    def title(self) -> str:
        """Its name; a changed one never passes for the saved one."""
        return f"{self.name} (changed)" if self.changed else self.name

    @property
    def short_id(self) -> str:
        """What file names call it."""
        return f"{self.id}-changed" if self.changed else self.id

    def as_saved(self) -> Recipe:
        """It, taken as the saved one."""
        return self.model_copy(update={"saved": self.mark})


@once_each
def _mark(recipe: Recipe) -> str:
    told = recipe.model_dump(mode="json", include={"container", "picture", "sound"})
    for part, usual in (("picture", _SINCE_PICTURE), ("sound", _SINCE_SOUND)):
        for name, value in usual.items():
            if told[part] is not None and told[part].get(name) == value:
                del told[part][name]
    text = json.dumps(told, sort_keys=True, separators=(",", ":"))
    return hashlib.blake2b(text.encode(), digest_size=10).hexdigest()


def frame_size(
    size: FrameSize, width: int, height: int, pixel_aspect: Fraction = Fraction(1), multiple: int = 2
) -> PictureSize:
    """The exact frame size of an output, in square pixels, both sides even.

    ``multiple`` is what its codec wants widths to be a multiple of.

    Parameters
    ----------
    size
        What is asked for.
    width, height
        Of the source, in pixels.
    pixel_aspect
        Width of a pixel of the source against its height.
    multiple
        What a frame's sides must be multiples of.

    >>> frame_size(FrameSize(mode="ceiling", width=640, height=360), 1280, 720)
    PictureSize(width=640, height=360)
    >>> frame_size(FrameSize(mode="ceiling", width=1920, height=1080), 1080, 1920)
    PictureSize(width=606, height=1080)
    """
    shown_width = Fraction(width) * pixel_aspect
    if size.mode == "fixed":
        return PictureSize(max(multiple, size.width // multiple * multiple), size.height // 2 * 2)
    if size.mode == "source":
        return PictureSize(max(multiple, round(shown_width / multiple) * multiple), max(2, height // 2 * 2))
    scale = min(Fraction(1), Fraction(size.width) / shown_width, Fraction(size.height, height))
    # rounded down, to stay below the ceiling
    return PictureSize(
        max(multiple, int(shown_width * scale / multiple) * multiple), max(2, int(height * scale / 2) * 2)
    )
