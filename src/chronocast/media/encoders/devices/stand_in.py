"""H.264 and HEVC by the stand-in device: a program of our own that behaves as a hardware encoder does."""

from __future__ import annotations

import json
import sys
from functools import partial

from chronocast.media.encoders.encoder import Asked, Encoder, OnDevice, OutsideAsk, Told

FAMILY = "stand-in device"


def told(asked: Asked) -> Told:
    """A quality on the codec's own scale, or a rate."""
    picture, control = asked.picture, asked.picture.rate_control
    if not picture.steering.rated:
        return Told({"quality": f"{control.quality:g}"})
    return Told({}, control.target_bits_per_second)


def program(ask: OutsideAsk, codec: str) -> list[str]:
    """The words of a call."""
    said = {
        "codec": codec,
        "pixel_format": ask.pixel_format,
        "width": ask.width,
        "height": ask.height,
        "rate": str(ask.rate),
        "quality": ask.options.get("quality", ""),
        "bits_per_second": ask.bits_per_second,
        "key_frame_frames": ask.key_frame_frames,
        "colour": list(ask.colour),
    }
    return [sys.executable, "-m", "chronocast.standins.device", json.dumps(said), ask.target]


ENCODERS = (
    Encoder(
        "h264_standin",
        told,
        0.2,
        2.1,
        on=OnDevice(FAMILY, "h264", ("yuv420p",), (3840, 2160), 2, partial(program, codec="h264"), True),
    ),
    Encoder(
        "hevc_standin",
        told,
        0.7,
        1.6,
        on=OnDevice(
            FAMILY, "hevc", ("yuv420p", "yuv420p10le"), (3840, 2160), 2, partial(program, codec="hevc"), True
        ),
    ),
)
