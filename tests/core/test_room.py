"""Room on a drive through a run: when it is full, whatever the order things are said in."""

from __future__ import annotations

import tempfile
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from chronocast.forecast.band import Band
from chronocast.forecast.room import Room, Taking, runs_out
from chronocast.preparation.station.drives import room_on


def taking(name: str, at: float, size: float, draws: int = 4) -> Taking:
    return Taking(name, np.full(draws, at), np.full(draws, size))


class Through(unittest.TestCase):
    def test_it_is_full_when_what_was_written_adds_up(self) -> None:
        written = [taking("late", 30.0, 5.0), taking("first", 10.0, 6.0), taking("second", 20.0, 6.0)]
        found = runs_out(written, 11.0)
        assert found is not None
        self.assertEqual((found.chance, found.after.likely, found.output), (1.0, 20.0, "second"))
        self.assertIsNone(runs_out(written, 17.0), "all of it fits exactly")
        self.assertIsNone(runs_out([], 0.0))

    def test_it_may_be_full_in_some_draws_only(self) -> None:
        at = np.array([10.0] * 10)
        size = np.array([1.0] * 7 + [9.0] * 3)
        found = runs_out([Taking("film", at, size)], 5.0)
        assert found is not None
        self.assertEqual((found.chance, found.after), (0.3, Band(10.0, 10.0, 10.0)))
        self.assertIsNone(runs_out([Taking("film", np.full(100, 1.0), np.array([9.0] + [1.0] * 99))], 5.0))

    @given(
        st.lists(st.tuples(st.floats(0, 1e5), st.floats(0, 1e9)), min_size=1, max_size=12),
        st.floats(0, 1e10),
    )
    def test_order_doesn_t_matter_and_room_for_all_is_never_full(
        self, written: list[tuple[float, float]], usable: float
    ) -> None:
        takings = [taking(f"{n}", at, size) for n, (at, size) in enumerate(written)]
        found = runs_out(takings, usable)
        turned = runs_out(list(reversed(takings)), usable)
        self.assertEqual(found is None, turned is None)
        if found is not None and turned is not None:
            self.assertEqual(found.after, turned.after)
            self.assertGreater(sum(size for _, size in written), usable)
        self.assertIsNone(runs_out(takings, 1.01 * sum(size for _, size in written) + 1))

    def test_a_room_says_what_fits(self) -> None:
        for usable, fit in ((100, "fits"), (60, "tight"), (30, "short")):
            self.assertEqual(Room("/d", usable, Band(40, 50, 80)).fit, fit)


class Looks(unittest.TestCase):
    def test_many_that_look_at_one_folder_at_once_all_find_that_it_can_be_written(self) -> None:
        """A forecast that is being made, and a run that begins."""
        folder = Path(tempfile.mkdtemp())
        with ThreadPoolExecutor(8) as pool:
            found = list(pool.map(lambda _: room_on(folder, Band(1, 1, 1)).writable, range(2000)))
        self.assertTrue(all(found))
        self.assertEqual(list(folder.iterdir()), [])
