"""One common quality for a whole output: the search meets its rate in a few rounds, whatever the picture."""

from __future__ import annotations

import unittest
from math import exp

from hypothesis import given
from hypothesis import strategies as st

from chronocast.pieces.rounds import (
    BEST,
    MOST_ROUNDS,
    TOLERANCE,
    WORST,
    Made,
    Rounds,
    after_an_edit,
    first_quality,
    remaining_encodes,
    sample,
    settle,
)


class World:
    """Pieces whose bytes fall with quality, each by a slope of its own that bends."""

    def __init__(self, hardness: list[float], bend: float) -> None:
        self.hardness, self.bend = hardness, bend

    def size(self, piece: int, quality: float) -> int:
        hard = self.hardness[piece]
        slope = 0.095 + 0.05 * (hard % 1)
        return max(
            1, round(200_000 * hard * exp(-slope * (quality - 20) - self.bend * (quality - 20) ** 2 / 100))
        )


class Search(unittest.TestCase):
    @given(
        st.lists(st.floats(0.05, 6), min_size=1, max_size=40),
        st.floats(-0.05, 0.05),
        st.floats(0.1, 3),
        st.integers(12, 30),
    )
    def test_it_meets_the_rate_or_says_that_nothing_does(
        self, hardness: list[float], bend: float, wanted: float, first: int
    ) -> None:
        world = World(hardness, bend)
        target = sum(world.size(n, 22) for n in range(len(hardness))) * wanted
        rounds, frames = Rounds(quality=float(first)), [100] * len(hardness)
        count = 0
        while not rounds.settled and count < MOST_ROUNDS + 3:
            count += 1
            made = sample(len(hardness)) if rounds.sampling else range(len(hardness))
            step = settle(
                rounds,
                Made({n: world.size(n, rounds.quality) for n in made}, {}),
                frames,
                target_bytes=target,
            )
            rounds = step.rounds
            if rounds.settled:
                break
        self.assertTrue(rounds.settled)
        self.assertLessEqual(count, MOST_ROUNDS + 1)
        total = sum(world.size(n, rounds.quality) for n in range(len(hardness)))
        off = abs(total / target - 1)
        self.assertTrue(off <= TOLERANCE + 0.002 or rounds.at_best or rounds.missed, (off, rounds))
        self.assertEqual(rounds.off_allowed, 0.01, "it never widens")

    @given(st.lists(st.floats(0.2, 4), min_size=2, max_size=20), st.integers(0, 10_000))
    def test_where_bytes_jump_two_rounds_are_mixed_piece_by_piece(
        self, hardness: list[float], seed: int
    ) -> None:
        """A coarse encoder gives the same bytes for a stretch of qualities, then others: no one quality meets the rate."""
        world = World(hardness, 0.0)
        names = [f"p{n}" for n in range(len(hardness))]

        def size(n: int, quality: float) -> int:
            return world.size(n, float(round(quality * 2) / 2))

        target = 0.5 * sum(size(n, 22.0) + size(n, 22.5) for n in range(len(names)))
        rounds = Rounds(quality=18.0 + seed % 9)
        for _ in range(MOST_ROUNDS + 3):
            made = sample(len(names)) if rounds.sampling else range(len(names))
            rounds = settle(
                rounds,
                Made({n: size(n, rounds.quality) for n in made}, {}),
                [100] * len(names),
                target_bytes=target,
                shown=names,
            ).rounds
            if rounds.settled:
                break
        total = sum(size(n, rounds.quality_of(name)) for n, name in enumerate(names))
        self.assertTrue(rounds.missed or abs(total / target - 1) <= TOLERANCE, (total / target, rounds))
        if len(names) > 6 and max(hardness) < 3 * min(hardness):
            self.assertFalse(rounds.missed, rounds)
        spread = [rounds.quality_of(name) for name in names]
        self.assertLessEqual(max(spread) - min(spread), 0.75)

    def test_it_takes_two_or_three_rounds_as_a_rule(self) -> None:
        counts = []
        for seed in range(30):
            world = World([0.3 + (seed * 7 + n * 13) % 17 / 6 for n in range(12)], 0.01)
            target = sum(world.size(n, 23) for n in range(12)) * (0.5 + seed / 20)
            rounds = Rounds(quality=20.0)
            while not rounds.settled:
                made = sample(12) if rounds.sampling else range(12)
                rounds = settle(
                    rounds,
                    Made({n: world.size(n, rounds.quality) for n in made}, {}),
                    [100] * 12,
                    target_bytes=target,
                ).rounds
            counts.append(sum(item.whole for item in rounds.tried))
        self.assertLessEqual(sum(counts) / len(counts), 2.3)

    def test_after_an_edit_new_pieces_get_what_the_others_leave(self) -> None:
        world, names = World([1.0, 2.0, 0.5, 1.5, 1.0, 0.8], 0.0), [f"p{n}" for n in range(6)]
        target = float(sum(world.size(n, 23) for n in range(6)))
        rounds = Rounds(quality=23.0, settled=True, shown=tuple(names))
        frames = [100] * 6
        as_before = Made({n: world.size(n, 23) for n in range(6)}, {})
        self.assertIsNone(after_an_edit(rounds, as_before, frames, names, target))
        changed = [*names[:5], "new"]
        world.hardness[5] = 1.1
        for _ in range(4):
            sizes = {n: world.size(n, rounds.quality_of(name)) for n, name in enumerate(changed)}
            step = after_an_edit(rounds, Made(sizes, {}), frames, changed, target)
            if step is None:
                break
            rounds = step.rounds
        self.assertIsNone(step)
        self.assertTrue(rounds.settled and set(rounds.own) == {"new"})
        world.hardness[5] = 40.0
        harder = Made({n: world.size(n, 23) for n in range(6)}, {})
        anew = after_an_edit(
            Rounds(quality=23.0, settled=True, shown=tuple(names)), harder, frames, changed, target
        )
        self.assertTrue(anew and not anew.rounds.settled)

    def test_a_peak_that_holds_the_first_rounds_down_does_not_mislead_it(self) -> None:
        for seed in range(40):
            world = World([0.5 + (seed * 3 + n * 7) % 11 / 4 for n in range(1 + seed % 4)], 0.0)
            count = len(world.hardness)
            most = sum(world.size(n, 14 + seed % 9) for n in range(count))
            target = most * (0.35 + seed % 7 / 12)
            rounds, rounds_made = Rounds(quality=8.0), 0
            while not rounds.settled:
                sizes = {n: world.size(n, rounds.quality) for n in range(count)}
                held = min(1.0, most / sum(sizes.values()))  # what a peak does to all that would be larger
                sizes = {n: round(size * held) for n, size in sizes.items()}
                rounds = settle(rounds, Made(sizes, {}), [100] * count, target_bytes=target).rounds
                rounds_made += 1
            self.assertFalse(rounds.at_best or rounds.missed, (seed, rounds))
            self.assertLessEqual(rounds_made, MOST_ROUNDS)

    def test_where_it_begins_follows_the_rate(self) -> None:
        one = first_quality(3_000_000, 1280 * 720, 25)
        self.assertLess(first_quality(6_000_000, 1280 * 720, 25), one)
        self.assertGreater(one, BEST)
        self.assertLess(first_quality(10_000, 3840 * 2160, 60), WORST)

    def test_what_is_left_is_less_the_further_it_is(self) -> None:
        self.assertGreater(remaining_encodes(None, 20), 2)
        self.assertEqual(remaining_encodes(Rounds(quality=20, settled=True), 20), 1.0)


