"""The forecast's mathematics: bands, learning, the simulated clock."""

from __future__ import annotations

import itertools
import unittest
from math import exp, log

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.crew.local.calibrate import Timed, load_while
from chronocast.forecast.band import Band, Chance, band
from chronocast.forecast.learn import Belief, update
from chronocast.forecast.priors import size_prior
from chronocast.forecast.room import Room, reserve_on
from chronocast.forecast.size import PictureAsk, belief, container_bytes, picture_bytes
from chronocast.forecast.work import SUPPLIED_PACE, Load, Pace, PieceAsk, encode_belief, piece_seconds
from chronocast.media.encoders.registry import ENCODERS
from chronocast.model.recipe.recipe import PictureRecipe, RateControl
from chronocast.preparation.outlook import experience
from chronocast.preparation.station.pace import load_of
from chronocast.schedule.clock import Work, simulate, typical_spans


def ask(
    mode: str = "variable",
    kept: list[int | None] | None = None,
    seen: dict[str, tuple[float, ...]] | None = None,
    pieces: int = 5,
    quality: float = 20.0,
    film: str = "reef",
) -> PictureAsk:
    control = RateControl(
        mode=mode, target_bits_per_second=3_000_000, peak_bits_per_second=6_000_000, quality=quality
    )
    prior = size_prior(PictureRecipe(rate_control=control), 1280 * 720, 25.0)
    return PictureAsk(f"o {film}", "f", prior, [200] * pieces, kept or [None] * pieces, seen or {}, film)


class Size(unittest.TestCase):
    def test_a_target_is_an_upper_prior(self) -> None:
        told = band(picture_bytes(ask(), Chance()))
        by_rate = 3e6 * 40 / 8
        self.assertLess(told.likely, by_rate)
        self.assertGreater(told.likely, by_rate * 0.7)
        self.assertLessEqual(told.safe, by_rate * 1.08)

    def test_two_passes_and_a_constant_rate_are_known_before(self) -> None:
        by_rate = 3e6 * 40 / 8
        for mode in ("two pass", "constant"):
            told = band(picture_bytes(ask(mode), Chance()))
            self.assertLess(abs(told.likely / by_rate - 1), 0.01, mode)
            self.assertLess(told.safe / told.p10, 1.05, mode)

    def test_kept_pieces_are_exact(self) -> None:
        told = band(picture_bytes(ask(kept=[1000, 2000, 3000, 4000, 5000]), Chance()))
        self.assertEqual((told.p10, told.likely, told.safe), (15000, 15000, 15000))

    def test_own_pieces_narrow_and_shift_the_band(self) -> None:
        chance = Chance()
        blind = band(picture_bytes(ask("quality"), chance))
        one = 200 * 1280 * 720 * 0.02 / 8
        wise = band(picture_bytes(ask("quality", kept=[int(one)] * 3 + [None] * 2), chance))
        self.assertLess(wise.safe / wise.p10, blind.safe / blind.p10)
        self.assertLess(abs(wise.likely / (one * 5) - 1), 0.35)

    def test_the_ledger_s_experience_moves_the_belief(self) -> None:
        before, after = belief(ask()), belief(ask(seen={"reef": (0.5,) * 30}))
        self.assertLess(after.mean, before.mean)
        self.assertLess(abs(exp(after.mean) - 0.5), 0.08)

    def test_what_one_film_took_is_not_sure_of_the_next(self) -> None:
        seen = {"reef": (0.4,) * 30}
        blind, same = belief(ask("quality")), belief(ask("quality", seen=seen))
        other = belief(ask("quality", seen=seen, film="kelp"))
        self.assertLess(same.sd, 0.4 * blind.sd)
        self.assertGreater(other.sd, 0.8 * blind.sd, "another film may take far more")
        many = {f"film {n}": (0.4 + n * 0.02,) * 30 for n in range(8)}
        self.assertLess(belief(ask("quality", seen=many, film="kelp")).sd, other.sd)

    def test_fifty_outputs_are_no_surer_than_the_error_they_share(self) -> None:
        """In a world where the prior's error is common to all and films differ, P10 to P90 of the sum holds the truth."""
        asks = [ask("quality", film=f"film {n}") for n in range(50)]
        told = belief(asks[0])
        total = band(np.sum([picture_bytes(one, Chance()) for one in asks], axis=0))
        weight = asks[0].prior.bytes_a_frame * 200
        dice = np.random.default_rng(5)
        inside = 0
        for _ in range(400):
            common = told.mean + told.common * dice.standard_normal()
            films = common + told.own * dice.standard_normal(50)
            pieces = np.exp(films[:, None] + 0.8 * told.spread * dice.standard_normal((50, 5)))
            inside += total.p10 <= weight * pieces.sum() <= total.safe
        self.assertTrue(0.70 <= inside / 400 <= 0.90, inside / 400)

    def test_a_step_of_quality_is_a_twelfth_of_a_doubling(self) -> None:
        better = ask("quality", quality=14.0)
        self.assertAlmostEqual(
            band(picture_bytes(better, Chance())).likely
            / band(picture_bytes(ask("quality"), Chance())).likely,
            2.0,
            6,
        )

    def test_containers_cost_by_the_packet(self) -> None:
        self.assertGreater(container_bytes("mp4", 1000, 1000), container_bytes("mp4", 1000, 0))
        measured = {
            "mp4": (1000, 1876, 30_908, False),
            "mkv": (1000, 0, 7_814, False),
            "mxf": (1000, 1000, 1_060_399, True),
        }
        for box, (frames, packets, found, whole) in measured.items():
            self.assertLess(
                abs(container_bytes(box, frames, packets, 40.0, whole=whole) / found - 1), 0.15, box
            )


