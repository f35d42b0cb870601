"""H.264, HEVC and AV1 by AMF, through avcodec.  Untried on a real device."""

from __future__ import annotations

from chronocast.media.encoders.encoder import Asked, Encoder, OnDevice, Told

FAMILY = "AMF"
PRESETS = {"fast": "speed", "medium": "balanced", "slow": "quality"}


def told(asked: Asked) -> Told:
    """Say it to AMF."""
    picture, control = asked.picture, asked.picture.rate_control
    options = {"quality": PRESETS[picture.effort]}
    if not picture.steering.rated:
        step = str(max(0, round(control.quality)))
        return Told({**options, "rc": "cqp", "qp_i": step, "qp_p": step})
    rc = "cbr" if picture.steering.even else "vbr_peak"
    return Told({**options, "rc": rc}, control.target_bits_per_second)


ENCODERS = (
    Encoder("h264_amf", told, 0.15, 1.3, on=OnDevice(FAMILY, "h264", ("nv12",), (4096, 4096))),
    Encoder("hevc_amf", told, 0.15, 1.3, on=OnDevice(FAMILY, "hevc", ("nv12", "p010le"), (8192, 8192))),
    Encoder("av1_amf", told, 0.15, 1.3, on=OnDevice(FAMILY, "av1", ("nv12", "p010le"), (8192, 8192))),
)
