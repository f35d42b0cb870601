"""Write a film from arrays: for demo footage and for tests."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from fractions import Fraction

import av
import numpy as np
from numpy.typing import NDArray


def write_footage(
    path: str, pictures: Iterable[NDArray[np.uint8]], rate: Fraction, quality: float,
    sound: NDArray[np.float32] | None = None, sample_rate: int = 48000, options: Mapping[str, str] | None = None,
) -> int:  # fmt: skip
    """Encode pictures (uint8, height × width × 3) and sound (float32, channels × samples) with H.264 and AAC.

    The container follows from the path's ending.  Returns the size in bytes.
    """
    with av.open("file:" + path, "w", options={"fflags": "+bitexact"}) as output:
        video = output.add_stream("libx264", rate=rate)
        video.codec_context.time_base = 1 / rate
        video.codec_context.options = {"crf": f"{quality:g}", "preset": "slow", **(options or {})}
        video.codec_context.thread_count = 1
        video.pix_fmt = "yuv420p"
        video.codec_context.color_primaries = video.codec_context.color_trc = (
            video.codec_context.colorspace
        ) = 1
        audio = None
        if sound is not None:
            audio = output.add_stream(
                "aac", rate=sample_rate, layout={1: "mono", 2: "stereo"}[sound.shape[0]]
            )
            audio.bit_rate = 96_000
        told, at = 0, 0
        for picture in pictures:
            if not told:
                video.height, video.width = picture.shape[:2]
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24").reformat(
                format="yuv420p", dst_colorspace=1
            )
            frame.pts, frame.time_base = told, 1 / rate
            output.mux(video.encode(frame))
            told += 1
            if audio is not None and sound is not None:
                at = _sound_until(output, audio, sound, at, round(told / rate * sample_rate), sample_rate)
        output.mux(video.encode(None))
        if audio is not None and sound is not None:
            _sound_until(output, audio, sound, at, sound.shape[1], sample_rate, last=True)
            output.mux(audio.encode(None))
    return os.path.getsize(path)


def _sound_until(
    output: av.container.OutputContainer, audio: av.AudioStream, sound: NDArray[np.float32], at: int, end: int,
    sample_rate: int, last: bool = False,
) -> int:  # fmt: skip
    while at + 1024 <= end or (last and at < end):
        block = np.ascontiguousarray(sound[:, at : min(at + 1024, end)])
        frame = av.AudioFrame.from_ndarray(
            block, format="fltp", layout={1: "mono", 2: "stereo"}[sound.shape[0]]
        )
        frame.sample_rate, frame.pts, frame.time_base = sample_rate, at, Fraction(1, sample_rate)
        output.mux(audio.encode(frame))
        at += block.shape[1]
    return at
