"""What *Plan*, *Range* and *Recipe* say of a real batch, in plain Python: no window, no clicks."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.forecast.station import Pace, Station
from chronocast.journal.documents import load_batch
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.columns import set_own
from chronocast.model.batch.edits import add_recipe, fill, hold
from chronocast.model.batch.exceptions import with_values
from chronocast.model.batch.ranges import add_pick
from chronocast.model.recipe.supplied import SUPPLIED
from chronocast.model.stages import HERE, STAGES
from chronocast.model.time.timing import FrameRange
from chronocast.preparation.forecast.first_figures import FirstFigures
from chronocast.preparation.forecast.outlook import Outlook, outlook
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.today import prepared
from chronocast.ui.places.plan.headline import difference
from chronocast.ui.places.plan.model import ORDERS, arranged, plan_model
from chronocast.ui.places.plan.panel.detail import detail
from chronocast.ui.places.plan.source_sheet import source_sheet
from chronocast.ui.places.range.model import DRAFT, Draft, range_sheet, with_draft
from chronocast.ui.places.recipe.model import recipe_model
from chronocast.ui.places.recipe.settings import Seen
from tests.runs import QUICK, RATED, small_batch

STATION = Station(HERE, Pace(calibrated=True), 2)


class OnScreen(unittest.TestCase):
    batch: Batch

    @classmethod
    def setUpClass(cls) -> None:
        cls.path = small_batch(Path(tempfile.mkdtemp()) / "films", 2, 250, (QUICK, RATED), first=180)
        cls.batch, cls.workspace = load_batch(cls.path), Workspace()
        cls.source = cls.batch.sources[0].id
        cls.prospect, cls.view = cls.seen(cls.batch)

    @classmethod
    def seen(cls, batch: Batch) -> tuple[Prospect, Outlook]:
        prospect = prepared(batch, cls.path, cls.workspace)
        return prospect, outlook(prospect, cls.workspace.stock, STATION)

    # Plan

    def test_a_row_a_source_a_column_a_recipe_and_totals_below(self) -> None:
        plan = plan_model(self.batch, self.prospect, self.view)
        self.assertEqual([row.title for row in plan.rows], ["Clip 0", "Clip 1"])
        self.assertEqual([column.recipe for column in plan.columns], ["quick", "rated"])
        self.assertTrue(all(plan.cell(row, column).filled for row in range(2) for column in range(2)))
        self.assertEqual(len(plan.totals), 2)
        output = self.batch.outputs[3].id
        self.assertEqual(plan.place(output), (1, 1))
        self.assertIsNone(plan.place("nobody"))
        self.assertEqual((plan.headline.begin, plan.headline.refused), (4, 0))

    def test_before_the_plan_it_says_what_is_known_and_what_can_t_be_made(self) -> None:
        gone = self.batch.sources[0].model_copy(update={"id": "gone", "path": "nowhere.mp4"})
        batch = self.batch.model_copy(update={"sources": (gone, *self.batch.sources)})
        batch = fill(batch, [("gone", FULL, "quick")])
        looked_at, first = frozenset({"gone", self.source}), self.view.outputs[:2]
        known = {item.ready.output.id: item for item in first}
        figures = FirstFigures(self.prospect, known, looked_at, 3, 5)
        plan = plan_model(batch, self.prospect, None, figures=figures)
        self.assertEqual(plan.cell(0, 0).problem, "can't be made")
        self.assertEqual([bool(plan.cell(1, column).size) for column in (0, 1)], [True, True])
        self.assertTrue(plan.cell(2, 0).waiting)
        self.assertEqual((plan.headline.finished, plan.headline.begin), ("…", 5))
        self.assertIn("3 of 5 files looked at", plan.headline.sentence)

    def test_an_edit_is_told_as_the_difference_it_makes(self) -> None:
        fewer = fill(self.batch, [(self.source, FULL, "rated"), (self.source, FULL, "quick")], False)
        prospect, view = self.seen(fewer)
        now, plain = plan_model(fewer, prospect, view, self.view), plan_model(fewer, prospect, view)
        self.assertIn("−", now.headline.size_more)
        self.assertNotIn("−", plain.headline.size_more)
        self.assertEqual(now.headline.size, plain.headline.size)

    def test_the_panel_says_what_the_work_consists_of_and_where_its_siblings_are(self) -> None:
        output = self.batch.outputs[0].id
        told = detail(self.view, output)
        assert told is not None
        self.assertEqual(
            [name for name, _ in told.stages], [name for name in STAGES if name not in ("copy", "base")]
        )
        self.assertEqual([point.name for point in told.points], [QUICK.name, RATED.name])
        self.assertEqual([point.mine for point in told.points], [True, False])
        mine = self.view.output(output)
        assert mine is not None
        self.assertEqual((told.points[0].seconds, told.points[0].bytes), (mine.seconds, mine.bytes))
        self.assertIn(("range", "full, 10.0 s"), told.lines)
        self.assertIn(("sound", "AAC stereo 64 kb/s"), told.lines)
        self.assertIsNone(detail(self.view, "nobody"))

    def test_sound_alone_has_no_picture_s_figures_and_odd_sides_are_told(self) -> None:
        alone = with_values(QUICK.model_copy(update={"id": "alone"}), {"picture": None, "container": "m4a"})
        odd = QUICK.model_copy(update={"id": "odd"})
        odd = with_values(
            odd, {"picture.size.mode": "fixed", "picture.size.width": 641, "picture.size.height": 361}
        )
        batch = self.batch
        for recipe in (alone, odd):
            batch = add_recipe(batch, recipe)
        batch = fill(batch, [(self.source, FULL, "alone"), (self.source, FULL, "odd")])
        _, view = self.seen(batch)
        names = {output.recipe: output.id for output in batch.outputs}
        sound, picture = detail(view, names["alone"]), detail(view, names["odd"])
        assert sound is not None and picture is not None
        lines = dict(sound.lines)
        self.assertEqual(lines["picture"], "none, sound only")
        self.assertNotIn("pieces", lines)
        self.assertNotIn("×", lines["rate"])
        told = " ".join(words for _, words in picture.lines)
        self.assertIn("641×361 is asked for and 640×360 made", told)
        self.assertIn("enlarged to 200%", told)

    def test_what_is_held_and_what_is_an_exception_is_marked(self) -> None:
        names = [output.id for output in self.batch.outputs]
        batch = set_own(hold(self.batch, names[:1], True), names[1:2], {"picture.effort": "slow"})
        plan = plan_model(batch, *self.seen(batch))
        self.assertTrue(plan.cell(0, 0).held)
        self.assertFalse(plan.cell(0, 1).held)
        self.assertTrue(plan.cell(0, 1).own)
        self.assertEqual(plan.headline.begin, 3)

    def test_any_fact_finds_a_source_and_two_called_alike_show_their_folders(self) -> None:
        plan = plan_model(self.batch, self.prospect, self.view)
        for words in ("h264", "aac", "stereo 48000", "320x180", "progressive", "clip 1.mp4", "25 fps"):
            self.assertTrue(arranged(plan, words).rows, words)
        self.assertFalse(arranged(plan, "prores").rows)
        one, two = self.batch.sources
        paths = ("days/monday/a.mp4", "days/tuesday/a.mp4")
        alike = [
            source.model_copy(update={"name": "Reef", "path": path})
            for source, path in zip((one, two), paths, strict=True)
        ]
        batch = self.batch.model_copy(update={"sources": tuple(alike)})
        told = [row.facts for row in plan_model(batch, self.prospect, self.view).rows]
        self.assertTrue(told[0].startswith("in monday · ") and told[1].startswith("in tuesday · "), told)

    def test_words_find_rows_and_an_order_sorts_them(self) -> None:
        plan = plan_model(self.batch, self.prospect, self.view)
        self.assertEqual(len(arranged(plan, "clip 320×180", ORDERS[1], frozenset()).rows), 2)
        self.assertEqual(arranged(plan, "nothing like it", "", frozenset()).rows, ())
        self.assertEqual(len(arranged(plan, "", "", frozenset()).rows), 2)

    def test_a_source_has_a_sheet_of_facts(self) -> None:
        sheet = source_sheet(self.batch, self.prospect, self.source)
        assert sheet is not None
        told = " ".join(f"{name} {value}" for name, value in sheet.lines)
        self.assertIn("320×180", told)
        self.assertIn("sound", told)
        self.assertEqual(sheet.problems, ())
        self.assertIsNone(source_sheet(self.batch, self.prospect, "nobody"))

    @given(st.floats(-1e7, 1e7), st.sampled_from(["seconds", "bytes"]))
    def test_a_difference_has_its_sign_or_is_too_small_to_tell(self, value: float, kind: str) -> None:
        told = difference(value, kind)
        self.assertTrue(not told or told[0] == ("+" if value > 0 else "−"))

    # Range

    def test_a_sheet_lists_the_whole_its_ranges_and_their_files(self) -> None:
        batch, part = add_pick(self.batch, self.source, "Opening", FrameRange(0, 50), ["quick"])
        prospect, view = self.seen(batch)
        sheet = range_sheet(batch, prospect, view, before=self.view, source=self.source)
        assert sheet is not None
        self.assertEqual([row.part for row in sheet.rows], [FULL, part])
        row = sheet.row(part)
        assert row is not None
        self.assertEqual((row.start, row.stop, row.name), (0, 50, "Opening"))
        mine = [made for made in sheet.files if made.part == part]
        self.assertEqual([(made.recipe, made.full) for made in mine], [(QUICK.name, False)])
        self.assertIsNone(range_sheet(batch, prospect, view, before=None, source="nobody"))

    def test_marks_that_are_not_taken_are_a_row_of_their_own(self) -> None:
        sheet = range_sheet(
            self.batch, self.prospect, self.view, before=None, source=self.source, draft=Draft(25, None)
        )
        assert sheet is not None
        row = sheet.row(DRAFT)
        assert row is not None
        self.assertEqual((row.start, row.stop), (25, 250))

    @settings(max_examples=40)
    @given(st.integers(0, 248), st.integers(1, 249), st.booleans())
    def test_taking_marks_makes_their_range_and_loses_no_other_file(
        self, start: int, length: int, instead: bool
    ) -> None:
        part = FrameRange(start, min(250, start + length))
        batch, made = with_draft(self.batch, self.source, part, ("quick",), instead=instead)
        owner = batch.source(self.source)
        assert owner is not None
        taken = owner.part(made)
        assert taken is not None
        self.assertEqual((taken.start, taken.stop), (part.start, part.stop))
        whole = [o for o in batch.outputs if (o.source, o.range) == (self.source, FULL)]
        self.assertEqual(len(whole), 0 if instead else 2)
        self.assertEqual(len([o for o in batch.outputs if o.range == made]), 2 if instead else 1)
        others = [output for output in self.batch.outputs if output.source != self.source]
        self.assertEqual([o for o in batch.outputs if o.source != self.source], others)

    # Recipe

    def test_every_supplied_recipe_is_told_with_its_choices_and_what_they_do(self) -> None:
        for recipe in SUPPLIED:
            model = recipe_model([recipe], recipe, Seen(1280, 720))
            self.assertEqual(model.differences, (), recipe.id)
            for group in model.groups:
                for setting in group.settings:
                    self.assertLess(setting.chosen, len(setting.choices), (recipe.id, setting.key))
                    self.assertEqual(
                        (setting.changed, setting.mixed), (False, False), (recipe.id, setting.key)
                    )

    def test_recipes_that_differ_say_so_and_a_change_is_listed(self) -> None:
        one, other = SUPPLIED[0], SUPPLIED[0].model_copy(update={"sound": None})
        model = recipe_model([other], one, Seen(1280, 720))
        self.assertTrue(model.differences)
        both = recipe_model([one, other], None, Seen(1280, 720))
        self.assertTrue(any(setting.mixed for group in both.groups for setting in group.settings))


if __name__ == "__main__":
    unittest.main()
