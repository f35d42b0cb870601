"""Copy a film's sound packet by packet, from before the first sample that is heard to after the last one."""

from __future__ import annotations

import os
from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import av
import numpy as np

from chronocast.media.copy.copied import CopyFailed
from chronocast.media.files.sound import BLOCK, HEARD, Block, SoundResult, sound_blocks, span_blocks
from chronocast.media.source.opening import opened
from chronocast.model.messages.jobs import SoundJob
from chronocast.model.source.cutlist import MediaRef, SoundSpan

LOW_COMPLEXITY = 2
"""The only kind of AAC that is copied (audioObjectType of ISO/IEC 14496-3)."""
NOISE = 4.0
"""So many times as much as a source differs from itself a copy may differ from it."""
EARLY = Fraction(3, 10)
"""Seconds: by so much earlier decoding begins the other time."""
ALIKE = 1e-3
"""Sound that is the same differs by no more of its energy (30 dB below it): by a packet elsewhere it would differ by all of it."""


def copy_sound(job: SoundJob) -> SoundResult:
    """Write an output's sound to ``job.target`` (the caller renames it), and prove that it decodes to what its source does.

    It begins a packet before its first sample, with a time before 0: a
    packet decodes whole only after the one before it.

    Parameters
    ----------
    job
        The sound's: one span of one track, at its own pace and level.

    Raises
    ------
    CopyFailed
        Packets can't be had, or decode to something else.
    OSError
        The target can't be written.
    """
    (span,) = job.spans
    try:
        _write(job, span)
        return _proved(job)
    except av.error.FFmpegError as error:
        if isinstance(error, OSError):
            raise
        raise CopyFailed(f"Its sound can't be copied: {error.strerror or error}.") from error


def _write(job: SoundJob, span: SoundSpan) -> None:
    first = round(span.media_start * job.sample_rate)
    with opened(span.media.path) as source:
        track = source.streams.audio[span.tracks[0]]
        extra = bytes(track.codec_context.extradata or b"")
        if not extra or extra[0] >> 3 != LOW_COMPLEXITY:
            raise CopyFailed("Its sound is of a kind of AAC that isn't copied.")
        if source.streams.video and (source.streams.video[0].start_time or 0) > 0:
            raise CopyFailed("Its picture begins later than its file.")
        with av.open("file:" + job.target, "w", format="mp4", options={"fflags": "+bitexact"}) as output:
            stream = output.add_stream_from_template(track, opaque=True)
            stream.time_base = Fraction(1, job.sample_rate)
            for time, duration, data in _packets(source, track, job, first):
                new: av.Packet[Any] = av.Packet(data)
                new.pts = new.dts = time
                new.duration, new.time_base, new.is_keyframe = duration, stream.time_base, True
                new.stream = stream
                output.mux(new)
    with open(job.target, "rb") as file:
        os.fsync(file.fileno())


def _packets(
    source: av.container.InputContainer, track: av.AudioStream, job: SoundJob, first: int
) -> Iterator[tuple[int, int, bytes]]:
    """(sample of the output, samples, bytes) of the packets from the one before the first sample on."""
    base = Fraction(track.time_base or Fraction(1, job.sample_rate)) * job.sample_rate
    if first > job.sample_rate:
        source.seek(int((first - job.sample_rate) / base), stream=track)
    before: tuple[int, int, bytes] | None = None
    end: int | None = None
    begun = False
    for packet in source.demux(track):
        if not packet.size or packet.pts is None or not packet.duration:
            continue
        time, duration = round(packet.pts * base) - first, round(packet.duration * base)
        if end is not None and abs(time - end) > 1:
            raise CopyFailed("Its sound's packets don't follow each other to the sample.")
        end = time + duration
        found = (time, duration, bytes(packet))
        if not begun and end > 0:
            begun = True
            if before is None and time > -duration:
                raise CopyFailed("Its first sample has no packet before it.")
            if before is not None:
                yield before
        if begun:
            yield found
        before = found
        if end >= job.samples:
            return
    raise CopyFailed("Its sound ends before its picture.")


def _proved(job: SoundJob) -> SoundResult:
    """What the copy decodes to, held against what the source does.

    Some codecs fill in noise that is another each time: then the copy may
    differ from its source by no more than the source does from itself.

    Raises
    ------
    CopyFailed
        It is something else.
    """
    layout = job.layout_of(0)
    written = SoundSpan(
        start=Fraction(0),
        seconds=Fraction(job.samples, job.sample_rate),
        media=MediaRef(path=job.target),
    )
    peak, at, onset, off, heard_energy = 0.0, 0, None, 0.0, 0.0
    told: list[str] = []
    made = _in_step(span_blocks(written, job.sample_rate, layout), job.samples, job.channels)
    for one, other in zip(sound_blocks(job, 0, told), made, strict=True):
        off += _energy(one - other)
        heard_energy += _energy(one)
        loud = np.abs(one)
        peak = max(peak, float(loud.max(initial=0.0)))
        if onset is None and (heard := loud.max(axis=0) > HEARD).any():
            onset = (at + int(heard.argmax())) / job.sample_rate
        at += one.shape[1]
    if off > ALIKE * heard_energy and off > NOISE * _off_from_itself(job):
        raise CopyFailed("Its sound decodes to something else when it is copied.")
    if told:
        raise CopyFailed("Something is wrong with its sound.")
    return SoundResult(os.path.getsize(job.target), at, peak, (), onset)


def _off_from_itself(job: SoundJob) -> float:
    """The energy by which the source differs from itself when decoding begins elsewhere."""
    (span,) = job.spans
    early = min(EARLY, span.media_start)
    longer = span.model_copy(
        update={"media_start": span.media_start - early, "seconds": span.seconds + early}
    )
    skip = round(early * job.sample_rate)
    again = span_blocks(longer, job.sample_rate, job.layout_of(0))
    kept = _in_step(again, job.samples + skip, job.channels, skip)
    return sum(_energy(one - other) for one, other in zip(sound_blocks(job, 0), kept, strict=True))


def _energy(block: Block) -> float:
    return float(np.square(block, dtype=np.float64).sum())


def _in_step(blocks: Iterator[Block], samples: int, channels: int, skip: int = 0) -> Iterator[Block]:
    """Blocks of the lengths that a job's own have, without the first samples that are skipped."""
    kept = np.zeros((channels, 0), np.float32)
    while kept.shape[1] < skip:
        kept = np.concatenate([kept, next(blocks)], axis=1)
    kept = kept[:, skip:]
    for own in (min(BLOCK, samples - at) for at in range(skip, samples, BLOCK)):
        while kept.shape[1] < own:
            kept = np.concatenate([kept, next(blocks)], axis=1)
        yield kept[:, :own]
        kept = kept[:, own:]
