"""*Recipe* and *Plan*'s columns: whole tasks by mouse, keyboard and typing."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from chronocast.journal.documents import load_batch
from chronocast.journal.library import Library
from chronocast.journal.places import config_folder
from chronocast.model.cards.card import Limits, ReceiverCard
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.recipe.supplied import supplied
from chronocast.ui.commands import CHECK, PLAN, RECIPE
from chronocast.ui.places.recipe.cards_box import CardsBox
from chronocast.ui.places.recipe.model import recipe_model
from chronocast.ui.places.recipe.settings import BITS, MODE, Seen
from tests.runs import QUICK, RATED, small_batch
from tests.ui.hands import Desk

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
NONE = Qt.KeyboardModifier.NoModifier


class Tasks(unittest.TestCase):
    number = 10

    def desk(self, clips: int = 3, frames: int = 60, recipes: tuple[Recipe, ...] = (RATED, QUICK)) -> Desk:
        Tasks.number += clips
        self.folder = Path(tempfile.mkdtemp()) / "films"
        recipes = tuple(recipe.as_saved() for recipe in recipes)
        self.path = small_batch(self.folder, clips, frames, recipes, first=Tasks.number)
        desk = Desk(self.path)
        self.addCleanup(desk.close)
        return desk

    def open_recipe(self, desk: Desk, column: int) -> None:
        desk.click_cell(0, column)
        desk.key(Qt.Key.Key_E, CTRL)
        self.assertEqual(desk.window.place, RECIPE)
        desk.settle()

    def take(self, desk: Desk, key: str, words: str) -> None:
        """Click on a choice by its words."""
        desk.until(lambda: key in desk.window.recipe_place.form.rows, f"the setting {key}")
        row = desk.window.recipe_place.form.rows[key]
        assert row.choices is not None
        number = next(n for n, choice in enumerate(row.setting.choices) if choice.words == words)
        desk.window.recipe_place.form.ensureWidgetVisible(row)
        desk.click(row.choices, row.choices.boxes[number].center().toPoint())
        desk.settle()

    def type_in(self, desk: Desk, key: str, text: str) -> None:
        desk.until(lambda: key in desk.window.recipe_place.form.rows, f"the setting {key}")
        line = desk.window.recipe_place.form.rows[key].line
        assert line is not None
        desk.window.recipe_place.form.ensureWidgetVisible(line)
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, text)
        desk.key(Qt.Key.Key_Return, NONE, line)
        desk.settle()

    def drag_column(self, desk: Desk, section: int, to: int) -> None:
        """Drag the head of a column onto another's place."""
        header = desk.window.plan_place.grid.header
        area = header.viewport()
        assert area is not None
        begin = QPoint(header.sectionViewportPosition(section) + 20, 20)
        end = QPoint(header.sectionViewportPosition(to) + header.sectionSize(to) - 12, 20)
        QTest.mousePress(area, Qt.MouseButton.LeftButton, NONE, begin)
        for step in range(1, 9):
            QTest.mouseMove(area, begin + (end - begin) * step / 8, 10)
        QTest.mouseRelease(area, Qt.MouseButton.LeftButton, NONE, end)
        desk.settle()

    def test_a_recipe_is_changed_saved_reset_and_never_passes_for_the_saved_one(self) -> None:
        desk = self.desk()
        place = desk.window.recipe_place
        library = Library(config_folder())
        library.save_recipe(RATED)
        self.open_recipe(desk, 1)
        self.assertEqual(place.name.text(), "Rated, 400 kb/s")
        self.type_in(desk, BITS, "650k")
        batch = load_batch(self.path) if not desk.session.busy else desk.session.batch
        changed = desk.session.batch.recipes[0]
        self.assertEqual(
            changed.picture.rate_control.target_bits_per_second if changed.picture else 0, 650_000
        )
        self.assertIn("changed", place.name.text())
        self.assertTrue(batch.recipes)
        desk.until(
            lambda: desk.session.view and "rated-changed" in desk.session.view.outputs[0].ready.path.name,
            "the changed name",
        )
        self.assertIn("changed", desk.window.plan.columns[0].facts)  # type: ignore[union-attr]
        desk.click(place.shelf.buttons["recipe.reset"])
        desk.until(lambda: not desk.session.batch.recipes[0].changed, "the reset")
        self.take(desk, "effort", "slow")
        desk.window.commands.by_id["recipe.save"].trigger()
        desk.settle()
        self.assertFalse(desk.session.batch.recipes[0].changed)
        kept = Library(config_folder()).recipe("rated")
        self.assertEqual(kept.picture.effort if kept and kept.picture else "", "slow")
        library.reset("rated")

    def test_what_cannot_be_had_says_why_and_contradictions_are_mended(self) -> None:
        desk = self.desk()
        place = desk.window.recipe_place
        self.open_recipe(desk, 1)
        self.take(desk, "codec", "VP9")
        desk.until(
            lambda: any(c.words == "two pass" and c.why for c in place.form.rows["mode"].setting.choices),
            "the form of the new codec",
        )
        before = desk.session.batch
        self.take(desk, "mode", "two pass")
        self.assertIs(desk.session.batch, before)
        self.assertIn("common quality", desk.window.notice.text())
        self.take(desk, "container", "MOV  .mov")
        self.assertIs(desk.session.batch, before)
        self.take(desk, "codec", "ProRes")
        desk.until(lambda: desk.session.prospect and desk.session.prospect.refused, "the contradiction")
        desk.until(lambda: place.outcome.mends, "the way out")
        self.assertIn("MP4 doesn't hold ProRes", desk.window.notice.text())
        desk.click(place.outcome.mends[0])
        desk.until(lambda: desk.session.prospect and not desk.session.prospect.refused, "what was mended")
        self.assertEqual(desk.session.batch.recipes[0].container, "mov")

    def test_cells_are_edited_together_marked_listed_and_cleared(self) -> None:
        desk = self.desk()
        window, place = desk.window, desk.window.recipe_place
        desk.click_cell(0, 1)
        desk.click_cell(1, 1, CTRL)
        desk.click_cell(1, 2, CTRL)
        desk.key(Qt.Key.Key_E, CTRL | SHIFT)
        desk.until(lambda: place.name.text() == "3 chosen files" and "mode" in place.form.rows, "the cells")
        mode = place.form.rows["mode"].setting
        self.assertTrue(mode.mixed and mode.chosen == -1)
        self.take(desk, "sound.layout", "mono")
        self.take(desk, "effort", "slow")
        own = [output.own for output in desk.session.batch.outputs if output.own]
        self.assertEqual(len(own), 3)
        desk.key(Qt.Key.Key_1, CTRL)
        desk.until(lambda: "otherwise than its column: " in desk.cell_text(1, 2), "the mark")
        self.assertNotIn("otherwise", desk.cell_text(2, 1))
        chosen = {o.id for o in desk.session.batch.outputs if o.own}
        desk.until(
            lambda: (
                {i.ready.output.id for i in desk.session.view.outputs if "changed" in i.ready.path.name}
                == chosen
            ),
            "their own names",  # type: ignore[union-attr]
        )
        desk.key(Qt.Key.Key_Z, CTRL)
        desk.key(Qt.Key.Key_Z, CTRL)
        desk.until(lambda: not any(o.own for o in desk.session.batch.outputs), "the undone exceptions")
        self.assertEqual(window.place, PLAN)

    def test_columns_are_added_moved_filled_copied_and_removed(self) -> None:
        desk = self.desk(recipes=(RATED, QUICK))
        grid = desk.window.plan_place.grid
        table = grid.table
        desk.click_cell(0, 1)
        desk.key(Qt.Key.Key_A, CTRL | SHIFT, desk.window)
        finder = next(
            w for w in desk.app.topLevelWidgets() if w.accessibleName() == "Find a recipe" and w.isVisible()
        )
        QTest.keyClicks(finder.line, "sound only wav")  # type: ignore[attr-defined]
        desk.key(Qt.Key.Key_Return, NONE, finder.line)  # type: ignore[attr-defined]
        desk.until(lambda: len(desk.session.batch.recipes) == 3, "the column")
        desk.click_cell(1, 3)
        desk.key(Qt.Key.Key_D, CTRL | SHIFT, table)
        desk.until(
            lambda: sum(o.recipe == "sound-wav" for o in desk.session.batch.outputs) == 3, "the filled column"
        )
        desk.key(Qt.Key.Key_Left, CTRL | SHIFT, table)
        self.assertEqual([r.id for r in desk.session.batch.recipes], ["rated", "sound-wav", "quick"])
        self.drag_column(desk, 1, 3)
        self.assertEqual([r.id for r in desk.session.batch.recipes], ["sound-wav", "quick", "rated"])
        desk.click_cell(0, 1)
        desk.key(Qt.Key.Key_Space, NONE, table)
        desk.click_cell(0, 0)
        desk.key(Qt.Key.Key_C, CTRL | SHIFT, table)
        desk.click_cell(2, 0)
        desk.key(Qt.Key.Key_V, CTRL | SHIFT, table)
        sources = [source.id for source in desk.session.batch.sources]
        self.assertEqual(
            {o.recipe for o in desk.session.batch.outputs if o.source == sources[2]}, {"quick", "rated"}
        )
        desk.click_cell(0, 2)
        desk.key(Qt.Key.Key_Delete, CTRL | SHIFT, table)
        self.assertEqual([r.id for r in desk.session.batch.recipes], ["sound-wav", "rated"])
        Library(config_folder()).favourite = "stills-5s"
        desk.click_cell(1, 0)
        desk.key(Qt.Key.Key_F6, NONE, table)
        self.assertEqual(
            [o.source for o in desk.session.batch.outputs if o.recipe == "stills-5s"], [sources[1]]
        )
        Library(config_folder()).favourite = "web-720"

    def test_cards_judge_live_with_headroom_and_stops_on_the_ruler(self) -> None:
        library = Library(config_folder())
        library.save_card(
            ReceiverCard(
                id="door",
                name="Door screen",
                limits=Limits(bytes_most=90_000, codecs=("h264",), bits_least=10_000),
            )
        )
        desk = self.desk()
        place = desk.window.recipe_place
        self.open_recipe(desk, 1)
        self.type_in(desk, BITS, "150k")
        desk.until(lambda: "door" in place.outcome.cards, "what comes of it")
        desk.click(place.outcome.cards["door"])
        desk.until(lambda: place.ruler.ruled.stops, "the stops")
        self.assertFalse(any(stop.broken for stop in place.ruler.ruled.stops))
        self.assertEqual(len([o for o in desk.session.batch.outputs if o.cards == ("door",)]), 3)
        self.type_in(desk, BITS, "30 Mb/s")
        desk.until(lambda: any(stop.broken for stop in place.ruler.ruled.stops), "the broken limit")
        desk.key(Qt.Key.Key_1, CTRL)
        desk.until(lambda: "Door screen: size" in desk.cell_text(0, 1), "the mark in the cell")
        desk.key(Qt.Key.Key_3, CTRL)
        desk.settle()
        ruler = place.ruler
        target = ruler.ruled.target
        at = QPoint(round(ruler.width() * 0.25), 60)
        QTest.mousePress(ruler, Qt.MouseButton.LeftButton, NONE, at)
        QTest.mouseMove(ruler, at + QPoint(4, 0))
        QTest.mouseRelease(ruler, Qt.MouseButton.LeftButton, NONE, at + QPoint(4, 0))
        desk.until(lambda: place.ruler.ruled.target != target, "the dragged rate")
        self.assertLess(place.ruler.ruled.target or 0, 30_000_000)
        desk.click(place.outcome.cards["door"])
        desk.until(lambda: not desk.session.batch.cards, "the card to leave")
        library.remove_card("door")

    def test_a_card_is_written_refused_and_kept(self) -> None:
        desk = self.desk(clips=1)
        box = CardsBox(desk.session.workspace.library, desk.window.theme, desk.window)
        box.new()
        box.name.setText("Ferry screens")
        for field, text in (
            ("bytes_most", "500 MB"),
            ("bytes_least", "900 MB"),
            ("codecs", "H.264, HEVC"),
            ("rates", "25, 50"),
            ("loudness", "−23"),
        ):
            box.lines[field].setText(text)
        self.assertFalse(box.save())
        self.assertIn("nothing can fit", box.told.text())
        box.lines["bytes_least"].setText("")
        box.lines["codecs"].setText("H.264, Betamax")
        self.assertFalse(box.save())
        self.assertIn("Betamax", box.told.text())
        box.lines["codecs"].setText("h.264")
        self.assertTrue(box.save())
        kept = Library(config_folder()).card("ferry-screens")
        self.assertEqual(
            (kept.limits.bytes_most, kept.limits.codecs, kept.limits.loudness) if kept else None,
            (500_000_000, ("h264",), -23.0),
        )
        Library(config_folder()).remove_card("ferry-screens")

    def test_the_recipe_of_a_finished_file_is_reopened_to_change_one_thing(self) -> None:
        desk = self.desk(clips=1, recipes=(QUICK,))
        desk.key(Qt.Key.Key_R, CTRL, desk.window)
        desk.until(lambda: desk.session.run and desk.session.run.outcome == "done", "the file")
        desk.key(Qt.Key.Key_5, CTRL, desk.window)
        self.assertEqual(desk.window.place, CHECK)
        first = desk.session.batch.recipes[0]
        desk.window.session.edit(
            "forget it", desk.session.batch.model_copy(update={"recipes": (), "outputs": ()})
        )
        desk.click(desk.window.check_place.recipe)
        desk.until(lambda: desk.window.place == RECIPE, "the recipe")
        self.assertEqual([r.mark for r in desk.session.batch.recipes], [first.mark])

    def test_dropped_recipes_and_cards_are_taken_and_bad_ones_named(self) -> None:
        desk = self.desk(clips=1)
        good, bad = self.folder / "theirs.recipe.json", self.folder / "bad.recipe.json"
        recipe = supplied("phone-540")
        assert recipe
        Library(config_folder()).write_recipe(
            recipe.model_copy(update={"id": "theirs", "name": "Theirs"}), good
        )
        bad.write_text(
            json.dumps(
                {"format": "chronocast recipe", "version": 1, "id": "x", "name": "X", "container": "avi"}
            )
        )
        desk.drop([good])
        desk.until(lambda: desk.session.batch.recipe("theirs"), "the recipe")
        count = len(desk.session.batch.recipes)
        desk.drop([bad])
        desk.settle()
        self.assertIn("can't be used", desk.window.notice.text())
        self.assertEqual(len(desk.session.batch.recipes), count)
        Library(config_folder()).reset("theirs")

    def test_every_supplied_recipe_is_shown_and_walked_by_keys(self) -> None:
        desk = self.desk(clips=1)
        place = desk.window.recipe_place
        self.open_recipe(desk, 1)
        table = place.shelf.table
        table.setFocus()
        for _ in range(len(place.shelf.table.rows_model.rows)):
            desk.key(Qt.Key.Key_Down, NONE, table)
            desk.settle()
            assert place.model
            self.assertFalse(place.model.conflicts)
        row = place.form.rows["carries"]
        assert row.choices
        row.choices.setFocus()
        desk.key(Qt.Key.Key_Right)
        desk.key(Qt.Key.Key_Space)
        desk.settle()
        self.assertLess(desk.heart.percentile(0.97, own=True), 0.050, "the interface held itself up")


