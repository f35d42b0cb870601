"""Frame-exact decoding: picture ``n`` of a file, whatever its codec and container do."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterator
from contextlib import ExitStack
from fractions import Fraction
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from chronocast.media.errors import DecodeFailed
from chronocast.media.index import FrameIndex, scan
from chronocast.media.opening import opened
from chronocast.model.timing import FrameRange


class FrameReader:
    """Pictures of one file by number.  A context manager; reading forwards is cheapest.

    Times of decoded pictures are looked up in the file's index, so that
    B-frames, edit lists, start offsets and pictures before a seek's key frame
    can't shift the count.
    """

    def __init__(self, path: str, index: FrameIndex | None = None, threads: int = 1) -> None:
        self.path = path
        self.index = index or scan(path)
        self._threads = threads
        self._stack = ExitStack()
        self._container: Any = None
        self._stream: Any = None
        self._frames: Iterator[av.VideoFrame] | None = None
        self._next = -1

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
        self._stream.codec_context.thread_count = self._threads
        self._frames, self._next = None, -1

    @property
    def pixel_aspect(self) -> Fraction:
        """Width of a pixel against its height, as the file says."""
        if self._stream is None:
            self._open()
        return Fraction(self._stream.sample_aspect_ratio or 1) or Fraction(1)

    def _seek(self, frame: int, back: int) -> None:
        if self._container is None:
            self._open()
        self._container.seek(
            self.index.key_before(frame, back), stream=self._stream, backward=True, any_frame=False
        )
        self._frames = self._container.decode(self._stream)
        self._next = -1

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
        near = self._frames is not None and 0 <= number - self._next <= 48
        if near and (found := self._forward(number)) is not None:
            return found
        for back in (0, 1, 2, 4, 8, 1 << 30):
            self._seek(number, back)
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


def luma(picture: av.VideoFrame) -> NDArray[np.uint8]:
    """The luma plane of a picture: uint8, shape (height, width)."""
    if picture.format.name not in ("yuv420p", "yuvj420p", "yuv422p", "yuv444p", "gray"):
        picture = picture.reformat(format="gray")
    plane = picture.planes[0]
    lines: NDArray[np.uint8] = np.frombuffer(memoryview(plane), np.uint8).reshape(
        plane.height, plane.line_size
    )
    return lines[:, : picture.width].copy()


class Readers:
    """Open readers kept by path, so that an edit back to the same file doesn't open it again."""

    def __init__(self, most: int = 6, threads: int = 1) -> None:
        self._open: OrderedDict[str, FrameReader] = OrderedDict()
        self._indexes: dict[tuple[str, str], FrameIndex] = {}
        self._most, self._threads = most, threads

    def reader(self, path: str, mark: str = "") -> FrameReader:
        """A reader for the file; its index is kept for as long as ``mark`` stays the same."""
        if path in self._open and (path, mark) in self._indexes:
            self._open.move_to_end(path)
            return self._open[path]
        if path in self._open:
            self._open.pop(path).close()
        index = self._indexes.get((path, mark)) or scan(path)
        self._indexes[(path, mark)] = index
        self._open[path] = FrameReader(path, index, self._threads).__enter__()
        while len(self._open) > self._most:
            self._open.popitem(last=False)[1].close()
        return self._open[path]

    def close(self) -> None:
        """Give every file back."""
        while self._open:
            self._open.popitem()[1].close()
