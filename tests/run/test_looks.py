"""How like the original: measured in a run, told by the check, remembered, asked backwards; room through the run."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from typing import ClassVar

import numpy as np
from PIL import Image

from chronocast.forecast.band import Band
from chronocast.journal.documents import load_batch
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.edits import set_asked
from chronocast.model.batch.exceptions import with_values
from chronocast.model.errors import ModelError
from chronocast.model.messages.jobs import pair_beside
from chronocast.model.recipe.recipe import PictureRecipe, Recipe
from chronocast.preparation.asked.about_output import answers_about
from chronocast.preparation.asked.answers import asked_of
from chronocast.preparation.asked.floor import least_for_floor
from chronocast.preparation.forecast.outlook import Outlook, outlook
from chronocast.preparation.output.output_ready import OutputReady, Prospect
from chronocast.preparation.station_known import station_known
from chronocast.preparation.today import circumstances, outlook_now, prepared
from chronocast.run.runner.pictures import RunPictures
from chronocast.run.view import RunView
from chronocast.ui.places.house.model import house_model
from tests.runs import QUICK, RATED, render, small_batch

LOSSLESS = Recipe(
    id="whole", name="Lossless", container="mkv", sound=None, picture=PictureRecipe(codec="ffv1")
)


class Looks(unittest.TestCase):
    """One real run of two films by three recipes, and what is known after it."""

    path: ClassVar[Path]
    batch: ClassVar[Batch]
    before: ClassVar[Outlook]
    run_view: ClassVar[RunView]

    @classmethod
    def setUpClass(cls) -> None:
        cls.path = small_batch(
            Path(tempfile.mkdtemp()) / "films", 2, 200, (QUICK, RATED.as_saved(), LOSSLESS), first=140
        )
        cls.batch = load_batch(cls.path)
        cls.before = outlook_now(prepared(cls.batch, cls.path, Workspace()), Workspace())
        cls.run_view = render(cls.batch, cls.path)

    def prospect(self, batch: Batch | None = None) -> Prospect:
        return prepared(batch or self.batch, self.path, Workspace())

    def ready(self, recipe: str) -> OutputReady:
        found = self.prospect().output(f"clip-0-{recipe}")
        assert found is not None
        return found

    def test_the_check_tells_what_was_measured_and_nothing_of_what_loses_nothing(self) -> None:
        for output in self.run_view.outputs.values():
            told = [check["found"] for check in output.checks if check["name"] == "likeness"]
            if output.id.endswith("whole"):
                self.assertEqual(told, [])
            else:
                self.assertRegex(
                    told[0], r"^XPSNR \d\d\.\d dB, poorest shot \d\d\.\d dB, poorest picture at 00:00:0"
                )

    def test_a_picture_of_each_file_is_kept_beside_its_original_the_poorest_one_too(self) -> None:
        for output in self.run_view.outputs.values():
            if output.id.endswith("whole"):
                self.assertFalse(output.picture, "what loses nothing isn't looked at")
                continue
            (told,) = [check["found"] for check in output.checks if check["name"] == "likeness"]
            self.assertIn(f"poorest picture at {output.poorest['at']}", told)
            self.assertLessEqual(output.poorest["xpsnr"], output.picture["xpsnr"])
            with Image.open(output.poorest["file"]) as whole:
                width, height = whole.width // 2, whole.height
                original, made = (
                    np.asarray(whole.crop((x, 0, x + width, height)), float) for x in (0, width)
                )
            self.assertEqual((width, height), (320, 180))
            self.assertLess(float(np.abs(original - made).mean()), 12)
            self.assertGreater(float(np.abs(original - made).mean()), 0, "it is the encode, not the original")

    def test_pictures_of_earlier_runs_go_and_the_poorest_of_this_one_stays(self) -> None:
        folder = Path(tempfile.mkdtemp())
        (folder / "before.pictures").mkdir()
        (folder / "before.pictures" / "a.jpg").write_bytes(b"old")
        pictures, ready = RunPictures(folder / "now.db"), self.ready("quick")
        piece, told = ready.plan.pieces[0], []
        for number, xpsnr in enumerate((41.0, 33.0, 45.0)):
            temporary = folder / f"attempt {number}"
            Path(pair_beside(str(temporary))).write_bytes(bytes([number]))
            told.append(pictures.take(ready, piece, temporary, (number, xpsnr)))
        self.assertEqual([path.name for path in folder.glob("*.pictures")], ["now.pictures"])
        self.assertEqual([("poorest" in said) if said else None for said in told], [True, True, False])
        name = ready.output.id
        self.assertEqual((folder / "now.pictures" / f"{name}.poorest.jpg").read_bytes(), b"\x01")
        self.assertEqual((folder / "now.pictures" / f"{name}.jpg").read_bytes(), b"\x02")
        self.assertIsNone(pictures.take(ready, piece, folder / "nothing", (0, 1.0)), "none is there")

    def test_a_finished_output_is_known_exactly_and_says_so_of_others(self) -> None:
        view = outlook_now(self.prospect(), Workspace())
        for item in view.outputs:
            was = self.before.output(item.ready.output.id)
            assert was is not None
            if item.ready.recipe.id == "whole":
                self.assertIsNone(item.looks)
                continue
            assert item.looks is not None and was.looks is not None
            self.assertEqual((item.looks.measured, was.looks.measured), (len(item.ready.plan.pieces), 0))
            self.assertAlmostEqual(item.looks.worst.likely, item.looks.worst.safe, 6)
            self.assertGreater(was.looks.worst.likely - was.looks.worst.safe, 1.0)
        now = circumstances(self.prospect(), Workspace())
        ready = self.ready("quick")
        better = replace(ready, recipe=with_values(ready.recipe, {"picture.rate_control.quality": 22.0}))
        answers = answers_about(better, self.batch, view, now)
        least = {way.words: way for way in answers.ways}
        worst = [
            way.xpsnr.worst.likely for way in least.values() if way.words.startswith("quality") and way.xpsnr
        ]
        self.assertEqual(worst, sorted(worst, reverse=True), "a poorer quality never looks better")

    def test_the_least_that_keeps_a_floor_keeps_it_and_a_little_less_doesn_t(self) -> None:
        now = circumstances(self.prospect(), Workspace())
        for recipe in ("quick", "rated"):
            ready, found = self.ready(recipe), []
            for floor in (30.0, 34.0, 38.0):
                told = least_for_floor(ready, floor, now)
                assert told is not None
                if told.words:
                    self.assertGreaterEqual(told.worst.safe, floor - 0.05)
                    found.append(told.bytes.likely)
                    self.assertIn(told.shots[0], told.told)
            self.assertEqual(found, sorted(found), "a higher floor takes no fewer bytes")
            assert told is not None
            never = least_for_floor(ready, 69.0, now)
            assert never is not None
            self.assertEqual((never.words, never.values), ("", {}))
            self.assertIn("nothing of this codec", never.told)
        self.assertIsNone(least_for_floor(self.ready("whole"), 38.0, now))

    def test_a_floor_and_the_receiver_s_space_are_asked_and_answered(self) -> None:
        prospect = self.prospect()
        view, now = outlook_now(prospect, Workspace()), circumstances(prospect, Workspace())
        asked = set_asked(self.batch, look_floor=60.0, receiver_space=1_000)
        told = asked_of(asked, prospect, view, now)
        self.assertEqual({item.output.rpartition("-")[2] for item in told.poorer}, {"quick", "rated"})
        self.assertEqual(told.as_json()["receiver"]["fit"], "short")
        self.assertTrue(any("the receiver has 1.00 kB free" in line for line in told.lines))
        easy = asked_of(set_asked(asked, look_floor=12.0, receiver_space=10**12), prospect, view, now)
        self.assertEqual(
            easy.short,
            [
                "the receiver has room: safe " + easy.short[0].rpartition("safe ")[2],
                "every poorest shot keeps 12.0 dB",
            ],
        )
        for wrong in (3.0, 90.0):
            with self.assertRaises(ModelError):
                set_asked(self.batch, look_floor=wrong)

    def test_the_ledger_keeps_forecast_against_fact_for_the_house(self) -> None:
        model = house_model(station_known(Workspace()))
        self.assertEqual(len(model.outcomes["looks"]), 4)
        self.assertEqual(len(model.outcomes["bytes"]), 6)
        self.assertIn("4 files", model.told("looks"))
        works = [row.work for row in model.paces]
        self.assertIn("H.264 by libx264, fast effort", works)
        self.assertIn("check", works)

    def test_a_drive_that_will_be_full_says_when_and_what_would_help(self) -> None:
        prospect, space = self.prospect(), Workspace(*(Path(tempfile.mkdtemp()) for _ in range(3)))
        view = outlook_now(prospect, space)
        full = replace(view.room[0], free=1000, needs=Band(1e6, 2e6, 3e6))
        self.assertIn("too little", view.room_told(full))
        (room,) = {room.drive: room for room in view.room}.values()
        self.assertIsNone(room.runs_out)
        self.assertEqual(room.remedies, ())
        again = outlook(prospect, space.stock, view.station)
        self.assertAlmostEqual(again.room[0].needs.safe, room.needs.safe, delta=room.needs.safe * 0.2)
