"""``check``: prove finished files again."""

from __future__ import annotations

import json
import subprocess
import sys
from dataclasses import asdict, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

from chronocast.cli.answers import workspace
from chronocast.journal.library import needed_card, needed_recipe
from chronocast.model.batch.batch import Batch
from chronocast.model.errors import ModelError
from chronocast.model.messages.check import Check, Expected
from chronocast.model.paths import path_text
from chronocast.model.picture.geometry import PictureSize
from chronocast.model.recipe.as_source import definite
from chronocast.model.recipe.recipe import frame_size
from chronocast.model.source.cutlist import CutList
from chronocast.model.time.timing import Duration, FrameRange
from chronocast.pieces.sound_plan import plan_sound
from chronocast.pieces.stock import Stock
from chronocast.preparation.output.expectation import expected_file, expected_of
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.today import prepared
from chronocast.timeline.clip_layout import clip_origin


def prove_apart(path: Path, expected: Expected) -> list[dict[str, Any]]:
    """Checks of a file, made in a fresh process."""
    order = json.dumps({"path": path_text(path), "expected": asdict(expected)})
    done = subprocess.run(
        [sys.executable, "-m", "chronocast.crew.local.proof"], input=order, capture_output=True, text=True
    )
    try:
        return list(json.loads(done.stdout))
    except ValueError:
        said = (done.stderr.strip().splitlines() or ["it ended without a word"])[-1]
        return [
            asdict(Check("opens and decodes", False, "no complaint of any decoder", said, "a fresh process"))
        ]


def check_batch(batch: Batch, path: Path) -> list[dict[str, Any]]:
    """Every output of a batch: what is there, and whether it is what was asked."""
    prospect = prepared(batch, path, workspace())
    stock = workspace().stock
    files = [_checked(item.path, _expected(item, stock)) for item in prospect.outputs]
    files += [
        {
            "path": problem.where,
            "ok": False,
            "checks": [
                asdict(
                    Check(
                        "prepared",
                        False,
                        "a source that can be used",
                        problem.sentence,
                        "its source inspected",
                    )
                )
            ],
        }
        for problem in prospect.problems
        if problem.blocks
    ]
    return files


def _expected(item: OutputReady, stock: Stock) -> Expected:
    sound = stock.find(item.plan.sound.name) if item.plan.sound else None
    return expected_file(item, bool(sound and sound.facts.get("silent")))


def _checked(path: Path, expected: Expected) -> dict[str, Any]:
    if not path.exists():
        missing = Check("there", False, "a finished file", "no file", "looked for")
        return {"path": str(path), "ok": False, "checks": [asdict(missing)]}
    checks = prove_apart(path, expected)
    return {"path": str(path), "ok": all(check["ok"] for check in checks), "checks": checks}


def check_file(path: Path, recipe_id: str, cards: list[str] | None = None) -> dict[str, Any]:
    """One file against a recipe, receiver cards, or both.  Without its source, its length is taken from its own header.

    Raises
    ------
    ModelError
        No such recipe or card, or none was named.
    NotMedia
        The file can't be opened.
    """
    library = workspace().library
    if not recipe_id:
        raise ModelError(
            "A single file is checked against a recipe: add --recipe ID.",
            f"There are: {', '.join(item.id for item in library.recipes())}.",
        )
    recipe = needed_recipe(library, recipe_id)
    wanted = tuple(needed_card(library, name).model_dump(mode="json") for name in cards or ())
    if path.is_dir():
        raise ModelError(f"{path} is a folder of images; check it with its batch.")
    facts = workspace().facts.clip(path_text(path))
    width, height, rate = 0, 0, facts.rate
    if recipe.picture:
        width, height = frame_size(
            recipe.picture.size,
            facts.width or 16,
            facts.height or 16,
            facts.pixel_aspect,
            recipe.picture.kind.multiple,
        )
    sound = None
    recipe = definite(recipe, clip_origin(facts))
    if recipe.sound and facts.audio:
        seconds = facts.frames / rate if facts.frames else Fraction(facts.seconds).limit_denominator(10**6)
        single = ((),) * len(facts.audio) if len(facts.audio) > 1 else ()
        cut = CutList(
            rate=rate, width=2, height=2, frames=1, picture=(), sound_tracks=single, origin=clip_origin(facts)
        )
        sound = plan_sound(cut, FrameRange(0, 1), recipe)
        sound = sound.model_copy(update={"samples": round(seconds * sound.sample_rate)})
    expected = expected_of(
        recipe, Duration(facts.frames, rate), PictureSize(width, height), sound=sound, silent=True
    )
    return _checked(path, replace(expected, cards=wanted, name=path.name))


def print_files(files: list[dict[str, Any]]) -> None:
    """Lines for people."""
    for file in files:
        sys.stdout.write(f"{'proved' if file['ok'] else 'WANTING'}  {file['path']}\n")
        for check in file["checks"]:
            mark = " " if check["ok"] else "!"
            sys.stdout.write(
                f"  {mark} {check['name']}: {check['found']}"
                + ("" if check["ok"] else f", expected {check['expected']}")
                + "\n"
            )
    good = sum(1 for file in files if file["ok"])
    sys.stdout.write(f"{good} of {len(files)} files are what was asked.\n")
