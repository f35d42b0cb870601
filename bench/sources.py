"""A thousand sources on the desk: scrolled, found, ordered."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from statistics import median

from chronocast.demo.clips import SCENES
from chronocast.demo.copy import copy_demo
from chronocast.journal.documents import save_batch
from chronocast.model.batch.batch import FULL, Batch, Source
from chronocast.model.batch.edits import add_recipe, fill
from chronocast.model.recipe.supplied import BASIC

COUNT = 1000


def build(folder: Path) -> Path:
    """A batch of a thousand clips (links to the demo's, each a file of its own name), one output of each."""
    footage = copy_demo(folder).parent / "footage"
    place = folder / "thousand"
    place.mkdir()
    batch = Batch(folder=str(folder / "out"))
    for recipe in BASIC:
        batch = add_recipe(batch, recipe)
    sources = []
    for number in range(COUNT):
        path = place / f"shot-{number:04}.mp4"
        os.link(footage / SCENES[number % 5].file, path)
        sources.append(Source(id=f"s{number}", path=str(path), kind="clip", name=f"Shot {number:04}"))
    batch = batch.model_copy(update={"sources": tuple(sources)})
    batch = fill(batch, [(source.id, FULL, BASIC[n % 3].id) for n, source in enumerate(sources)])
    path = folder / "thousand.batch.json"
    save_batch(batch, path)
    return path


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Milliseconds on the interface's thread."""
    from PyQt6.QtTest import QTest

    from chronocast.ui import theme as themes
    from chronocast.ui.app import make_app
    from chronocast.ui.desk.session import Session
    from chronocast.ui.desk.workers import wait_for_errands
    from chronocast.ui.window import Window

    path = build(folder)
    app = make_app()
    themes.apply(app, themes.INK)
    session = Session(path)
    window = Window(session, themes.INK)
    window.show()
    begin = time.perf_counter()
    session.open()
    while session.view is None:
        app.processEvents()
        time.sleep(0.005)
    looked = time.perf_counter() - begin
    QTest.qWait(2000)  # type: ignore[call-arg, arg-type]
    place = window.plan_place
    bar, viewport = place.grid.table.verticalScrollBar(), place.grid.table.viewport()
    assert bar is not None and viewport is not None

    def timed(do: Callable[[], object]) -> float:
        at = time.perf_counter()
        do()
        app.processEvents()
        return (time.perf_counter() - at) * 1000

    scrolled = []
    for value in range(0, bar.maximum(), max(1, bar.maximum() // 100)):
        bar.setValue(value)
        scrolled.append(timed(viewport.repaint))
    found = [
        timed(partial(place.finder.words.setText, words)) for words in ("s", "sh", "shot 01", "shot 012", "")
    ]
    ordered = [timed(partial(place.finder.order.setCurrentIndex, n)) for n in (1, 2, 3, 0)]
    window.close()
    wait_for_errands()
    return [
        (f"{COUNT:,} sources looked at and forecast, first time", f"{looked:.0f} s", "told as it is"),
        (
            "one step of scrolling, median and worst",
            f"{median(scrolled):.0f} and {max(scrolled):.0f} ms",
            "16 and 50 ms",
        ),
        ("finding while typing, median and worst", f"{median(found):.0f} and {max(found):.0f} ms", "50 ms"),
        ("another order, median and worst", f"{median(ordered):.0f} and {max(ordered):.0f} ms", "50 ms"),
    ]
