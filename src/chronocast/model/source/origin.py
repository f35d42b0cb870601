"""What a source's pictures and sound are by themselves: what “as the source” means."""

from __future__ import annotations

import re
from fractions import Fraction
from typing import Literal, NamedTuple

from chronocast.model.frozen import FrozenModel
from chronocast.model.picture.terms import Scan

Alpha = Literal["", "straight", "premultiplied"]
"""How see-through pictures are kept: not at all, with their colours as they are, or already multiplied by alpha."""


class SoundOrigin(FrozenModel):
    """One sound track of a source.  ``layout`` is the libraries' name (*stereo*, *5.1(side)*); ``depth`` bits, 0 for lossy."""

    channels: int = 2
    layout: str = "stereo"
    sample_rate: int = 48000
    depth: int = 0
    language: str = ""
    name: str = ""


class Origin(FrozenModel):
    """A source by itself.

    Of a sequence, the best of the media that it shows: the most bits, the
    finest colour.  ``width`` and ``height`` are as stored, in pixels of
    ``pixel_aspect``, upright; they are 0 where a sequence's own frame counts
    (square pixels).  ``scan`` is interlaced only where all pictures are, in one
    field order.  ``timecode`` says whether the source has one of its own.
    ``mastering`` and ``light`` are HDR10's, as encoders take them.
    """

    clip: bool = False
    depth: int = 8
    chroma: str = "4:2:0"
    alpha: Alpha = ""
    scan: Scan = "progressive"
    width: int = 0
    height: int = 0
    pixel_aspect: Fraction = Fraction(1)
    timecode: bool = False
    guessed_colour: bool = False
    mastering: str = ""
    light: str = ""
    sound: tuple[SoundOrigin, ...] = ()


_PACKED = {
    "rgb24": (8, "RGB", False),
    "bgr24": (8, "RGB", False),
    "rgba": (8, "RGB", True),
    "bgra": (8, "RGB", True),
    "argb": (8, "RGB", True),
    "abgr": (8, "RGB", True),
    "rgb0": (8, "RGB", False),
    "bgr0": (8, "RGB", False),
    "pal8": (8, "RGB", True),
    "monow": (8, "gray", False),
    "monob": (8, "gray", False),
    "ya8": (8, "gray", True),
    "nv12": (8, "4:2:0", False),
    "nv21": (8, "4:2:0", False),
    "uyvy422": (8, "4:2:2", False),
    "yuyv422": (8, "4:2:2", False),
    "rgb48": (16, "RGB", False),
    "bgr48": (16, "RGB", False),
    "rgba64": (16, "RGB", True),
    "bgra64": (16, "RGB", True),
    "ya16": (16, "gray", True),
    "gray": (8, "gray", False),
    "xyz12": (12, "RGB", False),
    "p010": (10, "4:2:0", False),
    "p210": (10, "4:2:2", False),
    "v210": (10, "4:2:2", False),
    "gbrpf32": (16, "RGB", False),
    "gbrapf32": (16, "RGB", True),
    "grayf32": (16, "gray", False),
    "rgb555": (8, "RGB", False),
    "rgb565": (8, "RGB", False),
}
_PLANAR = re.compile(r"^(yuvj?|yuva)(420|422|444|440|411|410)p(\d+)?$")
_GBR = re.compile(r"^gbr(a?)p(\d+)?$")
_GRAY = re.compile(r"^gray(\d+)$")


class Samples(NamedTuple):
    """Bits a sample, colour resolution (or *RGB*), whether there is alpha."""

    depth: int
    chroma: str
    alpha: bool


def samples_of(pixel_format: str) -> Samples:
    """Bits a sample, colour resolution and whether there is alpha, from the libraries' name of a pixel format.

    >>> samples_of("yuva444p10le")
    Samples(depth=10, chroma='4:4:4', alpha=True)
    >>> samples_of("rgb24")
    Samples(depth=8, chroma='RGB', alpha=False)
    """
    name = pixel_format.removesuffix("le").removesuffix("be")
    if found := _PLANAR.match(name):
        chroma = {"440": "4:4:4", "411": "4:2:0", "410": "4:2:0"}.get(
            found[2], f"4:{found[2][1]}:{found[2][2]}"
        )
        return Samples(int(found[3] or 8), chroma, found[1] == "yuva")
    if found := _GBR.match(name):
        return Samples(int(found[2] or 8), "RGB", bool(found[1]))
    if found := _GRAY.match(name):
        return Samples(int(found[1]), "gray", False)
    return Samples(*_PACKED.get(name, (8, "4:2:0", False)))
