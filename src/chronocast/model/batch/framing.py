"""What a framing does to a picture, in numbers and sentences; and crops as people type them."""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction
from typing import NamedTuple

from chronocast.model.batch.batch import Framing
from chronocast.model.errors import ModelError
from chronocast.model.picture.geometry import Placement, View, place
from chronocast.model.recipe.recipe import FrameSize, frame_size

SIDES = ("left", "top", "right", "bottom")


class Sides(NamedTuple):
    """Widths of something at each side of a picture, in pixels."""

    left: int
    top: int
    right: int
    bottom: int


@dataclass(frozen=True)
class Framed:
    """One picture framed: what is taken of the ``canvas``, the output's size, where it lies in it."""

    canvas: tuple[int, int]
    output: tuple[int, int]
    lies: Placement
    placing: str

    @property
    def bars(self) -> Sides:
        """Bars at the left, top, right and bottom, in pixels of the output."""
        x, y = self.lies.at
        w, h = self.lies.size
        return Sides(x, y, self.output[0] - x - w, self.output[1] - y - h)

    @property
    def squeezed(self) -> float:
        """How much wider than it should be a thing looks: 1 is true, 0.9 a tenth too narrow."""
        return self.lies.scale[0] / self.lies.scale[1]

    @property
    def cut_off(self) -> float:
        """The share of the source's picture that isn't seen."""
        return 1 - self.lies.crop[2] * self.lies.crop[3] / (self.canvas[0] * self.canvas[1])

    def warnings(self) -> list[str]:
        """What a person would not want without knowing."""
        found = []
        wrong = self.squeezed - 1
        if abs(wrong) > 0.01:
            found.append(
                f"Everything looks {abs(wrong):.0%} too {'wide' if wrong > 0 else 'narrow'}: the picture is stretched "
                "to the frame. Fit or fill keeps its shape."
            )
        if self.lies.enlarged > 1.02:
            found.append(f"Enlarged to {self.lies.enlarged:.0%}: it can't be sharper than its source.")
        return found

    def told(self) -> list[str]:
        """What happens, in sentences with exact numbers."""
        x, y, w, h = self.lies.crop
        whole = (x, y, w, h) == (0, 0, *self.canvas)
        taken = (
            f"All of {self.canvas[0]}×{self.canvas[1]} is taken"
            if whole
            else f"{w}×{h} at ({x}, {y}) of {self.canvas[0]}×{self.canvas[1]} is taken, {self.cut_off:.0%} cut off"
        )
        said = [f"{taken}; the file is {self.output[0]}×{self.output[1]}, square pixels."]
        left, top, right, bottom = self.bars
        if left or right:
            said.append(f"Black bars of {left} and {right} pixels at the sides.")
        if top or bottom:
            said.append(f"Black bars of {top} and {bottom} pixels above and below.")
        return said


def framed(canvas: tuple[int, int], view: View, size: FrameSize, frame: int = 0) -> Framed:
    """What becomes of a picture of ``canvas`` pixels at a frame of an output.

    Parameters
    ----------
    canvas
        Width and height of the source's picture.
    view
        How the picture is framed.
    size
        What is asked for.
    frame
        Of the output, from 0.

    >>> f = framed((1920, 1080), View(placing="fill"), FrameSize(mode="fixed", width=1080, height=1920))
    >>> f.lies.crop, f.bars
    (Box(x=656, y=0, width=608, height=1080), Sides(left=0, top=0, right=0, bottom=0))
    """
    shown = view.shown(*canvas)
    output = frame_size(size, round(shown[0]), round(shown[1]))
    lies = place(canvas, Fraction(1), "fit", canvas=canvas, view=view, output=output, frame=frame)
    assert lies is not None, "a crop leaves something of every picture"
    return Framed(canvas, output, lies, view.placing)


