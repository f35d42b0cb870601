"""H.264, HEVC and AV1 by Quick Sync, through avcodec.  Untried on a real device."""

from __future__ import annotations

from chronocast.media.encoders.encoder import Asked, Encoder, OnDevice, Told

FAMILY = "Quick Sync"


def told(asked: Asked) -> Told:
    """Say it to Quick Sync."""
    picture, control = asked.picture, asked.picture.rate_control
    options = {"preset": picture.effort, "idr_interval": "0"}
    if not picture.steering.rated:
        return Told({**options, "global_quality": str(max(1, round(control.quality)))})
    return Told(options, control.target_bits_per_second)


ENCODERS = (
    Encoder("h264_qsv", told, 0.12, 1.2, on=OnDevice(FAMILY, "h264", ("nv12",), (4096, 4096))),
    Encoder("hevc_qsv", told, 0.12, 1.2, on=OnDevice(FAMILY, "hevc", ("nv12", "p010le"), (8192, 8192))),
    Encoder("av1_qsv", told, 0.12, 1.2, on=OnDevice(FAMILY, "av1", ("nv12", "p010le"), (8192, 8192))),
)
