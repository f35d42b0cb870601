"""Carry out what a cut list says: fetch each layer's pictures, go between them, place them, mix them."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

import av
from av.filter import Graph

from chronocast.media.compose import Composer, generated
from chronocast.media.decode import PictureSource, Readers
from chronocast.media.errors import MediaError
from chronocast.model.colour import Colour
from chronocast.model.cutlist import Layer, PictureSpan
from chronocast.model.jobs import PieceJob

RGB: Colour = (1, 13, 0, 2)
AHEAD_BYTES = 64 * 2**20
AHEAD_MOST = 24


def piece_pictures(job: PieceJob, readers: Readers) -> Iterator[av.VideoFrame]:
    """The pictures of a piece, composed, in order.

    Raises:
        MediaError: a source can't be decoded.
    """
    working = job.settings.working or job.settings.pixel_format
    composer = Composer(job.width, job.height, working, job.canvas, job.view, job.colour)
    for span in job.spans:
        yield from SpanPictures(span, job.canvas, composer, readers).pictures()


class SpanPictures:
    """The pictures of one span, composed; in order is cheapest."""

    def __init__(
        self, span: PictureSpan, canvas: tuple[int, int], composer: Composer, readers: Readers
    ) -> None:
        self.span, self.composer = span, composer
        uses: dict[str, int] = {}
        self.layers = []
        for layer in span.layers:
            source = None
            if layer.media:
                use = uses[layer.media.path] = uses.get(layer.media.path, -1) + 1
                source = readers.source(
                    layer.media.path, layer.media.fingerprint, use, layer.deinterlace, layer.clock
                )
            self.layers.append(_LayerPictures(layer, source, span.frames, composer, canvas))

    def pictures(self) -> Iterator[av.VideoFrame]:
        """All of them, in order."""
        for at in range(self.span.frames):
            yield self.picture(at)

    def picture(self, at: int) -> av.VideoFrame:
        """The one at a frame of the span."""
        shares = [(layer, layer.layer.weight.at(at)) for layer in self.layers]
        seen = [(layer, share) for layer, share in shares if share > 0]
        frame = self.span.start + at
        if not seen:
            return self.composer.black()
        if len(seen) == 1 and seen[0][1] == 1:
            return seen[0][0].composed(at, frame)
        return self.composer.mix([(layer.composed(at, frame), share) for layer, share in seen])


class _LayerPictures:
    """The pictures of one layer, with the few decoded ones that will be wanted again."""

    def __init__(
        self, layer: Layer, source: PictureSource | None, frames: int, composer: Composer,
        canvas: tuple[int, int],
    ) -> None:  # fmt: skip
        self.layer, self.source, self.frames = layer, source, frames
        self.composer, self.canvas = composer, canvas
        self._decoded: dict[int, av.VideoFrame] = {}
        self._placed: dict[tuple[int, int], av.VideoFrame] = {}
        self._moving = len(composer.view.centres) > 1

    def composed(self, at: int, frame: int) -> av.VideoFrame:
        """The layer's picture at a frame of the span, as the output shows it."""
        if self.source is None:
            return self._placed_picture(0, frame)
        wanted = self.layer.pictures(at)
        self._fetch(at, [index for index, _ in wanted])
        if len(wanted) == 1:
            return self._placed_picture(wanted[0][0], frame)
        if self.layer.retime == "motion":
            low, high = wanted[0][0], wanted[1][0]
            around = [max(0, low - 1), low, high, min(high + 1, self.layer.last)]
            self._fetch(at, around)
            between = [self._placed_picture(index, frame) for index in around]
            return go_between(between, float(wanted[1][1]))
        return self.composer.mix([(self._placed_picture(index, frame), share) for index, share in wanted])

    def _placed_picture(self, index: int, frame: int) -> av.VideoFrame:
        key = (index, frame if self._moving else 0)
        if key not in self._placed:
            if len(self._placed) >= 4:
                self._placed.pop(next(iter(self._placed)))
            self._placed[key] = self._place(index, frame)
        return self._placed[key]

    def _place(self, index: int, frame: int) -> av.VideoFrame:
        layer = self.layer
        if self.source is None:
            return self.composer(generated(layer.fill, *self.canvas), RGB, frame=frame)
        return self.composer(
            self._decoded[index], layer.colour, self.source.pixel_aspect, self.source.turned, layer.placing,
            frame,
        )  # fmt: skip

    def _fetch(self, at: int, wanted: list[int]) -> None:
        """Have pictures decoded; backwards, a stretch of them is decoded at a time, in their own order."""
        assert self.source is not None
        if all(index in self._decoded for index in wanted):
            return
        if self.layer.step < 0:
            ahead = set(wanted)
            for later in range(at, min(self.frames, at + self._ahead())):
                ahead |= {index for index, _ in self.layer.pictures(later)}
            wanted = sorted(ahead)
        keep = {index: self._decoded[index] for index in wanted if index in self._decoded}
        for index in sorted(set(wanted) - keep.keys()):
            keep[index] = self.source.frame(index)
        recent = [(i, p) for i, p in self._decoded.items() if i not in keep][-2:]
        self._decoded = dict(recent) | keep if self.layer.step >= 0 else keep

    def _ahead(self) -> int:
        some = next(iter(self._decoded.values()), None)
        if some is None:
            return 4
        size = sum(plane.buffer_size for plane in some.planes)
        return max(2, min(AHEAD_MOST, AHEAD_BYTES // max(1, size)))


def go_between(around: list[av.VideoFrame], part: float) -> av.VideoFrame:
    """The picture ``part`` of the way from the second to the third of four, its motion estimated.

    A pure function of the four: no memory from one picture to the next, so
    that a piece shows what an unsplit render would.
    """
    tick = 1000
    offset = min(tick - 1, max(1, round(part * tick)))
    first = around[0]
    graph = Graph()
    source = graph.add_buffer(
        width=first.width, height=first.height, format=first.format, time_base=Fraction(1, tick)
    )
    node = graph.add("minterpolate", "fps=1:mi_mode=mci:mc_mode=aobmc:me_mode=bidir:scd=none")
    source.link_to(node)
    same = graph.add("format", first.format.name)  # the filter itself works in eight bits
    node.link_to(same)
    same.link_to(graph.add("buffersink"))
    graph.configure()
    # A picture comes out each 1000 ticks from the first one's time on; the second lies ``offset`` before such a moment.
    times = [0, 2 * tick - offset, 3 * tick - offset, 4 * tick - offset]
    found = None
    try:
        for picture, time in zip(around, times, strict=True):
            picture.pts, picture.time_base = time, Fraction(1, tick)
            graph.vpush(picture)
        graph.vpush(None)
        while True:
            made = graph.vpull()
            if made.pts is not None and made.time_base is not None and made.pts * made.time_base == 2:
                found = made
                break
    except (av.error.EOFError, av.error.BlockingIOError):
        pass
    except av.error.FFmpegError as error:
        raise MediaError(f"Motion between two pictures could not be computed: {error.strerror}.") from error
    if found is None:
        raise MediaError("Motion between two pictures could not be computed.", "Choose blending instead.")
    return found
