"""One source for each number: the same batch, in every place that tells of it."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel

from chronocast.journal.documents import load_batch, save_batch
from chronocast.model.batch.edits import hold
from chronocast.model.show import clock_text, size_text, time_text
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import together
from chronocast.ui.commands import CHECK, PLAN, RANGE, RECIPE, RUN
from chronocast.ui.lanes.forecast_lanes import lane_data
from chronocast.ui.places.run.model import run_model
from tests.cli.test_cli import run
from tests.runs import QUICK, RATED, small_batch
from tests.ui.hands import Desk

WRONG = QUICK.model_copy(update={"id": "wrong", "name": "Wrong box", "container": "webm"})


def words_of(widget: Any) -> str:
    """All that the labels of a widget say."""
    return "\n".join(label.text() for label in widget.findChildren(QLabel) if label.isVisible())


class OneBatch(unittest.TestCase):
    """Two clips, three recipes: two files are made, one is held back, three can't be or aren't yet."""

    @classmethod
    def setUpClass(cls) -> None:
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 2, 60, (RATED, QUICK, WRONG), first=70)
        batch = load_batch(path)
        cls.held = batch.outputs[-2].id
        save_batch(hold(batch, [cls.held], True), path)
        cls.path = path
        cls.desk = Desk(path)

    held: str
    path: Path
    desk: Desk

    @classmethod
    def tearDownClass(cls) -> None:
        cls.desk.close()

    def told(self, *words: str | Path) -> Any:
        return json.loads(run(*words, "--json").stdout)

    def test_1_before_a_run_all_places_say_the_same(self) -> None:
        window, session = self.desk.window, self.desk.session
        view = session.view
        assert isinstance(view, Outlook)
        head, plan = window.plan.headline, window.plan
        self.assertEqual((len(view.outputs), head.begin, head.refused), (3, 3, 2))
        for told in ("1 held", "2 can't be made", f"safe by {clock_text(view.time_after(view.finish.safe))}"):
            self.assertIn(told, head.finished_more)
        self.assertEqual(head.size, size_text(view.bytes.likely))
        self.assertIn(head.size, window.headline.accessibleName() + window.headline.accessibleDescription())
        for item in view.outputs:
            at = plan.place(item.ready.output.id)
            assert at is not None
            self.assertEqual(plan.cell(*at).size, size_text(item.bytes.likely))
            self.desk.click_cell(at[0], at[1] + 1)
            said = window.plan_place.panel.accessibleDescription()
            for number in (
                size_text(item.bytes.likely),
                size_text(item.bytes.safe),
                time_text(item.seconds.likely),
            ):
                self.assertIn(number, said)
        lanes = lane_data(view)
        self.assertEqual(lanes.slots, view.slots)
        self.assertEqual({block.output for block in lanes.blocks}, {o.ready.output.id for o in view.outputs})
        for block in lanes.blocks:
            item = next(o for o in view.outputs if o.ready.output.id == block.output)
            self.assertEqual(block.finish, item.finish)
        cli = self.told("forecast", self.path)
        self.assertEqual(cli["total"]["bytes"]["likely"], round(view.bytes.likely))
        self.assertEqual(cli["total"]["bytes"]["safe"], round(view.bytes.safe))
        for made in cli["outputs"]:
            here = view.output(made["id"])
            assert here is not None
            self.assertEqual(
                (made["bytes"]["likely"], made["bytes"]["safe"]),
                (round(here.bytes.likely), round(here.bytes.safe)),
            )
        self.assertEqual(len(cli["outputs"]), len(view.outputs))
        self.assertEqual({item["path"] for item in cli["outputs"]}, {str(o.ready.path) for o in view.outputs})

    def test_2_range_and_recipe_sum_as_the_headline_does(self) -> None:
        window, session = self.desk.window, self.desk.session
        view = session.view
        assert view is not None
        self.desk.click_cell(0, 1)
        window.go_to(RANGE)
        self.desk.until(lambda: window.range_place.standing.sheet is not None, "the sheet of the source")
        mine = [o for o in view.outputs if o.ready.output.source == window.range_place.standing.source]
        self.assertIn(size_text(together(mine)[1].likely), window.range_place.parts.total.text())
        self.assertEqual(size_text(together(view.outputs)[1].likely), window.plan.headline.size)
        window.recipe_place.open_recipe("rated")
        window.go_to(RECIPE)
        self.desk.settle()
        column = [o for o in view.outputs if o.ready.output.recipe == "rated"]
        seconds, size = together(column)
        outcome = window.recipe_place.outcome
        self.desk.until(
            lambda: size_text(size.likely) in words_of(outcome), "the column's size in Recipe", 10
        )
        self.assertEqual(window.plan.totals[0], f"{time_text(seconds.likely)} · {size_text(size.likely)}")

    def test_3_after_a_run_all_places_say_what_was_made(self) -> None:
        window, session = self.desk.window, self.desk.session
        window.go_to(PLAN)
        self.desk.key(Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier, window)
        self.desk.until(lambda: session.run and session.run.outcome, "the run's end", 120)
        self.desk.until(
            lambda: session.view and all(o.made for o in session.view.outputs), "the plan to know"
        )
        self.desk.until(lambda: "made" in window.plan.headline.finished, "the headline")
        files = {
            path.name: path.stat().st_size for path in (self.path.parent / "out").iterdir() if path.is_file()
        }
        total = size_text(sum(files.values()))
        self.assertEqual(len(files), 3)
        window.go_to(RUN)
        QTest.qWait(300)
        view = session.run
        assert view is not None
        shown = run_model(view, view.ended)
        self.assertEqual((shown.done, shown.size), (f"3 of {len(shown.rows)}", total))
        self.assertEqual(window.plan.headline.finished, "3 made", "one is held, two can't be made")
        self.assertEqual(window.plan.headline.size, total)
        for item in shown.rows:
            if item.state == "proved":
                self.assertEqual(item.size.partition(" of ")[0], size_text(files[Path(item.path).name]))
        window.go_to(CHECK)
        self.desk.settle()
        rows = window.check_place.outputs.rows_model.rows
        self.assertEqual(sum(row.state == "proved" for row in rows), 3)
        status = self.told("status", self.path)
        self.assertEqual(
            sorted(o["bytes"] for o in status["outputs"] if o["state"] == "proved"), sorted(files.values())
        )
        checked = self.told("check", self.path)
        good = {Path(file["path"]).name for file in checked["files"] if file["ok"]}
        self.assertEqual(good, set(files))
        again = self.told("forecast", self.path)
        self.assertEqual(again["total"]["bytes"]["likely"], sum(files.values()))


if __name__ == "__main__":
    unittest.main()