PEAK = 300_000
"""What the peak allows a piece of the held world."""


class HeldDown(unittest.TestCase):
    """Smaller than asked at the best quality: easy pictures, or a peak that keeps them down?"""

    def search(self, hardness: list[float], target: float, peak: float | None = PEAK) -> Rounds:
        """Rounds over pieces that an encoder keeps under a peak: its quantizer rises as it has to."""
        world, count = World(hardness, 0.0), len(hardness)
        rounds = Rounds(quality=BEST)
        for _ in range(MOST_ROUNDS + 3):
            free = {n: world.size(n, rounds.quality) for n in range(count)}
            sizes = {n: min(size, round(PEAK * 0.9)) if peak else size for n, size in free.items()}
            quantizers = {n: rounds.quality + 8 * (free[n] / sizes[n] - 1) for n in free}
            names = [f"p{n}" for n in range(count)]
            allowed = peak * count if peak else None
            rounds = settle(
                rounds,
                Made(sizes, quantizers),
                [100] * count,
                target_bytes=target,
                shown=names,
                peak_bytes=allowed,
            ).rounds
            if rounds.settled:
                break
        self.assertTrue(rounds.settled)
        return rounds

    def test_pictures_that_a_peak_holds_under_their_rate_are_said_to_miss_it(self) -> None:
        rounds = self.search([2.0, 3.0, 2.5], target=PEAK * 3 * 0.97)
        self.assertIn("the peak holds its pictures down", rounds.missed)
        self.assertEqual(rounds.had, round(PEAK * 0.9) * 3)

    def test_easy_pictures_under_a_peak_are_as_good_as_they_can_be(self) -> None:
        for hardness in (
            [0.02, 0.03, 0.01],
            [0.2, 0.25, 0.2],
        ):  # far below the peak, and well within reach of it
            rounds = self.search(hardness, target=PEAK * 3 * 0.97)
            self.assertTrue(rounds.at_best and not rounds.missed, rounds)

    def test_hard_pictures_that_get_their_rate_and_easy_ones_that_cannot_use_it_are_no_miss(self) -> None:
        rounds = self.search([4.0, 0.05, 0.02], target=PEAK * 3 * 0.6)
        self.assertTrue(rounds.at_best and not rounds.missed, rounds)

    def test_hard_pictures_held_under_their_rate_beside_easy_ones_are_a_miss(self) -> None:
        rounds = self.search([4.0, 0.05, 0.02], target=PEAK * 3 * 0.97)
        self.assertTrue(rounds.missed, rounds)

    def test_without_a_peak_nothing_is_held(self) -> None:
        self.assertTrue(self.search([0.2, 0.3], target=10 * PEAK, peak=None).at_best)

    def test_pieces_made_smaller_for_a_peak_afterwards_are_looked_at_again(self) -> None:
        easy = self.search([0.2, 0.25, 0.2], target=PEAK * 3 * 0.97)
        last = next(item for item in easy.tried if item.quality == BEST)
        shown, frames = easy.shown, [100] * 3
        same = Made(last.made, last.quantizers)
        self.assertIsNone(after_an_edit(easy, same, frames, shown, PEAK * 3 * 0.97))
        squeezed = Made(
            {n: size // 2 for n, size in last.made.items()}, {n: q + 6 for n, q in last.quantizers.items()}
        )
        step = after_an_edit(easy, squeezed, frames, shown, PEAK * 3 * 0.97)
        self.assertTrue(step and step.rounds.missed)
        other = after_an_edit(easy, same, frames, [*shown[:2], "new"], PEAK * 3 * 0.97)
        self.assertTrue(other and not other.rounds.settled, "new pictures may use more")