def crop_share(text: str, side: int) -> float:
    """The share of a side of ``side`` pixels that is cut off: ``120``, ``120 px`` or ``12.5 %``.

    >>> crop_share("192", 1920), crop_share("12,5 %", 1080)
    (0.1, 0.125)

    Raises
    ------
    ModelError
        No such number, or more than can be cut off.
    """
    found = re.fullmatch(r"\s*(\d{1,6}(?:[.,]\d+)?)\s*(%|px|pixels?)?\s*", text.lower())
    if not found:
        raise ModelError(
            f"“{text[:20]}” is not a width to cut off.", "Type pixels, like 120, or a share, like 12.5 %."
        )
    number = float(found[1].replace(",", "."))
    share = number / 100 if found[2] == "%" else number / side
    if share > 0.95:
        raise ModelError(
            f"{text.strip()} would leave nothing of the picture.", f"It is {side} pixels across."
        )
    return share


def centre_share(text: str) -> float:
    """Where a centre is along a side: ``40``, ``40 %`` or ``12,5 %`` of it.

    Raises
    ------
    ModelError
        No number from 0 to 100.
    """
    found = re.fullmatch(r"\s*(\d{1,3}(?:[.,]\d+)?)\s*%?\s*", text)
    share = float(found[1].replace(",", ".")) / 100 if found else 2.0
    if share > 1:
        raise ModelError(
            f"“{text[:20]}” is no place for the centre.", "Type a share of the picture, like 40 %."
        )
    return share


def with_crop(framing: Framing, left: float, top: float, right: float, bottom: float) -> Framing:
    """A framing with another crop.

    Parameters
    ----------
    framing
        The framing now.
    left
        Share of the width cut off, 0 to 1.
    top
        Share of the height cut off.
    right
        Share of the width cut off.
    bottom
        Share of the height cut off.

    Raises
    ------
    ModelError
        It leaves too little of the picture.
    """
    values = [min(0.95, max(0.0, round(value, 6))) for value in (left, top, right, bottom)]
    if values[0] + values[2] > 0.95 or values[1] + values[3] > 0.95:
        raise ModelError("The crop would leave less than a twentieth of the picture.", "Cut off less.")
    return framing.model_copy(update=dict(zip(SIDES, values, strict=True)))


def shaped_crop(framing: Framing, canvas: tuple[int, int], output: tuple[int, int]) -> Framing:
    """The crop made smaller, around its own middle, to the shape of the output: then there are no bars.

    Parameters
    ----------
    framing
        The framing now.
    canvas
        Width and height of the source's picture.
    output
        Width and height of the output's picture.

    Raises
    ------
    ModelError
        It would leave too little.
    """
    width = canvas[0] * (1 - framing.left - framing.right)
    height = canvas[1] * (1 - framing.top - framing.bottom)
    shape = output[0] / output[1]
    across = max(0.0, width - height * shape) / 2 / canvas[0]
    along = max(0.0, height - width / shape) / 2 / canvas[1]
    return with_crop(
        framing, framing.left + across, framing.top + along, framing.right + across, framing.bottom + along
    )


def with_centre(framing: Framing, frame: int, x: float, y: float, moving: bool) -> Framing:
    """A framing with its centre at a place: at one frame of several (``moving``), or throughout.

    Parameters
    ----------
    framing
        The framing now.
    frame
        Of the range, from 0.
    x
        Of the centre: -1 left, 1 right.
    y
        Of the centre: -1 top, 1 bottom.
    moving
        Whether the centre moves from frame to frame.
    """
    at = (frame, round(min(1.0, max(0.0, x)), 4), round(min(1.0, max(0.0, y)), 4))
    if not moving:
        return framing.model_copy(update={"centres": ((0, at[1], at[2]),)})
    others = tuple(key for key in framing.centres if key[0] != frame)
    return framing.model_copy(update={"centres": tuple(sorted((*others, at)))})


def without_centre(framing: Framing, frame: int) -> Framing:
    """A framing without the key position at a frame."""
    return framing.model_copy(update={"centres": tuple(key for key in framing.centres if key[0] != frame)})
