"""From a source's pictures to an output's: place, size, bars, colour, pixel format."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from fractions import Fraction
from typing import Any

import av
import numpy as np
from av.filter import Graph
from numpy.typing import NDArray

from chronocast.media.errors import MediaError
from chronocast.model.colour import RGB_MATRIX, Colour, is_wide, same_look
from chronocast.model.colour import told as colour_told
from chronocast.model.cutlist import Placing
from chronocast.model.geometry import Placement, View, place

MOST_GRAPHS = 24
_MATRIX = {1: "bt709", 4: "fcc", 5: "bt470bg", 6: "smpte170m", 7: "smpte240m", 9: "bt2020", 10: "bt2020"}
_TURNS = {90: ("transpose=clock",), 180: ("hflip", "vflip"), 270: ("transpose=cclock",)}


class Composer:
    """Makes output pictures of one size, pixel format and colour from pictures of any kind."""

    def __init__(
        self, width: int, height: int, pixel_format: str, canvas: tuple[int, int], view: View, colour: Colour
    ) -> None:
        self.width, self.height, self.pixel_format = width, height, pixel_format
        self.canvas, self.view, self.colour = canvas, view, colour
        self._graphs: OrderedDict[tuple[Any, ...], Graph] = OrderedDict()

    def placement(
        self, picture: av.VideoFrame, shape: Fraction, turned: int, placing: Placing, frame: int
    ) -> Placement | None:
        """Where an upright picture goes at a frame of the piece."""
        sides = (picture.width, picture.height)
        if turned in (90, 270):
            sides, shape = (sides[1], sides[0]), 1 / shape
        return place(sides, shape, placing, self.canvas, self.view, (self.width, self.height), frame)

    def __call__(
        self, picture: av.VideoFrame, colour: Colour, shape: Fraction = Fraction(1), turned: int = 0,
        placing: Placing = "fit", frame: int = 0,
    ) -> av.VideoFrame:  # fmt: skip
        """The picture as the output shows it; ``shape`` is its pixel aspect, ``turned`` its rotation clockwise."""
        lies = self.placement(picture, shape, turned, placing, frame)
        if lies is None:
            return self.black()
        sides = (picture.width, picture.height)
        whole = lies.crop == (0, 0, *sides) and lies.size == sides == (self.width, self.height)
        if (
            whole
            and not turned
            and picture.format.name == self.pixel_format
            and same_look(colour, self.colour)
        ):
            return picture
        key = (
            picture.width,
            picture.height,
            picture.format.name,
            lies.crop,
            lies.size,
            lies.at,
            turned,
            colour,
        )
        if key not in self._graphs:
            self._graphs[key] = self._graph(picture, lies, turned, colour)
            while len(self._graphs) > MOST_GRAPHS:
                self._graphs.popitem(last=False)
        self._graphs.move_to_end(key)
        graph = self._graphs[key]
        picture.pts, picture.time_base = None, Fraction(1, 1000)
        picture.colorspace, picture.color_range = 2, 0  # said to the filters, by number, once
        try:
            graph.vpush(picture)
            return graph.vpull()
        except av.error.FFmpegError as error:
            raise MediaError(
                f"A picture of {picture.width}×{picture.height} could not be composed: {error.strerror}."
            ) from error

    def black(self) -> av.VideoFrame:
        """A black picture."""
        return from_planes(
            [np.full(shape, value, kind) for shape, value, kind in self._black_planes()],
            self.width, self.height, self.pixel_format,
        )  # fmt: skip

    def _black_planes(self) -> list[tuple[tuple[int, int], int, Any]]:
        layout = av.VideoFormat(self.pixel_format, self.width, self.height)
        bits = layout.components[0].bits
        kind = np.uint8 if bits == 8 else np.uint16
        dark = 0 if self.colour[3] == 2 else 16 << (bits - 8)
        return [
            ((part.height, part.width), 128 << (bits - 8) if part.is_chroma else dark, kind)
            for part in layout.components
        ]

    def mix(self, parts: Sequence[tuple[av.VideoFrame, Fraction]]) -> av.VideoFrame:
        """Pictures of this composer's kind added by their shares; what is missing to 1 is black."""
        rest = float(1 - sum(share for _, share in parts))
        stacks = [(planes(picture), float(share)) for picture, share in parts]
        found = []
        for number, (shape, value, kind) in enumerate(self._black_planes()):
            total = np.full(shape, value * rest + 0.5, np.float32)
            for stack, share in stacks:
                total += stack[number] * np.float32(share)
            found.append(np.floor(total).astype(kind))
        return from_planes(found, self.width, self.height, self.pixel_format)

    def _graph(self, picture: av.VideoFrame, lies: Placement, turned: int, colour: Colour) -> Graph:
        graph = Graph()
        source = graph.add_buffer(
            width=picture.width, height=picture.height, format=picture.format, time_base=Fraction(1, 1000)
        )
        chain: list[tuple[str, str | None]] = []
        for turn in _TURNS.get(turned, ()):
            name, _, way = turn.partition("=")
            chain.append((name, way or None))
        upright = (picture.height, picture.width) if turned in (90, 270) else (picture.width, picture.height)
        x, y, w, h = lies.crop
        if (x, y, w, h) != (0, 0, *upright):
            if x % 2 or y % 2:
                chain.append(("format", "yuv444p" if _bits(picture) == 8 else "yuv444p16le"))
            chain.append(("crop", f"{w}:{h}:{x}:{y}:exact=1"))
        chain += self._conversion(colour, lies.size, picture)
        if lies.size != (self.width, self.height):
            chain.append(("pad", f"{self.width}:{self.height}:{lies.at[0]}:{lies.at[1]}:black"))
        chain.append(("setsar", "1"))
        last = source
        for name, told in chain:
            node = graph.add(name, told) if told else graph.add(name)
            last.link_to(node)
            last = node
        last.link_to(graph.add("buffersink"))
        graph.configure()
        return graph

    def _conversion(
        self, colour: Colour, size: tuple[int, int], picture: av.VideoFrame
    ) -> list[tuple[str, str | None]]:
        """Scaling, and with it the change of matrix and range that is asked for, said in numbers."""
        wide = is_wide(colour) != is_wide(self.colour)
        if wide and RGB_MATRIX not in (colour[2], self.colour[2]):
            middle = "yuv420p10" if _bits(picture) > 8 else "yuv420p"
            return [
                ("scale", f"{size[0]}:{size[1]}:{SCALING}"),
                ("format", middle),
                ("colorspace",
                 f"iall={_family(colour)}:irange={_range(colour)}:all={_family(self.colour)}:range={_range(self.colour)}"
                 f":format={middle}"),
                ("format", self.pixel_format),
            ]  # fmt: skip
        settings = f"{size[0]}:{size[1]}:{SCALING}:in_range={_range(colour)}:out_range={_range(self.colour)}"
        if colour[2] != RGB_MATRIX:
            settings += f":in_color_matrix={_matrix(colour)}"
        settings += f":out_color_matrix={_matrix(self.colour)}"
        return [("scale", settings), ("format", self.pixel_format)]


