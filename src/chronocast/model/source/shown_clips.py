"""The clips that a sequence shows one after another, whatever tracks, dissolves and nests they come from."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from chronocast.model.source.cutlist import CutList, PictureSpan, media_title
from chronocast.model.time.timing import FrameRange


@dataclass(frozen=True)
class Shot:
    """Consecutive frames that show most of one clip; ``media`` is "" for black and generated pictures."""

    name: str
    part: FrameRange
    media: str = ""


def shots(cut: CutList) -> tuple[Shot, ...]:
    """The shots of a source in order; a dissolve changes over where the new clip weighs more.

    Worked out once for each cut list.
    """
    return cut.once(_shots)


def media_shots(cut: CutList) -> list[Shot]:
    """The shots that show a clip, black and generated pictures left out."""
    return [shot for shot in shots(cut) if shot.media]


def _shots(cut: CutList) -> tuple[Shot, ...]:
    found: list[tuple[Any, int, int, str, str]] = []
    for span in cut.picture:
        for first, stop, key, name, media in _parts(span):
            if found and found[-1][0] == key and found[-1][2] == first:
                found[-1] = (key, found[-1][1], stop, name, media)
            else:
                found.append((key, first, stop, name, media))
    return tuple(Shot(name, FrameRange(first, stop), media) for _, first, stop, name, media in found)


def _parts(span: PictureSpan) -> list[tuple[int, int, Any, str, str]]:
    """A span's stretches by the layer that weighs most, in frames of the source."""
    found = []
    begin, now = 0, _most(span, 0)
    steady = all(layer.weight.at(0) == layer.weight.at(span.frames - 1) for layer in span.layers)
    for at in () if steady or len(span.layers) < 2 else range(1, span.frames):
        most = _most(span, at)
        if most != now:
            found.append((begin, at, now))
            begin, now = at, most
    found.append((begin, span.frames, now))
    return [(span.start + first, span.start + stop, *_named(span, layer)) for first, stop, layer in found]


def _most(span: PictureSpan, at: int) -> int:
    """The number of the layer that weighs most, the upper one of two alike; −1 for black."""
    best, most = Fraction(0), -1
    for number, layer in enumerate(span.layers):
        weight = layer.weight.at(at)
        if weight > 0 and weight >= best:
            best, most = weight, number
    return most


def _named(span: PictureSpan, number: int) -> tuple[Any, str, str]:
    if number < 0:
        return "black", "black", ""
    layer = span.layers[number]
    if layer.media is None:
        return ("fill", layer.fill), "bars" if layer.fill == "bars" else "plain colour", ""
    key = (layer.media.path, layer.step, layer.start - layer.step * span.start, layer.deinterlace)
    title = media_title(layer.media.path)
    return key, title.rsplit(".", 1)[0] if "." in title else title, layer.media.path


def shot_at(cut: CutList, frame: int) -> int:
    """The number of the shot that has a frame."""
    found = shots(cut)
    low, high = 0, len(found) - 1
    while low < high:
        middle = (low + high) // 2
        if found[middle].part.stop <= frame:
            low = middle + 1
        else:
            high = middle
    return low
