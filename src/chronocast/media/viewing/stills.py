"""Single pictures of a source, as it is or as an output shows it, for looking at: small, in RGB, in any order."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction

import av
import numpy as np
from numpy.typing import NDArray

from chronocast.media.matrices import MATRICES, USUAL_MATRIX
from chronocast.media.picture.compose import Composer
from chronocast.media.picture.layers import SpanPictures
from chronocast.media.source.decode import PictureSource
from chronocast.media.source.proxied import open_proxy
from chronocast.media.source.readers import Readers
from chronocast.model.picture.colour import Colour
from chronocast.model.picture.geometry import View
from chronocast.model.source.cutlist import CutList, Deinterlace, PictureSpan
from chronocast.model.source.proxy import Proxy
from chronocast.model.time.timing import Rate

Picture = NDArray[np.uint8]
REMEMBERED = 3


class _Remembering:
    """A source that still has the last few pictures it gave: the same one is often asked for twice, framed and not."""

    def __init__(self, source: PictureSource) -> None:
        self.source = source
        self._recent: OrderedDict[int, av.VideoFrame] = OrderedDict()

    @property
    def pixel_aspect(self) -> Fraction:
        return self.source.pixel_aspect

    @property
    def turned(self) -> int:
        return self.source.turned

    @property
    def complaints(self) -> dict[int, str]:
        return self.source.complaints

    def frame(self, number: int) -> av.VideoFrame:
        if number not in self._recent:
            self._recent[number] = self.source.frame(number)
            while len(self._recent) > REMEMBERED:
                self._recent.popitem(last=False)
        return self._recent[number]

    def close(self) -> None:
        self._recent.clear()
        self.source.close()


class LookingReaders(Readers):
    """Readers for looking: what they gave last is at hand, and films with a proxy are read from it.

    ``proxy_of`` finds a film's proxy by what is in the film; ``from_proxy`` are the films that are read so.
    """

    def __init__(
        self,
        most: int = 6,
        threads: int = 1,
        hurry: bool = False,
        proxy_of: Callable[[str], Proxy | None] = lambda _: None,
    ) -> None:
        super().__init__(most, threads, hurry)
        self._proxy_of = proxy_of
        self.from_proxy: set[str] = set()

    def _make(self, path: str, mark: str, deinterlace: Deinterlace, clock: Fraction | None) -> PictureSource:
        proxy = self._proxy_of(mark) if mark and clock is None else None
        quick = open_proxy(proxy, self._threads, self._hurry, deinterlace) if proxy else None
        if quick is not None:
            self.from_proxy.add(path)
        return _Remembering(quick or super()._make(path, mark, deinterlace, clock))


@dataclass(frozen=True)
class Frame:
    """How a picture is to be shown: ``size`` on the screen; ``view`` None shows the source's own frame."""

    size: tuple[int, int]
    view: View | None = None


class Stills:
    """Pictures of one source by frame number.

    ``rate`` is that of an output's frames where moving centres are counted in them.
    """

    def __init__(self, cut: CutList, readers: LookingReaders) -> None:
        self.cut, self.readers = cut, readers
        self._spans: OrderedDict[tuple[int, Frame, int], SpanPictures] = OrderedDict()
        self._composers: OrderedDict[Frame, Composer] = OrderedDict()

    def picture(self, frame: int, shown: Frame, first: int = 0, rate: Rate | None = None) -> Picture:
        """One picture: uint8, height × width × 3.

        ``first`` is the frame of the source that is the output's first, from
        which its moving centre counts, at its own ``rate``.

        Parameters
        ----------
        frame
            Of the source.
        shown
            How it is to be shown.
        first
            The frame of the source that is the output's first, from which a moving centre counts.
        rate
            Frames a second of the output.

        Raises
        ------
        MediaError
            It can't be decoded.
        IndexError
            The source has no such frame.
        """
        span = self.cut.span_at(frame)
        if span is None:
            raise IndexError(f"frame {frame} of {self.cut.frames}")
        view = shown.view
        moves = view is not None and len(view.centres) > 1
        if moves:
            assert view is not None
            here = round((frame - first) * (rate or self.cut.rate) / self.cut.rate)
            x, y = view.centre(here)
            still = view.model_copy(
                update={"centres": (view.centres[0].model_copy(update={"frame": 0, "x": x, "y": y}),)}
            )
            shown = Frame(shown.size, still)
        made = self._span(span, shown).picture(frame - span.start)
        return to_rgb(made, self.cut.colour)

    def from_proxy(self, frame: int) -> bool:
        """Whether anything of a frame was read from a proxy."""
        span = self.cut.span_at(frame)
        layers = span.layers if span else ()
        return any(layer.media and layer.media.path in self.readers.from_proxy for layer in layers)

    def _span(self, span: PictureSpan, shown: Frame) -> SpanPictures:
        key = (span.start, shown, span.frames)
        if key not in self._spans:
            self._spans[key] = SpanPictures(
                span, (self.cut.width, self.cut.height), self._composer(shown), self.readers
            )
            while len(self._spans) > 6:
                self._spans.popitem(last=False)
        self._spans.move_to_end(key)
        return self._spans[key]

    def _composer(self, shown: Frame) -> Composer:
        if shown not in self._composers:
            width, height = (max(2, side // 2 * 2) for side in shown.size)
            self._composers[shown] = Composer(
                width,
                height,
                "yuv420p",
                canvas=(self.cut.width, self.cut.height),
                view=shown.view or View(),
                colour=self.cut.colour,
            )
            while len(self._composers) > 6:
                self._composers.popitem(last=False)
        self._composers.move_to_end(shown)
        return self._composers[shown]


def to_rgb(picture: av.VideoFrame, colour: Colour) -> Picture:
    """A composed picture as RGB: uint8, height × width × 3."""
    made = picture.reformat(
        format="rgb24",
        src_colorspace=MATRICES.get(colour[2], USUAL_MATRIX).scaler,
        dst_colorspace="ITU709",
        src_color_range="JPEG" if colour[3] == 2 else "MPEG",
        dst_color_range="JPEG",
    )
    return np.ascontiguousarray(made.to_ndarray())


def small_luma(stills: Stills, frames: Sequence[int]) -> NDArray[np.float32]:
    """Pictures shrunk to 96 × 54 for comparing: luma from 0 to 255, float32, n × 54 × 96."""
    shown = Frame((96, 54))
    found = [stills.picture(frame, shown).astype(np.float32) for frame in frames]
    return (
        np.stack([p @ np.array([0.2126, 0.7152, 0.0722], np.float32) for p in found])
        if found
        else np.zeros((0, 54, 96), np.float32)
    )
