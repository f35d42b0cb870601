"""From a source's pictures to an output's: place, size, bars, colour, pixel format."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from fractions import Fraction
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from chronocast.media.errors import MediaError
from chronocast.media.filter_graph import Filter, FilterGraph
from chronocast.media.matrices import MATRICES
from chronocast.model.picture.colour import RGB_MATRIX, Colour, is_wide, same_look
from chronocast.model.picture.colour import told as colour_told
from chronocast.model.picture.geometry import Placement, View, place
from chronocast.model.picture.terms import Placing
from chronocast.model.source.origin import Alpha, samples_of

MOST_GRAPHS = 24
_TURNS = {90: ("transpose=clock",), 180: ("hflip", "vflip"), 270: ("transpose=cclock",)}


class Composer:
    """Makes output pictures of one size, pixel format and colour from pictures of any kind."""

    def __init__(
        self,
        width: int,
        height: int,
        pixel_format: str,
        *,
        canvas: tuple[int, int],
        view: View,
        colour: Colour,
        output_shape: Fraction = Fraction(1),
        kernel: str = "",
    ) -> None:
        self.width, self.height, self.pixel_format = width, height, pixel_format
        self.canvas, self.view, self.colour, self.output_shape = canvas, view, colour, output_shape
        self.kernel, self.scaling = kernel, f"flags={kernel or 'bicubic'}+accurate_rnd+full_chroma_int"
        self.alpha = samples_of(pixel_format).alpha
        self._graphs: OrderedDict[tuple[Any, ...], FilterGraph] = OrderedDict()

    def see_through(self) -> Composer:
        """A composer of the same pictures, with an alpha plane: its colours are multiplied by it."""
        if self.alpha:
            return self
        return Composer(
            self.width,
            self.height,
            with_alpha(self.pixel_format),
            canvas=self.canvas,
            view=self.view,
            colour=self.colour,
            output_shape=self.output_shape,
            kernel=self.kernel,
        )

    def placement(
        self, picture: av.VideoFrame, shape: Fraction, turned: int, placing: Placing, frame: int
    ) -> Placement | None:
        """Where an upright picture goes at a frame of the piece.

        Parameters
        ----------
        picture
            The picture.
        shape
            Width of a pixel against its height.
        turned
            By how many degrees clockwise it is to be turned.
        placing
            Fit, fill or pad.
        frame
            Of the piece, from 0.
        """
        sides = (picture.width, picture.height)
        if turned in (90, 270):
            sides, shape = (sides[1], sides[0]), 1 / shape
        return place(
            sides,
            shape,
            placing,
            canvas=self.canvas,
            view=self.view,
            output=(self.width, self.height),
            frame=frame,
            output_shape=self.output_shape,
        )

    def __call__(
        self,
        picture: av.VideoFrame,
        colour: Colour,
        shape: Fraction = Fraction(1),
        *,
        turned: int = 0,
        placing: Placing = "fit",
        frame: int = 0,
        alpha: Alpha = "",
    ) -> av.VideoFrame:
        """The picture as the output shows it; ``shape`` is its pixel aspect, ``turned`` its rotation clockwise.

        With ``alpha`` *straight* its colours are multiplied by its alpha first.
        """
        lies = self.placement(picture, shape, turned, placing, frame)
        if lies is None:
            return self.black()
        sides = (picture.width, picture.height)
        whole = lies.crop == (0, 0, *sides) and lies.size == sides == (self.width, self.height)
        if (
            whole
            and not turned
            and alpha != "straight"
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
            alpha,
        )
        if key not in self._graphs:
            self._graphs[key] = self._graph(picture, lies, turned, colour, alpha)
            while len(self._graphs) > MOST_GRAPHS:
                self._graphs.popitem(last=False)
        self._graphs.move_to_end(key)
        graph = self._graphs[key]
        try:
            return graph.one(picture)
        except av.error.FFmpegError as error:
            raise MediaError(
                f"A picture of {picture.width}×{picture.height} could not be composed: {error.strerror}."
            ) from error

    def black(self) -> av.VideoFrame:
        """A black picture."""
        return from_planes(
            [np.full(shape, value, kind) for shape, value, kind in self._black_planes()],
            self.width,
            self.height,
            self.pixel_format,
        )

    def _black_planes(self) -> list[tuple[tuple[int, int], int, Any]]:
        """Shape, value of black and type of each plane; where there is alpha, black is not seen through nor seen."""
        layout = av.VideoFormat(self.pixel_format, self.width, self.height)
        bits = layout.components[0].bits
        kind = np.uint8 if bits == 8 else np.uint16
        dark = 0 if self.colour[3] == 2 or layout.is_rgb else 16 << (bits - 8)
        # the libraries call no plane of 4:4:4 chroma: what is neither luma, alpha nor RGB is
        return [
            (
                (part.height, part.width),
                0
                if part.is_alpha
                else dark
                if part.is_luma or layout.is_rgb or len(layout.components) == 1
                else 128 << (bits - 8),
                kind,
            )
            for part in layout.components
        ]

    def over(self, levels: Sequence[Sequence[tuple[av.VideoFrame, Fraction, bool]]]) -> av.VideoFrame:
        """Levels laid over each other, lowest first; each is (picture, share, see-through) added up.

        Pictures that are see-through have an alpha plane, with which their
        colours are multiplied already; the others cover as far as their share.
        Where this composer's own kind has alpha, the result has it too, its
        colours straight.
        """
        blacks = self._black_planes()
        own = len(blacks) - 1 if self.alpha else len(blacks)
        totals = [np.zeros(shape, np.float32) for shape, _, _ in blacks[:own]]
        seen = np.zeros((self.height, self.width), np.float32)
        most = float((1 << av.VideoFormat(self.pixel_format, 16, 16).components[0].bits) - 1)
        for level in levels:
            cover = np.zeros((self.height, self.width), np.float32)
            added = [np.zeros(shape, np.float32) for shape, _, _ in blacks[:own]]
            for picture, share, through in level:
                stack = planes(picture)
                part = np.float32(float(share))
                cover += part * (stack[-1].astype(np.float32) / most if through else np.float32(1))
                for number, (_, value, _) in enumerate(blacks[:own]):
                    added[number] += part * (stack[number].astype(np.float32) - value)
            for number, total in enumerate(totals):
                total *= 1 - _shrunk(cover, total.shape)
                total += added[number]
            seen = seen * (1 - cover) + cover
        found = []
        for number, (_, value, kind) in enumerate(blacks[:own]):
            plane = totals[number]
            if self.alpha:
                plane /= np.maximum(_shrunk(seen, plane.shape), np.float32(1 / (2 * most)))
            found.append(np.clip(np.floor(plane + value + 0.5), 0, most).astype(kind))
        if self.alpha:
            found.append(np.floor(np.clip(seen, 0, 1) * most + 0.5).astype(blacks[0][2]))
        return from_planes(found, self.width, self.height, self.pixel_format)

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

    def _graph(
        self, picture: av.VideoFrame, lies: Placement, turned: int, colour: Colour, alpha: Alpha
    ) -> FilterGraph:
        chain: list[Filter] = []
        if alpha == "straight":
            chain += [Filter("format", _planar_alpha(picture)), Filter("premultiply", "inplace=1")]
        for turn in _TURNS.get(turned, ()):
            name, _, way = turn.partition("=")
            chain.append(Filter(name, way))
        upright = (picture.height, picture.width) if turned in (90, 270) else (picture.width, picture.height)
        x, y, w, h = lies.crop
        if (x, y, w, h) != (0, 0, *upright):
            if (x % 2 or y % 2) and alpha != "straight":
                chain.append(Filter("format", "yuv444p" if _bits(picture) == 8 else "yuv444p16le"))
            chain.append(Filter("crop", f"{w}:{h}:{x}:{y}:exact=1"))
        chain += self._conversion(colour, lies.size, picture)
        if lies.size != (self.width, self.height):
            ground = "black@0" if self.alpha else "black"
            chain.append(Filter("pad", f"{self.width}:{self.height}:{lies.at[0]}:{lies.at[1]}:{ground}"))
        chain.append(Filter("setsar", "1"))
        return FilterGraph.of_pictures(picture, chain)

    def _conversion(self, colour: Colour, size: tuple[int, int], picture: av.VideoFrame) -> list[Filter]:
        """Scaling, and with it the change of matrix and range that is asked for, said in numbers."""
        wide = is_wide(colour) != is_wide(self.colour) and not self.alpha
        if wide and RGB_MATRIX not in (colour[2], self.colour[2]):
            middle = "yuv420p10" if _bits(picture) > 8 else "yuv420p"
            return [
                Filter("scale", f"{size[0]}:{size[1]}:{self.scaling}"),
                Filter("format", middle),
                Filter(
                    "colorspace",
                    f"iall={_family(colour)}:irange={_range(colour)}:all={_family(self.colour)}:range={_range(self.colour)}"
                    f":format={middle}",
                ),
                Filter("format", self.pixel_format),
            ]
        settings = (
            f"{size[0]}:{size[1]}:{self.scaling}:in_range={_range(colour)}:out_range={_range(self.colour)}"
        )
        if colour[2] != RGB_MATRIX:
            settings += f":in_color_matrix={_matrix(colour)}"
        if self.colour[2] != RGB_MATRIX:
            settings += f":out_color_matrix={_matrix(self.colour)}"
        return [Filter("scale", settings), Filter("format", self.pixel_format)]


def _planar_alpha(picture: av.VideoFrame) -> str:
    """The planar pixel format with alpha in which a see-through picture is multiplied by it, nothing lost."""
    depth, chroma, _ = samples_of(picture.format.name)
    deep = "" if depth == 8 else "16le"
    return f"gbrap{deep}" if chroma in ("RGB", "gray") else f"yuva444p{deep}"


def _shrunk(cover: NDArray[np.float32], shape: tuple[int, ...]) -> NDArray[np.float32]:
    """Cover at the resolution of a plane: the mean of the pixels that share a colour sample."""
    if cover.shape == shape:
        return cover
    high, wide = -(-cover.shape[0] // shape[0]), -(-cover.shape[1] // shape[1])
    padded = np.pad(
        cover, ((0, shape[0] * high - cover.shape[0]), (0, shape[1] * wide - cover.shape[1])), "edge"
    )
    mean: NDArray[np.float32] = padded.reshape(shape[0], high, shape[1], wide).mean((1, 3), dtype=np.float32)
    return mean


def with_alpha(pixel_format: str) -> str:
    """A pixel format like another one, with an alpha plane.

    >>> with_alpha("yuv422p10le")
    'yuva422p10le'
    """
    if samples_of(pixel_format).alpha:
        return pixel_format
    if pixel_format.startswith("gbr"):
        return pixel_format.replace("gbrp", "gbrap")
    if pixel_format.startswith("gray"):
        return "yuva444p" if pixel_format == "gray" else "yuva444p16le"
    plain = pixel_format.replace("yuvj", "yuv").replace("yuv", "yuva")
    return plain if plain not in ("yuva420p12le",) else "yuva420p16le"


def _bits(picture: av.VideoFrame) -> int:
    return int(picture.format.components[0].bits)


def _range(colour: Colour) -> str:
    return "pc" if colour[3] == 2 else "tv"


def _matrix(colour: Colour) -> str:
    found = MATRICES.get(colour[2])
    if found is None:
        raise MediaError(f"Pictures in {colour_told(colour)} can't be converted.", "Convert the clip first.")
    return found.filters


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
    """A picture from its planes.

    Parameters
    ----------
    arrays
        One a plane, of shape lines × samples.
    width, height
        Of the frame, in pixels.
    pixel_format
        By the libraries' name.
    """
    picture = av.VideoFrame(width, height, pixel_format)
    for plane, array in zip(picture.planes, arrays, strict=True):
        lines = np.frombuffer(memoryview(plane), array.dtype).reshape(
            plane.height, plane.line_size // array.itemsize
        )
        lines[:, : array.shape[1]] = array
    return picture


def generated(fill: str, width: int, height: int) -> av.VideoFrame:
    """A picture made without media, in RGB: *bars* (eight, at 75 %, and full white) or ``#rrggbb``.

    Parameters
    ----------
    fill
        *bars* or ``#rrggbb``.
    width, height
        Of the frame, in pixels.
    """
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
