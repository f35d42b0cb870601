"""From a source's pictures to an output's: size, bars, pixel format."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import av
import numpy as np
from av.filter import Graph

from chronocast.media.errors import MediaError


def fitted(
    width: int, height: int, shape: Fraction, into_width: int, into_height: int
) -> tuple[int, int, int, int]:
    """Size and place (w, h, x, y) of a picture inside a frame, its shape kept, everything even.

    >>> fitted(640, 360, Fraction(1), 1280, 720)
    (1280, 720, 0, 0)
    >>> fitted(720, 1280, Fraction(1), 1280, 720)
    (406, 720, 436, 0)
    """
    shown = Fraction(width) * shape
    scale = min(into_width / shown, Fraction(into_height, height))
    w = min(into_width, max(2, int(shown * scale / 2 + Fraction(1, 2)) * 2))
    h = min(into_height, max(2, int(height * scale / 2 + Fraction(1, 2)) * 2))
    return w, h, (into_width - w) // 4 * 2, (into_height - h) // 4 * 2


class Composer:
    """Makes output pictures of one size and pixel format from pictures of any kind."""

    def __init__(self, width: int, height: int, pixel_format: str = "yuv420p") -> None:
        self.width, self.height, self.pixel_format = width, height, pixel_format
        self._graphs: dict[tuple[Any, ...], Graph] = {}

    def __call__(self, picture: av.VideoFrame, shape: Fraction = Fraction(1)) -> av.VideoFrame:
        """The picture as the output shows it; ``shape`` is the pixel aspect of its source."""
        same = (picture.width, picture.height, picture.format.name) == (
            self.width,
            self.height,
            self.pixel_format,
        )
        if same and shape == 1:
            return picture
        key = (
            picture.width,
            picture.height,
            picture.format.name,
            shape,
            picture.colorspace,
            picture.color_range,
        )
        if key not in self._graphs:
            self._graphs[key] = self._graph(picture, shape)
        graph = self._graphs[key]
        picture.pts = None
        picture.time_base = Fraction(1, 1000)
        try:
            graph.vpush(picture)
            return graph.vpull()
        except av.error.FFmpegError as error:
            raise MediaError(
                f"A picture of {picture.width}×{picture.height} could not be composed: {error.strerror}."
            ) from error

    def _graph(self, picture: av.VideoFrame, shape: Fraction) -> Graph:
        w, h, x, y = fitted(picture.width, picture.height, shape, self.width, self.height)
        graph = Graph()
        source = graph.add_buffer(
            width=picture.width, height=picture.height, format=picture.format, time_base=Fraction(1, 1000)
        )
        chain = [("scale", f"{w}:{h}:flags=bicubic+accurate_rnd"), ("format", self.pixel_format)]
        if (w, h) != (self.width, self.height):
            chain.append(("pad", f"{self.width}:{self.height}:{x}:{y}:black"))
        chain.append(("setsar", "1"))
        last = source
        for name, settings in chain:
            node = graph.add(name, settings)
            last.link_to(node)
            last = node
        last.link_to(graph.add("buffersink"))
        graph.configure()
        return graph


def black(width: int, height: int, pixel_format: str = "yuv420p") -> av.VideoFrame:
    """A black picture (limited range)."""
    picture = av.VideoFrame.from_ndarray(np.zeros((height, width, 3), np.uint8), format="rgb24")
    return picture.reformat(format=pixel_format)
