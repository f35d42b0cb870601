"""After an edit only what it touched is prepared and forecast anew, and that is just as if all of it were."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from unittest import mock

from chronocast.forecast.learning.experience import Experience
from chronocast.journal.documents import load_batch
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.columns import set_own
from chronocast.model.batch.edits import add_recipe, fill, hold, remove_source, set_folder
from chronocast.model.batch.ranges import add_pick, rename_range
from chronocast.model.time.timing import FrameRange
from chronocast.preparation.asked.backwards import Circumstances
from chronocast.preparation.forecast.outlook import Outlook, outlook
from chronocast.preparation.in_groups import first_figures
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.station.this import this_station
from chronocast.preparation.today import prepared
from chronocast.preparation.touched import Touched, forecast_touched, touched_sources
from tests.runs import HEAVY, QUICK, RATED, small_batch


class Edits(unittest.TestCase):
    def setUp(self) -> None:
        self.path = small_batch(Path(tempfile.mkdtemp()) / "films", 3, 60, (QUICK, RATED), first=210)
        self.workspace = Workspace()

    def edits(self) -> list[Batch]:
        """A batch through an afternoon."""
        batches = [load_batch(self.path)]

        def then(batch: Batch) -> None:
            batches.append(batch)

        first = batches[0].sources[0].id
        then(fill(batches[-1], [(first, FULL, "quick")], False))
        then(fill(batches[-1], [(first, FULL, "quick")]))
        batch, pick = add_pick(batches[-1], first, "Pick", FrameRange(10, 40), ["quick", "rated"])
        then(batch)
        then(rename_range(batches[-1], first, pick, "Otters"))
        then(set_own(batches[-1], [batches[-1].outputs[1].id], {"picture.effort": "slow"}))
        then(set_folder(batches[-1], "elsewhere"))
        then(hold(batches[-1], [batches[-1].outputs[2].id], True))
        then(hold(batches[-1], [batches[-1].outputs[2].id], False))
        then(add_recipe(batches[-1], HEAVY))
        then(fill(batches[-1], [(source.id, FULL, "heavy") for source in batches[-1].sources]))
        then(remove_source(batches[-1], batches[-1].sources[1].id))
        return batches

    def told(self, prospect: Prospect, view: Outlook) -> list[object]:
        """All that is said of a batch."""
        return [
            [
                (o.output.id, o.path, o.recipe, o.part, [p.name for p in o.plan.pieces], o.bases)
                for o in prospect.outputs
            ],
            sorted((p.where, p.sentence) for p in prospect.problems),
            sorted(prospect.refused),
            [
                (o.ready.output.id, o.bytes, o.seconds, o.begin, o.finish, o.stages, o.basis)
                for o in view.outputs
            ],
            (view.bytes, view.finish, view.kept_share),
        ]

    def test_an_afternoon_of_edits_is_told_as_if_each_batch_came_fresh(self) -> None:
        before: Prospect | None = None
        known, station = Experience(), this_station(self.workspace)
        for number, batch in enumerate(self.edits()):
            before = prepared(batch, self.path, self.workspace, before=before)
            fresh = prepared(batch, self.path, self.workspace)
            views = [
                outlook(prospect, self.workspace.stock, station, experience)
                for prospect, experience in ((before, known), (fresh, Experience()))
            ]
            self.assertEqual(self.told(before, views[0]), self.told(fresh, views[1]), f"edit {number}")

    def test_what_an_edit_touched_is_told_at_once_as_it_is_when_all_is_worked_out(self) -> None:
        known, station, last, told = Experience(), this_station(self.workspace), None, 0
        for number, batch in enumerate(self.edits()):
            fresh = prepared(batch, self.path, self.workspace)
            view = outlook(fresh, self.workspace.stock, station, Experience())
            if last is not None:
                with mock.patch("chronocast.preparation.touched.MANY", new=0):
                    quick = forecast_touched(batch, self.path, self.workspace, last, known)
                if quick is not None:
                    told += 1
                    self.assertFalse(quick.view.settled)
                    self.assert_alike(quick, Touched(fresh, view), f"edit {number}")
            last = Touched(fresh, view)
        self.assertGreaterEqual(told, 9)

    def test_the_first_figures_of_its_groups_are_those_of_the_whole_forecast(self) -> None:
        batch, known = load_batch(self.path), Experience()
        begun = prepared(batch.model_copy(update={"outputs": ()}), self.path, self.workspace)
        station = this_station(self.workspace)
        now = Circumstances(self.workspace.stock, station, known)
        with mock.patch("chronocast.preparation.in_groups.FIRST_GROUP", new=1):
            told = list(first_figures(batch, begun, self.workspace, now))
        self.assertGreater(len(told), 1, "source by source")
        self.assertEqual([one.looked_at for one in told], sorted({one.looked_at for one in told}))
        last = told[-1]
        self.assertEqual(last.looked_at, len(batch.outputs))
        planned = prepared(batch, self.path, self.workspace, before=last.prospect)
        self.assertTrue(all(item.plan is last.outputs[item.output.id].ready.plan for item in planned.outputs))
        view = outlook(planned, self.workspace.stock, station, known)
        self.assertEqual(
            [(o.ready.output.id, o.bytes, o.seconds, o.basis) for o in view.outputs],
            [(o.ready.output.id, o.bytes, o.seconds, o.basis) for o in last.outputs.values()],
        )
        self.assertEqual(sorted(last.prospect.refused), sorted(planned.refused))
        fewer = fill(batch, [(batch.sources[0].id, FULL, "quick")], False)
        (after,) = first_figures(fewer, begun, self.workspace, now, told[1])
        self.assertEqual(after.looked_at, 5, "what the edit touched, and what was still to be looked at")
        self.assertEqual(set(after.outputs), {output.id for output in fewer.outputs})
        untouched = batch.outputs[3].id
        self.assertIs(after.outputs[untouched], told[1].outputs[untouched])

    def test_an_edit_that_renames_other_files_is_not_told_by_what_it_touched_alone(self) -> None:
        batch = load_batch(self.path)
        fewer = fill(batch, [(batch.sources[0].id, FULL, "quick")], False)
        self.assertEqual(touched_sources(batch, fewer), {batch.sources[0].id})
        counted = [one.model_copy(update={"names": "{counter} {source}"}) for one in (batch, fewer)]
        self.assertIsNone(touched_sources(*counted))
        self.assertIsNone(touched_sources(batch, set_folder(batch, "elsewhere")))

    def assert_alike(self, quick: Touched, whole: Touched, edit: str) -> None:
        """All but when things are made."""

        def each(view: Outlook) -> list[object]:
            return [(o.ready.output.id, o.bytes, o.seconds, o.stages, o.basis) for o in view.outputs]

        self.assertEqual(self.told(*quick)[:3], self.told(*whole)[:3], edit)
        self.assertEqual(each(quick.view), each(whole.view), edit)
        for what in ("bytes", "seconds", "kept_share"):
            one, other = getattr(quick.view, what), getattr(whole.view, what)
            if what != "kept_share":
                one, other = one.likely, other.likely
            self.assertAlmostEqual(one, other, delta=1e-3 + other * 1e-5, msg=f"{edit}: {what}")
        self.assertEqual(quick.view.columns, whole.view.columns, edit)
        self.assertEqual(quick.view.frames, whole.view.frames, edit)
        rooms = [[room.needs.likely for room in view.room] for view in (quick.view, whole.view)]
        for one, other in zip(*rooms, strict=True):
            self.assertAlmostEqual(one, other, delta=other * 0.1 + 1e4, msg=f"{edit}: room")
        self.assertAlmostEqual(
            quick.view.finish.likely, whole.view.finish.likely, delta=whole.view.finish.likely * 0.5 + 0.5
        )

    def test_while_sources_are_looked_at_it_says_how_many(self) -> None:
        told: list[tuple[int, int]] = []
        prepared(load_batch(self.path), self.path, self.workspace, lambda *counts: told.append(counts))
        self.assertEqual(told, sorted(told))
        self.assertEqual(told[-1], (3, 3))
        self.assertGreater(len(set(told)), 2, "not from none to all")

    def test_what_an_edit_did_not_touch_is_the_very_same(self) -> None:
        batch = load_batch(self.path)
        known, station = Experience(), this_station(self.workspace)
        before = prepared(batch, self.path, self.workspace)
        outlook(before, self.workspace.stock, station, known)
        cleared = fill(batch, [(batch.sources[0].id, FULL, "quick")], False)
        after = prepared(cleared, self.path, self.workspace, before=before)
        self.assertEqual(len(after.outputs), 5)
        for ready in after.outputs:
            self.assertIs(ready, before.output(ready.output.id))

    def test_a_piece_that_comes_is_seen_by_the_next_forecast(self) -> None:
        batch = load_batch(self.path)
        known, station, stock = Experience(), this_station(self.workspace), self.workspace.stock
        prospect = prepared(batch, self.path, self.workspace)
        self.assertEqual(outlook(prospect, stock, station, known).kept_share, 0.0)
        name = prospect.outputs[0].plan.pieces[0].name
        temporary = stock.temporary(name, "1")
        temporary.write_bytes(b"x" * 5000)
        stock.keep(temporary, name, {})
        self.assertGreater(outlook(prospect, stock, station, known).kept_share, 0.0)


if __name__ == "__main__":
    unittest.main()
