"""Memory of a child at 1080p and of the desktop; what an idle runner costs."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

import psutil

from chronocast.demo.copy import copy_demo
from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import load_batch, save_batch
from chronocast.model.batch.batch import FULL
from chronocast.model.batch.edits import add_recipe, fill
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe
from chronocast.run.client import ask, begin_run
from chronocast.run.runner_lock import runner_lives
from chronocast.run.view import RunView
from chronocast.run.view_kept import read_view

FULL_HD = Recipe(
    id="full-hd",
    name="1080p medium",
    sound=None,
    picture=PictureRecipe(
        size=FrameSize(mode="fixed", width=1920, height=1080),
        rate_control=RateControl(mode="quality", quality=20),
    ),
)


def _see(journal: Path) -> tuple[RunView, dict[str, tuple[float, dict[str, object]]], list[int]]:
    opened = RunJournal(journal)
    try:
        records = opened.records()
        memory = [
            int(r.body["memory_bytes"])
            for r in records
            if r.kind == "finished" and r.body["task"].startswith("encode:")
        ]
        return read_view(opened, runner_lives(journal)), opened.now(), memory
    finally:
        opened.close()


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """A 1080p piece; a paused runner for ten seconds; a desktop on the demo."""
    path = copy_demo(folder)
    batch = load_batch(path).model_copy(update={"recipes": (), "outputs": ()})
    batch = add_recipe(batch, FULL_HD)
    batch = fill(batch, [(batch.sources[1].id, FULL, FULL_HD.id)])
    save_batch(batch, path)
    journal = begin_run(batch, path)
    while not (found := _see(journal))[2]:
        time.sleep(0.5)
    memory = max(found[2])
    ask(journal, "pause")
    time.sleep(1.0)
    runner = psutil.Process(int(str(_see(journal)[1]["runner"][1]["pid"])))
    runner.cpu_percent()
    time.sleep(10.0)
    idle = runner.cpu_percent()
    ask(journal, "stop")
    code = (
        "import sys, time, psutil\nfrom pathlib import Path\n"
        "from chronocast.ui import theme\nfrom chronocast.ui.app import make_app\nfrom chronocast.ui.desk.session import Session\nfrom chronocast.ui.window import Window\n"
        "app = make_app(); theme.apply(app, theme.INK); session = Session(Path(sys.argv[1])); window = Window(session, theme.INK)\n"
        "window.show(); session.open()\n"
        "end = time.time() + 6\n"
        "while time.time() < end: app.processEvents(); time.sleep(0.005)\n"
        "print(psutil.Process().memory_info().rss, flush=True); import os; os._exit(0)\n"
    )
    desktop = int(
        subprocess.run(
            [sys.executable, "-c", code, str(copy_demo(folder))],
            capture_output=True,
            text=True,
            check=True,
            env=dict(os.environ),
        ).stdout
    )
    return [
        ("child encoding 1080p, x264 medium", f"{memory / 1e6:.0f} MB", "500 MB"),
        ("desktop on the demo, with filmstrips", f"{desktop / 1e6:.0f} MB", "250 MB"),
        ("runner with a paused run, of one core", f"{idle:.1f} %", "1 %"),
    ]
