"""One long output as pieces against one straight loop of the same libraries with the same encoder settings."""

from __future__ import annotations

import itertools
import subprocess
import sys
import time
from fractions import Fraction
from pathlib import Path
from statistics import median

from chronocast.demo.clips import RATE, SCENES
from chronocast.demo.copy import copy_demo
from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import load_batch, save_batch
from chronocast.journal.places import state_folder
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe
from chronocast.preparation.today import prepared
from chronocast.run.client import begin_run
from chronocast.run.runner_lock import runner_lives
from chronocast.run.view_kept import read_view
from chronocast.timeline.described import Placed, Timeline, Track
from chronocast.timeline.write import otio_text

RECIPES = (
    Recipe(
        id="quality",
        name="quality",
        sound=None,
        picture=PictureRecipe(
            size=FrameSize(mode="ceiling", width=960, height=540),
            rate_control=RateControl(mode="quality", quality=22),
        ),
    ),
    Recipe(
        id="rate",
        name="rate",
        sound=None,
        picture=PictureRecipe(
            size=FrameSize(mode="ceiling", width=960, height=540),
            rate_control=RateControl(target_bits_per_second=1_500_000),
        ),
    ),
)


def whole(path: Path, recipe: str) -> tuple[float, int, float]:
    """One process, one loop over the whole output: (seconds, bytes, CPU seconds)."""
    code = (
        "import sys, time\nfrom pathlib import Path\n"
        "from chronocast.journal.documents import load_batch\nfrom chronocast.journal.workspace import Workspace\n"
        "from chronocast.preparation.today import prepared\n"
        "from chronocast.media.source.readers import Readers\nfrom chronocast.media.piece.encode import encode_piece\n"
        "path = Path(sys.argv[1]); item = next(o for o in prepared(load_batch(path), path, Workspace()).outputs if o.recipe.id == sys.argv[2])\n"
        "spans = tuple(s for p in item.plan.pieces for s in p.spans)\n"
        "job = item.plan.pieces[0].model_copy(update={'spans': spans, 'target': sys.argv[3]})\n"
        "threads = int(sys.argv[4])\n"
        "job = job.model_copy(update={'settings': job.settings.model_copy(update={'threads': threads})})\n"
        "begin = time.perf_counter(); size = encode_piece(job, Readers()).bytes\n"
        "print(time.perf_counter() - begin, size, time.process_time())\n"
    )
    target = path.parent / f"whole-{recipe}.mp4"
    import os

    done = subprocess.run(
        [sys.executable, "-c", code, str(path), recipe, str(target), str(os.cpu_count() or 1)],
        capture_output=True,
        text=True,
        check=True,
    )
    seconds, size, cpu = done.stdout.split()
    return float(seconds), int(size), float(cpu)


def pieces(batch: Batch, path: Path, recipe: str) -> tuple[float, int, list[float]]:
    """The same output by a run: (seconds from first start to joined, bytes, idle gaps on a slot)."""
    save_batch(batch, path)
    journal = begin_run(batch, path)
    while True:
        opened = RunJournal(journal)
        view = read_view(opened, runner_lives(journal))
        records = opened.records()
        opened.close()
        if view.outcome and not view.lives:
            break
        time.sleep(0.2)
    starts = [r for r in records if r.kind == "started"]
    ends = {r.body["task"]: r for r in records if r.kind == "finished"}
    join = next(r for r in records if r.kind == "finished" and r.body["task"].startswith("join:"))
    gaps = []
    by_slot: dict[str, list[tuple[float, float]]] = {}
    for record in starts:
        if record.body["task"].startswith("encode:"):
            by_slot.setdefault(record.body["slot"], []).append((record.time, ends[record.body["task"]].time))
    for spans in by_slot.values():
        gaps += [max(0.0, later[0] - earlier[1]) for earlier, later in itertools.pairwise(spans)]
    return join.time - starts[0].time, next(iter(view.outputs.values())).bytes, gaps


def long_sequence(folder: Path) -> tuple[Path, int]:
    """Five of the demo's clips whole, one after another: no picture twice; (file, frames)."""
    at, placed = 0, []
    for scene in SCENES[:5]:
        seconds = scene.frames / RATE
        placed.append(
            Placed(
                start=at / RATE,
                seconds=seconds,
                kind="media",
                name=scene.title,
                media=str(folder / scene.file),
                media_zero=Fraction(0),
                media_seconds=seconds,
            )
        )
        at += scene.frames
    track = Track(kind="picture", name="V1", placed=tuple(placed))
    film = Timeline(path="", name="All of it", rate=RATE, size=(1280, 720), tracks=(track,))
    path = folder / "all-of-it.otio"
    path.write_text(otio_text(film, folder))
    return path, at


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Two rate controls, each as pieces and whole."""
    path = copy_demo(folder)
    file, frames = long_sequence(path.parent / "footage")
    base = load_batch(path).model_copy(update={"recipes": (), "outputs": (), "sources": ()})
    base = add_source(base, f"footage/{file.name}", "All of it", "sequence")
    rows, gaps = [], []
    for recipe in RECIPES:
        batch = add_recipe(base, recipe)
        source = batch.sources[0]
        batch = fill(batch, [(source.id, FULL, recipe.id)])
        save_batch(batch, path)
        straight, size, _ = whole(path, recipe.id)
        run, made, found = pieces(batch, path, recipe.id)
        gaps += found
        count = len(prepared(batch, path, Workspace()).outputs[0].plan.pieces)
        rows.append(
            (
                f"{recipe.id}: throughput as {count} pieces against one threaded encode",
                f"{straight / run:.2f} ×",
                "1.05 ×",
            )
        )
        rows.append((f"{recipe.id}: bytes as pieces against unsplit", f"{made / size - 1:+.1%}", "+1.5 %"))
        assert recipe.picture
        if (target := recipe.picture.rate_control).mode == "variable":
            asked = target.target_bits_per_second * float(frames / RATE) / 8
            rows.append(
                (
                    f"{recipe.id}: bytes against rate × length, pieces and unsplit",
                    f"{made / asked - 1:+.1%} and {size / asked - 1:+.1%}",
                    "told as it is",
                )
            )
    rows.append(("idle gap between pieces on a slot, median", f"{median(gaps) * 1000:.0f} ms", "30 ms"))
    assert state_folder()
    return rows
