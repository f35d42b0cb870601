"""``check``: prove finished files again."""

from __future__ import annotations

import json
import subprocess
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

from chronocast.journal.facts import FactsStore
from chronocast.journal.places import data_folder
from chronocast.model.batch import Batch
from chronocast.model.check import Check, Expected
from chronocast.model.errors import ModelError
from chronocast.model.recipe import SUPPLIED, frame_size, supplied
from chronocast.pieces.stock import Stock
from chronocast.run.prepare import OutputReady
from chronocast.run.today import prepared


def prove_apart(path: Path, expected: Expected) -> list[dict[str, Any]]:
    """Checks of a file, made in a fresh process."""
    order = json.dumps({"path": str(path), "expected": asdict(expected)})
    done = subprocess.run(
        [sys.executable, "-m", "chronocast.run.prove"], input=order, capture_output=True, text=True
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
    prospect = prepared(batch, path)
    stock = Stock(data_folder() / "stock")
    files = [_checked(item.path, _expected(item, stock)) for item in prospect.outputs]
    files += [
        {"path": problem.where, "ok": False,
         "checks": [asdict(Check("prepared", False, "a source that can be used", problem.sentence, "its source inspected"))]}
        for problem in prospect.problems
        if problem.blocks
    ]  # fmt: skip
    return files


def _expected(item: OutputReady, stock: Stock) -> Expected:
    sound = stock.find(item.plan.sound.name) if item.plan.sound else None
    return item.expected(bool(sound and sound.facts.get("silent")))


def _checked(path: Path, expected: Expected) -> dict[str, Any]:
    if not path.exists():
        missing = Check("there", False, "a finished file", "no file", "looked for")
        return {"path": str(path), "ok": False, "checks": [asdict(missing)]}
    checks = prove_apart(path, expected)
    return {"path": str(path), "ok": all(check["ok"] for check in checks), "checks": checks}


def check_file(path: Path, recipe_id: str) -> dict[str, Any]:
    """One file against a recipe.  Without its source, its length is taken from its own header.

    Raises:
        ModelError: no such recipe, or no recipe was named.
        NotMedia: the file can't be opened.
    """
    recipe = supplied(recipe_id)
    if recipe is None:
        raise ModelError(
            f"There is no recipe “{recipe_id}”."
            if recipe_id
            else "A single file is checked against a recipe: add --recipe ID.",
            f"There are: {', '.join(r.id for r in SUPPLIED)}.",
        )
    facts = FactsStore(data_folder() / "facts").clip(str(path))
    width, height = frame_size(recipe.picture.size, facts.width or 16, facts.height or 16, facts.pixel_aspect)
    sound = recipe.sound if facts.audio else None
    samples = round(facts.frames / facts.rate * sound.sample_rate) if sound else None
    channels = {"mono": 1, "stereo": 2}[sound.layout] if sound else 0
    expected = Expected(
        facts.frames, width, height, str(facts.rate), recipe.picture.codec, recipe.container,
        sound.codec if sound else None, samples, sound.sample_rate if sound else 0, channels, True,
    )  # fmt: skip
    return _checked(path, expected)


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
