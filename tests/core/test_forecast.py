"""The forecast's mathematics: bands, learning, the simulated clock."""

from __future__ import annotations

import itertools
import tempfile
import unittest
from dataclasses import asdict, replace
from math import exp, log
from pathlib import Path
from typing import get_args

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.crew.local.calibrate import load_while
from chronocast.crew.local.jobs import Timed
from chronocast.crew.local.work import Worker
from chronocast.forecast.band import Band, Chance, band
from chronocast.forecast.container import container_bytes
from chronocast.forecast.learning.belief import Belief, update
from chronocast.forecast.learning.experience import PieceFact, StationSeen, learn_from
from chronocast.forecast.outputs import OutputAsk, forecast_outputs
from chronocast.forecast.picture.ask import PictureAsk
from chronocast.forecast.picture.measured import SECONDS_BY_BITS
from chronocast.forecast.picture.priors import size_prior, source_kind
from chronocast.forecast.picture.size import picture_bytes
from chronocast.forecast.room import Room, reserve_on
from chronocast.forecast.stage import Stage, Work
from chronocast.forecast.station import SUPPLIED_PACE, Load, Pace, Station
from chronocast.forecast.work import PRICES, EncodeAsk, PieceAsk, bits_pace, encode_belief, piece_seconds
from chronocast.journal.documents import save_json
from chronocast.journal.station.ledger import Ledger
from chronocast.journal.station.paces import PaceStore
from chronocast.media.encoders.registry import ENCODERS
from chronocast.model.messages.jobs import CheckJob, JoinJob, PieceJob, SoundJob
from chronocast.model.recipe.recipe import PictureRecipe, RateControl
from chronocast.model.stages import BASE, CHECK, COPY, ENCODE, HERE, JOIN, STAGES, StageKind
from chronocast.preparation.station.load import load_of
from chronocast.schedule.clock import Finish, finish_fan, simulate
from chronocast.schedule.placement import place_works


def ask(
    mode: str = "variable",
    kept: list[int | None] | None = None,
    pieces: int = 5,
    quality: float = 20.0,
    film: str = "reef",
    packets: float | None = None,
) -> PictureAsk:
    control = RateControl(
        mode=mode, target_bits_per_second=3_000_000, peak_bits_per_second=6_000_000, quality=quality
    )
    prior = size_prior(PictureRecipe(rate_control=control), 1280 * 720, 25.0)
    return PictureAsk(
        f"o {film} {mode}",
        f"{mode} {quality:g}",
        prior,
        [200] * pieces,
        kept or [None] * pieces,
        [f"{film} {n}" for n in range(pieces)],
        [None if packets is None else packets + 0.3 * (n % 3 - 1) for n in range(pieces)],
        source_kind("h264") if packets is not None else "",
        film,
    )


def made(
    film: str, factor: float, count: int = 5, mode: str = "quality", quality: float = 20.0
) -> list[PieceFact]:
    """Pieces of a film that came to a share of what was typical."""
    one = ask(mode, quality=quality)
    target = round(one.prior.bytes_a_frame * 200)
    return [
        replace(
            fact(),
            family=one.family,
            film=film,
            bytes=round(target * factor),
            target=target,
            kind=one.prior.kind,
            window=f"{film} {n}",
            rated=one.prior.rated,
        )
        for n in range(count)
    ]


def told(asks: list[PictureAsk], facts: list[PieceFact] | None = None) -> Band:
    """The band of the first output's bytes."""
    return band(picture_bytes(asks, Chance(), learn_from(facts or []))[0])


def basis(one: PictureAsk) -> float:
    """Bytes at a factor of one."""
    return one.prior.bytes_a_frame * sum(one.pieces)


def width(of: Band) -> float:
    return log(of.safe / of.p10)


def fact(
    station: str = HERE, cpu_seconds: float = 1.0, wall_seconds: float = 1.0, time: float = 0.0
) -> PieceFact:
    bits = round(10_000_000 * exp(SECONDS_BY_BITS[""][1]) / 8)
    return PieceFact(
        "f", "x", "reef", 10, 10_000_000, 0.4, bits, 0, cpu_seconds, wall_seconds, station, time=time
    )


def seconds(asks: list[PieceAsk], pace: Pace = SUPPLIED_PACE, seen: StationSeen | None = None) -> Band:
    whole = {"o": EncodeAsk("reef", asks)}
    return band(piece_seconds(whole, pace, seen or StationSeen(), Chance())["o"].sum(axis=0))


