"""Frame-exact decoding: picture ``n`` of a file, whatever its codec and container do."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterator
from contextlib import ExitStack
from fractions import Fraction
from typing import Any, Protocol

import av
import numpy as np
from numpy.typing import NDArray

from chronocast.media.errors import DecodeFailed
from chronocast.media.index import FrameIndex, scan
from chronocast.media.opening import opened
from chronocast.model.cutlist import Deinterlace
from chronocast.model.timing import FrameRange


class FrameReader:
    """Pictures of one file by number.  A context manager; reading forwards is cheapest.

    Times of decoded pictures are looked up in the file's index, so that
    B-frames, edit lists, start offsets and pictures before a seek's key frame
    can't shift the count.  With ``hurry``, pictures on the way that no other
    needs aren't decoded: for looking at one after a jump.
    """

    def __init__(
        self, path: str, index: FrameIndex | None = None, threads: int = 1, hurry: bool = False
    ) -> None:
        self.path = path
        self.index = index or scan(path)
        self._threads, self._hurry = threads, hurry
        self._wanted: int | None = None
        self._stack = ExitStack()
        self._container: Any = None
        self._stream: Any = None
        self._frames: Iterator[av.VideoFrame] | None = None
        self._next = -1
        self._turned: int | None = None

    def __enter__(self) -> FrameReader:
        self._open()
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Give the file back."""
        self._frames = None
        self._container = self._stream = None
        self._stack.close()

    def _open(self) -> None:
        self._container = self._stack.enter_context(opened(self.path))
        self._stream = self._container.streams.video[0]
        if self._threads > 1:
            self._stream.thread_type = "AUTO"
        self._stream.codec_context.thread_count = self._threads
        self._frames, self._next = None, -1

    @property
    def pixel_aspect(self) -> Fraction:
        """Width of a pixel against its height, as the file says."""
        if self._stream is None:
            self._open()
        return Fraction(self._stream.sample_aspect_ratio or 1) or Fraction(1)

    @property
    def turned(self) -> int:
        """By how many degrees clockwise its pictures are to be turned, as the first of them says."""
        if self._turned is None:
            self._turned = upright_turn(self.frame(0)) if len(self.index) else 0
        return self._turned

    def _seek(self, place: int) -> None:
        if self._container is None:
            self._open()
        self._container.seek(place, stream=self._stream, backward=True, any_frame=False)
        self._frames = self._hurried() if self._hurry else self._container.decode(self._stream)
        self._next = -1

    def _hurried(self) -> Iterator[av.VideoFrame]:
        context = self._stream.codec_context
        now = ""
        for packet in self._container.demux(self._stream):
            if packet.pts is not None and self._wanted is not None:
                skip = "NONREF" if packet.pts < self._wanted else "DEFAULT"
                if skip != now:
                    context.skip_frame = now = skip
            yield from packet.decode()

    def frame(self, number: int) -> av.VideoFrame:
        """Picture ``number``, counted from 0.

        Raises:
            DecodeFailed: it is beyond the end, or can't be decoded.
        """
        if not 0 <= number < len(self.index):
            raise DecodeFailed(
                f"{self.path} has {len(self.index)} pictures; number {number + 1} was asked for.",
                "Check the range against the file, which may have been replaced.", number,
            )  # fmt: skip
        self._wanted = self.index.times[number]
        near = self._frames is not None and 0 <= number - self._next <= 48
        if near and self._hurry and number - self._next > 2:
            near = self.index.key_shown(number) < self.index.times[self._next]
        if near and (found := self._forward(number)) is not None:
            return found
        places = [self.index.key_before(number, back) for back in (0, 1, 2, 4, 8, 1 << 30)]
        if self._hurry and not self.index.repeated:
            places.insert(0, self.index.key_shown(number))
        for place in dict.fromkeys(places):
            self._seek(place)
            if (found := self._forward(number)) is not None:
                return found
        raise DecodeFailed(
            f"Picture {number + 1} of {self.path} can't be decoded.",
            "The file is damaged there; copy it again or leave that part out.", number,
        )  # fmt: skip

    def _forward(self, number: int) -> av.VideoFrame | None:
        """Decode up to ``number``; None if decoding started after it or it is missing."""
        assert self._frames is not None
        try:
            for picture in self._frames:
                time = picture.pts if picture.pts is not None else picture.dts
                at = self.index.number.get(time) if time is not None else None
                if at is None:
                    continue
                self._next = at + 1
                if at == number:
                    return picture
                if at > number:
                    return None
        except av.error.FFmpegError as error:
            raise DecodeFailed(
                f"{self.path} stops being readable before picture {number + 1}: {error.strerror}.",
                "Copy it again from where it came from, or leave that part out.", number,
            ) from None  # fmt: skip
        return None

    def frames(self, part: FrameRange) -> Iterator[av.VideoFrame]:
        """The pictures of ``part`` in order."""
        for number in part:
            yield self.frame(number)

    def gray(self, number: int) -> NDArray[np.uint8]:
        """The luma of picture ``number``: uint8, shape (height, width)."""
        return luma(self.frame(number))