class Loads(unittest.TestCase):
    def test_what_others_take_stretches_and_widens_and_is_not_learned(self) -> None:
        quiet, busy = band(Load().draws(Chance())), band(Load(3.0).draws(Chance()))
        self.assertLess(quiet.safe, 1.2)
        self.assertGreater(busy.likely, 2.0)
        self.assertGreater(busy.safe / busy.p10, 2.0)
        row = {"target": 0, "bytes": 1, "pixels": 10e6, "cpu_seconds": 1.0, "wall_seconds": 4.0}
        self.assertEqual(experience({"pace:x": [row]}).pace["x"], [0.1], "by the processor, not by the clock")

    def test_a_busy_minute_makes_a_calibration_say_less_and_not_that_the_machine_is_slow(self) -> None:
        jobs = [Timed(4.0, 1.0), Timed(4.4, 1.1)]
        self.assertGreater(load_while(jobs), 2.5)
        self.assertLess(load_while([Timed(1.02, 1.0)]), 0.05)
        quiet, busy = Pace(encode=0.1, calibrated=True), Pace(encode=0.1, calibrated=True, load=3.0)
        self.assertGreater(encode_belief(busy, 1.0, ()).sd, encode_belief(quiet, 1.0, ()).sd)
        self.assertEqual(encode_belief(busy, 1.0, ()).mean, encode_belief(quiet, 1.0, ()).mean)

    def test_the_share_of_cores_that_others_use_becomes_a_stretch(self) -> None:
        self.assertEqual(load_of(0.0, 2, 2).stretch, 1.0)
        self.assertEqual(load_of(0.5, 2, 2).stretch, 2.0)
        self.assertEqual(load_of(0.5, 1, 2).stretch, 1.0)


class Learning(unittest.TestCase):
    @given(st.lists(st.floats(0.1, 10), max_size=40), st.floats(0.1, 10))
    def test_a_belief_lies_between_its_prior_and_what_was_seen(self, seen: list[float], prior: float) -> None:
        told = update(Belief(log(prior), 0.5, 0.4), seen)
        centre = sum(log(v) for v in seen) / len(seen) if seen else log(prior)
        low, high = sorted((log(prior), centre))
        self.assertTrue(low - 1e-9 <= told.mean <= high + 1e-9)
        self.assertLessEqual(told.sd, 0.5)

    def test_many_values_of_one_film_are_not_many_films(self) -> None:
        few, many = (
            update(Belief(0, 0.5, 0.4), [1.3, 2.0, 3.0]),
            update(Belief(0, 0.5, 0.4), [1.3, 2.0, 3.0] * 100),
        )
        self.assertGreater(many.sd, 0.1)
        self.assertLess(many.sd, few.sd)


class Seconds(unittest.TestCase):
    def test_seconds_follow_pixels_effort_and_pace(self) -> None:
        def likely(effort: str, megapixels: float, pace: Pace = SUPPLIED_PACE) -> float:
            asks = [PieceAsk(megapixels, ENCODERS["libx264"].effort(effort), "p")]
            return band(piece_seconds(asks, pace, {}, Chance(), "o").sum(axis=0)).likely

        self.assertLess(likely("fast", 100), likely("medium", 100))
        self.assertLess(likely("medium", 100), likely("slow", 100))
        self.assertAlmostEqual(likely("medium", 400) / likely("medium", 100), 4, 1)
        self.assertAlmostEqual(
            likely("medium", 400, Pace(encode=0.02)) / likely("medium", 400, Pace(encode=0.04)), 0.5, 2
        )

    def test_errors_that_are_shared_do_not_cancel(self) -> None:
        asks = [PieceAsk(100, 1.0, "p")] * 60
        total = band(piece_seconds(asks, SUPPLIED_PACE, {}, Chance(), "o").sum(axis=0))
        self.assertGreater(total.safe / total.likely, 1.5)

    def test_measured_stations_are_known_better(self) -> None:
        asks = [PieceAsk(100, 1.0, "p")] * 10
        known = band(
            piece_seconds(asks, Pace(encode=0.08, calibrated=True), {"p": [0.08] * 20}, Chance(), "o").sum(
                axis=0
            )
        )
        blind = band(piece_seconds(asks, SUPPLIED_PACE, {}, Chance(), "o").sum(axis=0))
        self.assertLess(known.safe / known.p10, blind.safe / blind.p10)


