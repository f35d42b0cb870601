"""From tracks to what is seen at every frame: upper over lower, dissolves, nests; numbers only."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from fractions import Fraction
from math import ceil

from chronocast.model.picture.weight import NONE, Weight
from chronocast.model.source.cutlist import Layer
from chronocast.model.time.timing import Rate, frame_at
from chronocast.timeline.described import Cross, Placed, Track

Layers = tuple[Layer, ...]
MakeLayer = Callable[[Placed, int, int, int], Layer]
"""Item, its first frame on the track, frames of handle wanted before it and after it → its layer at its first frame."""


@dataclass(frozen=True)
class Stretch:
    """Frames [first, stop) that show the same layers; layers are as seen from ``first``."""

    first: int
    stop: int
    layers: Layers
    name: str = ""

    def since(self, frame: int) -> Layers:
        """Its layers as seen from a frame of it."""
        return tuple(layer.later(frame - self.first) for layer in self.layers)


def flatten(tracks: Iterable[Track], rate: Rate, make: MakeLayer) -> list[Stretch]:
    """The picture tracks of a stack as stretches from frame 0 on, without gaps or overlaps.

    Parameters
    ----------
    tracks
        The tracks, lowest first.
    rate
        Frames a second.
    make
        Makes the layer of an item.
    """
    rows = [_row(track, rate, make) for track in tracks if track.kind == "picture"]
    rows = [row for row in rows if row]
    if not rows:
        return []
    if len(rows) == 1:
        return _merged(rows[0])
    marks = sorted({mark for row in rows for part in row for mark in (part.first, part.stop)} | {0})
    places = [0] * len(rows)
    found = []
    for first, stop in itertools.pairwise(marks):
        seen: Layers = ()
        name = ""
        for number, row in enumerate(rows):
            while places[number] < len(row) and row[places[number]].stop <= first:
                places[number] += 1
            if places[number] < len(row) and row[places[number]].first <= first:
                part = row[places[number]]
                above = part.since(first)
                if above:
                    seen = _over(seen, above)
                    name = part.name
        found.append(Stretch(first, stop, seen, name))
    return _merged(found)


def _over(below: Layers, above: Layers) -> Layers:
    """Layers above others: what lies below shows as far as those above leave it."""
    covered = NONE
    for layer in above:
        if not layer.alpha:
            covered = covered.plus(layer.weight)
    if covered.is_all:
        return above
    if below and any(layer.alpha or layer.level for layer in (*below, *above)):
        # how much of what lies below is seen is another matter at every pixel
        first = 1 + max(layer.level for layer in below)
        return (*below, *(layer.model_copy(update={"level": first + layer.level}) for layer in above))
    rest = covered.rest()
    kept = (layer.model_copy(update={"weight": layer.weight.times(rest)}) for layer in below)
    return (*(layer for layer in kept if not layer.weight.is_none), *above)


def _merged(parts: list[Stretch]) -> list[Stretch]:
    """Neighbours of which the second only goes on with the first become one; holes become black."""
    found: list[Stretch] = []
    for part in parts:
        if part.stop <= part.first:
            continue
        if found and found[-1].stop < part.first:
            found.append(Stretch(found[-1].stop, part.first, ()))
        last = found[-1] if found else None
        if last and _goes_on(last, part):
            found[-1] = Stretch(last.first, part.stop, last.layers, last.name)
        else:
            found.append(part)
    if found and found[0].first > 0:
        found.insert(0, Stretch(0, found[0].first, ()))
    return found


def _goes_on(one: Stretch, two: Stretch) -> bool:
    """Whether the second shows what the first would show next."""
    if not one.layers or len(one.layers) != len(two.layers):
        return False
    if one.layers[0].media != two.layers[0].media or one.layers[0].step != two.layers[0].step:
        return False
    return one.since(two.first) == two.layers


def _row(track: Track, rate: Rate, make: MakeLayer) -> list[Stretch]:
    """One track's stretches, dissolves included."""
    crosses = {cross.at: cross for cross in track.crosses}
    ends: list[tuple[Placed, int, int, int, int, Cross | None]] = []
    for placed in track.placed:
        end = placed.start + placed.seconds
        lead, tail = (crosses.get(placed.start), crosses.get(end)) if crosses else (None, None)
        before = _frames(lead.before, rate) if lead else 0
        after = _frames(tail.after, rate) if tail else 0
        ends.append((placed, frame_at(placed.start, rate), frame_at(end, rate), before, after, tail))
    bodies: list[list[Stretch]] = [
        _item(placed, first, stop, before=before, after=after, rate=rate, make=make)
        for placed, first, stop, before, after, _ in ends
    ]
    found: list[Stretch] = []
    begun = 0
    for number, (_, first, stop, _, _, cross) in enumerate(ends):
        begin, finish = max(begun, first), stop
        if cross:
            before, after = _frames(cross.before, rate), _frames(cross.after, rate)
            following = ends[number + 1] if number + 1 < len(ends) else None
            before = min(before, stop - begin)
            after = min(after, (following[2] - following[1]) if following else 0)
            finish = stop - before
            found += _between(bodies[number], begin, finish)
            if before + after:
                going = _between(bodies[number], finish, stop + after)
                coming = _between(bodies[number + 1], finish, stop + after) if following else []
                found += _dissolve(going, coming, finish, before + after)
            begun = stop + after
        else:
            found += _between(bodies[number], begin, finish)
            begun = finish
    return found


