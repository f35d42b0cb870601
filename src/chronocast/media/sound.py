"""An output's sound, rendered once and whole, exact to the sample."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import cast

import av
import numpy as np
from av.audio.fifo import AudioFifo
from av.audio.resampler import AudioResampler
from numpy.typing import NDArray

from chronocast.media.errors import DecodeFailed, NotMedia
from chronocast.media.opening import opened
from chronocast.model.jobs import SoundJob, SoundSpanJob

Block = NDArray[np.float32]
BLOCK = 4096
LEAD_IN = Fraction(1, 4)
LAYOUTS = {1: "mono", 2: "stereo"}
SILENCE = 10 ** (-80 / 20)


@dataclass(frozen=True)
class SoundResult:
    """Samples written, and whether all of them are below −80 dBFS."""

    bytes: int
    samples: int
    peak: float

    @property
    def silent(self) -> bool:
        return self.peak < SILENCE


def silence(samples: int, channels: int) -> Iterator[Block]:
    """That many samples of nothing."""
    while samples > 0:
        take = min(BLOCK, samples)
        yield np.zeros((channels, take), np.float32)
        samples -= take


def span_blocks(span: SoundSpanJob, sample_rate: int, channels: int) -> Iterator[Block]:
    """Exactly ``span.samples`` samples of a file's first sound track, shape (channels, n).

    Decoding starts a little early, since a codec's first packet after a seek
    is not yet whole; samples are placed by their time, and what the file
    doesn't have is silence.

    Raises:
        NotMedia, DecodeFailed: no sound there, or none that can be decoded.
    """
    begin = round(Fraction(span.media_start) * sample_rate)
    end, at = begin + span.samples, begin
    with opened(span.media) as container:
        if not container.streams.audio:
            raise NotMedia(
                f"{span.media} has no sound.", "Relink the source, or make the output without sound."
            )
        stream = container.streams.audio[0]
        time_base = Fraction(stream.time_base or Fraction(1, stream.rate))
        zero = _picture_start(container)
        resampler = AudioResampler(format="fltp", layout=LAYOUTS[channels], rate=sample_rate)
        early = Fraction(span.media_start) - LEAD_IN
        if early > 0:
            container.seek(int((early + zero) / time_base), stream=stream, backward=True, any_frame=False)
        place: int | None = None
        try:
            for packet in container.demux(stream):
                for frame in packet.decode():
                    if place is None:
                        place = round(((frame.pts or 0) * time_base - zero) * sample_rate)
                    for block in _arrays(resampler, frame):
                        place, at, piece = _clip(block, place, at, end)
                        if piece is not None:
                            yield from silence(piece[0], channels)
                            yield piece[1]
                if at >= end:
                    return
        except av.error.FFmpegError as error:
            second = float((at - begin) / sample_rate)
            raise DecodeFailed(
                f"The sound of {span.media} stops being readable {second:.1f} s into the part that is used: {error.strerror}.",
                "Copy it again from where it came from, or make the output without sound.",
            ) from None
        for block in _arrays(resampler, None):
            if place is not None:
                place, at, piece = _clip(block, place, at, end)
                if piece is not None:
                    yield from silence(piece[0], channels)
                    yield piece[1]
    yield from silence(end - at, channels)


def _picture_start(container: av.container.InputContainer) -> Fraction:
    """Where the file's first picture lies, in seconds: sound is placed against it."""
    if container.streams.video:
        stream = container.streams.video[0]
        if stream.start_time and stream.time_base and stream.start_time > 0:
            return Fraction(stream.start_time) * stream.time_base
    return Fraction(0)


def _arrays(resampler: AudioResampler, frame: av.AudioFrame | None) -> Iterator[Block]:
    for out in resampler.resample(frame):
        yield np.asarray(out.to_ndarray(), np.float32)


def _clip(block: Block, place: int, at: int, end: int) -> tuple[int, int, tuple[int, Block] | None]:
    """The part of a block at ``place`` that lies in [at, end), and the silence before it."""
    length = block.shape[1]
    first, last = max(place, at), min(place + length, end)
    if first >= last:
        return place + length, at, None
    gap = first - at
    return place + length, last, (gap, block[:, first - place : last - place])


def sound_blocks(job: SoundJob) -> Iterator[Block]:
    """All of an output's sound in order: spans, and silence between them."""
    at = 0
    for span in job.spans:
        yield from silence(span.start_sample - at, job.channels)
        yield from span_blocks(span, job.sample_rate, job.channels)
        at = span.start_sample + span.samples
    yield from silence(job.samples - at, job.channels)


def render_sound(job: SoundJob, progress: Callable[[int], None] | None = None) -> SoundResult:
    """Write an output's sound to ``job.target`` (the caller renames it).

    Raises:
        MediaError: a source can't be decoded.
        OSError: the target can't be written.
    """
    peak, written = 0.0, 0
    with av.open("file:" + job.target, "w", format="mp4", options={"fflags": "+bitexact"}) as output:
        stream = cast(
            av.AudioStream, output.add_stream(job.codec, rate=job.sample_rate, layout=LAYOUTS[job.channels])
        )
        stream.bit_rate = job.bits_per_second
        stream.codec_context.open()
        size = stream.codec_context.frame_size or 1024
        fifo = AudioFifo()
        for block in sound_blocks(job):
            peak = max(peak, float(np.abs(block).max(initial=0.0)))
            frame = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(block), format="fltp", layout=LAYOUTS[job.channels]
            )
            frame.sample_rate, frame.pts, frame.time_base = (
                job.sample_rate,
                written,
                Fraction(1, job.sample_rate),
            )
            written += block.shape[1]
            fifo.write(frame)
            while ready := fifo.read(size):
                output.mux(stream.encode(ready))
            if progress:
                progress(written)
        if rest := fifo.read(0, partial=True):
            output.mux(stream.encode(rest))
        output.mux(stream.encode(None))
    with open(job.target, "rb") as file:
        os.fsync(file.fileno())
        return SoundResult(os.fstat(file.fileno()).st_size, written, peak)
