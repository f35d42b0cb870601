"""A picture beside what became of it, small, as one JPEG: the original to the left, the encode to the right."""

from __future__ import annotations

from typing import Any, NamedTuple

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image

Small = NDArray[Any]

WIDE = 640
"""Each of the two is no wider, in pixels."""


class Pair(NamedTuple):
    """A picture as the encoder was given it and as it came out, both small, its number in the piece, XPSNR in dB."""

    number: int
    original: Small
    made: Small
    xpsnr: float


def small(frame: av.VideoFrame) -> Small | None:
    """A picture small, in RGB, shape (height, width, 3); None of one that can't be shown."""
    width = min(WIDE, frame.width)
    height = max(2, round(frame.height * width / frame.width))
    try:
        shown = frame.reformat(width=width, height=height, format="rgb24", interpolation="AREA")
        return shown.to_ndarray()
    except (av.error.FFmpegError, ValueError):
        return None


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
    whole = Image.fromarray(np.concatenate([pair.original, pair.made], axis=1))
    whole.save(path, "JPEG", quality=88)
