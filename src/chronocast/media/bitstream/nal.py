"""NAL units of H.264 and HEVC: taken out of packets, and packed as MP4 has them."""

from __future__ import annotations

import re
from collections.abc import Iterable

from chronocast.media.bitstream.bits import StreamUnreadable

LENGTH_BYTES = 4
"""The length of a unit in pieces and files is said in so many bytes."""
_START = re.compile(rb"\x00\x00\x01")


def units_in(data: bytes, length_bytes: int) -> list[bytes]:
    """The units of a packet; with 0 ``length_bytes`` they stand between start codes.

    Parameters
    ----------
    data
        The packet's bytes.
    length_bytes
        In how many bytes each unit's length is said.

    Raises
    ------
    StreamUnreadable
        The lengths don't fit.
    """
    if not length_bytes:
        marks = [found.end() for found in _START.finditer(data)]
        ends = [mark - 3 for mark in marks[1:]] + [len(data)][: len(marks)]
        return [data[a:b].rstrip(b"\x00") for a, b in zip(marks, ends, strict=True) if b > a]
    found, at = [], 0
    while at < len(data):
        length = int.from_bytes(data[at : at + length_bytes], "big")
        at += length_bytes
        if at + length > len(data):
            raise StreamUnreadable("the lengths in a packet don't fit")
        if length:
            found.append(data[at : at + length])
        at += length
    return found


def packed(units: Iterable[bytes]) -> bytes:
    """A packet of units, each with its length before it."""
    return b"".join(len(unit).to_bytes(LENGTH_BYTES, "big") + unit for unit in units)