class Size(unittest.TestCase):
    def test_a_target_is_an_upper_prior(self) -> None:
        by_rate = 3e6 * 40 / 8
        found = told([ask()])
        self.assertTrue(by_rate * 0.7 < found.likely < by_rate)
        self.assertLessEqual(found.safe, by_rate * 1.08)

    def test_a_rate_that_is_searched_for_or_filled_is_known_before(self) -> None:
        by_rate = 3e6 * 40 / 8
        for mode in ("two pass", "constant"):
            hard = made("reef", 3.0, quality=23.0)
            found = told([ask(mode)], hard)
            self.assertLess(abs(found.likely / by_rate - 1), 0.03, mode)
            self.assertLess(found.safe / found.p10, 1.12, mode)

    def test_pictures_that_cannot_use_a_rate_take_what_they_can(self) -> None:
        flat = made("reef", 0.01)
        for mode in ("variable", "two pass"):
            blind, found = told([ask(mode)]), told([ask(mode)], flat)
            self.assertLess(found.likely, 0.3 * blind.likely, mode)

    def test_kept_pieces_are_exact(self) -> None:
        found = told([ask(kept=[1000, 2000, 3000, 4000, 5000])])
        self.assertEqual((found.p10, found.likely, found.safe), (15000, 15000, 15000))

    def test_own_pieces_narrow_and_shift_the_band(self) -> None:
        one = 200 * 1280 * 720 * 0.02 / 8
        blind, wise = told([ask("quality")]), told([ask("quality", kept=[int(one)] * 3 + [None] * 2)])
        self.assertLess(width(wise), 0.5 * width(blind))
        self.assertLess(abs(wise.likely / (one * 5) - 1), 0.35)

    def test_another_recipe_of_the_same_film_says_most_of_it(self) -> None:
        blind = told([ask("quality")])
        sibling = told([ask("quality")], made("reef", 2.5, quality=26.0))
        stranger = told([ask("quality")], made("kelp", 2.5, quality=26.0))
        self.assertTrue(2.1 < sibling.likely / basis(ask("quality")) < 2.9)
        self.assertLess(width(sibling), 0.35 * width(blind))
        self.assertTrue(1.0 < stranger.likely / blind.likely < 1.5, "one film says little of the next")
        self.assertGreater(width(stranger), 0.8 * width(blind))

    def test_many_films_say_what_is_usual(self) -> None:
        facts = [item for n in range(12) for item in made(f"film {n}", 1.6 + 0.05 * n)]
        blind, wise = told([ask("quality")]), told([ask("quality")], facts)
        self.assertTrue(1.4 < wise.likely / basis(ask("quality")) < 2.4)
        self.assertLess(width(wise), width(blind))

    def test_a_dense_source_makes_a_large_file_and_less_doubt(self) -> None:
        blind, dense, thin = told([ask("quality")]), *(told([ask("quality", packets=x)]) for x in (0.5, -4.5))
        self.assertGreater(dense.likely, blind.likely)
        self.assertLess(thin.likely, blind.likely)
        self.assertLess(width(dense), width(blind))

    def test_a_source_that_a_rate_held_says_nothing(self) -> None:
        one = ask("quality", packets=0.5)
        even = replace(one, packets=[0.5, 0.51, 0.5, 0.49, 0.5])
        self.assertEqual(told([even]), told([ask("quality")]))
        self.assertNotEqual(told([one]), told([ask("quality")]))

    def test_pieces_in_two_passes_say_nothing_of_the_rate_that_the_whole_meets(self) -> None:
        whole = basis(ask("two pass"))
        half = [int(whole / 5 * 2.5), None, None, int(whole / 5 * 0.4), None]
        self.assertLess(abs(told([ask("two pass", kept=half)]).likely / whole - 1), 0.01)

    @settings(max_examples=40, deadline=None)
    @given(
        st.integers(100, 60_000), st.integers(101, 200), st.sampled_from(["variable", "two pass", "constant"])
    )
    def test_more_rate_is_never_fewer_bytes(self, kbits: int, percent: int, mode: str) -> None:
        def at(bits: int) -> PictureAsk:
            control = RateControl(mode=mode, target_bits_per_second=bits * 1000)
            prior = size_prior(PictureRecipe(rate_control=control), 1280 * 720, 25.0)
            return PictureAsk("o", "f", prior, [200] * 3, [None] * 3, film="reef")

        less, more = told([at(kbits)]), told([at(kbits * percent // 100 + 1)])
        self.assertLessEqual(less.likely, more.likely * 1.000001)
        self.assertLessEqual(less.safe, more.safe * 1.000001)

    def test_a_step_of_quality_is_a_twelfth_of_a_doubling(self) -> None:
        better = replace(ask("quality", quality=14.0), family=ask("quality").family)
        self.assertAlmostEqual(
            told([better]).likely / told([ask("quality")]).likely,
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
                abs(container_bytes(box, frames, packets, seconds=40.0, whole=whole) / found - 1), 0.15, box
            )


class Loads(unittest.TestCase):
    def test_what_others_take_stretches_and_widens_and_is_not_learned(self) -> None:
        quiet, busy = band(Load().draws(Chance())), band(Load(3.0).draws(Chance()))
        self.assertLess(quiet.safe, 1.2)
        self.assertGreater(busy.likely, 2.0)
        self.assertGreater(busy.safe / busy.p10, 2.0)
        taught = learn_from([fact(cpu_seconds=1.0, wall_seconds=4.0)])
        (log_seconds,) = taught.stations[HERE].paces["x"].seconds
        self.assertAlmostEqual(exp(log_seconds), 0.1, msg="by the processor, not by the clock")

    def test_the_same_pieces_read_again_are_the_same_experience(self) -> None:
        """By that it is known that what was worked out with it still holds."""
        facts = [fact(time=1000.0 + n) for n in range(12)]
        self.assertEqual(learn_from(facts, 1e6), learn_from(facts, 2e6))
        self.assertNotEqual(learn_from(facts, 1e6), learn_from(facts[1:], 1e6))

    def test_a_busy_minute_never_teaches_that_a_machine_is_slow(self) -> None:
        """The same work by the processor, four times as long by the clock: the forecast of tomorrow is the same."""
        quiet = learn_from([fact(cpu_seconds=1.0, wall_seconds=1.1)] * 20)
        busy = learn_from([fact(cpu_seconds=1.0, wall_seconds=4.4)] * 20)
        asks = [PieceAsk("p", 100, 1.0, "x")]
        self.assertEqual(seconds(asks, seen=quiet.stations[HERE]), seconds(asks, seen=busy.stations[HERE]))

    def test_a_station_that_is_slow_just_now_is_forecast_so_and_forgiven_later(self) -> None:
        usual = [fact(cpu_seconds=1.0, time=1000.0)] * 30
        slow = [fact(cpu_seconds=1.4, time=9990.0)] * 4
        asks = [PieceAsk("p", 100, 1.0, "x")]
        now, later = (learn_from([*slow, *usual], at).stations[HERE] for at in (10_000.0, 100_000.0))
        self.assertGreater(now.state, 0.1)
        self.assertEqual(later.state, 0.0)
        self.assertGreater(seconds(asks, seen=now).likely, 1.08 * seconds(asks, seen=later).likely)

    def test_a_busy_minute_makes_a_calibration_say_less_and_not_that_the_machine_is_slow(self) -> None:
        jobs = [Timed(4.0, 1.0), Timed(4.4, 1.1)]
        self.assertGreater(load_while(jobs), 2.5)
        self.assertLess(load_while([Timed(1.02, 1.0)]), 0.05)
        quiet, busy = Pace(encode=0.1, calibrated=True), Pace(encode=0.1, calibrated=True, load=3.0)
        one = PieceAsk("p", 10, 1.0, "x")
        known, doubted = (encode_belief(pace, one, None, "reef") for pace in (quiet, busy))
        self.assertGreater(doubted.sd, known.sd)
        self.assertEqual(doubted.mean, known.mean)

    def test_a_piece_with_more_to_show_takes_longer_than_another_of_its_output(self) -> None:
        still, busy = (
            PieceAsk("a", 100, 1.0, "libx264", busier=-1.0),
            PieceAsk("b", 100, 1.0, "libx264", busier=1.0),
        )
        drawn = piece_seconds({"o": EncodeAsk("reef", [still, busy])}, Pace(), StationSeen(), Chance())["o"]
        slope = bits_pace("libx264").slope
        self.assertAlmostEqual(float(np.log(np.median(drawn[1]) / np.median(drawn[0]))), 2 * slope, delta=0.1)

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
            asks = [PieceAsk("p", megapixels, ENCODERS["libx264"].effort(effort), "p")]
            return seconds(asks, pace).likely

        self.assertLess(likely("fast", 100), likely("medium", 100))
        self.assertLess(likely("medium", 100), likely("slow", 100))
        self.assertAlmostEqual(likely("medium", 400) / likely("medium", 100), 4, 1)
        self.assertAlmostEqual(
            likely("medium", 400, Pace(encode=0.02)) / likely("medium", 400, Pace(encode=0.04)), 0.5, 2
        )

    def test_errors_that_are_shared_do_not_cancel(self) -> None:
        total = seconds([PieceAsk("p", 100, 1.0, "p")] * 60)
        self.assertGreater(total.safe / total.likely, 1.5)

    def test_measured_stations_are_known_better(self) -> None:
        asks = [PieceAsk("p", 100, 1.0, "p")] * 10
        taught = learn_from([replace(fact(cpu_seconds=0.8), pace="p")] * 20).stations[HERE]
        known = seconds(asks, Pace(encode=0.08, calibrated=True), taught)
        blind = seconds(asks)
        self.assertLess(known.safe / known.p10, blind.safe / blind.p10)

    def test_outputs_together_are_what_they_are_alone(self) -> None:
        """The arrays hold many outputs; none of them changes another."""
        asks = {
            f"o{n}": EncodeAsk(f"film {n}", [PieceAsk(f"p{n}{m}", 50.0 + m, 1.0, "p") for m in range(n)])
            for n in range(4)
        }
        many = piece_seconds(asks, SUPPLIED_PACE, StationSeen(), Chance())
        for output, group in asks.items():
            alone = piece_seconds({output: group}, SUPPLIED_PACE, StationSeen(), Chance())[output]
            self.assertEqual(many[output].shape, (len(group.pieces), Chance().draws))
            np.testing.assert_allclose(many[output], alone)
        three = [ask(film=f"film {n}", pieces=n + 1) for n in range(3)]
        np.testing.assert_allclose(
            picture_bytes(three, Chance()), np.concatenate([picture_bytes([one], Chance()) for one in three])
        )

    def test_each_kind_of_work_has_a_price_a_doer_and_a_job(self) -> None:
        self.assertEqual({BASE, ENCODE, COPY, *PRICES}, set(STAGES.values()))
        self.assertEqual(set(Worker(lambda **_: None)._doers), set(STAGES))
        kinds = (job.model_fields["kind"].annotation for job in (PieceJob, SoundJob, JoinJob, CheckJob))
        jobs = {name for kind in kinds for name in get_args(kind)}
        self.assertEqual(jobs, set(STAGES))

    def test_a_station_is_forecast_by_its_own_pace_and_its_own_experience(self) -> None:
        learned = learn_from([fact(station="far", cpu_seconds=9.0)] * 30)
        one = OutputAsk("o", "mp4", 100, 4.0, 100.0, None, None, (PieceAsk("p", 10, 1.0, "x"),), (True,))
        here = forecast_outputs([one], Station(HERE, Pace(encode=0.1)), learned, Chance())
        far = forecast_outputs([one], Station("far", Pace(encode=0.1)), learned, Chance())
        encode = [told.work[0].stages[0] for told in (here, far)]
        self.assertEqual([stage.station for stage in encode], [HERE, "far"])
        self.assertGreater(band(encode[1].seconds).likely, 5 * band(encode[0].seconds).likely)

    def test_a_long_film_does_not_hide_what_others_took(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            ledger = Ledger(Path(folder) / "ledger.sqlite")
            for film, count in (("old", 3), ("older", 3), ("long", 260)):
                for number in range(count):
                    one = replace(fact(cpu_seconds=2.0 if film == "long" else 1.0), film=film)
                    ledger.add_piece(replace(one, family=film, window=f"{film} {number}"))
            facts = ledger.pieces()
            ledger.close()
        seen, alone = (
            learn_from(told).stations[HERE].paces["x"]
            for told in (facts, [one for one in facts if one.film == "long"])
        )
        self.assertEqual(set(seen.films), {"long", "old", "older"})
        self.assertLess(seen.films.count("long"), 20)
        ask = PieceAsk("", 1.0, 1.0, "x")
        of_all, of_one = (encode_belief(SUPPLIED_PACE, ask, told, "new").mean for told in (seen, alone))
        self.assertLess(of_all, of_one, "two of three films were quicker")

    def test_what_a_station_taught_is_kept_apart(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            ledger = Ledger(Path(folder) / "ledger.sqlite")
            for station, cpu in ((HERE, 1.0), ("far", 3.0)):
                ledger.add_piece(fact(station=station, cpu_seconds=cpu))
            learned = learn_from(ledger.pieces())
            ledger.close()
            for name, pace in ((HERE, 0.1), ("far", 0.3)):
                self.assertAlmostEqual(exp(learned.stations[name].paces["x"].seconds[0]), pace)
            store = PaceStore(Path(folder) / "pace.json")
            save_json(
                store.path, {"version": 2, "measured": "then", "machine": "m", **asdict(Pace(encode=0.2))}
            )
            self.assertEqual(store.of().encode, 0.2, "as it was kept before stations had names")
            store.keep(Pace(encode=0.5), measured="now", machine="m", station="far")
            self.assertEqual((store.of().encode, store.of("far").encode), (0.2, 0.5))
            self.assertEqual(store.of("unheard of"), SUPPLIED_PACE)


def work(output: str, pieces: list[float], join: float = 0, check: float = 0, station: str = HERE) -> Work:
    def stage(kind: StageKind, names: list[str], seconds: list[float]) -> Stage:
        return Stage(kind, station, tuple(names), np.repeat(np.array(seconds)[:, None], 4, axis=1))

    names = [f"{output}-{n}" for n in range(len(pieces))]
    parts = (stage(ENCODE, names, pieces), stage(JOIN, [output], [join]), stage(CHECK, [output], [check]))
    return Work(output, parts)


def one_station(works: list[Work], slots: int) -> list[Finish]:
    return simulate(works, {HERE: slots}, 4)


class Clock(unittest.TestCase):
    def test_known_answers(self) -> None:
        (one,) = one_station([work("a", [3, 3, 2], 1, 1)], 1)
        self.assertEqual(one.end.tolist(), [10] * 4)
        (two,) = one_station([work("a", [3, 3, 2], 1, 1)], 2)
        self.assertEqual(two.end.tolist(), [7] * 4)

    def test_a_later_output_fills_the_slot_an_earlier_one_leaves(self) -> None:
        first, second = one_station([work("a", [4, 2], 1, 1), work("b", [2], 1, 1)], 2)
        self.assertEqual((first.end[0], second.end[0]), (6, 6))

    def test_what_is_wanted_twice_is_made_once(self) -> None:
        same = work("a", [5])
        other = Work("b", same.stages[:1])
        _, end = one_station([same, other], 1)
        self.assertEqual(end.end[0], 5)

    def test_stations_work_side_by_side_and_what_is_made_takes_none(self) -> None:
        works = [work("a", [4, 4], 1, 1), work("b", [3], 1, 1, "far"), Work("made", ())]
        a, b, made = simulate(works, {HERE: 2, "far": 1}, 4)
        self.assertEqual((a.end[0], b.end[0], made.end[0]), (6, 5, 0))
        self.assertEqual((a.station, b.station), (HERE, "far"))
        self.assertEqual(
            {span.station for span in place_works(works, {HERE: 2, "far": 1}, 4).spans}, {HERE, "far"}
        )
        self.assertEqual([at.likely for at in finish_fan([a, b, made])], [0, 5, 6])

    @settings(max_examples=60)
    @given(
        st.lists(st.lists(st.floats(0.1, 20), min_size=1, max_size=6), min_size=1, max_size=5),
        st.integers(1, 4),
    )
    def test_no_schedule_beats_the_work_or_wastes_more_than_a_list_can(
        self, outputs: list[list[float]], slots: int
    ) -> None:
        works = [work(f"o{n}", pieces) for n, pieces in enumerate(outputs)]
        end = max(finish.end[0] for finish in one_station(works, slots))
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
        finishes = one_station(works, slots)
        spans = place_works(works, {HERE: slots}, 4).spans
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
        one = Work("a", (Stage(ENCODE, HERE, ("p",), np.array([[1.0, 5.0, 9.0]])),))
        (span,) = place_works([one], {HERE: 1}, 3).spans
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