SCALING = "flags=bicubic+accurate_rnd+full_chroma_int"


def _bits(picture: av.VideoFrame) -> int:
    return int(picture.format.components[0].bits)


def _range(colour: Colour) -> str:
    return "pc" if colour[3] == 2 else "tv"


def _matrix(colour: Colour) -> str:
    found = _MATRIX.get(colour[2])
    if found is None:
        raise MediaError(f"Pictures in {colour_told(colour)} can't be converted.", "Convert the clip first.")
    return found


def _family(colour: Colour) -> str:
    if is_wide(colour):
        return "bt2020"
    return {5: "bt601-6-625", 6: "bt601-6-525"}.get(colour[0], "bt709")


def planes(picture: av.VideoFrame) -> list[NDArray[Any]]:
    """The planes of a planar picture, without what pads their lines: uint8 or uint16, shape (height, width)."""
    kind = np.uint8 if _bits(picture) == 8 else np.uint16
    found = []
    for plane, part in zip(picture.planes, picture.format.components, strict=True):
        lines = np.frombuffer(memoryview(plane), kind).reshape(
            plane.height, plane.line_size // kind().itemsize
        )
        found.append(lines[:, : part.width])
    return found


def from_planes(arrays: Sequence[NDArray[Any]], width: int, height: int, pixel_format: str) -> av.VideoFrame:
    """A picture from its planes."""
    picture = av.VideoFrame(width, height, pixel_format)
    for plane, array in zip(picture.planes, arrays, strict=True):
        lines = np.frombuffer(memoryview(plane), array.dtype).reshape(
            plane.height, plane.line_size // array.itemsize
        )
        lines[:, : array.shape[1]] = array
    return picture


def generated(fill: str, width: int, height: int) -> av.VideoFrame:
    """A picture made without media, in RGB: *bars* (eight, at 75 %, and full white) or ``#rrggbb``."""
    array = np.zeros((height, width, 3), np.uint8)
    if fill == "bars":
        colours = [(255, 255, 255)] + [
            tuple(191 if on else 0 for on in bar)
            for bar in ((1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1), (0, 0, 0))
        ]
        for number, bar in enumerate(colours):
            array[:, width * number // 8 : width * (number + 1) // 8] = bar
    elif fill.startswith("#"):
        array[:] = [int(fill[at : at + 2], 16) for at in (1, 3, 5)]
    return av.VideoFrame.from_ndarray(array, format="rgb24")
