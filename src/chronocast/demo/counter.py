"""A counter that a machine can read from a picture, whatever was done to it.

32 blocks in the top left corner, 8 across and 4 down, black or white, each a
sixty-fourth of the picture's width: 8 bits of clip number, 16 bits of frame
number, 8 bits of checksum.  They survive heavy compression and scaling.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

ACROSS, DOWN = 8, 4


def _bits(clip: int, frame: int) -> NDArray[np.uint8]:
    value = (clip & 0xFF) << 16 | (frame & 0xFFFF)
    total = value << 8 | _checksum(value)
    return np.array([total >> (31 - n) & 1 for n in range(32)], np.uint8).reshape(DOWN, ACROSS)


def _checksum(value: int) -> int:
    return ((value >> 16) * 37 + (value >> 8 & 0xFF) * 101 + (value & 0xFF) * 151 + 89) & 0xFF


def draw(picture: NDArray[np.uint8], clip: int, frame: int) -> None:
    """Draw the counter into a picture, uint8 of shape (height, width, 3), in place."""
    block = picture.shape[1] // 64
    picture[: block * (DOWN + 1), : block * (ACROSS + 1)] = 16
    code = np.kron(_bits(clip, frame), np.ones((block, block), np.uint8)) * 219 + 16
    edge = block // 2
    picture[edge : edge + code.shape[0], edge : edge + code.shape[1]] = code[:, :, None]


def read(gray: NDArray[np.uint8]) -> tuple[int, int] | None:
    """(clip, frame) from a picture's luma, uint8 of shape (height, width); None if there is no counter."""
    width = gray.shape[1]
    block, edge = width / 64, width / 64 // 2
    total = 0
    inset = max(1, int(block * 0.25)) if block >= 4 else 0
    for row in range(DOWN):
        for column in range(ACROSS):
            top, left = edge + row * block, edge + column * block
            area = gray[
                round(top) + inset : round(top + block) - inset,
                round(left) + inset : round(left + block) - inset,
            ]
            total = total << 1 | int(area.size > 0 and area.mean() > 126)
    value = total >> 8
    if total & 0xFF != _checksum(value):
        return None
    return value >> 16, value & 0xFFFF
