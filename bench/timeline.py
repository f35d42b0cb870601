"""A timeline of 5,000 edits over 500 files: opened for the first time, and again."""

from __future__ import annotations

import os
import random
import resource
import subprocess
import sys
from pathlib import Path

import opentimelineio as otio

from chronocast.demo.clips import SCENES
from chronocast.demo.copy import copy_demo

FILES, EDITS = 500, 5000

_OPEN = """
import sys, time
from pathlib import Path
from chronocast.journal.films.facts import FactsStore
from chronocast.model.batch.batch import Source
from chronocast.preparation.source.ready import ready_source
begin = time.perf_counter()
path, kept = Path(sys.argv[1]), Path(sys.argv[2])
store = FactsStore(kept / "facts")
inspecting = [0.0]
if sys.argv[3] == "first":
    from concurrent.futures import ThreadPoolExecutor
    at = time.perf_counter()
    with ThreadPoolExecutor(2) as pool:
        list(pool.map(lambda p: store.clip(str(p)), sorted(path.parent.glob("*.mp4"))))
    inspecting[0] = time.perf_counter() - at
ready = ready_source(Source(id="s", path=str(path), kind="sequence", name="long"), path.parent, store)
total = time.perf_counter() - begin
at = time.perf_counter()
ready_source(Source(id="s", path=str(path), kind="sequence", name="long"), path.parent, store)
once_more = time.perf_counter() - at
assert ready.cut.frames > 100_000
print(total - inspecting[0], inspecting[0], once_more)
"""


def build(folder: Path) -> Path:
    """500 files (links to the demo's clips, each a file of its own name) and a sequence over them."""
    footage = copy_demo(folder).parent / "footage"
    place = folder / "many"
    place.mkdir()
    clips = SCENES[:5]
    for number in range(FILES):
        os.link(footage / clips[number % 5].file, place / f"shot-{number:03}.mp4")
    dice = random.Random(5)
    timeline = otio.schema.Timeline(name="long")
    track = otio.schema.Track(name="V1", kind="Video")
    for _ in range(EDITS):
        number = dice.randrange(FILES)
        frames = dice.randrange(20, 60)
        start = dice.randrange(0, clips[number % 5].frames - frames)
        span = otio.opentime.TimeRange(
            otio.opentime.RationalTime(start, 25), otio.opentime.RationalTime(frames, 25)
        )
        reference = otio.schema.ExternalReference(target_url=f"shot-{number:03}.mp4")
        track.append(otio.schema.Clip(name=f"shot-{number:03}", media_reference=reference, source_range=span))
    timeline.tracks.append(track)
    path = place / "long.otio"
    path.write_text(otio.adapters.write_to_string(timeline, "otio_json"))
    return path


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Seconds without and with inspection, first and second time."""
    path = build(folder)

    def opened(which: str) -> list[float]:
        done = subprocess.run(
            [sys.executable, "-c", _OPEN, str(path), str(folder / "kept"), which],
            capture_output=True,
            text=True,
            check=True,
        )
        return [float(text) for text in done.stdout.split()]

    first, inspecting, once_more = opened("first")
    second, _, _ = opened("again")
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    return [
        (
            f"{EDITS:,} edits over {FILES} files: opened the first time, without inspection",
            f"{first:.2f} s",
            "2 s",
        ),
        ("inspection of its files", f"{inspecting:.1f} s", "told as it is"),
        ("opened again, in a fresh process", f"{second:.2f} s", "at once"),
        ("opened again, in the same process", f"{once_more * 1000:.0f} ms", "at once"),
        ("memory of the process that opened it", f"{peak:.0f} MB", "told as it is"),
    ]
