"""What outputs come to together, changed by what came and went; what slots do in turn, as lanes draw it."""

from __future__ import annotations

import unittest
from datetime import datetime
from types import SimpleNamespace
from typing import cast

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from chronocast.forecast.band import band
from chronocast.preparation.forecast.output_outlook import ColumnOutlook, OutputOutlook
from chronocast.ui.lanes.data import Block, LaneData, LaneGroup

sizes = st.lists(st.integers(1, 60), min_size=1, max_size=12)


def output(number: int, size: int) -> OutputOutlook:
    """An output that takes about so much; which of several it is changes its draws."""
    draws = np.array([[size, size + number, 2 * size], [3 * size, size, size + number]], np.float32)
    bands = {"seconds": band(draws[0].astype(float)), "bytes": band(draws[1].astype(float))}
    return cast("OutputOutlook", SimpleNamespace(**bands, draws=draws))


class Columns(unittest.TestCase):
    @given(sizes, sizes, st.data())
    def test_changed_by_what_came_and_went_it_is_what_it_would_be_summed_anew(
        self, before: list[int], more: list[int], data: st.DataObject
    ) -> None:
        old = [output(number, size) for number, size in enumerate(before)]
        new = [output(number, size) for number, size in enumerate(more, len(before))]
        leaves = data.draw(st.lists(st.booleans(), min_size=len(old), max_size=len(old)))
        gone = [item for item, goes in zip(old, leaves, strict=True) if goes]
        now = [item for item, goes in zip(old, leaves, strict=True) if not goes] + new
        changed = ColumnOutlook.of(old).changed(gone, new, lambda: now)
        self.assertEqual(changed, ColumnOutlook.of(now))
        self.assertEqual(changed.changed(now, (), tuple).files, 0)
        self.assertEqual(ColumnOutlook.of(()).changed((), now, lambda: now), ColumnOutlook.of(now))


class Rows(unittest.TestCase):
    @given(st.lists(st.tuples(st.integers(0, 2), st.integers(0, 500)), max_size=40))
    def test_every_block_is_in_its_slot_s_row_and_in_order(self, places: list[tuple[int, int]]) -> None:
        blocks = tuple(
            Block(f"o{n}", f"O{n}", float(at), at + 5.0, at + 9.0, slot=slot)
            for n, (slot, at) in enumerate(places)
        )
        groups = (LaneGroup("This machine", "", 2), LaneGroup("Other", "", 1))
        data = LaneData(groups, datetime(2026, 5, 1), blocks)
        self.assertEqual(len(data.rows), 3)
        self.assertEqual(
            sorted(b.output for row in data.rows for b in row.blocks), sorted(b.output for b in blocks)
        )
        for number, row in enumerate(data.rows):
            self.assertEqual({block.slot for block in row.blocks} - {number}, set())
            self.assertEqual(row.begins.tolist(), sorted(block.begin for block in row.blocks))
            self.assertEqual((row.ends - row.begins).tolist(), [5.0] * len(row.blocks))
        self.assertGreaterEqual(data.end, max((block.safe for block in blocks), default=60.0))


if __name__ == "__main__":
    unittest.main()
