"""An output's sound, rendered once and whole, exact to the sample."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import cast

import av
import numpy as np
from av.audio.fifo import AudioFifo
from av.audio.resampler import AudioResampler
from numpy.typing import NDArray

from chronocast.media.errors import NotMedia
from chronocast.media.piece.sound import sound_encoder, sound_muxer
from chronocast.media.source.index import scan
from chronocast.media.source.opening import opened
from chronocast.model.messages.jobs import SoundJob
from chronocast.model.paths import shown
from chronocast.model.recipe.formats.layouts import channels_of
from chronocast.model.source.cutlist import Fade, SoundSpan

Block = NDArray[np.float32]
BLOCK = 4096
LEAD_IN = Fraction(1, 4)
HEARD = 10 ** (-40 / 20)
"""Level at which sound is taken to begin."""
SEAM = Fraction(1, 50)
"""Seconds: by how much a frame's time may differ from where the one before it ended.  Containers round their times."""
SILENCE = 10 ** (-80 / 20)


@dataclass(frozen=True)
class SoundResult:
    """Samples written, and whether all of them are below −80 dBFS; what decoders said of the sources, with the time.

    ``onset`` is the second at which the first track is first heard.
    """

    bytes: int
    samples: int
    peak: float
    complaints: tuple[str, ...] = ()
    onset: float | None = None

    @property
    def silent(self) -> bool:
        """Whether nothing of it can be heard."""
        return self.peak < SILENCE


def silence(samples: int, channels: int) -> Iterator[Block]:
    """That many samples of nothing."""
    while samples > 0:
        take = min(BLOCK, samples)
        yield np.zeros((channels, take), np.float32)
        samples -= take


def span_blocks(
    span: SoundSpan, sample_rate: int, layout: str, told: list[str] | None = None
) -> Iterator[Block]:
    """The sound of a span, shape (channels, n), exactly as many samples as lie between its rounded ends.

    ``layout`` is the libraries' name of the layout wanted, as *stereo* or
    *5.1*; what decoders complain of is added to ``told``.

    Decoding starts a little early, since a codec's first packet after a seek
    is not yet whole; samples are placed by their time, and what the file
    doesn't have is silence.  Other speeds change the pitch with them, as tape
    does; backwards, the stretch is turned round.

    Parameters
    ----------
    span
        Which stretch of which file.
    sample_rate
        Samples a second, in Hz.
    layout
        The layout that is wanted, by the libraries' name, as *stereo* or *5.1*.
    told
        Gets what decoders complain of.

    Raises
    ------
    NotMedia, DecodeFailed
        No sound there, or none that can be decoded.
    """
    samples = _samples(span, sample_rate)
    channels = channels_of(layout)
    if span.speed == 0:
        yield from silence(samples, channels)
        return
    length = span.seconds * abs(span.speed)
    begin = span.media_start if span.speed > 0 else span.media_start - length
    if len(span.tracks) == 1:
        blocks = track_blocks(
            span, span.tracks[0], begin, samples=samples, sample_rate=sample_rate, layout=layout, told=told
        )
    else:
        singles = [
            track_blocks(
                span, track, begin, samples=samples, sample_rate=sample_rate, layout="mono", told=told
            )
            for track in span.tracks
        ]
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
    span: SoundSpan,
    track: int,
    start: Fraction,
    *,
    samples: int,
    sample_rate: int,
    layout: str,
    told: list[str] | None = None,
) -> Iterator[Block]:
    """``samples`` of one track of a file from ``start`` seconds on, at the span's speed, forwards.

    Parameters
    ----------
    span
        What says the file, and its speed.
    track
        Its number in the file, from 0.
    start
        In seconds of the file.
    samples
        How many.
    sample_rate
        Samples a second, in Hz.
    layout
        The layout that is wanted, by the libraries' name, as *stereo* or *5.1*.
    told
        Gets what decoders complain of.
    """
    path, speed = span.media.path, abs(span.speed)
    begin = round(start / speed * sample_rate)
    end, at = begin + samples, begin
    with opened(path) as container:
        if len(container.streams.audio) <= track:
            raise NotMedia(
                f"{shown(path)} has no sound track {track + 1}.",
                "Relink the source, or choose another track.",
            )
        stream = container.streams.audio[track]
        zero = _picture_start(container, path, span.media.fingerprint)
        early = start - LEAD_IN
        if early > 0:
            place = int((early + zero) / Fraction(stream.time_base or Fraction(1, stream.rate)))
            container.seek(place, stream=stream, backward=True, any_frame=False)
        run = _Run(stream, zero, speed, sample_rate, layout)
        for placed, block in run.blocks(container):
            first, last = max(placed, at), min(placed + block.shape[1], end)
            if first < last:
                yield from silence(first - at, channels_of(layout))
                yield block[:, first - placed : last - placed]
                at = last
            if at >= end:
                break
        if told is not None:
            told += run.complaints
    yield from silence(end - at, channels_of(layout))


