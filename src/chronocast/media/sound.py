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

from chronocast.media.codecs import sound_encoder, sound_muxer
from chronocast.media.errors import DecodeFailed, NotMedia
from chronocast.media.opening import opened
from chronocast.model.cutlist import Fade, SoundSpan
from chronocast.model.jobs import SoundJob

Block = NDArray[np.float32]
BLOCK = 4096
LEAD_IN = Fraction(1, 4)
LAYOUTS = {1: "mono", 2: "stereo", 6: "5.1"}
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


def span_blocks(span: SoundSpan, sample_rate: int, channels: int) -> Iterator[Block]:
    """The sound of a span, shape (channels, n), exactly as many samples as lie between its rounded ends.

    Decoding starts a little early, since a codec's first packet after a seek
    is not yet whole; samples are placed by their time, and what the file
    doesn't have is silence.  Other speeds change the pitch with them, as tape
    does; backwards, the stretch is turned round.

    Raises:
        NotMedia, DecodeFailed: no sound there, or none that can be decoded.
    """
    samples = _samples(span, sample_rate)
    if span.speed == 0:
        yield from silence(samples, channels)
        return
    length = span.seconds * abs(span.speed)
    begin = span.media_start if span.speed > 0 else span.media_start - length
    if len(span.tracks) == 1:
        blocks = track_blocks(span, span.tracks[0], begin, samples, sample_rate, channels)
    else:
        singles = [track_blocks(span, track, begin, samples, sample_rate, 1) for track in span.tracks]
        blocks = _side_by_side(singles, samples, channels)
    if span.speed < 0:
        yield np.ascontiguousarray(
            np.concatenate(list(blocks) or [np.zeros((channels, 0), np.float32)], 1)[:, ::-1]
        )
    else:
        yield from blocks


def _samples(span: SoundSpan, sample_rate: int) -> int:
    return round((span.start + span.seconds) * sample_rate) - round(span.start * sample_rate)


def _side_by_side(tracks: list[Iterator[Block]], samples: int, channels: int) -> Iterator[Block]:
    """Tracks of one channel each as the channels of one sound: as they are, or folded to fewer."""
    pulls = [_Pull(track) for track in tracks]
    at = 0
    while at < samples:
        take = min(BLOCK, samples - at)
        rows = [pull.take(take, 1)[0] for pull in pulls]
        if channels == 1:
            yield np.mean(rows, axis=0, dtype=np.float32, keepdims=True)
        else:
            found = np.zeros((channels, take), np.float32)
            for number, row in enumerate(rows[:channels]):
                found[number] = row
            yield found
        at += take


class _Pull:
    """Blocks of any length out of blocks of any other; silence when they are over."""

    def __init__(self, blocks: Iterator[Block]) -> None:
        self._blocks, self._rest = blocks, None

    _rest: Block | None

    def take(self, samples: int, channels: int) -> Block:
        """The next ``samples``, shape (channels, samples)."""
        found = np.zeros((channels, samples), np.float32)
        at = 0
        while at < samples:
            if self._rest is None or not self._rest.shape[1]:
                self._rest = next(self._blocks, None)
                if self._rest is None:
                    break
            part = self._rest[:, : samples - at]
            found[:, at : at + part.shape[1]] = part
            self._rest = self._rest[:, part.shape[1] :]
            at += part.shape[1]
        return found


def track_blocks(
    span: SoundSpan, track: int, start: Fraction, samples: int, sample_rate: int, channels: int
) -> Iterator[Block]:
    """``samples`` of one track of a file from ``start`` seconds on, at the span's speed, forwards."""
    path, speed = span.media.path, abs(span.speed)
    begin = round(start / speed * sample_rate)
    end, at = begin + samples, begin
    with opened(path) as container:
        if len(container.streams.audio) <= track:
            raise NotMedia(f"{path} has no sound.", "Relink the source, or make the output without sound.")
        stream = container.streams.audio[track]
        time_base = Fraction(stream.time_base or Fraction(1, stream.rate))
        zero = _picture_start(container)
        resampler = AudioResampler(format="fltp", layout=LAYOUTS[channels], rate=sample_rate)
        early = start - LEAD_IN
        if early > 0:
            container.seek(int((early + zero) / time_base), stream=stream, backward=True, any_frame=False)
        place: int | None = None
        try:
            for packet in container.demux(stream):
                for frame in packet.decode():
                    if place is None:
                        place = round(((frame.pts or 0) * time_base - zero) / speed * sample_rate)
                    if speed != 1:
                        frame.sample_rate = round(frame.sample_rate * speed)
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
                f"The sound of {path} stops being readable {second:.1f} s into the part that is used: {error.strerror}.",
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


