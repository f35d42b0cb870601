"""Where an output is cut into pieces."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Mapping, Sequence
from math import ceil

from chronocast.model.source.cutlist import PictureSpan
from chronocast.model.time.timing import FrameRange, Rate

LONG_SECONDS = 8
SHORT_SECONDS = 2
NEAR = 0.4
"""A scene that begins within so much of the grid is near a mark of it."""
Scenes = Mapping[str, Sequence[int]]
NONE: Scenes = {}


def cut_around(
    spans: Sequence[PictureSpan],
    rate: Rate,
    runs: Sequence[FrameRange],
    multiple: int = 1,
    scenes: Scenes = NONE,
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
    scenes
        Where scenes begin, by the path of their film.
    """
    if not spans or not runs:
        return cut(spans, rate, multiple, scenes)
    pieces = list(runs)
    at = spans[0].start
    end = spans[-1].start + spans[-1].frames
    for begin, stop in zip(
        (at, *(run.stop for run in runs)), (*(run.start for run in runs), end), strict=True
    ):
        gap = FrameRange(begin, stop)
        within = [part for span in spans if (part := span.part(gap))]
        pieces += [FrameRange(begin + a.start, begin + a.stop) for a in cut(within, rate, multiple, scenes)]
    return tuple(sorted(pieces, key=lambda piece: piece.start))


def cut(
    spans: Sequence[PictureSpan],
    rate: Rate,
    multiple: int = 1,
    scenes: Scenes = NONE,
    seconds: int = LONG_SECONDS,
) -> tuple[FrameRange, ...]:
    """Pieces of an output whose first frame is 0: at edits, and about every 8 s of *source* inside long takes.

    Inside a take they are where a scene begins, if one does near: a key frame stands there anyway.

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
    scenes
        Where scenes begin, by the path of their film.
    seconds
        How far apart boundaries are inside a take.
    """
    if not spans:
        return ()
    grid, shortest = max(1, round(seconds * rate)), max(1, round(SHORT_SECONDS * rate))
    marks: list[int] = []
    for span in spans:
        empty = not any(layer.media for layer in span.layers)
        if not (marks and empty and span.frames < shortest):
            # a short gap belongs to what is before it: an encoder that begins in black misjudges what follows
            marks.append(span.start)
        if span.frames >= 2 * shortest:
            marks += [
                span.start + inside
                for inside in _grid(span, grid, scenes)
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


def _grid(span: PictureSpan, grid: int, scenes: Scenes) -> Iterator[int]:
    """Frames of a span at which its main source passes a multiple of the grid, or the scene nearest to it.

    Its own frames where nothing moves.
    """
    moving = [layer for layer in span.layers if layer.media and layer.step]
    if not moving:
        yield from range(grid, span.frames, grid)
        return
    main = moving[0]
    every = max(1, round(grid * abs(main.step)))
    low, high = sorted((main.start, main.start + span.frames * main.step))
    known: Sequence[int] = ()
    if main.media and main.clock is None and main.deinterlace != "field":
        known = scenes.get(main.media.path, ())
    near = round(every * NEAR)
    for mark in range(ceil(low / every) * every - every, ceil(high) + every, every):
        yield ceil((_nearest(known, mark, near) - main.start) / main.step)


def _nearest(scenes: Sequence[int], mark: int, near: int) -> int:
    """The scene that begins nearest to a mark, or the mark where none does."""
    place = bisect_left(scenes, mark)
    around = [scene for scene in scenes[max(0, place - 1) : place + 1] if abs(scene - mark) <= near]
    return min(around, key=lambda scene: abs(scene - mark), default=mark)
