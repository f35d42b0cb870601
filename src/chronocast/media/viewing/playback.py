"""A source's sound from a frame on, at any speed, either way: for listening to."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from chronocast.media.files.sound import sound_blocks
from chronocast.model.messages.jobs import SoundJob
from chronocast.model.source.cutlist import CutList, SoundSpan

SAMPLE_RATE, CHANNELS = 48000, 2
BACK_SECONDS = Fraction(1)
"""Backwards, sound is read a stretch of this length at a time."""


def heard(cut: CutList, frame: int, speed: Fraction) -> Iterator[NDArray[np.int16]]:
    """Blocks of 16-bit samples, shape (n, 2), from the beginning of ``frame`` (backwards: its end) to the source's end.

    Faster or slower, the pitch goes with the speed, as on tape.

    Parameters
    ----------
    cut
        The source's cut.
    frame
        Where to begin.
    speed
        Of the source, against playing it straight.

    Raises
    ------
    MediaError
        A file's sound can't be decoded.
    """
    at = Fraction(frame + (1 if speed < 0 else 0)) / cut.rate
    end = cut.duration.seconds
    length = (end - at if speed > 0 else at) / abs(speed)
    spans = tuple(span for item in cut.sound for span in _from(item, at, end, speed))
    job = SoundJob(
        name="",
        target="",
        samples=int(length * SAMPLE_RATE),
        sample_rate=SAMPLE_RATE,
        channels=CHANNELS,
        codec="aac",
        bits_per_second=128_000,
        spans=spans,
    )
    for block in sound_blocks(job):
        yield (np.clip(block.T, -1, 1) * 32767).astype(np.int16)


def _from(span: SoundSpan, at: Fraction, end: Fraction, speed: Fraction) -> Iterator[SoundSpan]:
    """What is heard of a span from ``at`` on at a speed; its fades are left out."""
    if speed > 0:
        part = span.part(at, end)
        if part:
            yield part.model_copy(
                update={
                    "start": part.start / speed,
                    "seconds": part.seconds / speed,
                    "speed": part.speed * speed,
                    "fade": None,
                }
            )
        return
    part = span.part(Fraction(0), at)
    if part is None or span.speed == 0:
        return
    last = part.start + part.seconds
    while last > part.start:
        first = max(part.start, last - BACK_SECONDS * -speed)
        yield part.model_copy(
            update={
                "start": (at - last) / -speed,
                "seconds": (last - first) / -speed,
                "media_start": part.media_start + (last - part.start) * part.speed,
                "speed": part.speed * speed,
                "fade": None,
            }
        )
        last = first
