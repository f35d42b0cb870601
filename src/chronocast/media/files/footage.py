"""Write a film from arrays: for demo footage and for tests."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import cast

import av
import numpy as np
from av.container import OutputContainer
from av.video.reformatter import ColorRange, Colorspace, VideoReformatter
from numpy.typing import NDArray

from chronocast.media.encoders.x264 import steady
from chronocast.media.filter_graph import FilterGraph
from chronocast.media.picture.convert import field_first
from chronocast.model.picture.colour import BT709, Colour
from chronocast.model.recipe.formats.layouts import USUAL


@dataclass(frozen=True)
class Format:
    """How footage is written; the container follows from the path's ending.

    ``times`` are the pictures' times in ticks of 1/1000 s, where they are
    uneven.  ``interlaced``: each picture is woven of two, the upper field first.
    """

    codec: str = "libx264"
    pixel_format: str = "yuv420p"
    options: Mapping[str, str] = field(default_factory=dict)
    bit_rate: int | None = None
    colour: Colour = BT709
    tagged: bool = True
    pixel_aspect: Fraction = Fraction(1)
    interlaced: bool = False
    times: Sequence[int] | None = None
    timecode: str = ""
    sound_codec: str = "aac"
    sound_bit_rate: int | None = 96_000
    languages: Sequence[str] = ()


def _video_stream(
    output: OutputContainer, form: Format, rate: Fraction, options: Mapping[str, str]
) -> av.VideoStream:
    """The picture's stream of a file in that form."""
    video = cast(av.VideoStream, output.add_stream(form.codec, rate=rate))
    context = video.codec_context
    context.time_base = Fraction(1, 1000) if form.times else 1 / rate
    context.options = dict(options)
    context.thread_count = 1
    if form.bit_rate:
        context.bit_rate = form.bit_rate
    video.pix_fmt = form.pixel_format
    if form.tagged:
        context.color_primaries, context.color_trc, context.colorspace, context.color_range = form.colour
    if form.pixel_aspect != 1:
        context.sample_aspect_ratio = form.pixel_aspect
    return video


def write_footage(
    path: str,
    pictures: Iterable[NDArray[np.uint8]],
    rate: Fraction,
    *,
    quality: float,
    sound: NDArray[np.float32] | Sequence[NDArray[np.float32]] | None = None,
    sample_rate: int = 48000,
    options: Mapping[str, str] | None = None,
    form: Format | None = None,
) -> int:
    """Encode pictures (uint8, height × width × 3) and sound (float32, channels × samples; a list makes tracks).

    Returns the size in bytes.

    Parameters
    ----------
    path
        The file's.
    pictures
        Of shape height × width × 3, uint8.
    rate
        Frames a second.
    quality
        On the codec's own scale.
    sound
        Of shape channels × samples, float32; a list makes tracks.
    sample_rate
        Samples a second, in Hz.
    options
        What the encoder is told besides.
    form
        Container, codec, tags and times of the file.
    """
    form = form or Format()
    matrix = {1: "ITU709", 9: "BT2020"}.get(form.colour[2], "ITU601")
    with av.open("file:" + path, "w", options={"fflags": "+bitexact"}) as output:
        if form.timecode:
            output.metadata["timecode"] = form.timecode
        settings = {"crf": f"{quality:g}", "preset": "slow"} if form.codec in ("libx264", "libx265") else {}
        settings |= {**form.options, **(options or {})}
        if form.codec == "libx264" and (params := steady(settings.get("x264-params", ""))):
            settings["x264-params"] = params
        video = _video_stream(output, form, rate, settings)
        tracks = [] if sound is None else [sound] if isinstance(sound, np.ndarray) else list(sound)
        audios: list[av.AudioStream] = []
        for track in tracks:
            audio = cast(
                av.AudioStream,
                output.add_stream(form.sound_codec, rate=sample_rate, layout=USUAL[track.shape[0]]),
            )
            if form.sound_bit_rate and not form.sound_codec.startswith("pcm"):
                audio.bit_rate = form.sound_bit_rate
            if len(audios) < len(form.languages):
                audio.metadata["language"] = form.languages[len(audios)]
            audios.append(audio)
        told = 0
        written = [0] * len(tracks)
        scaler = VideoReformatter()
        for picture in pictures:
            if not told:
                video.height, video.width = picture.shape[:2]
            frame = scaler.reformat(
                av.VideoFrame.from_ndarray(picture, format="rgb24"),
                format=form.pixel_format,
                dst_colorspace=Colorspace[matrix],
                dst_color_range=ColorRange.JPEG if form.colour[3] == 2 else ColorRange.MPEG,
            )
            if form.interlaced:
                frame = _upper_first(frame)
            frame.pts, frame.time_base = (
                (form.times[told], Fraction(1, 1000)) if form.times else (told, 1 / rate)
            )
            output.mux(video.encode(frame))
            told += 1
            for number, track in enumerate(tracks):
                written[number] = _sound_until(
                    output,
                    audios[number],
                    track,
                    at=written[number],
                    end=round(told / rate * sample_rate),
                    sample_rate=sample_rate,
                )
        output.mux(video.encode(None))
        for number, track in enumerate(tracks):
            _sound_until(
                output,
                audios[number],
                track,
                at=written[number],
                end=track.shape[1],
                sample_rate=sample_rate,
                last=True,
            )
            output.mux(audios[number].encode(None))
    return os.path.getsize(path)


def _upper_first(frame: av.VideoFrame) -> av.VideoFrame:
    """The picture, marked as interlaced with its upper field first."""
    return FilterGraph.of_pictures(frame, [field_first("top")], Fraction(1, 25)).one(frame, 0)


def woven(pictures: Iterable[NDArray[np.uint8]]) -> Iterable[NDArray[np.uint8]]:
    """Interlaced pictures: the even lines of one picture and the odd lines of the next."""
    waiting: NDArray[np.uint8] | None = None
    for picture in pictures:
        if waiting is None:
            waiting = picture
            continue
        both = waiting.copy()
        both[1::2] = picture[1::2]
        waiting = None
        yield both


def _sound_until(
    output: av.container.OutputContainer,
    audio: av.AudioStream,
    sound: NDArray[np.float32],
    *,
    at: int,
    end: int,
    sample_rate: int,
    last: bool = False,
) -> int:
    while at + 1024 <= end or (last and at < end):
        block = np.ascontiguousarray(sound[:, at : min(at + 1024, end)])
        layout = USUAL[sound.shape[0]]
        kind = audio.codec_context.format.name
        frame = av.AudioFrame.from_ndarray(block, format="fltp", layout=layout)
        frame.sample_rate, frame.pts, frame.time_base = sample_rate, at, Fraction(1, sample_rate)
        if kind != "fltp":
            converter = av.AudioResampler(format=kind, layout=layout, rate=sample_rate)
            for made in converter.resample(frame):
                made.pts, made.time_base = at, Fraction(1, sample_rate)
                output.mux(audio.encode(made))
        else:
            output.mux(audio.encode(frame))
        at += block.shape[1]
    return at
