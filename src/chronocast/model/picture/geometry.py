"""Where a picture of a source lies in an output's frame: numbers only, nothing decoded."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from fractions import Fraction
from math import floor
from typing import Literal, NamedTuple

from chronocast.model.frozen import FrozenModel
from chronocast.model.picture.terms import Placing


class PictureSize(NamedTuple):
    """Width and height, in pixels."""

    width: int
    height: int


class Centre(FrozenModel):
    """Where the middle of a filled frame lies at a frame of the output, in shares of the picture's sides."""

    frame: int
    x: Fraction = Fraction(1, 2)
    y: Fraction = Fraction(1, 2)


class View(FrozenModel):
    """How a source's frame becomes the output's: the shares cut off each side, then fit, fill or stretch.

    ``centres`` are key positions for *fill*; between them the centre moves evenly.
    """

    placing: Placing = "fit"
    left: Fraction = Fraction(0)
    top: Fraction = Fraction(0)
    right: Fraction = Fraction(0)
    bottom: Fraction = Fraction(0)
    centres: tuple[Centre, ...] = ()

    def later(self, frames: int) -> View:
        """The view with ``frames`` as its frame 0."""
        if not self.centres or frames == 0:
            return self
        keys = tuple(key.model_copy(update={"frame": key.frame - frames}) for key in self.centres)
        return self.model_copy(update={"centres": keys})

    def at_double_rate(self) -> View:
        """The same view, counted in the moments of fields: two a frame."""
        keys = tuple(key.model_copy(update={"frame": key.frame * 2}) for key in self.centres)
        return self.model_copy(update={"centres": keys}) if keys else self

    def centre(self, frame: int) -> tuple[Fraction, Fraction]:
        """The centre at a frame."""
        if not self.centres:
            return Fraction(1, 2), Fraction(1, 2)
        keys = sorted(self.centres, key=lambda key: key.frame)
        if frame <= keys[0].frame:
            return keys[0].x, keys[0].y
        for one, two in itertools.pairwise(keys):
            if frame < two.frame:
                part = Fraction(frame - one.frame, two.frame - one.frame)
                return one.x + (two.x - one.x) * part, one.y + (two.y - one.y) * part
        return keys[-1].x, keys[-1].y

    @property
    def uncropped(self) -> bool:
        """Whether nothing is cut off at its sides."""
        return not (self.left or self.top or self.right or self.bottom)

    def shown(self, width: int, height: int) -> tuple[Fraction, Fraction]:
        """Width and height of what is left after cropping."""
        return width * (1 - self.left - self.right), height * (1 - self.top - self.bottom)


@dataclass(frozen=True)
class Rect:
    """A rectangle by its upper left corner and its sides, in whatever unit is spoken of."""

    x: Fraction
    y: Fraction
    w: Fraction
    h: Fraction

    def meet(self, other: Rect) -> Rect | None:
        """What both have."""
        x, y = max(self.x, other.x), max(self.y, other.y)
        right, bottom = (
            min(self.x + self.w, other.x + other.w),
            min(self.y + self.h, other.y + other.h),
        )
        return Rect(x, y, right - x, bottom - y) if right > x and bottom > y else None


class Box(NamedTuple):
    """A part of a picture by its upper left corner and its sides, in whole pixels."""

    x: int
    y: int
    width: int
    height: int


@dataclass(frozen=True)
class Placement:
    """Take ``crop`` of the picture, make it ``size``, put it ``at``; all whole pixels."""

    crop: Box
    size: tuple[int, int]
    at: tuple[int, int]
    scale: tuple[float, float]

    @property
    def enlarged(self) -> float:
        """How much larger it becomes; 1 and less is not enlarged."""
        return max(self.scale)


Kind = Literal["fit", "fill", "stretch"]


def _inside(w: Fraction, h: Fraction, box: Rect) -> Rect:
    scale = min(box.w / w, box.h / h)
    return Rect(box.x + (box.w - w * scale) / 2, box.y + (box.h - h * scale) / 2, w * scale, h * scale)


