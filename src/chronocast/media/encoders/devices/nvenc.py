"""H.264, HEVC and AV1 by NVENC, through avcodec.  Untried on a real device."""

from __future__ import annotations

from functools import partial

from chronocast.media.encoders.encoder import Asked, Encoder, OnDevice, Told

PRESETS = {"fast": "p3", "medium": "p5", "slow": "p7"}
FAMILY = "NVENC"


def told(asked: Asked, deep: str) -> Told:
    """Say it to NVENC."""
    picture, control = asked.picture, asked.picture.rate_control
    options = {"preset": PRESETS[picture.effort], "tune": "hq", "forced-idr": "1"}
    if deep and picture.depth == 10:
        options["profile"] = deep
    if not picture.steering.rated:
        return Told({**options, "rc": "vbr", "cq": f"{control.quality:g}", "b:v": "0"})
    return Told({**options, "rc": "cbr" if picture.steering.even else "vbr"}, control.target_bits_per_second)


ENCODERS = (
    Encoder(
        "h264_nvenc",
        partial(told, deep=""),
        0.1,
        1.25,
        on=OnDevice(FAMILY, "h264", ("yuv420p",), (4096, 4096)),
    ),
    Encoder(
        "hevc_nvenc",
        partial(told, deep="main10"),
        0.1,
        1.25,
        on=OnDevice(FAMILY, "hevc", ("yuv420p", "p010le"), (8192, 8192)),
    ),
    Encoder(
        "av1_nvenc",
        partial(told, deep=""),
        0.1,
        1.25,
        on=OnDevice(FAMILY, "av1", ("yuv420p", "p010le"), (8192, 8192)),
    ),
)
