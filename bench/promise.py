"""Evenings in a house of stand-ins: what was promised at the beginning against what came, by each wish.

This machine is held to one core and a stand-in to another, as two machines
are; the stand-in seems half as quick.  The first evening only teaches.  What
*at work* says is the dispatch's: how much of the time each slot had a task.
"""

from __future__ import annotations

import os
import shutil
import time
from datetime import datetime, timedelta
from fractions import Fraction
from pathlib import Path

import numpy as np

from bench.pieces import pictures
from chronocast.crew.house.observer import look_once
from chronocast.crew.local.calibrate import calibrate
from chronocast.demo.house import StandIn, StandInHouse
from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import save_batch, save_json
from chronocast.journal.places import config_folder
from chronocast.journal.workspace import Workspace
from chronocast.media.files.footage import write_footage
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.batch.wishes import WISHES, Wish
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe
from chronocast.run.client import begin_run, with_house
from chronocast.run.runner_lock import runner_lives
from chronocast.run.view import RunView
from chronocast.run.view_kept import read_view

RATE = Fraction(25)
LENGTHS = (700, 250, 500, 350)
SIZE = (640, 360)
MOST_SECONDS = 400.0
RECIPES = (
    Recipe(
        id="fine",
        name="Quality 18",
        sound=None,
        picture=PictureRecipe(
            effort="medium",
            size=FrameSize(mode="source"),
            rate_control=RateControl(mode="quality", quality=18),
        ),
    ),
    Recipe(
        id="rated",
        name="1 Mb/s",
        sound=None,
        picture=PictureRecipe(
            effort="fast",
            size=FrameSize(mode="source"),
            rate_control=RateControl(target_bits_per_second=1_000_000),
        ),
    ),
)


def evening(house: StandInHouse, films: list[Path], number: int, wish: Wish) -> tuple[RunView, float]:
    """One evening from beginning to end; how it went, and when it began (seconds since 1970)."""
    shutil.rmtree(house.shared / "kept" / "stock", ignore_errors=True)
    batch = Batch(title=f"Evening {number}", folder="out")
    for recipe in RECIPES:
        batch = add_recipe(batch, recipe)
    for film in films:
        batch = add_source(batch, f"../{film.name}", film.stem, "clip")
    batch = fill(batch, [(source.id, FULL, recipe.id) for source in batch.sources for recipe in RECIPES])
    wanted = datetime.now().astimezone() + timedelta(seconds=20)
    batch = batch.model_copy(update={"wish": wish, "wanted": wanted if wish == "in time" else None})
    path = house.shared / f"evening {number}" / "evening.batch.json"
    path.parent.mkdir()
    save_batch(batch, path)
    journal, begin = begin_run(batch, path, with_house(Workspace().house)), time.time()
    while time.time() - begin < MOST_SECONDS:
        opened = RunJournal(journal)
        view = read_view(opened, runner_lives(journal))
        opened.close()
        if view.outcome:
            return view, begin
        time.sleep(0.3)
    raise SystemExit("an evening never ended")


def ratios(view: RunView) -> tuple[float, bool, list[float]]:
    """Fact over likely of the whole; whether it lay between P10 and safe; the same ratios of the files one by one."""
    made = datetime.fromisoformat(view.forecast["total"]["finish"]["likely"]).timestamp()
    began = view.began
    low, high = (
        datetime.fromisoformat(view.forecast["total"]["finish"][key]).timestamp() for key in ("p10", "safe")
    )
    each = []
    for output in view.outputs.values():
        likely = datetime.fromisoformat(output.forecast["finish"]["likely"]).timestamp()
        each.append((output.ended - began) / max(0.1, likely - began))
    end = max(output.ended for output in view.outputs.values())
    return (end - began) / (made - began), low <= end <= high, each


def busy(view: RunView) -> str:
    """Which share of the time from the first task to the last each place was at work."""
    begin = min(stretch.begin for stretch in view.worked)
    end = max(stretch.end for stretch in view.worked)
    places = sorted({stretch.place for stretch in view.worked})
    told = []
    for place in places:
        mine = sum(stretch.end - stretch.begin for stretch in view.worked if stretch.place == place)
        told.append(f"{place} {mine / max(0.1, end - begin):.0%}".replace("%", " %"))
    return ", ".join(told)


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Ratios of one run, the stand-in on one core and the desk on another."""
    os.environ["CHRONOCAST_SLOTS"] = "1"
    for key in ("DATA", "STATE", "CONFIG"):
        os.environ[f"CHRONOCAST_{key}"] = str(folder / "desk" / key.lower())
    own, *others = sorted(os.sched_getaffinity(0))
    os.sched_setaffinity(0, {own})
    calibrate(Workspace().paces)
    house = StandInHouse(folder / "house", (StandIn("Plover", 2.0),))
    kept = house.shared / "kept"
    kept.mkdir(parents=True)
    save_json(config_folder() / "settings.json", {"kept_in": str(kept)})
    os.sched_setaffinity(0, others or {own})  # what begins now stays there
    house.begin()
    os.sched_setaffinity(0, {own})
    try:
        house.let_in(Workspace(), "desk", "desktop")
        films = []
        for number, frames in enumerate(LENGTHS):
            films.append(house.shared / f"film {number}.mp4")
            write_footage(str(films[-1]), pictures(number + 1, frames, *SIZE), RATE, quality=20, sound=None)
        while not look_once(Workspace()).stations:
            time.sleep(0.3)
        rows = []
        for number, wish in enumerate(("order", *WISHES, *WISHES)):
            Workspace().house.keep_heard(look_once(Workspace()))
            view, _ = evening(house, films, number, wish)
            whole, within, each = ratios(view)
            name = "the first, which only teaches" if number == 0 else WISHES[wish].name
            spread = f"files {np.median(each):.2f}, from {min(each):.2f} to {max(each):.2f}"
            rows.append(
                (
                    f"evening {number}, {name}: finish, fact over likely",
                    f"{whole:.2f}, {'within' if within else 'outside'} P10 to safe; {spread}; at work: {busy(view)}",
                    "",
                )
            )
        return rows
    finally:
        house.end()
