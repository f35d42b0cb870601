"""Where an output is cut into pieces."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from math import ceil

from chronocast.model.source.cutlist import PictureSpan
from chronocast.model.time.timing import FrameRange, Rate

LONG_SECONDS = 8
SHORT_SECONDS = 2


def cut_around(
    spans: Sequence[PictureSpan], rate: Rate, runs: Sequence[FrameRange], multiple: int = 1
) -> tuple[FrameRange, ...]:
    """Pieces of an output of which some ``runs`` are pieces by themselves: those, and what is between them cut as ever.

    Parameters
    ----------
    spans
        What is shown, in order.
    rate
        Frames a second.
    runs
        Stretches that are pieces as they are, in order.
    multiple
        Frames that boundaries are multiples of.
    """
    if not spans or not runs:
        return cut(spans, rate, multiple)
    pieces = list(runs)
    at = spans[0].start
    end = spans[-1].start + spans[-1].frames
    for begin, stop in zip(
        (at, *(run.stop for run in runs)), (*(run.start for run in runs), end), strict=True
    ):
        gap = FrameRange(begin, stop)
        within = [span.part(both, begin) for span in spans if (both := span.range.intersect(gap))]
        pieces += [FrameRange(begin + a.start, begin + a.stop) for a in cut(within, rate, multiple)]
    return tuple(sorted(pieces, key=lambda piece: piece.start))


def cut(spans: Sequence[PictureSpan], rate: Rate, multiple: int = 1) -> tuple[FrameRange, ...]:
    """Pieces of an output whose first frame is 0: at edits, and every 8 s of *source* inside long takes.

    Boundaries are multiples of ``multiple`` (two moments make a frame of fields).

    Counting in source frames keeps the boundaries of a take where they were
    when something is inserted before it.  No piece is shorter than 2 s unless
    the output is: a short one is drawn into its neighbour.

    Parameters
    ----------
    spans
        What is shown, in order.
    rate
        Frames a second.
    multiple
        Frames that boundaries are multiples of.
    """
    if not spans:
        return ()
    grid, shortest = max(1, round(LONG_SECONDS * rate)), max(1, round(SHORT_SECONDS * rate))
    marks: list[int] = []
    for span in spans:
        empty = not any(layer.media for layer in span.layers)
        if not (marks and empty and span.frames < shortest):
            # a short gap belongs to what is before it: an encoder that begins in black misjudges what follows
            marks.append(span.start)
        marks += [
            span.start + inside
            for inside in _grid(span, grid)
            if shortest <= inside <= span.frames - shortest
        ]
    end = spans[-1].start + spans[-1].frames
    marks = sorted({mark // multiple * multiple for mark in marks})
    kept = [marks[0]]
    for mark in marks[1:]:
        if mark - kept[-1] >= shortest:
            kept.append(mark)
    if len(kept) > 1 and end - kept[-1] < shortest:
        kept.pop()
    return tuple(FrameRange(a, b) for a, b in zip(kept, [*kept[1:], end], strict=True))


def _grid(span: PictureSpan, grid: int) -> Iterator[int]:
    """Frames of a span at which its main source passes a multiple of the grid; its own frames where nothing moves."""
    moving = [layer for layer in span.layers if layer.media and layer.step]
    if not moving:
        yield from range(grid, span.frames, grid)
        return
    main = moving[0]
    every = max(1, round(grid * abs(main.step)))
    low, high = sorted((main.start, main.start + span.frames * main.step))
    for mark in range(ceil(low / every) * every, ceil(high), every):
        yield ceil((mark - main.start) / main.step)
