"""A film looked at through its proxy: the same numbers, the same shape, pictures that come sooner."""

from __future__ import annotations

from fractions import Fraction

import av

from chronocast.media.errors import MediaError
from chronocast.media.source.decode import FrameReader, OverFilm, PictureSource
from chronocast.media.source.index import scan
from chronocast.model.source.cutlist import Deinterlace
from chronocast.model.source.proxy import Proxy


class ProxyReader(OverFilm):
    """``ProxyReader(reader, aspect)``: pictures of a proxy, of the film's own shape; they stand upright."""

    def __init__(self, reader: FrameReader, aspect: Fraction) -> None:
        super().__init__(reader)
        self._aspect = aspect

    @property
    def pixel_aspect(self) -> Fraction:
        """Such that its picture has the film's shape to the last digit, whatever its sides were rounded to."""
        picture = self.reader.frame(0)
        return self._aspect * picture.height / picture.width

    @property
    def turned(self) -> int:
        """Not at all."""
        return 0

    def frame(self, number: int) -> av.VideoFrame:
        """The picture of a number, counted from 0."""
        return self.reader.frame(number)


class ByFields(OverFilm):
    """Each picture of a proxy twice, where its film's fields are counted."""

    def __init__(self, film: ProxyReader) -> None:
        super().__init__(film.reader)
        self._film = film

    @property
    def pixel_aspect(self) -> Fraction:
        """Width of a pixel against its height."""
        return self._film.pixel_aspect

    @property
    def turned(self) -> int:
        """Not at all."""
        return 0

    def frame(self, number: int) -> av.VideoFrame:
        """The picture of a number, counted from 0 in fields."""
        return self._film.frame(number // 2)


def open_proxy(proxy: Proxy, threads: int, hurry: bool, deinterlace: Deinterlace) -> PictureSource | None:
    """A proxy, ready to be looked at; None where it isn't picture for picture its film.

    Parameters
    ----------
    proxy
        The finished proxy.
    threads
        Threads of its decoder.
    hurry
        Whether pictures on the way may be passed over.
    deinterlace
        How the film's pictures would be made whole.
    """
    try:
        index = scan(proxy.path)
        if len(index) != proxy.frames:
            return None
        film = ProxyReader(FrameReader(proxy.path, index, threads, hurry), proxy.aspect)
        film.frame(0)
    except (MediaError, av.error.FFmpegError, OSError):
        return None
    return ByFields(film) if deinterlace == "field" else film
