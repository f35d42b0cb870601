"""Carry out what a cut list says: fetch each layer's pictures, go between them, place them, mix them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction

import av

from chronocast.media.errors import MediaError
from chronocast.media.filter_graph import Filter, FilterGraph, time_in_ticks
from chronocast.media.picture.compose import Composer, generated
from chronocast.media.source.decode import PictureSource
from chronocast.media.source.readers import Readers
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.picture.colour import Colour, same_look
from chronocast.model.source.cutlist import Layer, PictureSpan
from chronocast.model.source.origin import samples_of

RGB: Colour = (1, 13, 0, 2)
AHEAD_BYTES = 64 * 2**20
AHEAD_MOST = 24


def piece_pictures(job: PieceJob, readers: Readers) -> Iterator[av.VideoFrame]:
    """The pictures of a piece, composed, in order.

    Raises
    ------
    MediaError
        A source can't be decoded.
    """
    working = job.settings.working or job.settings.pixel_format
    composer = Composer(
        job.width,
        job.height,
        working,
        canvas=job.canvas,
        view=job.view,
        colour=job.colour,
        output_shape=job.shape,
        kernel=job.kernel,
    )
    for span in job.spans:
        yield from SpanPictures(span, job.canvas, composer, readers).pictures()


class SpanPictures:
    """The pictures of one span, composed; in order is cheapest."""

    def __init__(
        self, span: PictureSpan, canvas: tuple[int, int], composer: Composer, readers: Readers
    ) -> None:
        self.span, self.composer = span, composer
        through = composer
        if any(layer.alpha for layer in span.layers):
            through = composer.see_through()
        self.levels = composer.alpha or any(layer.alpha or layer.level for layer in span.layers)
        uses: dict[str, int] = {}
        self.layers = []
        for layer in span.layers:
            source = None
            if layer.media:
                use = uses[layer.media.path] = uses.get(layer.media.path, -1) + 1
                source = readers.source(
                    layer.media.path, layer.media.fingerprint, use, layer.deinterlace, layer.clock
                )
            own = through if layer.alpha else composer
            self.layers.append(_LayerPictures(layer, source, span.frames, own, canvas))

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
        if self.levels:
            return self._over(seen, at, frame)
        if len(seen) == 1 and seen[0][1] == 1:
            return seen[0][0].composed(at, frame)
        return self.composer.mix([(layer.composed(at, frame), share) for layer, share in seen])

    def _over(self, seen: Sequence[tuple[_LayerPictures, Fraction]], at: int, frame: int) -> av.VideoFrame:
        """Layers of which some are see-through, level over level."""
        if len(seen) == 1 and seen[0][1] == 1 and self.composer.alpha:
            only = seen[0][0]
            if (whole := only.as_it_is(at, frame)) is not None:
                return whole
        levels: dict[int, list[tuple[av.VideoFrame, Fraction, bool]]] = {}
        for layer, share in seen:
            picture = layer.composed(at, frame)
            through = layer.composer.alpha if layer.layer.alpha else False
            levels.setdefault(layer.layer.level, []).append((picture, share, through))
        return self.composer.over([levels[level] for level in sorted(levels)])


class _LayerPictures:
    """The pictures of one layer, with the few decoded ones that will be wanted again."""

    def __init__(
        self,
        layer: Layer,
        source: PictureSource | None,
        frames: int,
        composer: Composer,
        canvas: tuple[int, int],
    ) -> None:
        self.layer, self.source, self.frames = layer, source, frames
        self.composer, self.canvas = composer, canvas
        self._decoded: dict[int, av.VideoFrame] = {}
        self._placed: dict[tuple[int, int], av.VideoFrame] = {}
        self._moving = len(composer.view.centres) > 1

    def as_it_is(self, at: int, frame: int) -> av.VideoFrame | None:
        """The layer's picture untouched, where it is of the very kind that is composed; else None."""
        wanted = self.layer.pictures(at)
        if self.source is None or len(wanted) != 1:
            return None
        self._fetch(at, [wanted[0][0]])
        picture = self._decoded[wanted[0][0]]
        composer = self.composer
        lies = composer.placement(
            picture, self.source.pixel_aspect, self.source.turned, self.layer.placing, frame
        )
        sides = (picture.width, picture.height)
        same = (
            lies is not None
            and lies.crop == (0, 0, *sides)
            and lies.size == sides == (composer.width, composer.height)
            and not self.source.turned
            and same_look(self.layer.colour, composer.colour)
        )
        if not same:
            return None
        if picture.format.name == composer.pixel_format:
            return picture
        rgb = samples_of(picture.format.name).chroma == "RGB"
        if rgb and composer.pixel_format.startswith("gbrap") and _deep_enough(picture, composer.pixel_format):
            return picture.reformat(format=composer.pixel_format)
        return None

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
            self._decoded[index],
            layer.colour,
            self.source.pixel_aspect,
            turned=self.source.turned,
            placing=layer.placing,
            frame=frame,
            alpha=layer.alpha,
        )

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


def _deep_enough(picture: av.VideoFrame, pixel_format: str) -> bool:
    return samples_of(picture.format.name).depth <= samples_of(pixel_format).depth


def go_between(around: list[av.VideoFrame], part: float) -> av.VideoFrame:
    """The picture ``part`` of the way from the second to the third of four, its motion estimated.

    A pure function of the four: no memory from one picture to the next, so
    that a piece shows what an unsplit render would.
    """
    tick = 1000
    offset = min(tick - 1, max(1, round(part * tick)))
    first = around[0]
    chain = [
        Filter("minterpolate", "fps=1:mi_mode=mci:mc_mode=aobmc:me_mode=bidir:scd=none"),
        Filter("format", first.format.name),  # the filter itself works in eight bits
    ]
    graph = FilterGraph.of_pictures(first, chain, Fraction(1, tick))
    # A picture comes out each 1000 ticks from the first one's time on; the second lies ``offset`` before such a moment.
    times = [0, 2 * tick - offset, 3 * tick - offset, 4 * tick - offset]
    try:
        for picture, time in zip(around, times, strict=True):
            graph.push(picture, time)
        graph.end()
        found = next((made for made in graph.made() if time_in_ticks(made, Fraction(1)) == 2), None)
    except av.error.FFmpegError as error:
        raise MediaError(f"Motion between two pictures could not be computed: {error.strerror}.") from error
    if found is None:
        raise MediaError("Motion between two pictures could not be computed.", "Choose blending instead.")
    return found  # type: ignore[no-any-return]
