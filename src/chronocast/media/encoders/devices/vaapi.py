"""H.264 and HEVC by VAAPI, which the libraries here leave out: by the system's own FFmpeg program.  Untried on a real device."""

from __future__ import annotations

from functools import partial

from chronocast.media.encoders.encoder import Asked, Encoder, OnDevice, OutsideAsk, Told

FAMILY = "VAAPI"
PROGRAM = "ffmpeg"
MATRICES = {1: "bt709", 5: "bt470bg", 6: "smpte170m", 9: "bt2020nc"}


def told(asked: Asked) -> Told:
    """Say it to VAAPI."""
    picture, control = asked.picture, asked.picture.rate_control
    if not picture.steering.rated:
        return Told({"rc_mode": "CQP", "qp": str(max(1, round(control.quality)))})
    return Told({"rc_mode": "CBR" if picture.steering.even else "VBR"}, control.target_bits_per_second)


def program(ask: OutsideAsk, encoder: str) -> list[str]:
    """The words of a call: raw pictures in, lifted to the device, a file of one closed stream out."""
    words = [
        PROGRAM,
        "-hide_banner",
        "-nostdin",
        "-loglevel",
        "error",
        "-y",
        "-vaapi_device",
        "/dev/dri/renderD128",
    ]
    words += [
        "-f",
        "rawvideo",
        "-pix_fmt",
        ask.pixel_format,
        "-s",
        f"{ask.width}x{ask.height}",
        "-r",
        str(ask.rate),
    ]
    words += ["-i", "pipe:0", "-vf", "hwupload", "-c:v", encoder, "-bf", "0", "-g", str(ask.key_frame_frames)]
    for name, value in ask.options.items():
        words += [f"-{name}", value]
    if ask.bits_per_second:
        words += ["-b:v", str(ask.bits_per_second)]
    if ask.colour[2] in MATRICES:
        words += ["-colorspace", MATRICES[ask.colour[2]]]
    return [*words, "-f", "nut", f"file:{ask.target}"]


ENCODERS = tuple(
    Encoder(
        f"{codec}_vaapi",
        told,
        0.15,
        1.3,
        on=OnDevice(FAMILY, codec, formats, largest, program=partial(program, encoder=f"{codec}_vaapi")),
    )
    for codec, formats, largest in (
        ("h264", ("nv12",), (4096, 4096)),
        ("hevc", ("nv12", "p010le"), (8192, 8192)),
    )
)
