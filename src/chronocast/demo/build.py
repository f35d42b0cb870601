"""Make the demo's footage again: ``python -m chronocast.demo.build FOLDER``.

Deterministic: the same code and libraries give the same files.
"""

from __future__ import annotations

import sys
from fractions import Fraction
from pathlib import Path

from chronocast.demo.scenes import SCENES, pictures, sound
from chronocast.media.footage import write_footage
from chronocast.model.cutlist import CutList, MediaRef, PictureSpan, SoundSpan

RATE = Fraction(25)
SEQUENCE = "hall-opening.otio"

# (scene number or None for a gap, first frame of it, frames): 60 s in all.
EDITS: tuple[tuple[int | None, int, int], ...] = (
    (1, 40, 310), (5, 25, 180), (3, 12, 95), (4, 30, 120), (None, 0, 25), (2, 50, 205), (3, 200, 60),
    (5, 260, 165), (4, 190, 140), (1, 400, 200),
)  # fmt: skip


def sequence(folder: Path) -> CutList:
    """The opening film's cut list over the footage in ``folder``."""
    files = {scene.number: MediaRef(str(folder / scene.file)) for scene in SCENES}
    at, picture, heard = 0, [], []
    for number, first, frames in EDITS:
        media = files[number] if number else None
        picture.append(PictureSpan(at, frames, media, first))
        if media:
            heard.append(SoundSpan(at / RATE, frames / RATE, media, first / RATE))
        at += frames
    return CutList(RATE, 1280, 720, at, tuple(picture), tuple(heard), 25 * 3600 * 10)


def build(folder: Path) -> None:
    """Write every clip and the sequence to ``folder``."""
    folder.mkdir(parents=True, exist_ok=True)
    for scene in SCENES:
        size = write_footage(
            str(folder / scene.file), pictures(scene), RATE, scene.quality, sound(scene, 48000, 25), 48000
        )
        print(f"{scene.file}: {size / 1e6:.2f} MB", flush=True)
    from chronocast.timeline.write import otio_text

    lengths = {str(folder / scene.file): scene.frames for scene in SCENES}
    (folder / SEQUENCE).write_text(
        otio_text(sequence(folder), "Hall of Tides, opening film", lengths, folder) + "\n"
    )


if __name__ == "__main__":
    build(Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent / "footage")
