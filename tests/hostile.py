"""Media as it really comes: damaged, cut short, uneven, upright, odd.  Made anew for each test."""

from __future__ import annotations

import random
from fractions import Fraction
from pathlib import Path

from chronocast.media.files.footage import Format, write_footage
from tests.footage import clip, counted, tone


def flipped(
    source: Path, target: Path, count: int, seed: int = 7, first: float = 0.3, last: float = 0.95
) -> Path:
    """A copy with ``count`` bytes changed between two shares of its length."""
    data = bytearray(source.read_bytes())
    rng = random.Random(seed)
    for _ in range(count):
        data[rng.randrange(int(len(data) * first), int(len(data) * last))] ^= 1 << rng.randrange(8)
    target.write_bytes(bytes(data))
    return target


def damaged_stream(target: Path, number: int, frames: int = 125, count: int = 60) -> Path:
    """A transport stream with changed bytes in its middle."""
    plain = clip(target.with_name(f"whole {target.name}"), number, frames, options={"g": "25", "bf": "2"})
    return flipped(plain, target, count, first=0.4, last=0.6)


def uneven(target: Path, number: int, frames: int = 60) -> Path:
    """Pictures that come at very uneven times, with long pauses."""
    times, now = [], 0
    rng = random.Random(number)
    for _ in range(frames):
        times.append(now)
        now += rng.choice([7, 40, 40, 130, 900])
    write_footage(
        str(target),
        counted(number, frames, 160, 90),
        Fraction(25),
        quality=24,
        sound=None,
        options={"preset": "ultrafast"},
        form=Format(times=tuple(times)),
    )
    return target


def corpus(folder: Path) -> list[Path]:
    """A folder of media that has brought windows down."""
    folder.mkdir(parents=True, exist_ok=True)
    good = clip(folder / "good.mp4", 1, 60, width=160, height=96)
    whole = good.read_bytes()
    made = [good]

    def write(name: str, data: bytes) -> None:
        (folder / name).write_bytes(data)
        made.append(folder / name)

    write("nothing.mp4", b"")
    write("cut short.mp4", whole[: len(whole) // 2])
    write("no film.mov", b"this is no film at all " * 400)
    made.append(flipped(good, folder / "bits.mp4", 300, first=0.02))
    made.append(damaged_stream(folder / "damaged.ts", 2, 60))
    made.append(uneven(folder / "uneven.mkv", 3))
    short = clip(folder / "stream.ts", 4, 60, width=160, height=96, options={"g": "12"})
    write("begins anywhere.ts", short.read_bytes()[len(short.read_bytes()) // 3 :])
    made.append(clip(folder / "one picture.mp4", 5, 1, width=160, height=96, sound=False))
    made.append(clip(folder / "upright.mp4", 6, 40, width=96, height=160))
    write_footage(
        str(folder / "deep.mkv"),
        counted(7, 30, 160, 96),
        Fraction(25),
        quality=24,
        sound=tone(1.2, channels=6),
        options={"preset": "ultrafast"},
        form=Format(pixel_format="yuv422p10le", sound_codec="flac"),
    )
    made.append(folder / "deep.mkv")
    write("sound \udce9 \n odd name.mp4", whole)
    return made
