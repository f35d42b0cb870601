"""Parameter sets of H.264: what of them slice headers are read by."""

from __future__ import annotations

from dataclasses import dataclass

from chronocast.media.bitstream.bits import BitReader, BitWriter, StreamUnreadable, escaped, unescaped

_HIGH = frozenset({100, 110, 122, 244, 44, 83, 86, 118, 128, 138, 139, 134, 135})
"""Profiles whose sets say chroma and depth (7.3.2.1.1)."""


@dataclass(frozen=True)
class SequenceSet:
    """A sequence parameter set (7.3.2.1.1).

    A decoder holds up to so many pictures as ``references``; with ``gaps`` numbers of pictures may be left out.
    """

    id: int
    profile: int
    level: int
    chroma: int
    depths: tuple[int, int]
    planes_apart: bool
    number_bits: int
    order_kind: int
    order_bits: int
    references: int
    gaps: bool
    frames_only: bool

    @property
    def rewritable(self) -> bool:
        """Whether slices that use it can be written anew: whole frames, ordered by what they say (type 0) or as they come."""
        return self.frames_only and self.order_kind != 1

    def said_in_file(self) -> bytes:
        """What an ``avcC`` box says of chroma and depth after the sets."""
        return bytes([0xFC | self.chroma, 0xF8 | self.depths[0] - 8, 0xF8 | self.depths[1] - 8, 0])


@dataclass(frozen=True)
class PictureSet:
    """A picture parameter set (7.3.2.2)."""

    id: int
    sequence: int
    arithmetic: bool
    bottom_order: bool
    references: tuple[int, int]
    weighted: bool
    weighted_both: int
    deblocking_said: bool
    redundant: bool


def read_sequence_set(unit: bytes) -> SequenceSet:
    """A sequence parameter set, from its unit.

    Raises
    ------
    StreamUnreadable
        It isn't one.
    """
    bits = BitReader(unescaped(unit)[1:])
    profile, _, level, number = bits.take(8), bits.take(8), bits.take(8), bits.unsigned()
    chroma, depths, apart = 1, (8, 8), False
    if profile in _HIGH:
        chroma = bits.unsigned()
        if chroma == 3:
            apart = bits.flag()
        depths = (bits.unsigned() + 8, bits.unsigned() + 8)
        bits.flag()
        if bits.flag():
            for place in range(12 if chroma == 3 else 8):
                if bits.flag():
                    _pass_scaling_list(bits, 16 if place < 6 else 64)
    number_bits, order_kind, order_bits = bits.unsigned() + 4, bits.unsigned(), 0
    if order_kind == 0:
        order_bits = bits.unsigned() + 4
    elif order_kind == 1:
        bits.flag()
        bits.signed(), bits.signed()
        for _ in range(bits.unsigned()):
            bits.signed()
    references, gaps, _, _ = bits.unsigned(), bits.flag(), bits.unsigned(), bits.unsigned()
    orders = number_bits, order_kind, order_bits
    return SequenceSet(number, profile, level, chroma, depths, apart, *orders, references, gaps, bits.flag())


def _pass_scaling_list(bits: BitReader, count: int) -> None:
    last = following = 8
    for _ in range(count):
        if following:
            following = (last + bits.signed()) % 256
        last = following or last


def _with_numbers(unit: bytes, before: int, numbers: tuple[int, ...]) -> bytes:
    """A set whose first numbers, after so many bits, are others."""
    payload = unescaped(unit)
    read = BitReader(payload)
    read.at = before
    for _ in numbers:
        read.unsigned()
    bits, whole = 8 * len(payload), int.from_bytes(payload, "big")
    spare = (whole & -whole).bit_length() - 1  # zeros after the stop bit
    rest = bits - read.at - spare
    made = BitWriter()
    made.put(whole >> (bits - before), before)
    for number in numbers:
        made.unsigned(number)
    made.put(whole >> spare & ((1 << rest) - 1), rest)
    made.put(0, -made.count % 8)
    return escaped(made.filled())


def sequence_set_as(unit: bytes, number: int) -> bytes:
    """A sequence set, called by another number."""
    return _with_numbers(unit, 32, (number,))


def picture_set_as(unit: bytes, number: int, sequence: int) -> bytes:
    """A picture set, called by another number and using a sequence set of another.

    Parameters
    ----------
    unit
        The set's unit.
    number
        What it is called by.
    sequence
        What the sequence set it uses is called by.
    """
    return _with_numbers(unit, 8, (number, sequence))


def read_picture_set(unit: bytes) -> PictureSet:
    """A picture parameter set, from its unit.

    Raises
    ------
    StreamUnreadable
        It isn't one, or has slice groups.
    """
    bits = BitReader(unescaped(unit)[1:])
    number, sequence, arithmetic, bottom = bits.unsigned(), bits.unsigned(), bits.flag(), bits.flag()
    if bits.unsigned():
        raise StreamUnreadable("its pictures are coded in groups of slices")
    references = (bits.unsigned() + 1, bits.unsigned() + 1)
    weighted, both = bits.flag(), bits.take(2)
    bits.signed(), bits.signed(), bits.signed()
    deblocking, _, redundant = bits.flag(), bits.flag(), bits.flag()
    return PictureSet(number, sequence, arithmetic, bottom, references, weighted, both, deblocking, redundant)