def _window(box: Rect, shape: Fraction, centre: tuple[Fraction, Fraction]) -> Rect:
    """The largest part of ``box`` with sides ``shape`` : 1 around a centre, kept inside it."""
    w = min(box.w, box.h * shape)
    h = w / shape
    x = min(max(box.x + centre[0] * box.w - w / 2, box.x), box.x + box.w - w)
    y = min(max(box.y + centre[1] * box.h - h / 2, box.y), box.y + box.h - h)
    return Rect(x, y, w, h)


def _even(value: Fraction) -> int:
    return max(2, int(value / 2 + Fraction(1, 2)) * 2)


def place(
    picture: tuple[int, int],
    shape: Fraction,
    placing: Placing,
    *,
    canvas: tuple[int, int],
    view: View,
    output: tuple[int, int],
    frame: int = 0,
    output_shape: Fraction = Fraction(1),
) -> Placement | None:
    """Where a picture of ``picture`` pixels (of aspect ``shape``, upright) goes.

    It is placed in the source's ``canvas`` first, then that is viewed in a
    frame of ``output`` pixels (of aspect ``output_shape``); both at once, so
    that it is scaled only once.  None when nothing of it is seen.

    Parameters
    ----------
    picture
        Width and height of the picture.
    shape
        Width of a pixel against its height.
    placing
        Fit, fill or pad.
    canvas
        Width and height of the source's picture.
    view
        Crop and centre.
    output
        Width and height of the output's picture.
    frame
        Of the piece, from 0.
    output_shape
        Width of an output's pixel against its height.

    >>> place((640, 360), Fraction(1), "fit", canvas=(640, 360), view=View(), output=(1280, 720)).size
    (1280, 720)
    >>> place((720, 1280), Fraction(1), "fit", canvas=(720, 1280), view=View(), output=(1280, 720)).at
    (436, 0)
    >>> place((1920, 1080), Fraction(1), "fit", canvas=(1920, 1080), view=View(placing="fill"), output=(608, 1080)).crop
    Box(x=656, y=0, width=608, height=1080)
    """
    width, height = Fraction(picture[0]), Fraction(picture[1])
    whole = Rect(Fraction(0), Fraction(0), Fraction(canvas[0]), Fraction(canvas[1]))
    taken = Rect(Fraction(0), Fraction(0), width, height)
    if placing == "fit":
        lies = _inside(width * shape, height, whole)
    else:
        lies = whole
        if placing == "fill":
            taken = _window(taken, whole.w / whole.h / shape, (Fraction(1, 2), Fraction(1, 2)))
    frame_box = Rect(Fraction(0), Fraction(0), output[0] * output_shape, Fraction(output[1]))
    seen = Rect(
        whole.w * view.left,
        whole.h * view.top,
        whole.w * (1 - view.left - view.right),
        whole.h * (1 - view.top - view.bottom),
    )
    if view.placing == "fit":
        area = _inside(seen.w, seen.h, frame_box)
    else:
        area = frame_box
        if view.placing == "fill":
            seen = _window(seen, area.w / area.h, view.centre(frame))
    both = lies.meet(seen)
    if both is None:
        return None
    sx, sy = area.w / seen.w, area.h / seen.h
    out = Rect(area.x + (both.x - seen.x) * sx, area.y + (both.y - seen.y) * sy, both.w * sx, both.h * sy)
    if output_shape != 1:  # so far in square pixels
        out = Rect(out.x / output_shape, out.y, out.w / output_shape, out.h)
    kx, ky = taken.w / lies.w, taken.h / lies.h
    w, h = min(_even(out.w), output[0]), min(_even(out.h), output[1])
    at = min(floor(out.x / 2) * 2, output[0] - w), min(floor(out.y / 2) * 2, output[1] - h)
    # two pixels are left however little of a small picture is seen
    x = max(0, min(round(taken.x + (both.x - lies.x) * kx), picture[0] - 2))
    y = max(0, min(round(taken.y + (both.y - lies.y) * ky), picture[1] - 2))
    crop = Box(
        x,
        y,
        max(2, min(round(both.w * kx), picture[0] - x)),
        max(2, min(round(both.h * ky), picture[1] - y)),
    )
    return Placement(crop, (w, h), at, (float(out.w / (both.w * kx)), float(out.h / (both.h * ky))))
