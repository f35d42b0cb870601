"""The last step before an encoder: its own pixel format, and fields woven to frames."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import Literal

import av
import numpy as np

from chronocast.media.errors import MediaError
from chronocast.media.filter_graph import Filter, FilterGraph
from chronocast.media.matrices import JPEG_MATRIX, MATRICES, USUAL_MATRIX
from chronocast.media.picture.compose import from_planes, planes
from chronocast.model.messages.jobs import EncoderSettings
from chronocast.model.picture.colour import RGB_MATRIX, Colour
from chronocast.model.source.origin import samples_of


def converted(
    pictures: Iterator[av.VideoFrame], settings: EncoderSettings, colour: Colour
) -> Iterator[av.VideoFrame]:
    """Pictures in the encoder's pixel format, by the matrix and the range they were composed in.

    JPEG files are of full range and BT.601 by their own rule (JFIF 1.02).

    Parameters
    ----------
    pictures
        The pictures, in order.
    settings
        What the encoder is told.
    colour
        What pictures are composed in, by its code points.
    """
    primaries, _, matrix, spread = colour
    source = MATRICES.get(matrix if matrix not in (2, RGB_MATRIX) else primaries, USUAL_MATRIX).filters
    incoming = "pc" if spread == 2 else "tv"
    if settings.working.startswith("gbr"):
        told = "in_range=pc:out_range=pc"
    elif settings.pixel_format.startswith("yuvj"):
        told = f"in_color_matrix={source}:out_color_matrix={JPEG_MATRIX.filters}:in_range={incoming}:out_range=pc"
    else:
        told = f"in_color_matrix={source}:in_range={incoming}:out_range=pc"
    yield from _scaled(pictures, settings.pixel_format, told)


def _scaled(pictures: Iterator[av.VideoFrame], pixel_format: str, told: str) -> Iterator[av.VideoFrame]:
    """Pictures in another pixel format, by matrices and ranges as they are told."""
    graph: FilterGraph | None = None
    for picture in pictures:
        if graph is None:
            scale = Filter("scale", f"flags=bicubic+accurate_rnd+full_chroma_int:{told}")
            graph = FilterGraph.of_pictures(picture, [scale, Filter("format", pixel_format)])
        try:
            yield graph.one(picture)
        except av.error.FFmpegError as error:
            raise MediaError(
                f"A picture could not be converted to {pixel_format}: {error.strerror}."
            ) from error


def rounded_at_the_end(settings: EncoderSettings) -> bool:
    """Whether pictures are composed in the same kind of samples as they are written, but of more or fewer bits."""
    if not settings.working or settings.working == settings.pixel_format:
        return False
    one, other = samples_of(settings.working), samples_of(settings.pixel_format)
    planar = not settings.pixel_format.startswith("yuvj") and settings.working.startswith("yuv")
    return planar and (one.chroma, one.alpha) == (other.chroma, other.alpha) and one.depth != other.depth


def rounded(
    pictures: Iterator[av.VideoFrame], settings: EncoderSettings, colour: Colour
) -> Iterator[av.VideoFrame]:
    """Pictures in the encoder's depth: rounded once, at the end.

    Parameters
    ----------
    pictures
        The pictures, in order.
    settings
        What the encoder is told.
    colour
        What pictures are composed in, by its code points.
    """
    spread = "pc" if colour[3] == 2 else "tv"
    return _scaled(pictures, settings.pixel_format, f"in_range={spread}:out_range={spread}")


def field_first(first: Literal["top", "bottom"]) -> Filter:
    """The filter that marks pictures as interlaced, one of their fields first."""
    return Filter("setfield", "tff" if first == "top" else "bff")


def flagged(
    pictures: Iterator[av.VideoFrame], first: Literal["top", "bottom"], rate: Fraction
) -> Iterator[av.VideoFrame]:
    """Interlaced pictures as they are, each marked with which of its fields comes first.

    Parameters
    ----------
    pictures
        The pictures, in order.
    first
        Which field comes first.
    rate
        Frames a second.
    """
    graph: FilterGraph | None = None
    for count, picture in enumerate(pictures):
        graph = graph or FilterGraph.of_pictures(picture, [field_first(first)], 1 / rate)
        yield graph.one(picture, count)


def woven(
    pictures: Iterator[av.VideoFrame], first: Literal["top", "bottom"], rate: Fraction
) -> Iterator[av.VideoFrame]:
    """Interlaced frames out of twice as many moments: each frame has one field of two of them, in every plane.

    The earlier moment gives the lines of the field that comes first (0, 2, 4 … of the top field).

    Parameters
    ----------
    pictures
        The pictures, in order.
    first
        Which field comes first.
    rate
        Frames a second.
    """
    graph: FilterGraph | None = None
    offset = 0 if first == "top" else 1
    for count, (early, late) in enumerate(zip(pictures, pictures, strict=False)):
        lines = []
        for one, two in zip(planes(early), planes(late), strict=True):
            both = np.array(two)
            both[offset::2] = one[offset::2]
            lines.append(both)
        frame = from_planes(lines, early.width, early.height, early.format.name)
        graph = graph or FilterGraph.of_pictures(frame, [field_first(first)], 1 / rate)
        yield graph.one(frame, count)