class Saying(unittest.TestCase):
    def test_choices_say_what_they_do_to_size_and_time(self) -> None:
        recipe = supplied("web-720")
        assert recipe
        model = recipe_model([recipe], recipe, Seen())
        codec, mode, size = (model.setting(key) for key in ("codec", "mode", "size"))
        assert codec and mode and size
        by = {choice.words: choice for setting in (codec, mode, size) for choice in setting.choices}
        self.assertIn("× time", by["HEVC"].effect)
        self.assertIn("× size", by["ProRes"].effect)
        self.assertIn("× time", by["up to 640×360"].effect)
        self.assertEqual(by["H.264"].effect, "")
        self.assertTrue(all(setting.told for group in model.groups for setting in group.settings))

    def test_differences_from_the_saved_one_are_listed(self) -> None:
        recipe = supplied("web-720")
        assert recipe and recipe.picture
        control = recipe.picture.rate_control.model_copy(update={"mode": "two pass"})
        changed = recipe.model_copy(
            update={"picture": recipe.picture.model_copy(update={"rate_control": control})}
        )
        model = recipe_model([changed], recipe, Seen())
        self.assertEqual(model.differences, ("rate control: two pass, saved variable",))
        mode = model.setting("mode")
        self.assertTrue(mode and mode.changed)
        self.assertEqual(MODE, "picture.rate_control.mode")
