"""How bytes and seconds of each kind of encode vary.  Made by ``./run bench priors``; not to be edited.

15 films of 1000 frames at 640×360, photographs moved as a camera would and drawn pictures, each by
10 recipes, really encoded, 2026-11-26.  Characters are shift, common, film, window, own,
film_content and window_content.
"""

from __future__ import annotations

from chronocast.forecast.picture.content import Character

CLASSES = {
    "grade": Character(0.000, 0.200, 0.100, 0.124, 0.050, 0.562, 0.461),
    "look": Character(0.000, 2.500, 2.796, 2.146, 0.675, -0.735, -0.621),
    "lossless": Character(0.000, 0.350, 0.406, 0.351, 0.125, 0.776, 0.880),
    "quality": Character(0.204, 0.350, 0.700, 0.566, 0.144, 0.938, 0.940),
}
"""Of encodes that weren't measured, by the last word of their kind."""
MEASURED: dict[str, Character] = {
    "dnxhr grade": Character(-0.208, 0.065, 0.100, 0.010, 0.030, 0.300, 0.000),
    "dnxhr look": Character(0.000, 1.027, 2.362, 1.967, 0.619, -0.539, -0.302),
    "ffv1 lossless": Character(-0.142, 0.176, 0.406, 0.351, 0.125, 0.776, 0.880),
    "h264 look": Character(0.000, 1.168, 2.686, 2.081, 0.654, -0.669, -0.553),
    "h264 quality": Character(0.576, 0.417, 0.958, 0.495, 0.138, 0.958, 0.928),
    "hevc look": Character(0.000, 1.566, 3.601, 2.169, 0.682, -0.856, -0.882),
    "hevc quality": Character(0.152, 0.226, 0.520, 0.621, 0.161, 0.907, 0.939),
    "mpeg2 look": Character(0.000, 1.026, 2.358, 1.790, 0.563, -0.787, -0.689),
    "mpeg2 quality": Character(-0.115, 0.270, 0.620, 0.583, 0.133, 0.950, 0.952),
    "prores grade": Character(-0.120, 0.065, 0.100, 0.239, 0.070, 0.824, 0.921),
    "prores look": Character(0.000, 1.278, 2.939, 2.466, 0.775, -0.813, -0.683),
}
"""By kind: against what its codec's row calls typical, for pictures of 1280×720."""
LOOKS = {
    "": (44.0, 3.2),
    "dnxhr": (43.7, 4.0),
    "grade": (44.3, 4.0),
    "h264": (44.0, 3.2),
    "hevc": (44.0, 3.2),
    "mpeg2": (42.6, 3.2),
    "prores": (44.3, 4.0),
}
"""By codec: XPSNR in dB at its usual quality (of a mezzanine codec, at one bit a pixel), and what halving the bits takes."""
PACKETS = {
    "grade": Character(1.000, 0.500, 1.192, 0.546, 0.100, 0.753, 0.919),
    "h264": Character(-2.103, 0.300, 1.192, 0.546, 0.100, 0.753, 0.919),
    "hevc": Character(-2.651, 0.300, 1.192, 0.546, 0.100, 0.753, 0.919),
    "long": Character(-1.891, 0.600, 1.430, 0.546, 0.100, 0.753, 0.919),
    "lossless": Character(2.000, 0.500, 1.192, 0.546, 0.100, 0.700, 0.919),
    "mpeg2video": Character(-0.918, 0.300, 1.192, 0.546, 0.100, 0.753, 0.919),
}
"""Log of bits a pixel of sources, by their codec, else by its class."""
SIZE_POWER = 0.000
"""Bits a pixel follow a picture's pixels by this power: a small picture shows more in each."""
USUAL_PIXELS = 921600
SECONDS_BY_BITS = {
    "": (0.15, -2.9),
    "dnxhd": (0.100, 1.26),
    "ffv1": (0.457, 1.31),
    "libx264": (0.332, -2.83),
    "libx265": (0.431, -3.15),
    "mpeg2video": (0.195, -1.09),
    "prores_aw": (0.100, 0.64),
}
"""By encoder: how far the log of seconds follows the log of the bits that a pixel gets, and the usual bits."""
FRAME_WORK = 0.000
"""What a frame costs whatever its size, in millions of pixels."""
