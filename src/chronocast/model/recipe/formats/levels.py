"""Profiles and levels, from the standards' own tables.

Sources: Rec. ITU-T H.264 (08/2021) table A-1 and A.3; H.265 (08/2021) tables
A.8 and A.9; AV1 bitstream specification annex A.3; ISO/IEC 13818-2 tables 8-10
to 8-13; the VP9 levels as published with its bitstream specification.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from math import isqrt

from chronocast.model.show import rate_bits_text
from chronocast.model.time.timing import Rate, rate_text


@dataclass(frozen=True)
class Level:
    """Limits of one level: luma samples a picture and a second, bit/s, buffer in bits, sides in luma samples.

    For H.264 the sample limits are those of whole macroblocks (16×16).
    """

    name: str
    picture: int
    second: int
    bits: int
    buffer: int
    width: int = 0
    height: int = 0
    frames: int = 0


def _h264() -> tuple[Level, ...]:
    rows = (
        ("1", 1485, 99, 64, 175),
        ("1b", 1485, 99, 128, 350),
        ("1.1", 3000, 396, 192, 500),
        ("1.2", 6000, 396, 384, 1000),
        ("1.3", 11880, 396, 768, 2000),
        ("2", 11880, 396, 2000, 2000),
        ("2.1", 19800, 792, 4000, 4000),
        ("2.2", 20250, 1620, 4000, 4000),
        ("3", 40500, 1620, 10000, 10000),
        ("3.1", 108000, 3600, 14000, 14000),
        ("3.2", 216000, 5120, 20000, 20000),
        ("4", 245760, 8192, 20000, 25000),
        ("4.1", 245760, 8192, 50000, 62500),
        ("4.2", 522240, 8704, 50000, 62500),
        ("5", 589824, 22080, 135000, 135000),
        ("5.1", 983040, 36864, 240000, 240000),
        ("5.2", 2073600, 36864, 240000, 240000),
        ("6", 4177920, 139264, 240000, 240000),
        ("6.1", 8355840, 139264, 480000, 480000),
        ("6.2", 16711680, 139264, 800000, 800000),
    )
    found = []
    for name, blocks_a_second, blocks, bits, buffer in rows:
        side = isqrt(blocks * 8) * 16  # A.3.1: no side over √(8·MaxFS) macroblocks
        found.append(Level(name, blocks * 256, blocks_a_second * 256, bits * 1000, buffer * 1000, side, side))
    return tuple(found)


def _hevc(high_tier: bool) -> tuple[Level, ...]:
    rows = (
        ("1", 36864, 552960, 350, 128, 0, 0),
        ("2", 122880, 3686400, 1500, 1500, 0, 0),
        ("2.1", 245760, 7372800, 3000, 3000, 0, 0),
        ("3", 552960, 16588800, 6000, 6000, 0, 0),
        ("3.1", 983040, 33177600, 10000, 10000, 0, 0),
        ("4", 2228224, 66846720, 12000, 12000, 30000, 30000),
        ("4.1", 2228224, 133693440, 20000, 20000, 50000, 50000),
        ("5", 8912896, 267386880, 25000, 25000, 100000, 100000),
        ("5.1", 8912896, 534773760, 40000, 40000, 160000, 160000),
        ("5.2", 8912896, 1069547520, 60000, 60000, 240000, 240000),
        ("6", 35651584, 1069547520, 60000, 60000, 240000, 240000),
        ("6.1", 35651584, 2139095040, 120000, 120000, 480000, 480000),
        ("6.2", 35651584, 4278190080, 240000, 240000, 800000, 800000),
    )
    return tuple(
        Level(
            name,
            size,
            second,
            (high_bits or bits if high_tier else bits) * 1000,
            (high_buffer or buffer if high_tier else buffer) * 1000,
            isqrt(size * 8),
            isqrt(size * 8),
        )
        for name, size, second, buffer, bits, high_buffer, high_bits in rows
    )


def _av1() -> tuple[Level, ...]:
    rows = (
        ("2.0", 147456, 2048, 1152, 4423680, 1.5),
        ("2.1", 278784, 2816, 1584, 8363520, 3),
        ("3.0", 665856, 4352, 2448, 19975680, 6),
        ("3.1", 1065024, 5504, 3096, 31950720, 10),
        ("4.0", 2359296, 6144, 3456, 70778880, 12),
        ("4.1", 2359296, 6144, 3456, 141557760, 20),
        ("5.0", 8912896, 8192, 4352, 267386880, 30),
        ("5.1", 8912896, 8192, 4352, 534773760, 40),
        ("5.2", 8912896, 8192, 4352, 1069547520, 60),
        ("6.0", 35651584, 16384, 8704, 1069547520, 60),
        ("6.1", 35651584, 16384, 8704, 2139095040, 100),
        ("6.2", 35651584, 16384, 8704, 4278190080, 160),
    )
    return tuple(
        Level(name, size, second, int(mbps * 1_000_000), int(mbps * 1_000_000), width, height)
        for name, size, width, height, second, mbps in rows
    )


def _vp9() -> tuple[Level, ...]:
    rows = (
        ("1", 829440, 36864, 200, 400, 512),
        ("1.1", 2764800, 73728, 800, 1000, 768),
        ("2", 4608000, 122880, 1800, 1500, 960),
        ("2.1", 9216000, 245760, 3600, 2800, 1344),
        ("3", 20736000, 552960, 7200, 6000, 2048),
        ("3.1", 36864000, 983040, 12000, 10000, 2752),
        ("4", 83558400, 2228224, 18000, 16000, 4160),
        ("4.1", 160432128, 2228224, 30000, 18000, 4160),
        ("5", 311951360, 8912896, 60000, 36000, 8384),
        ("5.1", 588251136, 8912896, 120000, 46000, 8384),
        ("5.2", 1176502272, 8912896, 180000, 90000, 8384),
        ("6", 1176502272, 35651584, 180000, 90000, 16832),
        ("6.1", 2353004544, 35651584, 240000, 180000, 16832),
        ("6.2", 4706009088, 35651584, 480000, 360000, 16832),
    )
    return tuple(
        Level(name, size, second, bits * 1000, buffer * 1000, side, side)
        for name, second, size, bits, buffer, side in rows
    )


_MPEG2 = (
    Level("low", 352 * 288, 3041280, 4_000_000, 475136, 352, 288, 30),
    Level("main", 720 * 576, 10368000, 15_000_000, 1835008, 720, 576, 30),
    Level("high1440", 1440 * 1152, 47001600, 60_000_000, 7340032, 1440, 1152, 60),
    Level("high", 1920 * 1152, 62668800, 80_000_000, 9781248, 1920, 1152, 60),
)
_MPEG2_422 = (
    Level("main", 720 * 608, 11059200, 50_000_000, 9437184, 720, 608, 30),
    Level("high", 1920 * 1088, 62668800, 300_000_000, 47185920, 1920, 1088, 60),
)

_FACTOR = {"high": Fraction(5, 4), "high10": Fraction(3), "high422": Fraction(4), "high444": Fraction(4)}
"""H.264 table A-2, cpbBrVclFactor ÷ 1000."""
_HEVC_FACTOR = {"main422-10": Fraction(5, 3), "main444-8": Fraction(2), "main444-10": Fraction(5, 2)}
"""H.265 table A.10, CpbVclFactor ÷ 1000."""


@lru_cache(maxsize=256)
def levels(codec: str, profile: str | None = None, high_tier: bool = False) -> tuple[Level, ...]:
    """The levels of a codec, lowest first, with the bit rates that a profile allows; none where it has no levels.

    Parameters
    ----------
    codec
        Our own word for it.
    profile
        Our own word for it; None where the codec has none.
    high_tier
        Whether HEVC's high tier is allowed.
    """
    if codec == "h264":
        factor = _FACTOR.get(profile or "", Fraction(1))
        return tuple(
            Level(
                x.name, x.picture, x.second, int(x.bits * factor), int(x.buffer * factor), x.width, x.height
            )
            for x in _H264
        )
    if codec == "hevc":
        factor = _HEVC_FACTOR.get(profile or "", Fraction(1))
        return tuple(
            Level(
                x.name, x.picture, x.second, int(x.bits * factor), int(x.buffer * factor), x.width, x.height
            )
            for x in _hevc(high_tier)
        )
    if codec == "mpeg2":
        return _MPEG2_422 if profile == "4:2:2" else _MPEG2
    return {"av1": _AV1, "vp9": _VP9}.get(codec, ())


_H264, _AV1, _VP9 = _h264(), _av1(), _vp9()
_NAMES = {"h264": "H.264", "hevc": "HEVC", "mpeg2": "MPEG-2", "av1": "AV1", "vp9": "VP9"}
INTERLACED_H264 = frozenset({"2.1", "2.2", "3", "3.1", "3.2", "4", "4.1"})
"""Table A-4: only these levels may hold fields."""


def broken(
    codec: str,
    level: Level,
    *,
    width: int,
    height: int,
    rate: Rate,
    bits: int = 0,
    buffer: int = 0,
    interlaced: bool = False,
) -> str:
    """The limit of a level that something breaks, as a clause; empty if it fits.

    ``bits`` is the peak rate in bit/s (0 where none is known), ``buffer`` its buffer in bits.

    Parameters
    ----------
    codec
        Our own word for it.
    level
        The level.
    width, height
        Of the frame, in pixels.
    rate
        Frames a second.
    bits
        Bit/s at most; 0 where nobody says.
    buffer
        The receiver's buffer in bits; 0 where nobody says.
    interlaced
        Whether it is of fields.

    >>> broken("h264", levels("h264", "high")[11], width=1920, height=1080, rate=Fraction(50))
    'level 4 of H.264 allows 62,914,560 samples a second; 1920×1080 at 50 takes 104,448,000'
    """
    name = f"level {level.name} of {_NAMES.get(codec, codec)}"
    wide, tall = width, height
    if codec == "h264":
        wide, tall = (
            -(-width // 16) * 16,
            -(-height // (32 if interlaced else 16)) * (32 if interlaced else 16),
        )
    samples = wide * tall
    if samples > level.picture:
        return f"{name} allows {level.picture:,} samples a picture; {width}×{height} has {samples:,}"
    if (level.width and wide > level.width) or (level.height and tall > level.height):
        return f"{name} allows pictures up to {level.width}×{level.height}; this one is {width}×{height}"
    if samples * rate > level.second:
        return (
            f"{name} allows {level.second:,} samples a second; {width}×{height} at {rate_text(rate)} "
            f"takes {round(samples * rate):,}"
        )
    if level.frames and rate > level.frames:
        return f"{name} allows {level.frames} frames per second, not {rate_text(rate)}"
    if bits > level.bits:
        return f"{name} allows {rate_bits_text(level.bits)}; the peak is {rate_bits_text(bits)}"
    if buffer > level.buffer:
        return f"{name} allows a buffer of {level.buffer / 1e6:.4g} Mbit; this one is {buffer / 1e6:.4g} Mbit"
    if interlaced and codec == "h264" and level.name not in INTERLACED_H264:
        return f"{name} holds no interlaced pictures; levels 2.1 to 4.1 do"
    return ""


def least_level(
    codec: str,
    profile: str | None,
    *,
    width: int,
    height: int,
    rate: Rate,
    bits: int = 0,
    buffer: int = 0,
    interlaced: bool = False,
    high_tier: bool = False,
) -> Level | None:
    """The lowest level that everything fits in; none if none does.

    Parameters
    ----------
    codec
        Our own word for it.
    profile
        Our own word for it; None where the codec has none.
    width, height
        Of the frame, in pixels.
    rate
        Frames a second.
    bits
        Bit/s at most; 0 where nobody says.
    buffer
        The receiver's buffer in bits; 0 where nobody says.
    interlaced
        Whether it is of fields.
    high_tier
        Whether HEVC's high tier is allowed.
    """
    return next(
        (
            item
            for item in levels(codec, profile, high_tier)
            if not broken(
                codec,
                item,
                width=width,
                height=height,
                rate=rate,
                bits=bits,
                buffer=buffer,
                interlaced=interlaced,
            )
        ),
        None,
    )


def level_of(codec: str, profile: str | None, name: str, high_tier: bool = False) -> Level | None:
    """The level of that name.

    Parameters
    ----------
    codec
        Our own word for it.
    profile
        Our own word for it; None where the codec has none.
    name
        As its standard writes it.
    high_tier
        Whether HEVC's high tier is allowed.
    """
    return next((item for item in levels(codec, profile, high_tier) if item.name == name), None)
