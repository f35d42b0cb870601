"""Numbered still images as one source, written ``plate.%04d.png?1-120@25``: first and last number, rate."""

from __future__ import annotations

import hashlib
import os
import re
from fractions import Fraction

import av

from chronocast.media.errors import DecodeFailed, NotMedia
from chronocast.media.source.fingerprint import fingerprint
from chronocast.media.source.opening import opened
from chronocast.model.paths import FileMark, real_path

_NUMBERED = re.compile(
    r"^(?P<head>.*)%0(?P<digits>\d{1,2})d(?P<tail>[^%]*)\?(?P<first>\d+)-(?P<last>\d+)@(?P<rate>\d+(?:/\d+)?)$",
    re.DOTALL,
)


class Images:
    """The files of a numbered sequence, by position."""

    def __init__(self, path: str) -> None:
        found = _NUMBERED.match(path)
        if not found:
            raise NotMedia(f"{path} doesn't name numbered images.")
        self.path = path
        self.head, self.tail, self.digits = found["head"], found["tail"], int(found["digits"])
        self.first, self.last = int(found["first"]), int(found["last"])
        self.rate = Fraction(found["rate"])

    def __len__(self) -> int:
        return self.last - self.first + 1

    def file(self, index: int) -> str:
        """The file of the picture at a position, 0 the first."""
        return f"{self.head}{self.first + index:0{self.digits}d}{self.tail}"

    @property
    def missing(self) -> list[int]:
        """Numbers whose file is not there."""
        return [self.first + n for n in range(len(self)) if not os.path.isfile(real_path(self.file(n)))]


def is_numbered(path: str) -> bool:
    """Whether a path stands for numbered images."""
    return bool(_NUMBERED.match(path))


def stamp(path: str) -> FileMark:
    """Size and time of last change by which to see whether a source has changed; of numbered images all together.

    Raises
    ------
    OSError
        It is not there; of numbered images, the first one missing.
    """
    if not is_numbered(path):
        status = os.stat(real_path(path))
        return FileMark(status.st_size, status.st_mtime_ns)
    images = Images(path)
    found = [os.stat(real_path(images.file(index))) for index in range(len(images))]
    return FileMark(sum(status.st_size for status in found), max(status.st_mtime_ns for status in found))


def is_there(path: str) -> bool:
    """Whether a file, or at least the last of numbered images, is there."""
    file = Images(path).file(len(Images(path)) - 1) if is_numbered(path) else path
    return os.path.isfile(real_path(file))


def fingerprint_of(path: str) -> str:
    """The fingerprint of a media file, or of all the files of a numbered sequence together."""
    if not is_numbered(path):
        return fingerprint(path)
    images = Images(path)
    total = hashlib.blake2b(digest_size=20)
    for index in range(len(images)):
        total.update(fingerprint(images.file(index)).encode())
    return total.hexdigest()


class ImageReader:
    """Pictures of numbered images by position; the same door as for a film."""

    turned = 0

    def __init__(self, path: str) -> None:
        self.images = Images(path)
        self.path = path
        self.pixel_aspect = Fraction(1)
        self.complaints: dict[int, str] = {}

    def close(self) -> None:
        """Nothing is held open."""

    def frame(self, number: int) -> av.VideoFrame:
        """The picture at a position.

        Raises
        ------
        DecodeFailed
            Its file is missing or damaged.
        """
        file = self.images.file(number)
        try:
            with opened(file) as container:
                for picture in container.decode(container.streams.video[0]):
                    return picture
        except (NotMedia, av.error.FFmpegError) as error:
            raise DecodeFailed(
                f"The image {file} can't be read: {getattr(error, 'sentence', error)}",
                "Put it back, or leave that part out.",
                number,
            ) from None
        raise DecodeFailed(f"The image {file} holds no picture.", "Put it back.", number)