def _frames(seconds: Fraction, rate: Rate) -> int:
    return frame_at(seconds, rate)


def _item(
    placed: Placed, first: int, stop: int, *, before: int, after: int, rate: Rate, make: MakeLayer
) -> list[Stretch]:
    """An item over its stretch and the handles a dissolve wants of it."""
    if placed.kind == "gap":
        return []
    low, high = first - before, stop + after
    if placed.kind != "nest":
        layer = make(placed, first, before, after)
        if before:
            layer = layer.later(-before)
        return [Stretch(low, high, (_faded(layer, placed.opacity),), placed.name)]
    inner = flatten(placed.inner, rate, make)
    step = placed.speed
    start = placed.source_start * rate
    if step < 0:
        start += (stop - first) * -step
    found = []
    for part in inner:
        if step == 0:
            inside = part.first <= start < part.stop
            a, b = (low, high) if inside else (low, low)
        else:
            one, two = (part.first - start) / step, (part.stop - start) / step
            a, b = (ceil(min(one, two)) + first, ceil(max(one, two)) + first)
        a, b = max(a, low), min(b, high)
        if a < b:
            layers = tuple(
                _faded(layer.resampled(start + (a - first) * step - part.first, step), placed.opacity)
                for layer in part.layers
            )
            found.append(Stretch(a, b, layers, part.name or placed.name))
    return sorted(found, key=lambda part: part.first)


def _faded(layer: Layer, opacity: Fraction) -> Layer:
    if opacity == 1:
        return layer
    return layer.model_copy(update={"weight": layer.weight.times(Weight.constant(opacity))})


def _between(parts: list[Stretch], first: int, stop: int) -> list[Stretch]:
    """What lies in [first, stop), cut to it."""
    found = []
    for part in parts:
        a, b = max(part.first, first), min(part.stop, stop)
        if (a, b) == (part.first, part.stop):
            found.append(part)
        elif a < b:
            found.append(Stretch(a, b, part.since(a), part.name))
    return found


def _dissolve(going: list[Stretch], coming: list[Stretch], first: int, frames: int) -> list[Stretch]:
    """From one item to the next over ``frames``; where one is a gap, to or from what lies below."""
    rise = Weight.rise(frames)
    marks = sorted(
        {first, first + frames} | {m for part in (*going, *coming) for m in (part.first, part.stop)}
    )
    found = []
    for a, b in itertools.pairwise(marks):
        layers: list[Layer] = []
        name = ""
        for parts, weight in ((going, rise.rest()), (coming, rise)):
            for part in _between(parts, a, b):
                at = weight.shifted(a - first)
                layers += [
                    layer.model_copy(update={"weight": layer.weight.times(at)}) for layer in part.layers
                ]
                name = name or part.name
        found.append(Stretch(a, b, tuple(layers), name))
    return found