def work(
    output: str, pieces: list[float], join: float = 0, check: float = 0, sound: float | None = None
) -> Work:
    one = np.ones(4)
    return Work(
        output,
        [f"{output}-{n}" for n in range(len(pieces))],
        np.array([one * s for s in pieces]).reshape(len(pieces), 4),
        one * sound if sound is not None else None,
        one * join,
        one * check,
        f"{output}-s",
    )


class Clock(unittest.TestCase):
    def test_known_answers(self) -> None:
        (one,) = simulate([work("a", [3, 3, 2], 1, 1)], 1, 4)
        self.assertEqual(one.end.tolist(), [10] * 4)
        (two,) = simulate([work("a", [3, 3, 2], 1, 1)], 2, 4)
        self.assertEqual(two.end.tolist(), [7] * 4)

    def test_a_later_output_fills_the_slot_an_earlier_one_leaves(self) -> None:
        first, second = simulate([work("a", [4, 2], 1, 1), work("b", [2], 1, 1)], 2, 4)
        self.assertEqual((first.end[0], second.end[0]), (6, 6))

    def test_what_is_wanted_twice_is_made_once(self) -> None:
        same = work("a", [5])
        other = Work("b", same.names, same.pieces, None, np.zeros(4), np.zeros(4))
        _, end = simulate([same, other], 1, 4)
        self.assertEqual(end.end[0], 5)

    @settings(max_examples=60)
    @given(
        st.lists(st.lists(st.floats(0.1, 20), min_size=1, max_size=6), min_size=1, max_size=5),
        st.integers(1, 4),
    )
    def test_no_schedule_beats_the_work_or_wastes_more_than_a_list_can(
        self, outputs: list[list[float]], slots: int
    ) -> None:
        works = [work(f"o{n}", pieces) for n, pieces in enumerate(outputs)]
        end = max(finish.end[0] for finish in simulate(works, slots, 4))
        total, longest = sum(map(sum, outputs)), max(map(max, outputs))
        self.assertGreaterEqual(end + 1e-9, max(total / slots, longest))
        self.assertLessEqual(end, total / slots + longest + 1e-9)

    @settings(max_examples=60)
    @given(
        st.lists(st.lists(st.floats(0.1, 20), min_size=1, max_size=6), min_size=1, max_size=5),
        st.integers(1, 4),
    )
    def test_a_slot_is_shown_doing_one_thing_at_a_time_and_all_of_the_work(
        self, outputs: list[list[float]], slots: int
    ) -> None:
        works = [work(f"o{n}", pieces, 1, 1) for n, pieces in enumerate(outputs)]
        finishes = simulate(works, slots, 4)
        spans = typical_spans(works, finishes, slots)
        for slot in range(slots):
            row = [span for span in spans if span.slot == slot]
            for before, after in itertools.pairwise(row):
                self.assertLessEqual(before.end, after.begin + 1e-9)
        self.assertLess({span.slot for span in spans}, set(range(slots + 1)))
        self.assertAlmostEqual(
            sum(span.end - span.begin for span in spans), sum(map(sum, outputs)) + 2 * len(outputs)
        )
        for finish in finishes:
            mine = [span.end for span in spans if span.output == finish.output]
            self.assertAlmostEqual(max(mine), float(np.median(finish.end)))


class DrawOfMany(unittest.TestCase):
    def test_the_spans_are_of_the_draw_nearest_to_the_likely_finishes(self) -> None:
        one = Work("a", ["p"], np.array([[1.0, 5.0, 9.0]]), None, np.zeros(3), np.zeros(3))
        (span,) = typical_spans([one], simulate([one], 1, 3), 1)
        self.assertEqual((span.begin, span.end), (0, 5))


class Rooms(unittest.TestCase):
    @given(st.integers(0, 10**13), st.integers(0, 10**12), st.floats(0, 1e13), st.floats(1, 3))
    def test_what_is_said_adds_up(self, free: int, reserve: int, likely: float, more: float) -> None:
        room = Room("d", free, Band(likely, likely, likely * more), "files", reserve)
        self.assertEqual(room.fits, likely * more <= room.usable)
        self.assertEqual(room.fit == "short", likely > room.usable)
        self.assertEqual(room.usable, max(0, free - reserve))
        self.assertEqual("left free on purpose" in room.told, bool(reserve))

    def test_a_small_drive_keeps_a_small_reserve(self) -> None:
        self.assertEqual(reserve_on(60_000_000, 500_000_000), 3_000_000)
        self.assertEqual(reserve_on(10**12, 500_000_000), 500_000_000)
        small = Room(
            "usb", 52_400_000, Band(14.6e6, 14.6e6, 16e6), "files", reserve_on(60_000_000, 500_000_000)
        )
        self.assertTrue(small.fits, "52.4 MB free and 14.6 MB needed fit")

    def test_a_drive_that_cannot_be_written_never_fits(self) -> None:
        room = Room("d", 10**12, Band(1, 1, 1), writable=False, why_not="Read-only file system")
        self.assertEqual((room.fit, room.fits), ("read-only", False))
        self.assertIn("Read-only file system", room.told)
