"""Room on a drive through a run: when it is full, whatever the order things are said in."""

from __future__ import annotations

import tempfile
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from chronocast.forecast.band import Band
from chronocast.forecast.room import Room, Taking, runs_out
from chronocast.forecast.stage import Stage, Work
from chronocast.model.stages import ENCODE
from chronocast.preparation.forecast.room_through import rooms_through
from chronocast.preparation.station.drives import room_on
from chronocast.schedule.clock import Finish


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


class Evening(unittest.TestCase):
    """Three files of which two go one after another into a folder, with pieces and base pieces on the same drive."""

    def rooms(self, free: int) -> tuple[Room, ...]:
        folder = Path(tempfile.mkdtemp())
        asks, outputs = [], []
        for name, picture, bases in (("Reef", None, 0), ("Kelp", (60, 40), 500), ("Tide", (50, 50), 0)):
            open_ = (True, False) if picture else ()
            asked = SimpleNamespace(pieces=picture) if picture else None
            asks.append(SimpleNamespace(picture=asked, open=open_, copies=(), base_bytes=bases))
            outputs.append(SimpleNamespace(path=folder / f"{name}.mov", searching=False))
        stages = (Stage(ENCODE, "here", ("a",), np.ones((1, 10))),)
        works = (Work("Reef", stages), Work("Kelp", stages), Work("Tide", ()))
        told = SimpleNamespace(bytes=np.repeat([[100.0], [1000.0], [7.0]], 10, axis=1), work=works)
        finishes = [
            Finish(work.output, np.full(10, 20.0 * n), np.full(10, 20.0 * n + 20), "here", 0)
            for n, work in enumerate(works)
        ]
        with mock.patch(
            "chronocast.preparation.forecast.room_through.room_on",
            lambda at, needs, what: Room(str(at), free, needs, what),
        ):
            stock = SimpleNamespace(folder=folder / "stock")
            return rooms_through(outputs, asks, told, finishes, stock=stock, target=folder)  # type: ignore[arg-type]

    def test_files_pieces_and_base_pieces_are_all_that_is_needed(self) -> None:
        (room,) = self.rooms(10**6)
        # the files of the two that aren't made, all pieces of one and three fifths of the other's, its base pieces
        self.assertEqual(room.needs.likely, 1100 + 100 + 600 + 500)
        self.assertEqual(
            (room.purpose, room.fit, room.runs_out, room.remedies), ("files and pieces", "fits", None, ())
        )

    def test_it_is_full_while_that_file_is_made_whose_bytes_no_longer_fit(self) -> None:
        (room,) = self.rooms(1000)
        assert room.runs_out is not None
        self.assertEqual((room.fit, room.runs_out.output, room.runs_out.chance), ("short", "Kelp.mov", 1.0))
        # 200 of the first, 500 of base pieces, then a quarter of 600 at each fifth of its 20 seconds
        self.assertAlmostEqual(room.runs_out.after.likely, 20 + 0.6 * 20)
        self.assertIn("“Kelp.mov”", room.remedies[0])


class Looks(unittest.TestCase):
    def test_many_that_look_at_one_folder_at_once_all_find_that_it_can_be_written(self) -> None:
        """A forecast that is being made, and a run that begins."""
        folder = Path(tempfile.mkdtemp())
        with ThreadPoolExecutor(8) as pool:
            found = list(pool.map(lambda _: room_on(folder, Band(1, 1, 1)).writable, range(2000)))
        self.assertTrue(all(found))
        self.assertEqual(list(folder.iterdir()), [])