def sound_blocks(job: SoundJob, track: int = 0) -> Iterator[Block]:
    """One track of an output's sound in order: spans mixed where they overlap, silence where there are none."""
    waiting = sorted(job.each_track[track], key=lambda span: span.start, reverse=True)
    active: list[_Heard] = []
    at = 0
    while at < job.samples:
        stop = min(job.samples, at + BLOCK)
        while waiting and round(waiting[-1].start * job.sample_rate) < stop:
            active.append(_Heard(waiting.pop(), job.sample_rate, job.channels))
        total = np.zeros((job.channels, stop - at), np.float32)
        for heard in active:
            heard.add(total, at)
        active = [heard for heard in active if heard.stop > stop]
        yield total
        at = stop


class _Heard:
    """A span being mixed in."""

    def __init__(self, span: SoundSpan, sample_rate: int, channels: int) -> None:
        self.first = round(span.start * sample_rate)
        self.stop = self.first + _samples(span, sample_rate)
        self._pull = _Pull(span_blocks(span, sample_rate, channels))
        self._span = span
        self._rate = sample_rate

    def add(self, total: Block, at: int) -> None:
        """Add what of the span lies in a block that begins at sample ``at``."""
        begin, end = max(self.first, at), min(self.stop, at + total.shape[1])
        if begin >= end:
            return
        part = self._pull.take(end - begin, total.shape[0])
        if self._span.fade is not None:
            part = part * _faded(self._span.fade, np.arange(begin - self.first, end - self.first), self._rate)
        if self._span.gain != 1:
            part = part * np.float32(self._span.gain)
        total[:, begin - at : end - at] += part


def _faded(fade: Fade, samples: NDArray[np.int64], sample_rate: int) -> Block:
    """The share of each sample in a fade, linear."""
    at = float(fade.since) + (samples + 0.5) / sample_rate
    share = np.ones(len(samples))
    if fade.rise:
        share = np.minimum(share, at / float(fade.rise))
    if fade.fall:
        share = np.minimum(share, (float(fade.whole) - at) / float(fade.fall))
    return np.clip(share, 0, 1).astype(np.float32)


class _Track:
    """One track being encoded."""

    def __init__(self, output: av.container.OutputContainer, job: SoundJob, number: int) -> None:
        self.job, self.output, self.blocks = job, output, sound_blocks(job, number)
        encoder, kind = sound_encoder(job.codec, job.depth)
        self.stream = cast(
            av.AudioStream, output.add_stream(encoder, rate=job.sample_rate, layout=LAYOUTS[job.channels])
        )
        self.stream.codec_context.format = av.AudioFormat(kind)
        if job.bits_per_second:
            self.stream.bit_rate = job.bits_per_second
        if encoder == "libopus":
            self.stream.codec_context.options = {"vbr": "constrained"}
        self.stream.codec_context.open()
        self.size = self.stream.codec_context.frame_size or 1024
        self.fifo = AudioFifo()

    def write(self, block: Block, at: int) -> None:
        """Encode a block that begins at sample ``at``."""
        frame = av.AudioFrame.from_ndarray(
            np.ascontiguousarray(block), format="fltp", layout=LAYOUTS[self.job.channels]
        )
        frame.sample_rate, frame.pts, frame.time_base = (
            self.job.sample_rate,
            at,
            Fraction(1, self.job.sample_rate),
        )
        self.fifo.write(frame)
        while ready := self.fifo.read(self.size):
            self.output.mux(self.stream.encode(ready))

    def finish(self) -> None:
        """What is left, and the encoder's own end."""
        if rest := self.fifo.read(0, partial=True):
            self.output.mux(self.stream.encode(rest))
        self.output.mux(self.stream.encode(None))


def render_sound(job: SoundJob, progress: Callable[[int], None] | None = None) -> SoundResult:
    """Write an output's sound to ``job.target`` (the caller renames it).

    Raises:
        MediaError: a source can't be decoded.
        OSError: the target can't be written.
    """
    peak, written = 0.0, 0
    kind = sound_muxer(job.codec)
    with av.open("file:" + job.target, "w", format=kind, options={"fflags": "+bitexact"}) as output:
        tracks = [_Track(output, job, number) for number in range(len(job.each_track))]
        for blocks in zip(*(track.blocks for track in tracks), strict=True):
            for track, block in zip(tracks, blocks, strict=True):
                peak = max(peak, float(np.abs(block).max(initial=0.0)))
                track.write(block, written)
            written += blocks[0].shape[1]
            if progress:
                progress(written)
        for track in tracks:
            track.finish()
    with open(job.target, "rb") as file:
        os.fsync(file.fileno())
        return SoundResult(os.fstat(file.fileno()).st_size, written, peak)
