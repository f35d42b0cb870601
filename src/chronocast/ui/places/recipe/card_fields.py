"""The lines of a receiver card: how each is read and said.  Tested without Qt."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from pydantic import ValidationError

from chronocast.model.cards.card import Limits, ReceiverCard
from chronocast.model.document_reading import explain
from chronocast.model.errors import ModelError
from chronocast.model.recipe.formats.codecs import PICTURE, SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.model.recipe.typed import parse_bits, parse_bytes
from chronocast.model.show import rate_bits_text, size_text


@dataclass(frozen=True)
class Limit:
    """One line of a card: its field, its words, a hint, how it is read and said, the group it stands in."""

    field: str
    words: str
    hint: str
    read: Callable[[str], Any]
    say: Callable[[Any], str]
    group: str = "file"


def _ids(table: dict[str, Any]) -> Callable[[str], list[str]]:
    def read(text: str) -> list[str]:
        by_name = {item.name.lower(): key for key, item in table.items()} | {key: key for key in table}
        found = []
        for word in text.split(","):
            key = by_name.get(word.strip().lower())
            if word.strip() and key is None:
                raise ModelError(
                    f"“{word.strip()}” isn't known.",
                    f"There are: {', '.join(item.name for item in table.values())}.",
                )
            if key:
                found.append(key)
        return found

    return read


def _names(table: dict[str, Any]) -> Callable[[Any], str]:
    return lambda values: ", ".join(table[item].name for item in values)


def _list(text: str) -> list[str]:
    return [word.strip().replace("×", "x") for word in text.split(",") if word.strip()]


def _number(text: str) -> float:
    try:
        return float(text.replace(",", ".").replace("−", "-").split()[0])
    except (ValueError, IndexError):
        raise ModelError(f"“{text}” is no number.", "Type a number.") from None


def _whole(text: str) -> int:
    return round(_number(text))


def _yes(text: str) -> bool:
    return text.strip().lower() in ("yes", "y", "1", "true")


def _exact_size(value: int) -> str:
    """A size in words that read back as the same number."""
    words = size_text(value)
    return words if parse_bytes(words) == value else f"{value} B"


def _exact_bits(value: int) -> str:
    words = rate_bits_text(value)
    return words if parse_bits(words) == value else f"{value} b/s"


def _levels(text: str) -> dict[str, str]:
    found = {}
    for pair in text.split(","):
        codec, _, level = pair.strip().partition(" ")
        if not codec or not level.strip():
            raise ModelError(f"“{pair.strip()}” is no level.", "Type it as h264 4.1.")
        found[codec.lower()] = level.strip()
    return found


_LISTED = ", ".join

GROUPS = ("file", "picture", "rate", "sound", "receiver")
LIMITS = (
    Limit("containers", "Containers", "MP4, MOV", _ids(CONTAINERS), _names(CONTAINERS)),
    Limit("bytes_most", "Size at most", "500 MB", parse_bytes, _exact_size),
    Limit("bytes_least", "Size at least", "", parse_bytes, _exact_size),
    Limit("seconds_most", "Length at most", "seconds", _number, lambda v: f"{v:g}"),
    Limit("seconds_least", "Length at least", "seconds", _number, lambda v: f"{v:g}"),
    Limit("name", "Name pattern", "HALL_*_v##.mp4", lambda t: t.strip(), str),
    Limit("name_longest", "Name at most", "signs", _whole, str),
    Limit("codecs", "Picture codecs", "H.264, HEVC", _ids(PICTURE), _names(PICTURE), "picture"),
    Limit(
        "level_most",
        "Levels at most",
        "h264 4.1, hevc 5",
        _levels,
        lambda v: ", ".join(f"{codec} {level}" for codec, level in v.items()),
        "picture",
    ),
    Limit(
        "sizes",
        "Frame sizes",
        "1920×1080, 1280×720",
        _list,
        lambda v: ", ".join(v).replace("x", "×"),
        "picture",
    ),
    Limit("width_most", "Width at most", "pixels", _whole, str, "picture"),
    Limit("width_least", "Width at least", "pixels", _whole, str, "picture"),
    Limit("height_most", "Height at most", "pixels", _whole, str, "picture"),
    Limit("height_least", "Height at least", "pixels", _whole, str, "picture"),
    Limit("rates", "Frame rates", "25, 50", _list, _LISTED, "picture"),
    Limit("scans", "Scan", "progressive", _list, _LISTED, "picture"),
    Limit("legal_range", "Legal range", "yes", _yes, lambda v: "yes" if v else "", "picture"),
    Limit("bits_most", "Rate at most", "8 Mb/s, of the whole file", parse_bits, _exact_bits, "rate"),
    Limit("bits_least", "Rate at least", "", parse_bits, _exact_bits, "rate"),
    Limit("peak_bits_most", "Peak at most", "12 Mb/s, of the picture", parse_bits, _exact_bits, "rate"),
    Limit("buffer_bits", "through a buffer of", "12 Mbit", parse_bits, lambda v: f"{v / 1e6:g} Mbit", "rate"),
    Limit("sound", "Sound", "needed, or none", lambda t: t.strip().lower(), str, "sound"),
    Limit("sound_codecs", "Sound codecs", "AAC, PCM", _ids(SOUND), _names(SOUND), "sound"),
    Limit("layouts", "Sound layouts", "stereo, 5.1", _list, _LISTED, "sound"),
    Limit(
        "sample_rates",
        "Sample rates",
        "48000, 96000",
        lambda t: [_whole(word) for word in _list(t)],
        lambda v: ", ".join(str(rate) for rate in v),
        "sound",
    ),
    Limit("loudness", "Loudness", "−23 (LUFS)", _number, lambda v: f"{v:g}", "sound"),
    Limit("loudness_within", "within", "0.5 (LU)", _number, lambda v: f"{v:g}", "sound"),
    Limit("true_peak_most", "True peak at most", "−1 (dBTP)", _number, lambda v: f"{v:g}", "sound"),
    Limit("free_bytes", "Room", "20 GB, for all files together", parse_bytes, _exact_size, "receiver"),
)


def said(limits: Limits) -> dict[str, str]:
    """What stands in each line for a card's limits; "" where it demands nothing."""
    found = {}
    for limit in LIMITS:
        value = getattr(limits, limit.field)
        found[limit.field] = "" if value in (None, (), "", False, {}) else limit.say(value)
    return found


def card_typed(
    card: ReceiverCard | None, own: str, name: str, note: str, typed: Mapping[str, str]
) -> ReceiverCard:
    """A card as it was typed, dated today.

    Parameters
    ----------
    card
        What it was before; None for a new one.
    own
        Its id.
    name, note
        Of the receiver.
    typed
        The lines, by their fields.

    Raises
    ------
    ModelError
        A line can't be read, or no file could meet all of them.
    """
    limits: dict[str, Any] = {}
    for limit in LIMITS:
        text = typed.get(limit.field, "").strip()
        if text:
            try:
                limits[limit.field] = limit.read(text)
            except ValueError:
                raise ModelError(
                    f"{limit.words}: “{text}” can't be read.", f"Type it as {limit.hint}."
                ) from None
    before = card.model_dump(mode="json", exclude={"limits", "name", "note", "dated", "id"}) if card else {}
    told = {"id": own, "name": name.strip(), "note": note.strip(), "dated": date.today().isoformat()}
    try:
        return ReceiverCard.model_validate({**before, **told, "limits": limits})
    except ValidationError as error:
        raise ModelError(f"This card can't be kept: {explain(error)}.") from None
