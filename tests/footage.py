"""Tiny real media with a counter in every picture, and readers for it."""

from __future__ import annotations

import hashlib
import os
import shutil
import tempfile
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from chronocast.demo.counter import draw, read
from chronocast.media.files.footage import write_footage
from chronocast.media.source.decode import FrameReader

RATE = Fraction(25)
CLIPS = Path(os.environ.get("CHRONOCAST_TEST_CLIPS") or tempfile.mkdtemp(prefix="clips "))
"""Clips that one run of the tests has made: many tests want the same ones."""


def folder() -> Path:
    """A fresh folder that goes with the test process."""
    return Path(tempfile.mkdtemp(prefix="footage "))


def counted(clip: int, frames: int, width: int = 320, height: int = 180) -> Iterator[NDArray[np.uint8]]:
    """Pictures with moving content and the counter."""
    ground = np.empty((height, width, 3), np.uint8)
    across, down = np.arange(width) * 2 + clip * 40, np.arange(height) * 3
    ground[:, :, 2] = clip * 60 % 256
    for frame in range(frames):
        ground[:, :, 0] = (across + frame * 5) % 256
        ground[:, :, 1] = ((down + frame * 2) % 256)[:, None]
        picture = ground.copy()
        draw(picture, clip, frame)
        yield picture


def tone(
    seconds: float, pitch: float = 440.0, sample_rate: int = 48000, channels: int = 2
) -> NDArray[np.float32]:
    """A tone with a click at each full second."""
    at = np.arange(round(seconds * sample_rate)) / sample_rate
    wave = 0.1 * np.sin(2 * np.pi * pitch * at)
    wave += 0.7 * np.sin(2 * np.pi * 2000 * at) * (at % 1 < 0.02)
    return np.stack([wave] * channels).astype(np.float32)


def clip(
    path: Path,
    number: int,
    frames: int,
    *,
    width: int = 320,
    height: int = 180,
    rate: Fraction = RATE,
    sound: bool = True,
    options: dict[str, str] | None = None,
) -> Path:
    """Write a clip; one like it that was made in this run of the tests is copied."""
    told = {"preset": "veryfast", **(options or {})}
    key = "-".join(str(part) for part in (number, frames, width, height, rate, sound, *sorted(told.items())))
    kept = CLIPS / (hashlib.blake2b(key.encode(), digest_size=12).hexdigest() + path.suffix)
    if not kept.exists():
        heard = tone(float(frames / rate), 220.0 * (number + 1)) if sound else None
        fresh = kept.with_name(f"{os.getpid()}-{kept.name}")
        write_footage(
            str(fresh),
            counted(number, frames, width, height),
            rate,
            quality=20,
            sound=heard,
            sample_rate=48000,
            options=told,
        )
        fresh.replace(kept)
    shutil.copyfile(kept, path)
    return path


def counters(path: Path) -> list[tuple[int, int] | None]:
    """The counter of every picture of a file, in order, by plain decoding (no index of ours)."""
    import av

    from chronocast.media.source.decode import luma

    with av.open(str(path)) as container:
        return [read(luma(picture)) for picture in container.decode(container.streams.video[0])]


def counter_at(reader: FrameReader, frame: int) -> tuple[int, int] | None:
    """The counter of one picture."""
    return read(reader.gray(frame))
