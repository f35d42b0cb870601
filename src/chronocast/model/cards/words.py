"""What a receiver card demands, in words, by groups."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from chronocast.model.cards.card import Limits
from chronocast.model.recipe.formats.codecs import PICTURE, SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.model.show import rate_bits_text, size_text, time_text


class Demands(NamedTuple):
    """What a card demands of one side of a file."""

    group: str
    lines: tuple[str, ...]


def demands(limits: Limits) -> tuple[Demands, ...]:
    """What a card demands, by groups; a group of which it demands nothing is left out.

    >>> demands(Limits(bytes_most=500_000_000, codecs=("h264",), sound="needed"))
    (Demands(group='file', lines=('at most 500 MB',)), Demands(group='picture', lines=('H.264',)), Demands(group='sound', lines=('needed',)))
    """
    groups = (
        ("file", _file),
        ("picture", _picture),
        ("rate", _rate),
        ("sound", _sound),
        ("receiver", _receiver),
    )
    found = ((name, tuple(told(limits))) for name, told in groups)
    return tuple(Demands(name, lines) for name, lines in found if lines)


def _between(what: str, least: str, most: str) -> Iterator[str]:
    named = f"{what} " if what else ""
    if least and most:
        yield f"{named}{least} to {most}"
    elif most:
        yield f"{named}at most {most}"
    elif least:
        yield f"{named}at least {least}"


def _file(limits: Limits) -> Iterator[str]:
    if limits.containers:
        yield " or ".join(CONTAINERS[item].name for item in limits.containers)
    yield from _between("", _size(limits.bytes_least), _size(limits.bytes_most))
    yield from _between("length", _time(limits.seconds_least), _time(limits.seconds_most))
    if limits.name:
        yield f"named {limits.name}"
    if limits.name_longest:
        yield f"a name of at most {limits.name_longest} signs"


def _picture(limits: Limits) -> Iterator[str]:
    if limits.codecs:
        yield " or ".join(PICTURE[item].name for item in limits.codecs)
    for codec, level in limits.level_most.items():
        name = PICTURE[codec].name if codec in PICTURE else codec
        yield f"{name} up to level {level}"
    if limits.sizes:
        yield " or ".join(size.replace("x", "×") for size in limits.sizes)
    yield from _between("width", _plain(limits.width_least), _plain(limits.width_most))
    yield from _between("height", _plain(limits.height_least), _plain(limits.height_most))
    if limits.rates:
        yield f"{' or '.join(limits.rates)} frames a second"
    if limits.scans:
        yield " or ".join(limits.scans)
    if limits.legal_range:
        yield "no brightness beyond 16 to 235"


def _rate(limits: Limits) -> Iterator[str]:
    yield from _between("of the whole file", _bits(limits.bits_least), _bits(limits.bits_most))
    if limits.peak_bits_most:
        buffer = f" through a buffer of {limits.buffer_bits / 1e6:g} Mbit" if limits.buffer_bits else ""
        yield f"peaks of the picture at most {_bits(limits.peak_bits_most)}{buffer}"


def _sound(limits: Limits) -> Iterator[str]:
    if limits.sound:
        yield {"needed": "needed", "none": "there must be none"}[limits.sound]
    if limits.sound_codecs:
        yield " or ".join(SOUND[item].name for item in limits.sound_codecs)
    if limits.layouts:
        yield " or ".join(limits.layouts)
    if limits.sample_rates:
        yield f"{' or '.join(f'{rate / 1000:g}' for rate in limits.sample_rates)} kHz"
    if limits.loudness is not None:
        yield f"loudness {limits.loudness:g} LUFS, within {limits.loudness_within:g} LU"
    if limits.true_peak_most is not None:
        yield f"true peak at most {limits.true_peak_most:g} dBTP"


def _receiver(limits: Limits) -> Iterator[str]:
    if limits.free_bytes is not None:
        yield f"has room for {size_text(limits.free_bytes)}, all files together"


def _size(value: int | None) -> str:
    return size_text(value) if value else ""


def _bits(value: int | None) -> str:
    return rate_bits_text(value) if value else ""


def _time(value: float | None) -> str:
    return time_text(value) if value else ""


def _plain(value: int | None) -> str:
    return str(value) if value else ""
