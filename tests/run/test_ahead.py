"""Rendering ahead: the pieces of the plan, kept as they are made, stopped at any time; the run then has less to do."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from typing import ClassVar

from chronocast.crew.local.probing import carry_out_probes
from chronocast.journal.documents import load_batch
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.edits import hold
from chronocast.model.recipe.recipe import PictureRecipe, RateControl, Recipe
from chronocast.preparation.ahead import AheadPlan, plan_ahead
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.today import outlook_now, prepared
from tests.runs import QUICK, render, small_batch

TWICE = Recipe(
    id="twice",
    name="Two passes",
    picture=PictureRecipe(
        effort="fast", rate_control=RateControl(mode="two pass", target_bits_per_second=300_000)
    ),
    sound=None,
)


EACH = 5
"""Pieces of each film: of three the two long ones are cut in two."""


class Ahead(unittest.TestCase):
    path: ClassVar[Path]
    batch: ClassVar[Batch]

    @classmethod
    def setUpClass(cls) -> None:
        cls.path = small_batch(Path(tempfile.mkdtemp()) / "films", 2, 450, (QUICK, TWICE), first=240)
        cls.batch = load_batch(cls.path)

    def view(self) -> Outlook:
        return outlook_now(prepared(self.batch, self.path, Workspace()), Workspace())

    def plan(self, *outputs: str, seconds: float | None = None) -> AheadPlan:
        return plan_ahead(self.view(), Workspace().stock, outputs, seconds)

    def test_1_what_is_made_ahead_is_told_in_order_and_within_a_budget(self) -> None:
        whole = self.plan()
        self.assertEqual((len(whole.pieces), whole.searched), (2 * EACH, 2))
        self.assertEqual(
            [probe.ready.output.id for probe in whole.pieces],
            ["clip-0-quick"] * EACH + ["clip-1-quick"] * EACH,
        )
        self.assertIn("2 files in two passes can't be made ahead", whole.told)
        self.assertIn(f"{2 * EACH} pieces ahead take about", whole.told)
        self.assertLess(whole.left, self.view().finish.likely)
        self.assertEqual({p.ready.output.id for p in self.plan("clip-1-quick").pieces}, {"clip-1-quick"})
        few = self.plan(seconds=whole.seconds / 2)
        self.assertTrue(0 < len(few.pieces) < 2 * EACH)
        self.assertLessEqual(few.seconds, whole.seconds / 2 + 1e-9)

    def test_2_stopped_in_the_middle_what_is_finished_is_kept_and_nothing_else_lies_about(self) -> None:
        plan, told = self.plan(), list[int]()
        made = carry_out_probes(
            plan.pieces, Workspace(), lambda done, _all: told.append(done), lambda: len(told) >= 2
        )
        self.assertTrue(2 <= made < 2 * EACH, made)
        stock = Workspace().stock
        kept = [probe.piece.name for probe in plan.pieces if stock.size(probe.piece.name)]
        self.assertEqual(len(kept), made)
        self.assertEqual(list(stock.folder.glob("??/.*part*")), [])
        self.assertEqual(len(self.plan().pieces), 2 * EACH - made)
        self.assertTrue(all(stock.whole(name) for name in kept))

    def test_3_the_run_takes_what_was_made_ahead(self) -> None:
        left = self.plan()
        self.assertEqual(carry_out_probes(left.pieces, Workspace()), len(left.pieces))
        self.assertIn("Nothing is left to be encoded ahead.", self.plan().told)
        self.assertTrue(all(item.looks and item.looks.measured == EACH for item in self.view().outputs[::2]))
        twice = [output.id for output in self.batch.outputs if output.recipe == "twice"]
        run = render(hold(self.batch, twice, True), self.path)
        quick = [run.outputs[f"clip-{n}-quick"] for n in range(2)]
        self.assertEqual([(o.state, o.encoded, o.kept) for o in quick], [("proved", 0, EACH)] * 2)
        self.assertEqual(self.plan().pieces, ())
