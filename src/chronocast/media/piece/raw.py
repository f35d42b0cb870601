"""Raw pictures through a pipe, plane after plane without padding, as FFmpeg's *rawvideo* has them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import IO

import av
import numpy as np

from chronocast.media.errors import MediaError


def picture_bytes(pixel_format: str, width: int, height: int) -> int:
    """Bytes of one raw picture.

    Parameters
    ----------
    pixel_format
        By the libraries' name.
    width, height
        In pixels.
    """
    return sum(_line(part, line) * part.height for part, line in _planes(pixel_format, width, height))


def raw_bytes(picture: av.VideoFrame) -> bytes:
    """A picture as it goes through a pipe."""
    kept = []
    layout = _planes(picture.format.name, picture.width, picture.height)
    for plane, (part, line) in zip(picture.planes, layout, strict=True):
        lines = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)
        kept.append(np.ascontiguousarray(lines[:, : _line(part, line)]).tobytes())
    return b"".join(kept)


def raw_pictures(file: IO[bytes], pixel_format: str, width: int, height: int) -> Iterator[av.VideoFrame]:
    """Pictures from a pipe, until it ends.

    Parameters
    ----------
    file
        The pipe.
    pixel_format
        By the libraries' name.
    width, height
        In pixels.

    Raises
    ------
    MediaError
        It ends in the middle of a picture.
    """
    whole = picture_bytes(pixel_format, width, height)
    while data := file.read(whole):
        if len(data) < whole:
            raise MediaError("Raw pictures end in the middle of one.")
        picture, at = av.VideoFrame(width, height, pixel_format), 0
        for plane, (part, line) in zip(picture.planes, _planes(pixel_format, width, height), strict=True):
            length = _line(part, line)
            lines = np.zeros((plane.height, plane.line_size), np.uint8)
            lines[:, :length] = np.frombuffer(data, np.uint8, length * plane.height, at).reshape(-1, length)
            plane.update(lines.tobytes())
            at += length * plane.height
        yield picture


def _planes(
    pixel_format: str, width: int, height: int
) -> list[tuple[av.video.format.VideoFormatComponent, int]]:
    """The first component of each plane, and how many share it."""
    layout = av.VideoFormat(pixel_format, width, height)
    found: dict[int, tuple[av.video.format.VideoFormatComponent, int]] = {}
    for part in layout.components:
        first, count = found.get(part.plane, (part, 0))
        found[part.plane] = (first, count + 1)
    return [found[plane] for plane in sorted(found)]


def _line(part: av.video.format.VideoFormatComponent, sharing: int) -> int:
    return int(part.width) * sharing * (1 if part.bits <= 8 else 2)
