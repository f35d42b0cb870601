"""H.264 and HEVC by a memory-to-memory device of the kernel (V4L2), through avcodec.  Untried on a real device."""

from __future__ import annotations

from chronocast.media.encoders.encoder import Asked, Encoder, OnDevice, Told

FAMILY = "V4L2"


def told(asked: Asked) -> Told:
    """Such devices take a rate, and no quality."""
    return Told({}, asked.picture.rate_control.target_bits_per_second)


ENCODERS = (
    Encoder("h264_v4l2m2m", told, 0.3, 1.5, on=OnDevice(FAMILY, "h264", ("yuv420p", "nv12"), (1920, 1088))),
    Encoder("hevc_v4l2m2m", told, 0.3, 1.5, on=OnDevice(FAMILY, "hevc", ("yuv420p", "nv12"), (3840, 2160))),
)
