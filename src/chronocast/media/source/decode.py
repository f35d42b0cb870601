"""Frame-exact decoding: picture ``n`` of a file, whatever its codec and container do."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from contextlib import ExitStack
from fractions import Fraction
from typing import Any, Protocol

import av
import numpy as np
from av.codec.hwaccel import HWAccel
from numpy.typing import NDArray

from chronocast.media.errors import DecodeFailed
from chronocast.media.source.index import FrameIndex, scan
from chronocast.media.source.opening import listening, opened
from chronocast.model.time.timing import FrameRange

SOON = 2
"""Groups of pictures after a seek, or after a beginning in mid-film, in which a decoder may speak of pictures before it."""
MISSED = ("mmco", "reference picture", "ref with POC", "co located")
"""What decoders say of pictures that they build nothing on and that were never there."""


class FrameReader:
    """Pictures of one file by number.  A context manager; reading forwards is cheapest.

    Times of decoded pictures are looked up in the file's index, so that
    B-frames, edit lists, start offsets and pictures before a seek's key frame
    can't shift the count.  With ``hurry``, pictures on the way that no other
    needs aren't decoded: for looking at one after a jump.

    A damaged film is read as far as it goes: for a picture that can't be
    decoded the nearest one before it stands.  ``complaints`` has what was
    said of pictures, by number; with ``listen`` also what the decoder only
    writes to its log (with one thread: its log must not wait for Python).
    """

    def __init__(
        self,
        path: str,
        index: FrameIndex | None = None,
        threads: int = 1,
        hurry: bool = False,
        listen: bool = False,
    ) -> None:
        self.path = path
        self.index = index or scan(path)
        self.complaints: dict[int, str] = {}
        self._threads, self._hurry, self._listen = 1 if listen else threads, hurry, listen
        self._missing: set[int] = set()
        self._wanted: int | None = None
        self._stack = ExitStack()
        self._container: Any = None
        self._stream: Any = None
        self._frames: Iterator[av.VideoFrame] | None = None
        self._next = -1
        self._began: int | None = None
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
        self._container = self._stack.enter_context(opened(self.path, hardware=self._hardware()))
        self._stream = self._container.streams.video[0]
        if self._threads > 1:
            self._stream.thread_type = "AUTO"
        self._stream.codec_context.thread_count = self._threads
        self._frames, self._next = None, -1

    def _hardware(self) -> HWAccel | None:
        """What decodes it; the processor, if None."""
        return None

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
        try:
            self._container.seek(place, stream=self._stream, backward=True, any_frame=False)
        except av.error.FFmpegError:  # a still, or a stream that can't be wound back: from its beginning
            self.close()
            self._open()
        self._frames = self._decoded()
        self._next, self._began = -1, None

    def _decoded(self) -> Iterator[av.VideoFrame]:
        """Pictures from here on; a packet that can't be decoded is noted and passed over."""
        context = self._stream.codec_context
        now = ""
        packets = self._container.demux(self._stream)
        while True:
            try:
                packet = next(packets, None)
            except av.error.FFmpegError as error:
                self._complain(self._next, f"stops being readable: {error.strerror}")
                return
            if packet is None:
                return
            if self._hurry and packet.pts is not None and self._wanted is not None:
                skip = "NONREF" if packet.pts < self._wanted else "DEFAULT"
                if skip != now:
                    context.skip_frame = now = skip
            try:
                yield from packet.decode()
            except av.error.EOFError:
                return
            except av.error.FFmpegError as error:
                at = self.index.number.get(packet.pts, self._next) if packet.pts is not None else self._next
                self._complain(at, error.strerror or "can't be decoded")

    def _complain(self, number: int, sentence: str) -> None:
        self.complaints.setdefault(max(0, number), sentence)

    def frame(self, number: int) -> av.VideoFrame:
        """Picture ``number``, counted from 0.

        Raises
        ------
        DecodeFailed
            It is beyond the end, or can't be decoded.
        """
        if not 0 <= number < len(self.index):
            raise DecodeFailed(
                f"{self.path} has {len(self.index)} pictures; number {number + 1} was asked for.",
                "Check the range against the file, which may have been replaced.",
                number,
            )
        if not self._listen:
            return self._frame(number)
        if self._container is None:  # what is said while it is opened isn't about this picture
            self._open()
        with listening() as said:
            found = self._frame(number)
        if said and self._soon_after_seek(number):
            found, said = self._once_more(number)
        if said and self.index.hidden and not found.is_corrupt and self._groups_before(number) < SOON:
            said = [told for told in said if not any(word in told for word in MISSED)]
        if said:
            self._complain(number, said[0])
        return found

    def _soon_after_seek(self, number: int) -> bool:
        """Whether a picture is in the first groups after a seek: there decoders miss what came before, though nothing shows."""
        if self._began is None or not self.index.keys or self._began <= 0:
            return False
        return self._groups_before(number) - self._groups_before(self._began) < SOON

    def _groups_before(self, number: int) -> int:
        """How many groups of pictures are before that of a picture."""
        return bisect_right(self.index.keys, (self.index.times[number], 1 << 62)) - 1

    def _once_more(self, number: int) -> tuple[av.VideoFrame, list[str]]:
        """A picture decoded from groups before its own, and what is said then."""
        group = self.index.number.get(self.index.key_shown(number), number)
        self._seek(self.index.key_before(number, 2 * SOON))
        if group:
            self._forward(group - 1)
        with listening() as said:
            return self._frame(number), said

    def _frame(self, number: int) -> av.VideoFrame:
        self._wanted = self.index.times[number]
        near = self._frames is not None and 0 <= number - self._next <= 48
        if near and self._hurry and number - self._next > 2:
            near = self.index.key_shown(number) < self.index.times[self._next]
        if near and number not in self._missing and (found := self._forward(number)) is not None:
            return found
        if number not in self._missing:
            places = [self.index.key_before(number, back) for back in (0, 1, 2, 4, 8, 1 << 30)]
            if (self._hurry or self._seeks_by_shown) and not self.index.repeated:
                places.insert(0, self.index.key_shown(number))
            for place in dict.fromkeys(places):
                self._seek(place)
                if (found := self._forward(number)) is not None:
                    return found
            self._missing.add(number)
        self._complain(number, "can't be decoded; the nearest picture stands for it")
        return self._nearest(number)

    @property
    def _seeks_by_shown(self) -> bool:
        """Whether the container seeks by when pictures are shown, and lands one group too early else."""
        return self._container is not None and "mp4" in self._container.format.name

    def _nearest(self, number: int) -> av.VideoFrame:
        """The last picture before one that is missing, else the first after it.

        Raises
        ------
        DecodeFailed
            There is none.
        """
        later = None
        for back in (0, 1, 1 << 30):
            self._seek(self.index.key_before(number, back))
            held = None
            for at, picture in self._numbered():
                if at > number:
                    later = later or picture
                    break
                held = picture
            if held is not None:
                return held
        if later is not None:
            return later
        raise DecodeFailed(
            f"Picture {number + 1} of {self.path} can't be decoded, and none near it.",
            "The file is damaged there; copy it again or leave that part out.",
            number,
        )

    def _number(self, picture: av.VideoFrame) -> int | None:
        time = picture.pts if picture.pts is not None else picture.dts
        return self.index.number.get(time) if time is not None else None

    def _numbered(self) -> Iterator[tuple[int, av.VideoFrame]]:
        """What is decoded from here on, each picture with its number; those without a known time are left out."""
        assert self._frames is not None
        for picture in self._frames:
            at = self._number(picture)
            if at is not None:
                self._next = at + 1
                self._began = at if self._began is None else self._began
                yield at, picture

    def _forward(self, number: int) -> av.VideoFrame | None:
        """Decode up to ``number``; None if decoding started after it or it is missing."""
        for at, picture in self._numbered():
            if picture.is_corrupt:
                self._complain(at, "is damaged, says the decoder")
            if at == number:
                return picture
            if at > number:
                return None
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
    def complaints(self) -> dict[int, str]:
        """What decoders said, by number of the picture."""

    @property
    def pixel_aspect(self) -> Fraction:
        """Width of a pixel against its height."""

    @property
    def turned(self) -> int:
        """By how many degrees clockwise its pictures are to be turned."""

    def frame(self, number: int) -> av.VideoFrame:
        """The picture of a number, counted from 0."""

    def close(self) -> None:
        """Give the file back."""


class OverFilm:
    """What gives a film's pictures in another way: its shape, its turn and its end are the film's."""

    def __init__(self, reader: FrameReader) -> None:
        self.reader = reader

    @property
    def pixel_aspect(self) -> Fraction:
        """Width of a pixel against its height."""
        return self.reader.pixel_aspect

    @property
    def turned(self) -> int:
        """By how many degrees clockwise its pictures are to be turned."""
        return self.reader.turned

    @property
    def complaints(self) -> dict[int, str]:
        """What decoders said, by number of the picture."""
        return self.reader.complaints

    def close(self) -> None:
        """Give the file back."""
        self.reader.close()


class Timed(OverFilm):
    """A film of uneven timing by even numbers: number ``n`` is what is on in the middle of [n, n+1) / rate."""

    def __init__(self, reader: FrameReader, rate: Fraction) -> None:
        super().__init__(reader)
        self.rate = rate

    def frame(self, number: int) -> av.VideoFrame:
        """The picture of a number, counted from 0."""
        return self.reader.frame(self.reader.index.shown_at((number + Fraction(1, 2)) / self.rate))
