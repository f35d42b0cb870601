"""Read a finished file as a stranger would: decode everything, count, and tell what was there."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

import av
import numpy as np

from chronocast.media.opening import opened
from chronocast.model.colour import UNTAGGED, Colour, read_tags


@dataclass(frozen=True)
class Found:
    """What decoding a whole file showed.  Seconds are of what was decoded, not of what the header says."""

    container: str
    bytes: int
    frames: int
    width: int
    height: int
    rate: Fraction
    uneven: int
    video_codec: str
    sound_codec: str | None
    sound_samples: int
    sample_rate: int
    channels: int
    sound_peak: float
    said_samples: int
    complaints: tuple[str, ...]
    colour: Colour = UNTAGGED
    track_samples: tuple[int, ...] = ()


def _tags(video: av.VideoStream | None) -> Colour:
    if video is None:
        return UNTAGGED
    context = video.codec_context
    return read_tags(
        str(int(tag))
        for tag in (context.color_primaries, context.color_trc, context.colorspace, context.color_range)
    )


def prove(path: str, progress: Callable[[int], None] | None = None) -> Found:
    """Decode every picture and every sample of a file.

    ``uneven`` counts pictures that don't come one frame time after the last.
    ``said_samples`` is the first sound track's length by the container,
    ``track_samples`` what was decoded of each; decoders give
    whole packets, so ``sound_samples`` may be up to one packet more.

    Raises:
        NotMedia: it can't be opened at all.
    """
    complaints: list[str] = []
    frames = uneven = 0
    peak, said = 0.0, 0
    last: Fraction | None = None
    with av.logging.Capture(local=False) as logs:
        av.logging.set_level(av.logging.ERROR)
        with opened(path) as container:
            videos, audios = container.streams.video, container.streams.audio
            video = videos[0] if videos else None
            audio = audios[0] if audios else None
            rate = Fraction(video.average_rate or 0) if video else Fraction(0)
            if audio and audio.duration and audio.time_base:
                said = round(audio.duration * audio.time_base * audio.rate)
            streams = [*([video] if video else []), *audios]
            by_track = {stream.index: 0 for stream in audios}
            try:
                for packet in container.demux(streams):
                    try:
                        decoded = packet.decode()
                    except av.error.FFmpegError as error:
                        complaints.append(f"{packet.stream.type} after {frames} pictures: {error.strerror}")
                        continue
                    for frame in decoded:
                        if isinstance(frame, av.VideoFrame):
                            frames += 1
                            now = (frame.pts or 0) * Fraction(frame.time_base or 1)
                            if rate and last is not None and abs(now - last - 1 / rate) > Fraction(1, 1000):
                                uneven += 1
                            last = now
                            if progress:
                                progress(frames)
                        elif isinstance(frame, av.AudioFrame):
                            by_track[packet.stream.index] += frame.samples
                            peak = max(
                                peak, float(np.abs(frame.to_ndarray().astype(np.float64)).max(initial=0.0))
                            )
            except av.error.FFmpegError as error:
                complaints.append(f"after {frames} pictures: {error.strerror}")
            found = Found(
                container.format.name, os.path.getsize(path), frames, video.codec_context.width if video else 0,
                video.codec_context.height if video else 0, rate, uneven, video.codec_context.name if video else "",
                audio.codec_context.name if audio else None, by_track[audio.index] if audio else 0, audio.rate if audio else 0,
                audio.codec_context.channels if audio else 0, peak, said, (), _tags(video), tuple(by_track.values()),
            )  # fmt: skip
        av.logging.set_level(None)
    complaints += [f"{name}: {message.strip()}" for level, name, message in logs if level <= av.logging.ERROR]
    return Found(**{**found.__dict__, "complaints": tuple(complaints)})
