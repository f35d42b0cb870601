"""Pictures and sound through a chain of the libraries' filters: the one place where such graphs are built."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction
from typing import Any, NamedTuple

import av
from av.filter import Graph

NO_COLOUR = 2, 0
"""Matrix and range *unspecified*: they are said to the filters by number, once, and not by each picture."""


class Filter(NamedTuple):
    """A filter of the libraries by its name, and its options as it writes them."""

    name: str
    options: str = ""


class FilterGraph:
    """Pictures (``of_pictures``) or sound (``of_sound``) through filters, one after another.

    It has the memory its filters have: one that looks at neighbours gives a
    picture only when those are in.  ``threads`` is how many a graph may use: 0 as many as there are cores.
    """

    threads = 0

    def __init__(self, graph: Graph, source: Any, chain: Sequence[Filter], sink: str) -> None:
        self._graph = graph
        last = source
        for name, options in chain:
            node = graph.add(name, options) if options else graph.add(name)
            last.link_to(node)
            last = node
        last.link_to(graph.add(sink))
        graph.configure()
        self.tick = Fraction(1)

    @classmethod
    def _empty(cls) -> Graph:
        graph = Graph()
        graph.threads = cls.threads
        return graph

    @classmethod
    def of_pictures(
        cls, like: av.VideoFrame, chain: Sequence[Filter], tick: Fraction = Fraction(1, 1000)
    ) -> FilterGraph:
        """A graph for pictures of one kind.

        Parameters
        ----------
        like
            A picture of that kind: its size and its pixel format.
        chain
            The filters.
        tick
            Seconds that one unit of a picture's time stands for.

        Raises
        ------
        av.error.FFmpegError
            The filters can't be had or don't fit each other.
        """
        graph = cls._empty()
        source = graph.add_buffer(width=like.width, height=like.height, format=like.format, time_base=tick)
        made = cls(graph, source, chain, "buffersink")
        made.tick = tick
        return made

    @classmethod
    def of_pairs(cls, like: av.VideoFrame, name: str) -> PairGraph:
        """A graph whose one filter compares two pictures of one kind.

        Parameters
        ----------
        like
            A picture of that kind.
        name
            The filter's.
        """
        graph, tick = cls._empty(), Fraction(1, 25)
        one, other = (
            graph.add_buffer(width=like.width, height=like.height, format=like.format, time_base=tick)
            for _ in range(2)
        )
        node = graph.add(name)
        one.link_to(node, 0, 0)
        other.link_to(node, 0, 1)
        node.link_to(graph.add("buffersink"))
        graph.configure()
        return PairGraph(graph, one, other)

    @classmethod
    def of_sound(cls, stream: av.AudioStream, chain: Sequence[Filter]) -> FilterGraph:
        """A graph for the frames of a track."""
        graph = cls._empty()
        return cls(graph, graph.add_abuffer(template=stream), chain, "abuffersink")

    def push(self, picture: av.VideoFrame, at: int | None = None) -> None:
        """Put a picture in, at a time in ticks where the filters need one."""
        picture.pts, picture.time_base = at, self.tick
        picture.colorspace, picture.color_range = NO_COLOUR
        self._graph.vpush(picture)

    def push_sound(self, frame: av.AudioFrame) -> None:
        """Put a frame of sound in."""
        self._graph.push(frame)

    def end(self) -> None:
        """Say that nothing more comes."""
        self._graph.push(None)

    def made(self) -> Iterator[Any]:
        """What is ready: pictures or frames of sound, perhaps none."""
        while True:
            try:
                yield self._graph.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return

    def one(self, picture: av.VideoFrame, at: int | None = None) -> av.VideoFrame:
        """Put a picture in and take the one that comes of it.

        Raises
        ------
        av.error.FFmpegError
            It can't be done.
        """
        self.push(picture, at)
        return self._graph.vpull()


class PairGraph:
    """Two pictures in, what the filter says of them out; made by ``FilterGraph.of_pairs``."""

    def __init__(self, graph: Graph, one: Any, other: Any) -> None:
        self._graph, self._one, self._other = graph, one, other
        self._count = 0

    def compare(self, one: av.VideoFrame, other: av.VideoFrame) -> dict[str, str]:
        """What the filter says of two pictures, by its own names."""
        for picture, way in ((one, self._one), (other, self._other)):
            picture.pts, picture.time_base = self._count, Fraction(1, 25)
            picture.colorspace, picture.color_range = NO_COLOUR
            way.push(picture)
        self._count += 1
        return dict(self._graph.vpull().metadata)


def time_in_ticks(picture: av.VideoFrame, tick: Fraction) -> Fraction | None:
    """A picture's time in ticks of another length; None where it has none."""
    if picture.pts is None or picture.time_base is None:
        return None
    return picture.pts * picture.time_base / tick
