"""More of the aquarium's footage, each awkward in its own way."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from chronocast.demo.scenes import mesh, tint

Paint = Callable[[int], NDArray[np.float32]]


def kelp_forest(width: int, height: int) -> Paint:
    """Long blades swaying, light falling between them."""
    x, y = mesh(width, height)

    def paint(frame: int) -> NDArray[np.float32]:
        t = frame / 25
        sway = 0.03 * np.sin(1.3 * t + 4 * y) * (1 - y)
        blades = np.maximum(0, np.sin((x + sway) * 44) * np.sin((x + sway) * 17 + 1)) ** 0.6
        light = (1 - y) * (0.6 + 0.2 * np.sin(5 * x - 0.7 * t))
        return tint(np.clip(light - 0.75 * blades, 0, 1), (6, 24, 20), (206, 226, 140))

    return paint


def tank_service(width: int, height: int) -> Paint:
    """A diver's lamp crossing a tank, with fields of their own: motion between every two lines."""
    x, y = mesh(width, height)

    def paint(frame: int) -> NDArray[np.float32]:
        t = frame / 50
        cx, cy = 0.5 + 0.42 * np.sin(1.7 * t), 0.55 + 0.2 * np.cos(2.3 * t)
        lamp = np.exp(-(((x - cx) * 5) ** 2 + ((y - cy) * 4) ** 2))
        grid = 0.12 * ((np.floor(x * 24) + np.floor(y * 16)) % 2)
        return tint(np.clip(lamp + grid, 0, 1), (20, 40, 60), (240, 236, 190))

    return paint


def seals(width: int, height: int) -> Paint:
    """Smooth dark bodies against bright water: soft gradients that show banding."""
    x, y = mesh(width, height)

    def paint(frame: int) -> NDArray[np.float32]:
        t = frame / 25
        body = np.zeros_like(x)
        for n in range(3):
            cx = (0.15 + 0.3 * n + 0.09 * t) % 1.3 - 0.15
            cy = 0.45 + 0.2 * np.sin(1.1 * t + 2 * n)
            body = np.maximum(body, np.exp(-(((x - cx) * 7) ** 2 + ((y - cy) * 15) ** 2)))
        return tint(np.clip(0.35 + 0.6 * (1 - y) - body, 0, 1), (16, 22, 30), (170, 214, 232))

    return paint


def visitor(width: int, height: int) -> Paint:
    """The tunnel, held upright by an unsteady hand."""
    x, y = mesh(width, height)

    def paint(frame: int) -> NDArray[np.float32]:
        t = frame / 30
        dx, dy = 0.02 * np.sin(7 * t), 0.015 * np.sin(9 * t + 1)
        ring = np.sqrt((x - 0.5 + dx) ** 2 + ((y - 0.5 + dy) * 1.6) ** 2)
        arch = 0.5 + 0.5 * np.sin(30 * ring - 4 * t)
        return tint(np.clip(arch * np.exp(-2 * ring), 0, 1), (10, 26, 44), (120, 220, 236))

    return paint


def old_reel(width: int, height: int) -> Paint:
    """A gathering of turtles, on grainy film with dust and a flicker."""
    x, y = mesh(width, height)
    rng = np.random.default_rng(40)
    grains = [rng.normal(0, 14, (height, width)).astype(np.float32) for _ in range(12)]

    def paint(frame: int) -> NDArray[np.float32]:
        t = frame / 25
        shells = sum(
            np.exp(
                -(
                    ((x - 0.2 - 0.2 * n - 0.03 * np.sin(t + n)) * 9) ** 2
                    + ((y - 0.5 - 0.1 * np.cos(t * 0.8 + n)) * 8) ** 2
                )
            )
            for n in range(4)
        )
        flicker = 1 + 0.06 * np.sin(frame * 2.1)
        picture = tint(np.clip((0.35 + 0.4 * shells) * flicker, 0, 1), (40, 34, 24), (226, 206, 160))
        picture += np.roll(grains[frame % 12], frame * 37, axis=1)[:, :, None]
        dust = np.random.default_rng(frame)
        for _ in range(3):
            top, left = int(dust.integers(0, height - 6)), int(dust.integers(0, width - 6))
            picture[top : top + 4, left : left + 2] = 240
        return picture

    return paint


def night_tank(width: int, height: int) -> Paint:
    """Almost black: a few lights that come and go."""
    x, y = mesh(width, height)

    def paint(frame: int) -> NDArray[np.float32]:
        t = frame / 25
        glow = np.exp(-(((x - 0.7) * 5) ** 2 + ((y - 0.4 - 0.05 * t) * 6) ** 2)) * max(0.0, np.sin(0.9 * t))
        return tint(np.clip(0.25 * glow + 0.03 * (1 - y), 0, 1), (2, 3, 6), (90, 130, 150))

    return paint


def storm_light(width: int, height: int) -> Paint:
    """A dark surface and sudden flashes, one picture long."""
    x, y = mesh(width, height)
    flashes = {20, 21, 47, 80, 83, 84, 131, 160, 177}

    def paint(frame: int) -> NDArray[np.float32]:
        t = frame / 25
        wave = 0.3 + 0.16 * np.sin(18 * y - 2 * t + 3 * np.sin(5 * x + t))
        return tint(np.clip(wave + (0.65 if frame in flashes else 0), 0, 1), (10, 12, 22), (226, 230, 240))

    return paint


_CARDS = (
    ("Hall of Tides", "Opening films"),
    ("Twelve metres of glass", "The reef tank holds 900 cubic metres of water"),
    ("Please don't tap", "The rays can feel it"),
    ("Feeding hour", "Daily at eleven and at four"),
    ("Thank you", "Mind the step on your way out"),
)


def cards(width: int, height: int) -> Paint:
    """Text cards, two seconds each: sharp edges that stand still."""
    made = []
    for title, line in _CARDS:
        image = Image.new("RGB", (width, height), (18, 36, 44))
        pen = ImageDraw.Draw(image)
        pen.text(
            (width * 0.12, height * 0.38),
            title,
            fill=(236, 229, 216),
            font=ImageFont.load_default(height // 9),
        )
        pen.text(
            (width * 0.12, height * 0.56),
            line,
            fill=(147, 196, 190),
            font=ImageFont.load_default(height // 20),
        )
        made.append(np.asarray(image, np.float32))

    def paint(frame: int) -> NDArray[np.float32]:
        return made[min(len(made) - 1, frame // 50)].copy()

    return paint
