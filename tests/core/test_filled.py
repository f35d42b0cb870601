"""The grid of *Plan* follows edits: of thousands of cells only those that an edit touched are looked at again."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, add_source, fill, hold, remove_source
from chronocast.model.recipe.supplied import SUPPLIED
from chronocast.ui.places.plan.filled import Filled, filled_of, outputs_apart
from chronocast.ui.places.plan.rows import rows_of

steps = st.lists(
    st.tuples(
        st.sampled_from(("ask", "clear", "hold", "remove", "add")), st.integers(0, 5), st.integers(0, 2)
    ),
    max_size=12,
)


def beginning() -> Batch:
    """Four clips, three recipes, nothing asked for."""
    batch = Batch(title="Hall of tides")
    for recipe in SUPPLIED[:3]:
        batch = add_recipe(batch, recipe)
    for number in range(4):
        batch = add_source(batch, f"clip {number}.mov", f"Clip {number}", "clip")
    return batch


def edited(batch: Batch, what: str, source: int, recipe: int) -> Batch:
    """One edit further."""
    if what == "add":
        return add_source(batch, f"more {len(batch.sources)}.mov", "More", "clip")
    if not batch.sources:
        return batch
    name, by = batch.sources[source % len(batch.sources)].id, batch.recipes[recipe].id
    if what == "remove":
        return remove_source(batch, name)
    if what == "hold":
        cell = batch.cell(name, FULL, by)
        return hold(batch, [cell.id], not cell.held) if cell else batch
    return fill(batch, [(name, FULL, by)], what == "ask")


class Filling(unittest.TestCase):
    @given(steps)
    def test_after_each_edit_it_is_what_it_would_be_worked_out_anew(
        self, edits: list[tuple[str, int, int]]
    ) -> None:
        batch = beginning()
        before = filled_of(batch)
        for edit in edits:
            batch = edited(batch, *edit)
            now, anew = filled_of(batch), Filled.of(batch)
            self.assertEqual((now, now.by_output), (anew, anew.by_output))
            changed = {place for place in {*before, *now} if before.get(place) is not now.get(place)}
            self.assertLessEqual(changed, set(now.changed_from(before)))
            before = now

    @given(st.lists(st.integers(0, 9), unique=True), st.lists(st.integers(0, 9), unique=True))
    def test_what_tells_two_orders_apart_is_what_only_one_has(self, one: list[int], other: list[int]) -> None:
        batch = beginning()
        cells = [(source.id, FULL, recipe.id) for source in batch.sources for recipe in batch.recipes][:10]
        outputs = fill(batch, cells, True).outputs
        apart = outputs_apart([outputs[n] for n in one], [outputs[n] for n in other])
        self.assertEqual({output.id for output in apart.gone}, {outputs[n].id for n in {*one} - {*other}})
        self.assertEqual({output.id for output in apart.more}, {outputs[n].id for n in {*other} - {*one}})

    def test_of_a_cell_that_is_asked_for_twice_the_other_is_shown_when_one_is_gone(self) -> None:
        """As a file says that was written by hand."""
        batch = edited(beginning(), "ask", 0, 0)
        (first,) = batch.outputs
        twice = batch.model_copy(update={"outputs": (first, first.model_copy(update={"id": "again"}))})
        for left in twice.outputs:
            self.assertEqual([output.id for output in filled_of(twice).values()], ["again"])
            alone = twice.model_copy(update={"outputs": (left,)})
            self.assertEqual([output.id for output in filled_of(alone).values()], [left.id])

    def test_an_edit_of_cells_leaves_the_rows_as_they_are(self) -> None:
        batch = beginning()
        rows = rows_of(batch, None, {})
        self.assertIs(rows_of(edited(batch, "ask", 1, 1), None, {}), rows)
        more = rows_of(edited(batch, "add", 0, 0), None, {})
        self.assertEqual((more[:4], len(more)), (rows, 5))
