"""Tiny real media with a counter in every picture, and readers for it."""

from __future__ import annotations

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


def folder() -> Path:
    """A fresh folder that goes with the test process."""
    return Path(tempfile.mkdtemp(prefix="footage "))


def counted(clip: int, frames: int, width: int = 320, height: int = 180) -> Iterator[NDArray[np.uint8]]:
    """Pictures with moving content and the counter."""
    y, x = np.mgrid[0:height, 0:width]
    for frame in range(frames):
        red = (x * 2 + frame * 5 + clip * 40) % 256
        green = (y * 3 + frame * 2) % 256
        blue = np.full_like(red, (clip * 60) % 256)
        picture = np.stack([red, green, blue], axis=2).astype(np.uint8)
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
    """Write a clip."""
    heard = tone(float(frames / rate), 220.0 * (number + 1)) if sound else None
    write_footage(
        str(path),
        counted(number, frames, width, height),
        rate,
        quality=20,
        sound=heard,
        sample_rate=48000,
        options={"preset": "veryfast", **(options or {})},
    )
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
