"""Make the demo's footage again: ``python -m chronocast.demo.build FOLDER``.

Deterministic: the same code and libraries give the same files.
"""

from __future__ import annotations

import sys
from fractions import Fraction
from pathlib import Path

from chronocast.demo.scenes import SCENES, pictures, sound
from chronocast.media.footage import write_footage
from chronocast.timeline.described import Placed, Timeline, Track

RATE = Fraction(25)
SEQUENCE = "hall-opening.otio"

# (scene number or None for a gap, first frame of it, frames): 60 s in all.
EDITS: tuple[tuple[int | None, int, int], ...] = (
    (1, 40, 310), (5, 25, 180), (3, 12, 95), (4, 30, 120), (None, 0, 25), (2, 50, 205), (3, 200, 60),
    (5, 260, 165), (4, 190, 140), (1, 400, 200),
)  # fmt: skip


def opening(folder: Path) -> Timeline:
    """The opening film: cuts and a gap."""
    files = {scene.number: scene for scene in SCENES}
    at, picture, heard = Fraction(0), [], []
    for number, first, frames in EDITS:
        length = frames / RATE
        if number:
            scene = files[number]
            placed = Placed(
                start=at, seconds=length, kind="media", name=Path(scene.file).stem, media=str(folder / scene.file),
                source_start=first / RATE, media_zero=Fraction(0), media_seconds=scene.frames / RATE,
            )  # fmt: skip
            heard.append(placed)
        else:
            placed = Placed(start=at, seconds=length)
        picture.append(placed)
        at += length
    tracks = (
        Track(kind="picture", name="V1", placed=tuple(picture)),
        Track(kind="sound", name="A1", placed=tuple(heard)),
    )
    return Timeline(
        path="", name="Hall of Tides, opening film", rate=RATE, size=(1280, 720), tracks=tracks,
        start_timecode=25 * 3600 * 10,
    )  # fmt: skip


def build(folder: Path) -> None:
    """Write every clip and the sequence to ``folder``."""
    folder.mkdir(parents=True, exist_ok=True)
    for scene in SCENES:
        size = write_footage(
            str(folder / scene.file), pictures(scene), RATE, scene.quality, sound(scene, 48000, 25), 48000
        )
        print(f"{scene.file}: {size / 1e6:.2f} MB", flush=True)
    from chronocast.timeline.write import otio_text

    (folder / SEQUENCE).write_text(otio_text(opening(folder), folder) + "\n")


if __name__ == "__main__":
    build(Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent / "footage")
