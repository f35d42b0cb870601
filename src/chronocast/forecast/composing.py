"""What composing pictures costs before anything is encoded: reading, scaling, fields, blending, motion, layers.

In millions of pixels of *work*: one is what x264 takes for a million pixels at
medium effort.  The figures are those of ``bench/composing.py``.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

READ_SHARE = {
    "h264": 0.14,
    "hevc": 0.24,
    "mpeg2video": 0.07,
    "prores": 0.38,
    "dnxhd": 0.30,
    "av1": 0.25,
    "vp9": 0.20,
    "ffv1": 0.75,
    "jpeg2000": 2.0,
    "mjpeg": 0.08,
    "png": 0.5,
}
"""Decoding a million pixels, by codec."""
READ_OTHER = 0.2
"""The same of any other codec."""
READ_DEEP = 1.6
"""By how much more pictures of more than eight bits take."""
SCALE_SHARE = 0.05
"""Another size, for each million pixels of the larger of both."""
CONVERT_SHARE = 0.03
"""Another depth or colour resolution alone."""
FIELDS_SHARE = 0.07
"""Taking fields apart, for each million pixels read."""
BLEND_SHARE = 0.26
"""Mixing pictures that lie side by side in time."""
MOTION_SHARE = 27.5
"""Going between two pictures by their motion."""
LAYER_SHARE = 0.06
"""Laying one picture over another, each."""
BASE_READ = 0.19
"""Reading a million pixels of a base piece."""
BASE_DEEP = 1.9
"""By how much more base pieces of more than eight bits take."""


@dataclass(frozen=True)
class LayerRead:
    """One layer of a piece, as far as composing it costs something.

    Parameters
    ----------
    codec
        Of its medium, by the libraries' name.
    deep
        Whether its medium has more than eight bits.
    pictures
        So many of its medium's pictures are decoded.
    megapixels
        Of one of them, in millions of pixels.
    shown
        In so many pictures of the piece it is shown.
    fields
        Whether its fields are taken apart.
    between
        How pictures that fall between two of its own are made; "" where there are none.
    """

    codec: str
    deep: bool
    pictures: float
    megapixels: float
    shown: int
    fields: bool = False
    between: Literal["", "blend", "motion"] = ""


def read_share(codec: str, deep: bool = False) -> float:
    """What decoding a million pixels costs.

    >>> read_share("h264")
    0.14
    """
    return READ_SHARE.get(codec, READ_OTHER) * (READ_DEEP if deep else 1.0)


def layer_work(layer: LayerRead, made: float) -> float:
    """What one layer costs.

    Parameters
    ----------
    layer
        The layer.
    made
        Of one picture that is composed, in millions of pixels.
    """
    read = layer.pictures * layer.megapixels
    work = read * (read_share(layer.codec, layer.deep) + (FIELDS_SHARE if layer.fields else 0.0))
    sized = SCALE_SHARE * max(layer.megapixels, made) if abs(layer.megapixels - made) > 0.001 * made else 0.0
    work += layer.pictures * sized
    between = {"": 0.0, "blend": BLEND_SHARE, "motion": MOTION_SHARE}[layer.between]
    return work + layer.shown * made * between


def layers_work(layers: int, made: float) -> float:
    """What laying so many pictures over each other costs; nothing of one alone.

    Parameters
    ----------
    layers
        How many are seen at once.
    made
        All pictures that are composed of them, in millions of pixels.
    """
    return layers * made * LAYER_SHARE if layers > 1 else 0.0


def base_read_work(made: float, deep: bool) -> float:
    """What reading base pieces costs.

    Parameters
    ----------
    made
        Their pictures, in millions of pixels.
    deep
        Whether they have more than eight bits.
    """
    return made * BASE_READ * (BASE_DEEP if deep else 1.0)
