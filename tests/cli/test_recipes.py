"""Recipes, cards and cells on the command line."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path

from typer.testing import CliRunner

from chronocast.cli.app import app
from chronocast.journal.documents import load_batch
from chronocast.journal.library import Library
from chronocast.journal.places import config_folder
from tests.runs import QUICK, RATED, small_batch


class Commands(unittest.TestCase):
    def run_it(self, *words: object, code: int = 0) -> str:
        done = CliRunner().invoke(app, [str(word) for word in words])
        self.assertEqual(done.exit_code, code, done.output)
        self.assertNotIn("Traceback", done.output)
        return done.output

    def test_a_recipe_is_changed_compared_shared_and_reset(self) -> None:
        self.run_it(
            "recipes", "change", "web-720", "--set", "picture.rate_control.target_bits_per_second=2,5M"
        )
        told = self.run_it("recipes", "compare", "web-720", "web-360", "--json")
        fields = {item["field"]: item for item in json.loads(told)["differences"]}
        self.assertEqual(fields["picture.rate_control.target_bits_per_second"]["first"], 2_500_000)
        file = Path(tempfile.mkdtemp()) / "web.recipe.json"
        self.run_it("recipes", "export", "web-720", file)
        self.run_it("recipes", "export", "web-720", file, code=2)
        self.run_it("recipes", "reset", "web-720")
        self.assertIn("web-720-2", self.run_it("recipes", "import", file))
        self.assertIn("+ web-720-2", self.run_it("recipes", "list"))
        self.run_it("recipes", "reset", "web-720-2")
        self.assertIn(
            "no setting", self.run_it("recipes", "change", "web-720", "--set", "picture.colour=red", code=2)
        )
        self.assertIn("two pass", self.run_it("recipes", "formats"))
        self.run_it("recipes", "favourite", "kiosk-quality")
        self.assertIn("* kiosk-quality", self.run_it("recipes", "list"))
        Library(config_folder()).favourite = "web-720"

    def test_cells_are_filled_set_placed_and_judged(self) -> None:
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 2, 60, (RATED, QUICK), first=240)
        self.run_it("batch", "fill", path, "--recipe", "sound-wav")
        batch = load_batch(path)
        self.assertEqual(len(batch.outputs), 6)
        first, second = batch.outputs[0].id, batch.outputs[1].id
        self.run_it(
            "batch", "set", path, first, second, "--set", "picture.effort=slow", "--set", "sound=none"
        )
        self.assertEqual(load_batch(path).outputs[0].own, {"picture.effort": "slow", "sound": None})
        self.run_it("batch", "set", path, first, "--set", "picture.effort=heroic", code=2)
        self.run_it("batch", "place", path, first, "--to", path.parent / "elsewhere")
        card = path.parent / "hall.card.json"
        card.write_text(
            json.dumps(
                {
                    "format": "chronocast receiver card",
                    "version": 1,
                    "id": "hall",
                    "name": "Hall",
                    "limits": {"sound": "needed", "bytes_most": 100_000_000},
                }
            )
        )
        self.run_it("cards", "import", card)
        self.run_it("batch", "card", path, "all", "--card", "hall")
        told = json.loads(self.run_it("cards", "judge", path, "--json", code=1))
        states = {item["id"]: item["state"] for item in told["outputs"]}
        self.assertEqual(
            sorted(name for name, state in states.items() if state == "breaks"), sorted([first, second])
        )
        forecast = json.loads(self.run_it("forecast", path, "--json", code=1))
        self.assertTrue(
            any("Hall doesn't take it: sound" in item["sentence"] for item in forecast["problems"])
        )
        self.assertTrue(forecast["outputs"][0]["path"].startswith(str(path.parent / "elsewhere")))
        self.run_it("batch", "set", path, "all", "--clear")
        self.run_it("cards", "judge", path)
        self.run_it("cards", "remove", "hall")
        self.run_it("cards", "show", "hall", code=2)
        self.run_it("batch", "fill", path, "--recipe", "sound-wav", "--clear")
        self.assertEqual(len(load_batch(path).outputs), 4)

    def test_a_recipe_as_a_file_is(self) -> None:
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 1, 60, (RATED,), first=250)
        made = json.loads(self.run_it("recipes", "like", path.parent / "clip 0.mp4"))
        self.assertEqual(
            (made["container"], made["picture"]["codec"], made["sound"]["codec"]), ("mp4", "h264", "aac")
        )
        self.run_it("recipes", "of", path.parent / "clip 0.mp4", code=1)