class _Run:
    """One sound track being decoded: blocks of it, each at the sample where its own time puts it.

    As long as a frame begins where the one before it ends, blocks go on
    without a seam.  Where a frame's time says otherwise, there is a gap, or
    the stream has begun again: what comes after lies at its own time.
    """

    def __init__(
        self, stream: av.AudioStream, zero: Fraction, speed: Fraction, sample_rate: int, layout: str
    ) -> None:
        self.stream, self.zero, self.speed = stream, zero, speed
        self.sample_rate, self.layout = sample_rate, layout
        self.time_base = Fraction(stream.time_base or Fraction(1, stream.rate))
        self.seam = max(SEAM, 2 * self.time_base)
        self.complaints: list[str] = []
        self._resampler: AudioResampler | None = None
        self._place = 0
        self._next: Fraction | None = None

    def blocks(self, container: av.container.InputContainer) -> Iterator[tuple[int, Block]]:
        """(sample of the output, block) of everything from where the container stands."""
        packets = container.demux(self.stream)
        while True:
            try:
                packet = next(packets, None)
            except av.error.FFmpegError as error:
                self._complain(self._next, error)
                packet = None
            if packet is None:
                break
            try:
                frames = packet.decode()
            except av.error.EOFError:
                break
            except av.error.FFmpegError as error:
                self._complain(packet.pts * self.time_base if packet.pts is not None else self._next, error)
                continue
            for frame in frames:
                yield from self._frame(frame)
        yield from self._flush()

    def _frame(self, frame: av.AudioFrame) -> Iterator[tuple[int, Block]]:
        now = self._next if frame.pts is None else Fraction(frame.pts) * self.time_base
        now = self.zero if now is None else now
        if self._next is None or abs(now - self._next) > self.seam:
            yield from self._flush()
            self._place, self._next = round((now - self.zero) / self.speed * self.sample_rate), now
        self._next += Fraction(frame.samples, frame.sample_rate)
        if self._resampler is None:
            self._resampler = AudioResampler(format="fltp", layout=self.layout, rate=self.sample_rate)
        if self.speed != 1:
            frame.sample_rate = round(frame.sample_rate * self.speed)
        yield from self._out(frame)

    def _flush(self) -> Iterator[tuple[int, Block]]:
        if self._resampler is not None:
            yield from self._out(None)
            self._resampler = None

    def _out(self, frame: av.AudioFrame | None) -> Iterator[tuple[int, Block]]:
        assert self._resampler is not None
        for out in self._resampler.resample(frame):
            block = np.asarray(out.to_ndarray(), np.float32)
            yield self._place, block
            self._place += block.shape[1]

    def _complain(self, time: Fraction | None, error: av.error.FFmpegError) -> None:
        at = float((time if time is not None else self.zero) - self.zero)
        self.complaints.append(f"{at:.2f} s: {error.strerror}")


def _picture_start(container: av.container.InputContainer, path: str, mark: str) -> Fraction:
    """Where the file's first picture that is shown lies, in seconds: sound is placed against it."""
    if not container.streams.video:
        return Fraction(0)
    stream = container.streams.video[0]
    if container.format.name in _STREAMS:
        return _first_shown(path, mark)
    if stream.start_time and stream.time_base and stream.start_time > 0:
        return Fraction(stream.start_time) * stream.time_base
    return Fraction(0)


_STREAMS = frozenset({"mpegts", "mpeg", "mpegvideo", "h264", "hevc"})
"""Kinds of files that may begin in mid-film."""


@lru_cache(maxsize=64)
def _first_shown(path: str, _mark: str) -> Fraction:
    index = scan(path)
    return index.times[0] * index.time_base if index.times else Fraction(0)


def sound_blocks(job: SoundJob, track: int = 0, told: list[str] | None = None) -> Iterator[Block]:
    """One track of an output's sound in order: spans mixed where they overlap, silence where there are none.

    Parameters
    ----------
    job
        The sound's.
    track
        The output's track, from 0.
    told
        Gets what decoders complain of.
    """
    waiting = sorted(job.each_track[track], key=lambda span: span.start, reverse=True)
    layout = job.layout_of(track)
    active: list[_Heard] = []
    at = 0
    while at < job.samples:
        stop = min(job.samples, at + BLOCK)
        while waiting and round(waiting[-1].start * job.sample_rate) < stop:
            active.append(_Heard(waiting.pop(), job.sample_rate, layout, told))
        total = np.zeros((channels_of(layout), stop - at), np.float32)
        for heard in active:
            heard.add(total, at)
        active = [heard for heard in active if heard.stop > stop]
        yield total
        at = stop


class _Heard:
    """A span being mixed in."""

    def __init__(self, span: SoundSpan, sample_rate: int, layout: str, told: list[str] | None) -> None:
        self.first = round(span.start * sample_rate)
        self.stop = self.first + _samples(span, sample_rate)
        self._pull = _Pull(span_blocks(span, sample_rate, layout, told))
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
        self.job, self.output, self.layout = job, output, job.layout_of(number)
        self.complaints: list[str] = []
        self.blocks = sound_blocks(job, number, self.complaints)
        encoder, kind = sound_encoder(job.codec, job.depth)
        self.stream = cast(
            av.AudioStream, output.add_stream(encoder, rate=job.sample_rate, layout=self.layout)
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
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block), format="fltp", layout=self.layout)
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

    Raises
    ------
    MediaError
        A source can't be decoded.
    OSError
        The target can't be written.
    """
    peak, written = 0.0, 0
    onset: float | None = None
    kind = sound_muxer(job.codec)
    with av.open("file:" + job.target, "w", format=kind, options={"fflags": "+bitexact"}) as output:
        tracks = [_Track(output, job, number) for number in range(len(job.each_track))]
        for blocks in zip(*(track.blocks for track in tracks), strict=True):
            for track, block in zip(tracks, blocks, strict=True):
                loud = np.abs(block)
                peak = max(peak, float(loud.max(initial=0.0)))
                if onset is None and track is tracks[0] and (heard := loud.max(axis=0) > HEARD).any():
                    onset = (written + int(heard.argmax())) / job.sample_rate
                track.write(block, written)
            written += blocks[0].shape[1]
            if progress:
                progress(written)
        for track in tracks:
            track.finish()
    with open(job.target, "rb") as file:
        os.fsync(file.fileno())
        said = tuple(dict.fromkeys(told for track in tracks for told in track.complaints))
        return SoundResult(os.fstat(file.fileno()).st_size, written, peak, said[:20], onset)
