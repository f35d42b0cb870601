"""What became of some of a piece's pictures: decoded again and held against those that the encoder was given."""

from __future__ import annotations

import logging
from collections.abc import Iterator, Sequence
from typing import Any

import av

from chronocast.media.digest import new_digest, written_digest
from chronocast.media.picture.likeness import Likeness, likeness
from chronocast.media.picture_digest import picture_digest
from chronocast.media.piece.pair import Pair, Small, small

log = logging.getLogger("chronocast.measure")


class Sample:
    """``Sample(every)``: keeps every so many of the pictures that an encoder is given; 0 keeps none.

    Once it was measured ``poorest`` is the picture of those that is least like what was given; with ``digested``,
    ``decoded`` is a digest of all pictures of the piece.
    """

    def __init__(self, every: int, digested: bool = False) -> None:
        self.every, self._digested, self.decoded = every, digested, ""
        self.kept: dict[int, av.VideoFrame] = {}
        self.poorest: Pair | None = None

    def see(self, number: int, picture: av.VideoFrame) -> None:
        """A picture goes to the encoder, its number counted from 0.

        The middle one of each stretch is kept: the first is a key frame more often than others.
        """
        if self.every and number % self.every == self.every // 2:
            self.kept[number] = picture

    def measured(self, path: str) -> dict[int, Likeness]:
        """How like the pictures of a finished piece are to those that were kept, by their numbers; none if they can't be compared.

        Parameters
        ----------
        path
            The piece's file.
        """
        came: dict[int, Small | None] = {}  # small ones: whole pictures would fill the memory
        total = new_digest()

        def pairs() -> Iterator[tuple[av.VideoFrame, av.VideoFrame]]:
            for number, made in self._decoded(path):
                if self._digested:
                    total.update(picture_digest(made))
                if number in self.kept:
                    came[number] = small(made)
                    yield self.kept[number], made

        if not self.kept and not self._digested:
            return {}
        try:
            told = likeness(pairs())
            self.decoded = written_digest(total) if self._digested else ""
        except av.error.FFmpegError as error:  # what can't be measured is as good as what wasn't
            log.warning("The pictures of %s can't be compared: %s", path, error)
            return {}
        found = dict(zip(came, told, strict=True))
        if found:
            number = min(found, key=lambda n: found[n].xpsnr)
            original, poorest = small(self.kept[number]), came[number]
            if original is not None and poorest is not None:
                self.poorest = Pair(number, original, poorest, found[number].xpsnr)
        return found

    def _decoded(self, path: str) -> Iterator[tuple[int, av.VideoFrame]]:
        """The piece's pictures and their numbers; where each is a key frame, only those that are asked for."""
        with av.open("file:" + path) as container:
            stream = container.streams.video[0]
            packets = [packet for packet in container.demux(stream) if packet.size]
            if not self._digested and all(packet.is_keyframe for packet in packets):
                numbers = {packets[number].pts: number for number in self.kept}
                asked = [packets[number] for number in sorted(self.kept)]
                for made in self._pictures(stream, asked):
                    yield numbers[made.pts], made
            else:
                yield from enumerate(self._pictures(stream, packets))

    @staticmethod
    def _pictures(stream: av.VideoStream, packets: Sequence[av.Packet[Any]]) -> Iterator[av.VideoFrame]:
        for packet in (*packets, None):
            yield from stream.decode(packet)
