"""Films decoded by a device, where that gives the very pictures that the processor would."""

from __future__ import annotations

import av
from av.codec.hwaccel import HWAccel

from chronocast.media.errors import MediaError
from chronocast.media.picture_digest import picture_digest
from chronocast.media.source.decode import FrameReader
from chronocast.media.source.index import FrameIndex
from chronocast.media.source.opening import opened

ABLE = {"h264": "yuv420p"}
"""What devices are tried with, and what a processor decodes it to."""
TROUBLE = (MediaError, av.error.FFmpegError, RuntimeError, ValueError)
"""What a device, or its driver, may fail with."""


def device(family: str) -> HWAccel:
    """A device of a kind, for decoding."""
    return HWAccel(device_type=family, allow_software_fallback=False)


class DeviceReader(FrameReader):
    """``DeviceReader(path, index, family)``: a film's pictures, decoded by a device as the processor would.

    What isn't of a kind that devices are tried with, the processor decodes.
    So it does from then on where the device fails, where it complains of a
    picture (what is damaged must be told alike everywhere), and where the
    film's first picture is another than the processor's.
    """

    def __init__(self, path: str, index: FrameIndex, family: str, *, listen: bool = False) -> None:
        super().__init__(path, index, listen=listen)
        self.family = family
        self._proven = False

    @property
    def turned(self) -> int:
        """By how many degrees clockwise its pictures are to be turned, as the first of them says to a processor."""
        if self._turned is None:
            with FrameReader(self.path, self.index) as plain:
                self._turned = plain.turned
        return self._turned

    def frame(self, number: int) -> av.VideoFrame:
        """Picture ``number``, counted from 0.

        Raises
        ------
        DecodeFailed
            It is beyond the end, or can't be decoded.
        """
        if self._container is None:
            self._open()
        if not self.family:
            return super().frame(number)
        known = dict(self.complaints)
        try:
            found = super().frame(number)
        except TROUBLE:
            return self._by_processor(number, known)
        if self.complaints != known:
            return self._by_processor(number, known)
        layout = ABLE[self._stream.codec_context.name]
        if found.format.name != layout:
            found = found.reformat(format=layout)
        if not self._proven:
            with FrameReader(self.path, self.index) as plain:
                wanted = plain.frame(number)
            # what comes beside its samples counts: captions are written with the pictures
            same = len(wanted.side_data) == len(found.side_data)
            if not same or picture_digest(wanted) != picture_digest(found):
                return self._by_processor(number, known)
            self._proven = True
        return found

    def _open(self) -> None:
        if self.family and not self._proven and not self._is_able():
            self.family = ""
        try:
            super()._open()
        except TROUBLE:
            if not self.family:
                raise
            self.family = ""
            super()._open()

    def _is_able(self) -> bool:
        """Whether the film is of a kind that devices are tried with."""
        with opened(self.path) as container:
            context = container.streams.video[0].codec_context
            return ABLE.get(context.name, "") == context.pix_fmt

    def _by_processor(self, number: int, known: dict[int, str]) -> av.VideoFrame:
        self.family = ""
        self.close()
        self.complaints.clear()
        self.complaints.update(known)
        return super().frame(number)

    def _hardware(self) -> HWAccel | None:
        return device(self.family) if self.family else None
