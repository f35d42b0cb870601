"""Codecs, containers and extensions: three things that must agree, in one table."""

from __future__ import annotations

from dataclasses import dataclass

import av

from chronocast.model.jobs import EncoderSettings
from chronocast.model.recipe import PictureRecipe
from chronocast.model.timing import Rate


@dataclass(frozen=True)
class Container:
    """A kind of file: FFmpeg's muxer, its extension, the codecs it holds."""

    muxer: str
    extension: str
    picture: tuple[str, ...]
    sound: tuple[str, ...]
    options: tuple[tuple[str, str], ...] = ()


CONTAINERS: dict[str, Container] = {
    "mp4": Container(
        "mp4", ".mp4", ("h264",), ("aac",), (("movflags", "+faststart"), ("fflags", "+bitexact"))
    ),
}

ENCODERS: dict[tuple[str, str], str] = {("h264", "software"): "libx264"}


def library_version(encoder: str) -> str:
    """What distinguishes the bits of this build's encoders from another's."""
    versions = av.library_versions
    return f"{encoder} avcodec {'.'.join(map(str, versions['libavcodec']))}"


def encoder_settings(
    recipe: PictureRecipe, width: int, height: int, rate: Rate, colour: tuple[int, int, int, int]
) -> EncoderSettings:
    """Everything the encoder is told for one recipe at one frame size and rate.

    Threads are part of it, since they change the bits: 1 up to 1080p, 4 above.
    """
    control = recipe.rate_control
    options = {"preset": recipe.effort, "profile": "high", "x264-params": "open-gop=0"}
    target = None
    if control.mode == "quality":
        options["crf"] = f"{control.quality:g}"
    else:
        target = control.target_bits_per_second
        peak = max(control.peak_bits_per_second or target * 2, target)
        options |= {"maxrate": str(peak), "bufsize": str(peak)}
    return EncoderSettings(
        encoder=ENCODERS[(recipe.codec, recipe.route)],
        options=options,
        bits_per_second=target,
        threads=1 if width * height <= 1920 * 1080 else 4,
        key_frame_frames=max(1, round(recipe.key_frame_seconds * rate)),
        colour=colour,
    )