def upright_turn(picture: av.VideoFrame) -> int:
    """Degrees clockwise, of 0, 90, 180 and 270, by which a picture says it is to be turned to stand upright."""
    return round(-picture.rotation / 90) * 90 % 360


def luma(picture: av.VideoFrame) -> NDArray[np.uint8]:
    """The luma plane of a picture: uint8, shape (height, width)."""
    if picture.format.name not in ("yuv420p", "yuvj420p", "yuv422p", "yuv444p", "gray"):
        picture = picture.reformat(format="gray")
    plane = picture.planes[0]
    lines: NDArray[np.uint8] = np.frombuffer(memoryview(plane), np.uint8).reshape(
        plane.height, plane.line_size
    )
    return lines[:, : picture.width].copy()


class PictureSource(Protocol):
    """Whatever gives pictures by number: a film, numbered images, a film's deinterlaced fields."""

    @property
    def pixel_aspect(self) -> Fraction: ...

    @property
    def turned(self) -> int: ...

    def frame(self, number: int) -> av.VideoFrame: ...

    def close(self) -> None: ...


class OverFilm:
    """What gives a film's pictures in another way: its shape, its turn and its end are the film's."""

    def __init__(self, reader: FrameReader) -> None:
        self.reader = reader

    @property
    def pixel_aspect(self) -> Fraction:
        return self.reader.pixel_aspect

    @property
    def turned(self) -> int:
        return self.reader.turned

    def close(self) -> None:
        self.reader.close()


class Timed(OverFilm):
    """A film of uneven timing by even numbers: number ``n`` is what is on in the middle of [n, n+1) / rate."""

    def __init__(self, reader: FrameReader, rate: Fraction) -> None:
        super().__init__(reader)
        self.rate = rate

    def frame(self, number: int) -> av.VideoFrame:
        return self.reader.frame(self.reader.index.shown_at((number + Fraction(1, 2)) / self.rate))


class Readers:
    """Open readers kept by path and use, so that an edit back to the same file doesn't open it again.

    Two layers that show the same file at once use two readers of it.
    """

    def __init__(self, most: int = 6, threads: int = 1, hurry: bool = False) -> None:
        self._open: OrderedDict[tuple[str, str, int, str, str], PictureSource] = OrderedDict()
        self._indexes: dict[tuple[str, str], FrameIndex] = {}
        self._most, self._threads, self._hurry = most, threads, hurry

    def reader(self, path: str, mark: str = "") -> FrameReader:
        """A plain reader of a film."""
        found = self.source(path, mark)
        assert isinstance(found, FrameReader)
        return found

    def source(
        self,
        path: str,
        mark: str = "",
        use: int = 0,
        deinterlace: Deinterlace = "",
        clock: Fraction | None = None,
    ) -> PictureSource:
        """What gives the pictures of a file; its index is kept for as long as ``mark`` stays the same."""
        key = (path, mark, use, deinterlace, str(clock or ""))
        if key not in self._open:
            self._open[key] = self._make(path, mark, deinterlace, clock)
        self._open.move_to_end(key)
        while len(self._open) > self._most:
            self._open.popitem(last=False)[1].close()
        return self._open[key]

    def _make(self, path: str, mark: str, deinterlace: Deinterlace, clock: Fraction | None) -> PictureSource:
        from chronocast.media.deinterlace import Deinterlaced
        from chronocast.media.images import ImageReader, is_numbered

        if is_numbered(path):
            return ImageReader(path)
        index = self._indexes.get((path, mark)) or scan(path)
        self._indexes[(path, mark)] = index
        reader = FrameReader(path, index, self._threads, self._hurry).__enter__()
        if clock is not None:
            return Timed(reader, clock)
        return Deinterlaced(reader, deinterlace == "field") if deinterlace else reader

    def close(self) -> None:
        """Give every file back."""
        while self._open:
            self._open.popitem()[1].close()
