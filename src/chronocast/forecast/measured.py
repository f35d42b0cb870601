"""How bytes of each kind of encode vary, as measured."""

from __future__ import annotations

from chronocast.forecast.content import Character

CLASSES = {
    "quality": Character(0.0, 0.35, 0.75, 0.45, 0.12, 0.95, 0.9),
    "grade": Character(0.0, 0.15, 0.35, 0.15, 0.04, 0.8, 0.8),
    "lossless": Character(0.0, 0.25, 0.6, 0.25, 0.06, 0.8, 0.8),
}
MEASURED: dict[str, Character] = {}
PACKETS = {
    "long": Character(-1.6, 0.3, 0.9, 0.5, 0.15, 0.7, 0.6),
    "grade": Character(0.6, 0.3, 0.4, 0.2, 0.05, 0.7, 0.7),
    "lossless": Character(2.0, 0.3, 0.6, 0.3, 0.06, 0.8, 0.8),
}
SIZE_POWER = -0.2
USUAL_PIXELS = 921_600
BEST_AGAINST_USUAL = 6.0
USUAL_BITS = -3.0
"""Log of the bits that a pixel of work usually takes."""
SECONDS_BY_BITS = {"": 0.15, "libx264": 0.25, "libx265": 0.25}
FRAME_WORK = 0.02
"""What a frame costs whatever its size, in millions of pixels."""
