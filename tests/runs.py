"""Small batches of real media, and real runs of them."""

from __future__ import annotations

import contextlib
import json
import time
from collections.abc import Callable
from pathlib import Path

import psutil

from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import save_batch
from chronocast.journal.places import state_folder
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe, SoundRecipe
from chronocast.run.client import begin_run
from chronocast.run.runner_lock import runner_lives
from chronocast.run.view import RunView
from chronocast.run.view_kept import read_view
from tests.footage import clip

QUICK = Recipe(
    id="quick",
    name="Quick, quality 28",
    picture=PictureRecipe(
        effort="fast",
        size=FrameSize(mode="ceiling", width=320, height=180),
        rate_control=RateControl(mode="quality", quality=28),
    ),
    sound=SoundRecipe(bits_per_second=64_000),
)
RATED = Recipe(
    id="rated",
    name="Rated, 400 kb/s",
    picture=PictureRecipe(
        effort="fast",
        size=FrameSize(mode="ceiling", width=320, height=180),
        rate_control=RateControl(target_bits_per_second=400_000),
    ),
    sound=SoundRecipe(bits_per_second=64_000, layout="mono"),
)
HEAVY = Recipe(
    id="heavy",
    name="Heavy, quality 16",
    picture=PictureRecipe(
        effort="medium", size=FrameSize(mode="source"), rate_control=RateControl(mode="quality", quality=16)
    ),
    sound=None,
)


def small_batch(
    folder: Path,
    clips: int = 2,
    frames: int = 130,
    recipes: tuple[Recipe, ...] = (QUICK,),
    size: tuple[int, int] = (320, 180),
    first: int = 1,
    sound: bool = True,
) -> Path:
    """A batch of counted clips numbered from ``first``, every recipe asked for; its path."""
    folder.mkdir(parents=True, exist_ok=True)
    batch = Batch(title="Small", folder="out")
    for recipe in recipes:
        batch = add_recipe(batch, recipe)
    for number in range(clips):
        name = f"clip {number}.mp4"
        clip(folder / name, number + first, frames, width=size[0], height=size[1], sound=sound)
        batch = add_source(batch, name, f"Clip {number}", "clip")
    batch = fill(batch, [(s.id, FULL, r.id) for s in batch.sources for r in batch.recipes])
    path = folder / "small.batch.json"
    save_batch(batch, path)
    return path


def see(journal: Path) -> RunView:
    """The run as it is now."""
    opened = RunJournal(journal)
    try:
        return read_view(opened, runner_lives(journal))
    finally:
        opened.close()


def wait(journal: Path, ready: Callable[[RunView], bool], seconds: float = 300.0) -> RunView:
    """Wait until a run is as wished."""
    end = time.monotonic() + seconds
    while True:
        view = see(journal)
        if ready(view):
            return view
        if time.monotonic() > end:
            raise AssertionError(
                f"waited in vain; {[(o.id, o.state, o.reason) for o in view.outputs.values()]} lives={view.lives}"
            )
        time.sleep(0.05)


def over(view: RunView) -> bool:
    """Whether a run has ended and its runner is gone."""
    return bool(view.outcome) and not view.lives


def render(batch: Batch, path: Path, **options: object) -> RunView:
    """A run from beginning to end."""
    return wait(begin_run(batch, path, dict(options)), over)


def children_did(what: str = "done", kind: str = "encode") -> list[str]:
    """Names from the children's own append-only log."""
    path = state_folder() / "children.log"
    lines = path.read_text().splitlines() if path.exists() else []
    return [e["name"] for e in map(json.loads, lines) if e["what"] == what and e["kind"] == kind]


def gone(pid: int) -> bool:
    """Whether a process is no more (or only a zombie)."""
    try:
        with open(f"/proc/{pid}/stat") as file:
            return file.read().rsplit(")", 1)[1].split()[0] == "Z"
    except OSError:
        return True


def children_of(pid: int) -> list[int]:
    """Encoder children of a runner or a station: its nursery has them."""
    with contextlib.suppress(psutil.NoSuchProcess):
        return [child.pid for nursery in psutil.Process(pid).children() for child in nursery.children()]
    return []
