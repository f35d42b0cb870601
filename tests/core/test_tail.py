"""The end of a run: pieces that are halved for it, and what slots that stand idle are forecast to bring."""

from __future__ import annotations

import os
import unittest
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from chronocast.forecast.stage import Stage, Work
from chronocast.journal.documents import load_batch
from chronocast.journal.workspace import Workspace
from chronocast.media.source.inspect import inspect_clip
from chronocast.model.stages import CHECK, ENCODE, HERE
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.halves import halves, worth_halving
from chronocast.pieces.plan import plan_output
from chronocast.preparation.output.prepare import prepare
from chronocast.schedule.clock import simulate
from chronocast.timeline.clip_layout import clip_cut_list
from tests.footage import clip, folder
from tests.runs import HEAVY, QUICK, small_batch

costs = st.lists(st.floats(1, 500), min_size=1, max_size=12)


def end(costs: list[float], halved: list[int], slots: int) -> float:
    """When the last of some pieces ends whose work is what their lengths say."""
    free = [0.0] * slots
    for number, cost in enumerate(costs):
        for part in (cost / 2, cost / 2) if number in halved else (cost,):
            free[free.index(min(free))] += part
    return max(free)


class Halving(unittest.TestCase):
    @given(costs, st.integers(1, 8))
    def test_only_the_last_that_can_be_are_cut_and_never_to_no_end(
        self, costs: list[float], slots: int
    ) -> None:
        can = [number % 3 != 1 for number in range(len(costs))]
        chosen = worth_halving(costs, can, slots)
        able = [number for number, yes in enumerate(can) if yes]
        self.assertEqual(chosen, able[len(able) - len(chosen) :])
        if slots == 1:
            self.assertEqual(chosen, [])

    def test_a_film_of_three_pieces_ends_sooner_on_two_slots(self) -> None:
        three = [193.0, 207.0, 225.0]
        chosen = worth_halving(three, [True] * 3, 2)
        self.assertEqual(chosen, [2])
        self.assertLess(end(three, chosen, 2), 0.8 * end(three, [], 2))
        self.assertEqual(worth_halving(three, [True] * 3, 16), [0, 1, 2])

    def test_the_halves_show_what_the_piece_shows_and_are_the_same_wherever_they_are_worked_out(self) -> None:
        film = clip(folder() / "film.mp4", 3, 430, sound=False)
        cut = clip_cut_list(inspect_clip(str(film)))
        for part in (FrameRange(0, 430), FrameRange(30, 430)):
            plan = plan_output(cut, part, HEAVY)
            for piece in plan.pieces:
                halved = halves(piece, {})
                self.assertEqual(sum(job.frames for job in halved), piece.frames)
                shown = [layer.start for job in halved for span in job.spans for layer in span.layers]
                self.assertEqual(shown, sorted(shown))
                self.assertEqual(
                    len({job.name for job in (piece, *halved)}), 1 + len(halved) if len(halved) > 1 else 1
                )
                self.assertTrue(all(job.frames >= 50 for job in halved), "none is shorter than two seconds")
        whole, later = (plan_output(cut, FrameRange(a, 430), HEAVY).pieces[-1] for a in (0, 200))
        self.assertEqual(halves(whole, {}), halves(later, {}), "a cut before it moves nothing")


class Planned(unittest.TestCase):
    def test_the_pieces_of_a_film_are_the_same_whatever_the_slots_and_whatever_is_made(self) -> None:
        path = small_batch(folder(), 1, 650, (HEAVY, QUICK), size=(256, 144), sound=False)
        found = []
        for slots in ("1", "2", "16"):
            with mock.patch.dict(os.environ, CHRONOCAST_SLOTS=slots):
                workspace = Workspace()
                ready = prepare(load_batch(path), path.parent, workspace).outputs
                found.append([piece.name for item in ready for piece in item.plan.pieces])
            piece = ready[0].plan.pieces[-1]
            place = workspace.stock.temporary(piece.name, "1")
            place.write_bytes(b"made")
            workspace.stock.keep(place, piece.name, {})
        self.assertEqual(found[0], found[1])
        self.assertEqual(found[0], found[2])
        heavy, quick = ([piece.frames for piece in item.plan.pieces] for item in ready)
        self.assertEqual(heavy, quick, "recipes of one source are cut alike")
        self.assertEqual(sum(heavy), 650)
        self.assertEqual(len(heavy), 5, "of four one is cut")


def work(name: str, seconds: list[float], hands: int, check: float = 0.0, draws: int = 1) -> Work:
    """An output whose pieces take that long, on one slot each."""
    times = np.array([[value] * draws for value in seconds])
    stages = [Stage(ENCODE, HERE, tuple(f"{name} {n}" for n in range(len(seconds))), times, hands=hands)]
    if check:
        stages.append(Stage(CHECK, HERE, (name,), np.full((1, draws), check), hands=2))
    return Work(name, tuple(stages))


class Idle(unittest.TestCase):
    def test_the_last_piece_takes_the_slot_that_came_free(self) -> None:
        (alone,) = simulate([work("a", [10.0, 4.0], 1)], {HERE: 2}, 1)
        self.assertEqual(float(alone.end[0]), 10.0)
        (helped,) = simulate([work("a", [10.0, 4.0], 2)], {HERE: 2}, 1)
        self.assertAlmostEqual(float(helped.end[0]), 4 + 6 / 1.8, places=6)

    def test_a_check_that_is_all_that_is_left_is_shared(self) -> None:
        (made,) = simulate([work("a", [6.0, 6.0], 1, check=9.0)], {HERE: 2}, 1)
        self.assertAlmostEqual(float(made.end[0]), 6 + 9 / 1.8, places=6)

    def test_nothing_is_gained_while_every_slot_is_at_work_or_where_there_is_one(self) -> None:
        for slots, ends in ((2, [5.0, 5.0]), (1, [5.0, 10.0])):
            made = simulate([work("a", [5.0], 2), work("b", [5.0], 2)], {HERE: slots}, 1)
            self.assertEqual([float(finish.end[0]) for finish in made], ends)

    @given(st.lists(costs, min_size=1, max_size=5), st.integers(1, 5), st.integers(1, 3))
    def test_help_makes_nothing_later_and_nobody_does_more_than_all_slots_can(
        self, outputs: list[list[float]], slots: int, hands: int
    ) -> None:
        def ends(with_hands: int) -> np.ndarray:  # type: ignore[type-arg]
            works = [work(str(n), seconds, with_hands, draws=2) for n, seconds in enumerate(outputs)]
            return np.array([finish.end for finish in simulate(works, {HERE: slots}, 2)])

        alone, helped = ends(1), ends(hands)
        self.assertTrue((helped <= alone + 1e-6).all())
        least = sum(sum(seconds) for seconds in outputs) / slots
        self.assertTrue((helped.max(axis=0) >= least - 1e-6).all())
        self.assertEqual(
            np.argsort(alone[:, 0], kind="stable").tolist(), np.argsort(helped[:, 0], kind="stable").tolist()
        )
