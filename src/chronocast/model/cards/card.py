"""Receiver cards: what whoever receives a file requires, as data."""

from __future__ import annotations

import json
import re
from datetime import date
from typing import Annotated, Literal

from pydantic import Field, ValidationError, field_validator, model_validator

from chronocast.model.document_reading import explain, read_object
from chronocast.model.errors import ModelError
from chronocast.model.picture.terms import Scan
from chronocast.model.recipe.formats.levels import levels
from chronocast.model.recipe.recipe import ContainerId, Document, Identifier, PictureCodecId, SoundCodecId
from chronocast.model.time.timing import parse_rate

FORMAT = "chronocast receiver card"
VERSION = 1
Bytes = Annotated[int, Field(ge=1, le=10**15)]
Bits = Annotated[int, Field(ge=1000, le=10**11)]
Seconds = Annotated[float, Field(gt=0, le=10**7)]
Side = Annotated[int, Field(ge=2, le=65536)]


class Limits(Document):
    """Ceilings (*most*), floors (*least*) and allowed values; what isn't said doesn't matter.

    Bytes are of the whole file, rates in bit/s of the whole file's average; ``peak_bits_most`` is of the
    picture, through a buffer of ``buffer_bits``.  Loudness in LUFS (ITU-R BS.1770), ``loudness_within`` in LU,
    ``true_peak_most`` in dBTP.  ``legal_range`` wants no brightness beyond 16 to 235 (of 8 bits).
    ``name`` is a pattern: ``*`` any signs, ``?`` any one, ``#`` a digit.  ``free_bytes`` is what the receiver has room
    for, all outputs with this card together.
    """

    bytes_least: Bytes | None = None
    bytes_most: Bytes | None = None
    seconds_least: Seconds | None = None
    seconds_most: Seconds | None = None
    bits_least: Bits | None = None
    bits_most: Bits | None = None
    peak_bits_most: Bits | None = None
    buffer_bits: Bits | None = None
    width_least: Side | None = None
    width_most: Side | None = None
    height_least: Side | None = None
    height_most: Side | None = None
    sizes: tuple[Annotated[str, Field(pattern=r"^\d{2,5}x\d{2,5}$")], ...] = Field(default=(), max_length=40)
    rates: tuple[str, ...] = Field(default=(), max_length=40)
    scans: tuple[Scan, ...] = ()
    codecs: tuple[PictureCodecId, ...] = ()
    containers: tuple[ContainerId, ...] = ()
    sound: Literal["needed", "none"] | None = None
    sound_codecs: tuple[SoundCodecId, ...] = ()
    layouts: tuple[Literal["mono", "stereo", "5.1"], ...] = ()
    sample_rates: tuple[int, ...] = Field(default=(), max_length=10)
    loudness: Annotated[float, Field(ge=-70, le=0)] | None = None
    loudness_within: float = Field(default=0.5, gt=0, le=20)
    true_peak_most: Annotated[float, Field(ge=-60, le=6)] | None = None
    legal_range: bool = False
    level_most: dict[str, str] = Field(default_factory=dict)
    name: str = Field(default="", max_length=200)
    name_longest: Annotated[int, Field(ge=1, le=255)] | None = None
    free_bytes: Annotated[int, Field(ge=0, le=10**15)] | None = None

    @field_validator("rates")
    @classmethod
    def _rates(cls, values: tuple[str, ...]) -> tuple[str, ...]:
        for value in values:
            try:
                parse_rate(value)
            except ModelError as error:
                raise ValueError(error.sentence) from None
        return values

    @field_validator("level_most")
    @classmethod
    def _levels(cls, values: dict[str, str]) -> dict[str, str]:
        for codec, level in values.items():
            names = [item.name for item in levels(codec)]
            if level not in names:
                raise ValueError(f"{codec} has no level {level}" if names else f"{codec} has no levels")
        return values

    @field_validator("name")
    @classmethod
    def _pattern(cls, value: str) -> str:
        if "/" in value or any(ord(sign) < 32 for sign in value):
            raise ValueError("a name pattern is of one file name, without separators")
        if value.count("*") > 4:
            raise ValueError("a name pattern has at most four *")
        return value

    @model_validator(mode="after")
    def _floors_below_ceilings(self) -> Limits:
        for what, words in (
            ("bytes", "the size"),
            ("seconds", "the length"),
            ("bits", "the bit rate"),
            ("width", "the width"),
            ("height", "the height"),
        ):
            least, most = getattr(self, f"{what}_least"), getattr(self, f"{what}_most")
            if least is not None and most is not None and least > most:
                raise ValueError(
                    f"the floor of {words} ({least:g}) lies above its ceiling ({most:g}): nothing can fit"
                )
        if self.sound == "none" and (self.sound_codecs or self.layouts or self.loudness is not None):
            raise ValueError("it wants no sound, and says how the sound should be")
        return self


class ReceiverCard(Document):
    """One receiver's requirements.  ``dated`` is the day they were as written here."""

    format: Literal["chronocast receiver card"] = "chronocast receiver card"
    version: int = VERSION
    id: Identifier
    name: str = Field(min_length=1, max_length=80)
    note: str = Field(default="", max_length=1000)
    dated: date | None = None
    limits: Limits = Limits()

    @field_validator("name")
    @classmethod
    def _one_line(cls, value: str) -> str:
        return re.sub(r"\s+", " ", value).strip() or "Receiver"


def fits_name(pattern: str, name: str) -> bool:
    """Whether a file name is of a card's pattern.

    >>> fits_name("HALL_*_v##.mp4", "HALL_tides_v02.mp4")
    True
    """
    signs = {"*": "[^/]*?", "?": "[^/]", "#": "[0-9]"}
    return re.fullmatch("".join(signs.get(sign, re.escape(sign)) for sign in pattern), name) is not None


def read_card(text: str, what: str = "The receiver card") -> ReceiverCard:
    """A card from the text of its file.

    Raises
    ------
    ModelError
        Not JSON, not a card, of a newer version, or impossible.
    """
    value = read_object(text, what, FORMAT, VERSION)
    try:
        return ReceiverCard.model_validate(value)
    except ValidationError as error:
        raise ModelError(
            f"{what} can't be used: {explain(error)}.", "The file has not been changed."
        ) from None


def write_card(card: ReceiverCard) -> str:
    """The text of a card's file; what isn't said is left out."""
    value = card.model_dump(mode="json", exclude_defaults=True, exclude={"format", "version"})
    return json.dumps({"format": FORMAT, "version": VERSION, **value}, indent=2, ensure_ascii=False) + "\n"
