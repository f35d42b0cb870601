"""Whole progressive pictures from interlaced ones, each the same wherever reading began."""

from __future__ import annotations

from collections import deque
from fractions import Fraction

import av

from chronocast.media.errors import DecodeFailed
from chronocast.media.filter_graph import Filter, FilterGraph, time_in_ticks
from chronocast.media.source.decode import FrameReader, OverFilm


class Deinterlaced(OverFilm):
    """Pictures of an interlaced film, one for each frame, or one for each field.

    The filter looks one frame back and one ahead; reading begins one frame
    early, so that what comes out doesn't depend on where it began.
    """

    def __init__(self, reader: FrameReader, by_field: bool) -> None:
        super().__init__(reader)
        self.each = 2 if by_field else 1
        self._graph: FilterGraph | None = None
        self._pushed = -1
        self._made: deque[tuple[int, av.VideoFrame]] = deque()

    def close(self) -> None:
        """Give the film back."""
        self._graph = None
        self._made.clear()
        super().close()

    def frame(self, number: int) -> av.VideoFrame:
        """Picture ``number``; with fields, 2·n and 2·n+1 are the first and second of frame n.

        Raises
        ------
        DecodeFailed
            The film can't be decoded there.
        """
        first = self._made[0][0] if self._made else self._pushed * self.each
        if self._graph is None or not first <= number <= (self._pushed + 8) * self.each:
            self._begin(number // self.each)
        while True:
            while self._made:
                at, picture = self._made[0]
                if at == number:
                    return picture
                if at > number:
                    break
                self._made.popleft()
            if not self._push():
                raise DecodeFailed(
                    f"Picture {number + 1} of {self.reader.path} can't be deinterlaced.", "", number
                )

    def _begin(self, frame: int) -> None:
        some = self.reader.frame(max(0, frame - 1))
        mode = "send_field" if self.each == 2 else "send_frame"
        chain = [Filter("bwdif", f"mode={mode}:parity=auto:deint=all")]
        self._graph, self._made = FilterGraph.of_pictures(some, chain, Fraction(1)), deque()
        self._pushed = max(0, frame - 1) - 1

    def _push(self) -> bool:
        """One more frame in, what comes of it kept; False when there is no more."""
        assert self._graph is not None
        last = len(self.reader.index) - 1
        if self._pushed > last:
            return False
        self._pushed += 1
        if self._pushed > last:
            self._graph.end()
        else:
            self._graph.push(self.reader.frame(self._pushed), self._pushed)
        for made in self._graph.made():
            at = time_in_ticks(made, Fraction(1, self.each))
            assert at is not None
            self._made.append((round(at), made))
        return self._pushed <= last or bool(self._made)
