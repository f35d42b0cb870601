"""The aquarium's footage, drawn with NumPy: different content, different difficulty."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from chronocast.demo.counter import draw
from chronocast.media.files.footage import Format, woven

Picture = NDArray[np.uint8]
Painter = Callable[[int, int], Callable[[int], NDArray[np.float32]]]


@dataclass(frozen=True)
class Scene:
    """One clip of the demo: its number in the counter, its shape and how it is painted."""

    number: int
    file: str
    title: str
    width: int
    height: int
    frames: int
    quality: float
    pitch_hz: float
    painter: Painter
    form: Format = field(default_factory=Format)
    channels: int = 2
    sample_rate: int = 48000
    rate: Fraction = Fraction(25)


def pictures(scene: Scene) -> Iterator[Picture]:
    """The clip's pictures in order: uint8, shape (height, width, 3), counter included.

    Of an interlaced clip each is woven of two, numbered 2·n and 2·n + 1.
    """
    paint = scene.painter(scene.width, scene.height)

    def painted() -> Iterator[Picture]:
        for frame in range(scene.frames * (2 if scene.form.interlaced else 1)):
            picture = np.clip(paint(frame), 0, 255).astype(np.uint8)
            draw(picture, scene.number, frame)
            yield picture

    yield from woven(painted()) if scene.form.interlaced else painted()


def sound(scene: Scene) -> NDArray[np.float32] | None:
    """The clip's sound, float32 of shape (channels, samples): a swell, and a short ping on each full second."""
    if not scene.channels:
        return None
    count = scene.frames * scene.sample_rate * scene.rate.denominator // scene.rate.numerator
    seconds = np.arange(count) / scene.sample_rate
    swell = (
        0.12 * np.sin(2 * np.pi * scene.pitch_hz * seconds) * (0.6 + 0.4 * np.sin(2 * np.pi * 0.2 * seconds))
    )
    phase = seconds % 1
    ping = 0.5 * np.sin(2 * np.pi * scene.pitch_hz * 8 * phase) * np.exp(-phase * 40)
    left = swell + ping
    right = 0.9 * swell + ping
    return np.stack([left, right][: scene.channels]).astype(np.float32)


def mesh(width: int, height: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Every point's place across and down, in pixels, each of shape (height, width)."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    return x / width, y / height


def tint(
    value: NDArray[np.float32], low: tuple[int, int, int], high: tuple[int, int, int]
) -> NDArray[np.float32]:
    """A picture of brightness in a tint."""
    a, b = np.array(low, np.float32), np.array(high, np.float32)
    return a + value[:, :, None] * (b - a)


def still_water(width: int, height: int) -> Callable[[int], NDArray[np.float32]]:
    """Slow ripples over a dim pool."""
    x, y = mesh(width, height)

    def paint(frame: int) -> NDArray[np.float32]:
        t = frame / 25
        wave = np.sin(9 * x + 4 * y + 0.5 * t) + np.sin(
            14 * y - 3 * x - 0.4 * t + 2 * np.sin(2 * x + 0.2 * t)
        )
        return tint((0.5 + wave * 0.16) * (1 - 0.45 * y), (8, 26, 38), (96, 190, 184))

    return paint


def plankton(width: int, height: int) -> Callable[[int], NDArray[np.float32]]:
    """Two thousand bright particles, each on its own way: hard to compress."""
    rng = np.random.default_rng(7)
    count = 2000
    px, py = rng.random(count) * width, rng.random(count) * height
    vx, vy = rng.normal(0, 1.5, count), rng.normal(-0.7, 0.9, count)
    light = rng.uniform(60, 235, count).astype(np.float32)
    x, y = mesh(width, height)
    ground = tint(0.4 + 0.3 * np.sin(3 * x + y), (6, 18, 34), (20, 60, 86))

    def paint(frame: int) -> NDArray[np.float32]:
        picture = ground.copy()
        across = ((px + vx * frame + 6 * np.sin(frame / 11 + py)) % (width - 2)).astype(int)
        down = ((py + vy * frame) % (height - 2)).astype(int)
        for dx in (0, 1):
            for dy in (0, 1):
                picture[down + dy, across + dx] = np.stack([light, light, light * 0.85], axis=1)
        return picture

    return paint


def reef_pan(width: int, height: int) -> Callable[[int], NDArray[np.float32]]:
    """A fast pan along a reef with much detail."""
    rng = np.random.default_rng(21)
    wide = width * 3
    base = rng.random((height // 6 + 1, wide // 6 + 1)).astype(np.float32)
    reef = np.kron(base, np.ones((6, 6), np.float32))[:height, :wide]
    fine = rng.random((height // 2 + 1, wide // 2 + 1)).astype(np.float32)
    reef = 0.7 * reef + 0.3 * np.kron(fine, np.ones((2, 2), np.float32))[:height, :wide]
    slope = np.linspace(1.1, 0.4, height, dtype=np.float32)[:, None]
    painted = tint(reef * slope, (14, 30, 44), (236, 150, 96))
    painted = np.concatenate([painted, painted[:, :width]], axis=1)

    def paint(frame: int) -> NDArray[np.float32]:
        left = int((frame * 9) % wide)
        return painted[:, left : left + width].copy()

    return paint


def feeding_hour(width: int, height: int) -> Callable[[int], NDArray[np.float32]]:
    """Hard cuts between six views, some of 17 pictures, some of 60."""
    x, y = mesh(width, height)
    lengths = (60, 17, 40, 25, 50, 33)
    colours = (
        ((12, 34, 60), (90, 180, 220)),
        ((60, 20, 18), (235, 150, 80)),
        ((10, 44, 30), (150, 220, 130)),
        ((38, 20, 60), (200, 150, 240)),
        ((50, 44, 10), (240, 225, 140)),
        ((16, 16, 20), (200, 205, 210)),
    )

    def paint(frame: int) -> NDArray[np.float32]:
        at = frame % sum(lengths)
        view = 0
        while at >= lengths[view]:
            at -= lengths[view]
            view += 1
        turn = frame / 25
        cx, cy = 0.5 + 0.3 * np.cos(turn + view), 0.5 + 0.25 * np.sin(turn * 1.3 + view)
        fish = np.exp(-(((x - cx) * 3) ** 2 + ((y - cy) * 5) ** 2) * 6)
        bands = 0.5 + 0.5 * np.sin((6 + 5 * view) * x + (view + 1) * 2 * y + turn)
        low, high = colours[view]
        return tint(0.45 * bands + 0.55 * fish, low, high)

    return paint


def jelly_drift(width: int, height: int) -> Callable[[int], NDArray[np.float32]]:
    """Soft glowing bodies, slowly rising in the dark."""
    x, y = mesh(width, height)
    rng = np.random.default_rng(3)
    bodies = [
        (rng.uniform(0.1, 0.9), rng.uniform(0, 1), rng.uniform(0.03, 0.08), rng.uniform(0.02, 0.06))
        for _ in range(7)
    ]

    def paint(frame: int) -> NDArray[np.float32]:
        t = frame / 25
        glow = np.zeros_like(x)
        for bx, by, size, speed in bodies:
            cx, cy = bx + 0.03 * np.sin(t * 0.9 + by * 6), (by - speed * t) % 1.2 - 0.1
            pulse = size * (1 + 0.25 * np.sin(t * 2.2 + bx * 9))
            glow += np.exp(-(((x - cx) / pulse) ** 2 + ((y - cy) / (pulse * 1.2)) ** 2))
        return tint(np.minimum(glow, 1), (10, 8, 28), (214, 160, 236))

    return paint
