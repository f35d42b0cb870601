"""Every film by every recipe, really encoded by a run, once: what a forecast is judged by or learns from."""

from __future__ import annotations

import os
import time
from collections.abc import Mapping, Sequence
from pathlib import Path

from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import save_batch
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe
from chronocast.run.client import begin_run
from chronocast.run.runner_lock import runner_lives
from chronocast.run.view_kept import read_view


def recipe(
    name: str, codec: str, size: tuple[int, int] = (640, 360), container: str = "mov", **control: object
) -> Recipe:
    """A recipe of pictures alone.

    Parameters
    ----------
    name
        Its id and name.
    codec
        Our own word for it.
    size
        The most it may measure.
    container
        Our own word for it.
    control
        The fields of its rate control; none for codecs with a ``grade``; its ``effort`` besides.
    """
    grade, effort = control.pop("grade", None), control.pop("effort", "medium")
    picture: dict[str, object] = {
        "codec": codec,
        "effort": effort,
        "bases": "never",  # what composing takes is judged for each output
        "size": FrameSize(mode="ceiling", width=size[0], height=size[1]),
    }
    if control:
        picture["rate_control"] = RateControl.model_validate(control)
    if grade:
        picture["grade"] = grade
    return Recipe(
        id=name, name=name, container=container, sound=None, picture=PictureRecipe.model_validate(picture)
    )


def use_home(home: Path) -> None:
    """Keep stock, ledger and paces of what follows in a folder."""
    for place in ("DATA", "STATE", "CONFIG"):
        os.environ[f"CHRONOCAST_{place}"] = str(home / place.lower())


def batch_of(
    films: Sequence[Path], recipes: Sequence[Recipe], path: Path, few: Mapping[str, int] | None = None
) -> Batch:
    """A batch of every film × every recipe, saved; of some recipes only the first ``few`` films."""
    batch = Batch(title="Bench", folder="out")
    for item in recipes:
        batch = add_recipe(batch, item)
    for film in films:
        batch = add_source(batch, os.path.relpath(film, path.parent), film.stem, "clip")
    most = few or {}
    batch = fill(
        batch,
        [
            (source.id, FULL, item.id)
            for number, source in enumerate(batch.sources)
            for item in batch.recipes
            if number < most.get(item.id, len(films))
        ],
    )
    path.parent.mkdir(parents=True, exist_ok=True)
    save_batch(batch, path)
    return batch


def encode(batch: Batch, path: Path, say: bool = True) -> None:
    """Carry a batch through; what was made before is kept, so that a run that was stopped goes on."""
    journal = begin_run(batch, path, {"replace": True})
    told, begin = -1, time.monotonic()
    while True:
        opened = RunJournal(journal)
        try:
            view = read_view(opened, runner_lives(journal))
        finally:
            opened.close()
        proved = sum(output.state == "proved" for output in view.outputs.values())
        if say and proved != told:
            told = proved
            print(f"  {proved} of {len(batch.outputs)} made, {time.monotonic() - begin:.0f} s", flush=True)
        if view.outcome and not view.lives:
            break
        time.sleep(3.0)  # reading what a run says costs something, too
    wanting = [(output.id, output.reason) for output in view.outputs.values() if output.state != "proved"]
    if wanting:
        print("  not made:", wanting, flush=True)
