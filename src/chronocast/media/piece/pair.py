"""A picture beside what became of it, small, as one JPEG: the original to the left, the encode to the right."""

from __future__ import annotations

from typing import NamedTuple

import av
from PIL import Image

WIDE = 640
"""Each of the two is no wider, in pixels."""


class Pair(NamedTuple):
    """A picture as the encoder was given it, as it came out, its number in the piece, and how like they are (XPSNR in dB)."""

    number: int
    original: av.VideoFrame
    made: av.VideoFrame
    xpsnr: float


def write_pair(path: str, pair: Pair) -> None:
    """Write a picture beside what became of it.

    Parameters
    ----------
    path
        The file to write.
    pair
        The two.

    Raises
    ------
    OSError
        It can't be written.
    """
    width = min(WIDE, pair.original.width)
    height = max(2, round(pair.original.height * width / pair.original.width))
    whole = Image.new("RGB", (2 * width, height))
    for place, frame in enumerate((pair.original, pair.made)):
        small = frame.reformat(width=width, height=height, format="rgb24", interpolation="AREA")
        whole.paste(Image.fromarray(small.to_ndarray()), (place * width, 0))
    whole.save(path, "JPEG", quality=88)
