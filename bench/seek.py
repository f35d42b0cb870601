"""Any frame on the screen: jumps about a source in the real place, through the looking process."""

from __future__ import annotations

import random
import time
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from statistics import median, quantiles

from chronocast.demo.clips import SCENES
from chronocast.demo.scenes import Picture, pictures
from chronocast.journal.documents import save_batch
from chronocast.media.files.footage import write_footage
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.edits import add_source

FRAMES, JUMPS = 200, 40
KINDS = (
    ("drifting jellies, 720 lines", "jelly-drift.mp4", 1280, 720, "12"),
    ("drifting jellies, 1080 lines", "jelly-drift.mp4", 1920, 1080, "12"),
    ("panned noise, 720 lines", "reef-pan.mp4", 1280, 720, "12"),
    ("panned noise, 1080 lines", "reef-pan.mp4", 1920, 1080, "12"),
    ("panned noise, 1080 lines", "reef-pan.mp4", 1920, 1080, "200"),
)
"""The easiest and the hardest that the demo's scenes have to offer."""


def build(folder: Path) -> Path:
    """A batch of clips of demo scenes, painted at each size, with key frames as far apart as said."""
    batch = Batch(folder=str(folder / "out"))
    painted: dict[tuple[str, int], list[Picture]] = {}
    for number, (name, file, width, height, distance) in enumerate(KINDS):
        scene = next(scene for scene in SCENES if scene.file == file)
        path = folder / f"clip-{number}.mp4"
        shown = replace(scene, width=width, height=height, frames=FRAMES)
        if (file, width) not in painted:
            painted = {(file, width): list(pictures(shown))}
        options = {"preset": "veryfast", "g": distance, "sc_threshold": "0"}
        size = write_footage(
            str(path), iter(painted[file, width]), Fraction(25), quality=20, sound=None, options=options
        )
        title = f"{name}, {size * 8 / FRAMES * 25 / 1e6:.1f} Mb/s, GOP {distance}"
        batch = add_source(batch, str(path), title, "clip")
    path = folder / "seek.batch.json"
    save_batch(batch, path)
    return path


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Milliseconds from asking for a frame to a picture of it painted: any near it, and the exact one."""
    from chronocast.ui import theme as themes
    from chronocast.ui.app import make_app
    from chronocast.ui.commands import RANGE
    from chronocast.ui.desk.session import Session
    from chronocast.ui.desk.workers import wait_for_errands
    from chronocast.ui.window import Window

    session = Session(build(folder))
    app = make_app()
    themes.apply(app, themes.INK)
    window = Window(session, themes.INK)
    window.show()
    session.open()
    place = window.range_place
    here = place.parts.here

    def live(until: object, seconds: float = 20) -> None:
        end = time.perf_counter() + seconds
        while not until() and time.perf_counter() < end:  # type: ignore[operator]
            app.processEvents()
            time.sleep(0.0005)

    live(lambda: session.prospect is not None and len(session.prospect.sources) == len(KINDS), 120)
    window.go_to(RANGE)
    rows = []
    for source, (*_, distance) in zip(session.batch.sources, KINDS, strict=True):
        name = source.name
        place.show_source(source.id)
        live(lambda: here.image is not None and len(place.parts.film.stills) >= 8)
        live(lambda: False, 1.0)
        dice, near, exact, own = random.Random(7), [], [], []
        for _ in range(JUMPS):
            frame = dice.randrange(FRAMES)
            begin = time.perf_counter()
            place.player.go(frame)
            own.append((time.perf_counter() - begin) * 1000)
            live(lambda b=begin: here.shown_at >= b)
            near.append((here.shown_at - begin) * 1000)
            live(lambda f=frame: here.frame == f and not here.near)
            exact.append((here.shown_at - begin) * 1000)
            live(lambda: False, 0.05)
        ninth = quantiles(exact, n=10)[8]
        aim = "60 ms" if distance == "12" else "told as it is"
        rows.append(
            (f"{name}: exact frame, median and nine in ten", f"{median(exact):.0f} and {ninth:.0f} ms", aim)
        )
        rows.append((f"{name}: a frame or the nearest kept, median", f"{median(near):.0f} ms", "60 ms"))
        place.player.go(100)
        live(lambda: False, 1.0)
        for way, words in ((1, "forwards"), (-1, "backwards")):
            seen: list[int] = []
            place.pictures.viewer.picture.connect(
                lambda slot, _s, f, _i, seen=seen: seen.append(f) if slot == "here" else None
            )
            place.player.faster(way)
            live(lambda: False, 3.0)
            place.player.stand()
            live(lambda: False, 0.5)
            place.pictures.viewer.picture.disconnect()
            place.pictures.viewer.picture.connect(place.pictures.came)
            rows.append(
                (f"{name}: of 25 pictures a second {words}, shown", f"{len(set(seen)) / 3:.1f}", "25")
            )
        rows.append((f"{name}: what a jump holds the interface up, worst", f"{max(own):.0f} ms", "50 ms"))
    window.close()
    wait_for_errands()
    return rows
