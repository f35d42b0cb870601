"""Make the demo's footage again: ``python -m chronocast.demo.build FOLDER [FILE…]``.

Deterministic: the same code and libraries give the same files.
"""

from __future__ import annotations

import sys
from pathlib import Path

from chronocast.demo.clips import SCENES
from chronocast.demo.films import NIGHT, OPENING, TOUR, TOUR_TEXT, WALK, night, opening, walk
from chronocast.demo.scenes import pictures, sound
from chronocast.media.files.footage import write_footage
from chronocast.timeline.write import otio_text


def build(folder: Path, only: set[str]) -> None:
    """Write the clips (all of them, or those named) and the sequences to ``folder``."""
    folder.mkdir(parents=True, exist_ok=True)
    for scene in SCENES:
        if only and scene.file not in only:
            continue
        size = write_footage(
            str(folder / scene.file),
            pictures(scene),
            scene.rate,
            quality=scene.quality,
            sound=sound(scene),
            sample_rate=scene.sample_rate,
            form=scene.form,
        )
        print(f"{scene.file}: {size / 1e6:.2f} MB", flush=True)
    for name, film in ((OPENING, opening), (WALK, walk), (NIGHT, night)):
        (folder / name).write_text(otio_text(film(folder), folder) + "\n")
    (folder / TOUR).write_text(TOUR_TEXT)


if __name__ == "__main__":
    build(Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent / "footage", set(sys.argv[2:]))
