"""Readers of films kept open, so that an edit back to the same file doesn't open it again."""

from __future__ import annotations

from collections import OrderedDict
from fractions import Fraction
from typing import Self

from chronocast.media.source.decode import FrameReader, PictureSource, Timed
from chronocast.media.source.deinterlace import Deinterlaced
from chronocast.media.source.images import ImageReader, is_numbered
from chronocast.media.source.index import FrameIndex, scan
from chronocast.media.source.on_device import DeviceReader
from chronocast.model.source.cutlist import Deinterlace


class Readers:
    """Open readers kept by path and use, so that an edit back to the same file doesn't open it again.

    Two layers that show the same file at once use two readers of it.  With a
    ``device`` (its kind) that decodes what it is able to, picture by picture the same.
    """

    def __init__(
        self, most: int = 6, threads: int = 1, hurry: bool = False, *, listen: bool = False, device: str = ""
    ) -> None:
        self.device = device
        self._open: OrderedDict[tuple[str, str, int, str, str], PictureSource] = OrderedDict()
        self._indexes: dict[tuple[str, str], FrameIndex] = {}
        self._most, self._threads, self._hurry, self._listen = most, threads, hurry, listen
        self._complaints: dict[str, dict[int, str]] = {}

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
        """What gives the pictures of a file; its index is kept for as long as ``mark`` stays the same.

        Parameters
        ----------
        path
            The film's or the images'.
        mark
            What its content is known by.
        use
            Which of several readers of it, from 0.
        deinterlace
            Whether pictures are made whole, by frame or by field.
        clock
            Frames a second that an uneven film is read by.
        """
        key = (path, mark, use, deinterlace, str(clock or ""))
        if key not in self._open:
            self._open[key] = self._make(path, mark, deinterlace, clock)
        self._open.move_to_end(key)
        while len(self._open) > self._most:
            old, reader = self._open.popitem(last=False)
            self._complaints.setdefault(old[0], {}).update(reader.complaints)
            reader.close()
        return self._open[key]

    def complaints(self) -> dict[str, dict[int, str]]:
        """What was said of pictures since it was last asked, by file and number."""
        found, self._complaints = self._complaints, {}
        for (path, *_), reader in self._open.items():
            if reader.complaints:
                found.setdefault(path, {}).update(reader.complaints)
                reader.complaints.clear()
        return {path: told for path, told in found.items() if told}

    def _make(self, path: str, mark: str, deinterlace: Deinterlace, clock: Fraction | None) -> PictureSource:
        if is_numbered(path):
            return ImageReader(path)
        index = self._indexes.get((path, mark)) or scan(path)
        self._indexes[(path, mark)] = index
        reader = (
            DeviceReader(path, index, self.device, listen=self._listen)
            if self.device
            else FrameReader(path, index, self._threads, self._hurry, self._listen)
        )
        if clock is not None:
            return Timed(reader, clock)
        return Deinterlaced(reader, deinterlace == "field") if deinterlace else reader

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Give every file back."""
        while self._open:
            self._open.popitem()[1].close()
