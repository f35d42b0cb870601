"""The shape of pixels in a Matroska file, which the libraries' door from Python can't set while it is written.

A Matroska file says at what size its picture is to be shown (``DisplayWidth``
and ``DisplayHeight``, RFC 9559 section 5.1.4.1.28).  The writer leaves room
behind the list of what lies where; the two numbers take a few bytes of it, so
that nothing else moves.
"""

from __future__ import annotations

import os
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from chronocast.media.errors import JoinFailed
from chronocast.model.paths import real_path

SEGMENT, SEEK_HEAD, INFO, TRACKS, CLUSTER = 0x18538067, 0x114D9B74, 0x1549A966, 0x1654AE6B, 0x1F43B675
VOID, CRC, SEEK, SEEK_POSITION, TRACK, VIDEO = 0xEC, 0xBF, 0x4DBB, 0x53AC, 0xAE, 0xE0
DISPLAY_WIDTH, DISPLAY_HEIGHT, DISPLAY_UNIT = 0x54B0, 0x54BA, 0x54B2
LOOKED_AT = 1 << 22
MATROSKA = ("matroska", "webm")
"""What writes such files."""


@dataclass(frozen=True)
class Element:
    """One EBML element: its id, where it begins, where its data begins and where it ends, in bytes."""

    id: int
    begin: int
    data: int
    end: int


def set_pixel_shape(path: str, width: int, height: int, shape: Fraction) -> None:
    """Say in a finished Matroska file of what shape its pixels are.

    Parameters
    ----------
    path
        The file; it is changed in place.
    width, height
        Its picture in pixels.
    shape
        Width of a pixel against its height.

    Raises
    ------
    JoinFailed
        The file isn't laid out as expected; it is as it was.
    """
    with open(real_path(path), "r+b") as file:
        head = bytearray(file.read(LOOKED_AT))
        changed = with_display_size(bytes(head), round(width * shape), height)
        file.seek(0)
        file.write(changed)
        file.flush()
        os.fsync(file.fileno())


def with_display_size(head: bytes, width: int, height: int) -> bytes:
    """The beginning of a file, as long as it was, with the size at which its picture is shown.

    Parameters
    ----------
    head
        The beginning of the file.
    width, height
        As shown, in pixels.

    Raises
    ------
    JoinFailed
        There is no room for it, or it isn't laid out as expected.
    """
    parts = _top(head)
    found = {part.id: part for part in reversed(parts)}
    tracks, room = found.get(TRACKS), found.get(VOID)
    segment = next((part for part in elements(head, 0, len(head)) if part.id == SEGMENT), None)
    if (
        segment is None
        or tracks is None
        or room is None
        or SEEK_HEAD not in found
        or room.begin > tracks.begin
    ):
        raise JoinFailed(
            "The shape of the pixels could not be written: the file is not laid out as expected."
        )
    made = _rebuilt(head, tracks, {TRACK: {VIDEO: (width, height)}})
    more = len(made) - (tracks.end - tracks.begin)
    if more <= 0:  # sizes may have been written wider than they need be
        return head[: tracks.begin] + _filled(made, -more) + head[tracks.end :]
    left = room.end - room.begin - more
    if left < 9:
        raise JoinFailed("The shape of the pixels could not be written: the file has no room for it.")
    between = head[room.end : tracks.begin]
    body = head[: room.begin] + _void(left) + between + made + head[tracks.end :]
    out = bytearray(body)
    moved = range(room.end - segment.data, tracks.begin - segment.data + 1)
    for seek in elements(body, found[SEEK_HEAD].data, found[SEEK_HEAD].end):
        if seek.id != SEEK:
            continue
        for item in elements(body, seek.data, seek.end):
            where = int.from_bytes(body[item.data : item.end], "big")
            if item.id == SEEK_POSITION and where in moved:
                out[item.data : item.end] = (where - more).to_bytes(item.end - item.data, "big")
    _sum(out, found[SEEK_HEAD])
    return bytes(out)


def _top(head: bytes) -> list[Element]:
    """What lies in the segment before its first cluster."""
    found: list[Element] = []
    for part in elements(head, 0, len(head)):
        if part.id == SEGMENT:
            for inner in elements(head, part.data, len(head)):
                if inner.id == CLUSTER:
                    break
                found.append(inner)
            break
    return found


def elements(data: bytes, begin: int, end: int) -> Iterator[Element]:
    """The elements that lie one after another in a stretch of bytes; the last may reach beyond it.

    Parameters
    ----------
    data
        The bytes.
    begin, end
        Of the stretch, in bytes.
    """
    at = begin
    while at < end:
        length = _length(data[at])
        number = int.from_bytes(data[at : at + length], "big")
        wide = _length(data[at + length])
        size = int.from_bytes(data[at + length : at + length + wide], "big") & ((1 << (7 * wide)) - 1)
        first = at + length + wide
        if size == (1 << (7 * wide)) - 1:  # of unknown size: all there is
            size = end - first
        yield Element(number, at, first, first + size)
        at = first + size


def _length(first: int) -> int:
    if first == 0:
        raise JoinFailed(
            "The shape of the pixels could not be written: the file is not laid out as expected."
        )
    return 9 - first.bit_length()


def _rebuilt(data: bytes, part: Element, inside: dict[int, object]) -> bytes:
    """An element made anew with the display size in its video; its sum, if it has one, is right again."""
    body, summed = b"", False
    for item in elements(data, part.data, part.end):
        if item.id == CRC:
            summed = True
        elif item.id in inside and isinstance(deeper := inside[item.id], dict):
            body += _rebuilt(data, item, deeper)
        elif item.id in inside and isinstance(size := inside[item.id], tuple):
            kept = b"".join(
                data[one.begin : one.end]
                for one in elements(data, item.data, item.end)
                if one.id not in (DISPLAY_WIDTH, DISPLAY_HEIGHT, DISPLAY_UNIT)
            )
            shown = _made(DISPLAY_WIDTH, _number(size[0])) + _made(DISPLAY_HEIGHT, _number(size[1]))
            body += _made(VIDEO, kept + shown)
        else:
            body += data[item.begin : item.end]
    if summed:
        body = _made(CRC, zlib.crc32(body).to_bytes(4, "little")) + body
    return _made(part.id, body)


def _sum(data: bytearray, part: Element) -> None:
    """Make an element's sum right, if it has one."""
    first = next(elements(bytes(data), part.data, part.end), None)
    if first is not None and first.id == CRC:
        data[first.data : first.end] = zlib.crc32(bytes(data[first.end : part.end])).to_bytes(4, "little")


def _number(value: int) -> bytes:
    return value.to_bytes(max(1, (value.bit_length() + 7) // 8), "big")


def _filled(element: bytes, spare: int) -> bytes:
    """An element with so many bytes of nothing behind it; of one alone, which is none, with a wider size."""
    if spare == 1:
        (known,) = elements(element, 0, len(element))
        return _made(known.id, element[known.data :], 1)
    return element + (_void(spare) if spare else b"")


def _made(identifier: int, body: bytes, wider: int = 0) -> bytes:
    wide = next(n for n in range(1, 9) if len(body) < (1 << (7 * n)) - 1) + wider
    return _number(identifier) + ((1 << (7 * wide)) | len(body)).to_bytes(wide, "big") + body


def _void(length: int) -> bytes:
    """An element of nothing, ``length`` bytes in all (2 or more)."""
    if length < 9:
        return b"\xec" + bytes([0x80 | (length - 2)]) + bytes(length - 2)
    return b"\xec" + ((1 << 56) | (length - 9)).to_bytes(8, "big") + bytes(length - 9)
