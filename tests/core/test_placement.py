"""Placement: plans by a wish against bounds and proven optima, hours, stations that are lost, what the runner follows."""

from __future__ import annotations

import itertools
import tempfile
import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast import __version__
from chronocast.crew.house.mounts import measure_mount
from chronocast.forecast.stage import Stage, Work
from chronocast.forecast.station import Helper, Station
from chronocast.media.piece.here import libraries_version
from chronocast.model.batch.wishes import WISHES, Wish
from chronocast.model.house import Attendance, House, MountSpeed, Root, StationTold
from chronocast.model.stages import CHECK, ENCODE, HERE, JOIN
from chronocast.preparation.asked.plans import (
    levers,
    rehearsal_told,
    rehearsed,
    usual_mishaps,
    wishes_compared,
    working_mornings,
)
from chronocast.preparation.station.attendance import AttendanceBook
from chronocast.preparation.station.helpers import helpers_of, shared_drives
from chronocast.schedule.bound import lower_bound
from chronocast.schedule.clock import Traced, simulate
from chronocast.schedule.closing import closing_bound
from chronocast.schedule.convoys import in_convoys
from chronocast.schedule.placement import Evening, Placement, place_evening, place_works
from chronocast.schedule.pool import FAR, Help, Surprise
from chronocast.schedule.rehearsal import Happening, Mishaps, hazard_seen

ONE = np.ones(1)


def work(name: str, pieces: list[float], steps: float = 0.5, **how: object) -> Work:
    """An output's pieces, its join and its check, in one draw."""
    names = tuple(f"{name}-{n}" for n in range(len(pieces)))
    column = np.array([[steps]])
    stages = (
        Stage(ENCODE, HERE, names, np.array(pieces)[:, None]),
        Stage(JOIN, HERE, (name,), column),
        Stage(CHECK, HERE, (name,), column),
    )
    return Work(name, stages, **how)  # type: ignore[arg-type]


def far(name: str, slots: int = 1, slower: float = 1.0, **how: object) -> Help:
    return Help(name, slots, np.array([slower]), **how)  # type: ignore[arg-type]


def plan(
    works: list[Work],
    slots: int = 1,
    there: list[Help] | None = None,
    wish: Wish = "order",
    wanted: dict[str, float] | None = None,
) -> Placement:
    return place_works(works, {HERE: slots}, 1, there or [], wish=wish, wanted=wanted)


@st.composite
def nights(draw: st.DrawFn) -> tuple[list[Work], list[Help]]:
    """A few outputs, some of them kept to stations or wanted later; a few stations, some with hours."""
    there = []
    for number in range(draw(st.integers(0, 3))):
        windows: tuple[tuple[float, float], ...] = ()
        if draw(st.booleans()):
            edges = sorted(draw(st.lists(st.integers(0, 300), min_size=4, max_size=4, unique=True)))
            windows = ((float(edges[0]), float(edges[1])), (float(edges[2]), float(edges[3])))
        there.append(
            far(
                f"s{number}",
                draw(st.integers(1, 3)),
                draw(st.floats(0.5, 4)),
                booked=draw(st.sampled_from([0.0, 0.0, 30.0])),
                windows=windows,
            )
        )
    works = []
    for number in range(draw(st.integers(1, 6))):
        pieces = draw(st.lists(st.floats(0.5, 20), min_size=1, max_size=6))
        names = [HERE, *(item.station for item in there)]
        kept = frozenset(draw(st.sets(st.sampled_from(names), max_size=2))) | {HERE}
        works.append(
            work(
                f"o{number}",
                pieces,
                draw(st.floats(0.1, 5)),
                stations=kept if draw(st.booleans()) else frozenset(),
                not_before=draw(st.sampled_from([0.0, 0.0, 0.0, 40.0])),
            )
        )
    return works, there


class Plans(unittest.TestCase):
    @settings(max_examples=80)
    @given(nights(), st.sampled_from(list(WISHES)), st.integers(1, 3))
    def test_no_slot_is_doubled_no_closed_hour_used_and_everything_is_done_where_and_when_it_may(
        self, night: tuple[list[Work], list[Help]], wish: Wish, slots: int
    ) -> None:
        works, there = night
        wanted = {item.output: 60.0 for item in works[::2]}
        found = plan(works, slots, there, wish, wanted)
        self.assertEqual(sorted(found.order), sorted(item.output for item in works))
        windows = {item.station: item.windows for item in there}
        booked = {item.station: item.booked for item in there}
        by_name = {item.output: item for item in works}
        rows: dict[tuple[str, int], list[tuple[float, float]]] = {}
        for span in found.spans:
            rows.setdefault((span.station, span.slot), []).append((span.begin, span.end))
            its = by_name[span.output]
            self.assertGreaterEqual(span.begin, max(its.not_before, booked.get(span.station, 0.0)) - 1e-6)
            self.assertTrue(not its.stations or span.station in its.stations)
            if hours := windows.get(span.station):
                self.assertTrue(
                    any(begin - 1e-6 <= span.begin and span.end <= end + 1e-6 for begin, end in hours)
                )
        for row in rows.values():
            for (_, end), (begin, _) in itertools.pairwise(sorted(row)):
                self.assertLessEqual(end, begin + 1e-6)
        tasks = sum(share.tasks for share in found.shares)
        self.assertEqual(tasks, sum(len(stage.names) for item in works for stage in item.stages))
        bound = lower_bound(works, {HERE: slots}, there)
        self.assertLessEqual(bound.end, float(found.end[0]) + 1e-4, "no plan beats the bound")

    @settings(max_examples=50)
    @given(nights(), st.floats(0.5, 3))
    def test_another_station_never_makes_the_end_later_by_more_than_a_task(
        self, night: tuple[list[Work], list[Help]], slower: float
    ) -> None:
        works, there = night
        free = [replace(item, stations=frozenset()) for item in works]
        before = float(plan(free, 1, there, "finish").end[0])
        after = float(plan(free, 1, [*there, far("more", 2, slower)], "finish").end[0])
        longest = max(float(stage.draws.max()) for item in free for stage in item.stages)
        self.assertLessEqual(after, before + longest * max(1.0, slower) + 1e-6)

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(st.lists(st.floats(0.5, 20), min_size=1, max_size=6), min_size=2, max_size=6),
        st.lists(st.tuples(st.integers(1, 3), st.floats(0.5, 4)), max_size=3),
        st.floats(0.1, 9),
    )
    def test_what_the_end_of_an_evening_costs_is_bounded_nearer_and_never_beyond_a_real_plan(
        self, pieces: list[list[float]], stations: list[tuple[int, float]], steps: float
    ) -> None:
        works = [work(f"o{n}", film, steps * (1 + n % 3)) for n, film in enumerate(pieces)]
        there = [far(f"s{n}", slots, slower) for n, (slots, slower) in enumerate(stations)]
        nearer = closing_bound(works, {HERE: 2}, there)
        self.assertGreaterEqual(nearer, lower_bound(works, {HERE: 2}, there).end - 1e-6)
        for wish in WISHES:
            self.assertLessEqual(nearer, float(plan(works, 2, there, wish).end[0]) + 1e-5)

    def test_in_the_last_stretch_there_are_no_more_tasks_than_files(self) -> None:
        works = [work(f"o{n}", [4.0, 4.0, 4.0, 4.0], 4.0) for n in range(2)]  # 32 s of parts, 16 of steps
        self.assertAlmostEqual(lower_bound(works, {HERE: 4}, []).end, 16.0)
        self.assertAlmostEqual(closing_bound(works, {HERE: 8}, []), 12.0)
        self.assertEqual(float(plan(works, 8, [], "finish").end[0]), 12.0, "it can be had")

    def test_small_cases_have_the_best_end_there_is(self) -> None:
        cases = (
            ([[3.0, 3, 2]], 2, [], 5.0),
            ([[4.0], [4.0], [2.0], [2.0]], 2, [], 6.0),
            ([[6.0], [2.0, 2, 2]], 1, [far("quick", 1, 0.5)], 4.0),
            ([[10.0]], 1, [far("slow", 4, 3.0)], 10.0),
            ([[5.0, 5.0]], 1, [far("late", 1, 1.0, windows=((0.0, 4.0), (20.0, 90.0)))], 10.0),
        )
        for pieces, slots, there, best in cases:
            works = [work(f"o{n}", seconds, 0.0) for n, seconds in enumerate(pieces)]
            with self.subTest(pieces=pieces):
                found = plan(works, slots, there, "finish")
                self.assertAlmostEqual(float(found.end[0]), best)
                self.assertAlmostEqual(self.best(pieces, slots, there), best, msg="by trying all there are")

    @staticmethod
    def best(pieces: list[list[float]], slots: int, there: list[Help]) -> float:
        """The earliest end of all ways to give pieces to slots."""
        flat = [seconds for group in pieces for seconds in group]
        sides = [(1.0, ((0.0, FAR),))] * slots
        for item in there:
            sides += [(float(item.slower[0]), item.windows or ((0.0, FAR),))] * item.slots
        found = FAR
        for choice in itertools.product(range(len(sides)), repeat=len(flat)):
            busy = [0.0] * len(sides)
            for seconds, side in sorted(zip(flat, choice, strict=True), reverse=True):
                slower, windows = sides[side]
                long = seconds * slower
                starts = (
                    max(busy[side], begin) for begin, end in windows if max(busy[side], begin) + long <= end
                )
                busy[side] = next(starts, FAR) + long
            found = min(found, max(busy))
        return found

    def test_the_operator_s_order_stands_unless_another_wish_is_better(self) -> None:
        works = [work("short", [1.0]), work("long", [30.0]), work("middle", [5.0])]
        self.assertEqual(plan(works).order, ("short", "long", "middle"))
        last = [work("short", [5.0]), work("middle", [5.0]), work("long", [30.0])]
        self.assertLess(
            float(plan(last, 2, wish="finish").end[0]), float(plan(last, 2).end[0]), "long is begun at once"
        )
        due = {"short": 1000.0, "long": 1000.0, "middle": 7.0}
        found = plan(works, wish="in time", wanted=due)
        self.assertEqual(found.order[0], "middle")
        self.assertEqual(found.in_time(due), {"short": 1.0, "long": 1.0, "middle": 1.0})

    def test_what_can_t_be_in_time_anyhow_holds_nothing_else_up(self) -> None:
        works = [work("hopeless", [100.0]), *(work(f"o{n}", [9.0]) for n in range(3))]
        due = {"hopeless": 20.0, "o0": 25.0, "o1": 35.0, "o2": 45.0}
        found = plan(works, wish="in time", wanted=due).in_time(due)
        self.assertEqual(found, {"hopeless": 0.0, "o0": 1.0, "o1": 1.0, "o2": 1.0})
        self.assertEqual(sum(plan(works, wanted=due).in_time(due).values()), 0.0, "in the operator's order")

    def test_a_file_is_split_over_stations_where_that_ends_it_sooner_and_kept_together_where_not(
        self,
    ) -> None:
        film = [work("o", [10.0] * 4)]
        used = lambda *there: {s.station for s in plan(film, 1, list(there)).spans}  # noqa: E731
        self.assertEqual(used(far("even")), {HERE, "even"})
        self.assertEqual(used(far("weak", slower=9.0)), {HERE}, "a piece there would end after all four here")
        self.assertEqual(used(far("busy", booked=60.0)), {HERE})
        self.assertEqual(used(far("shut", windows=((0.0, 8.0), (500.0, 900.0)))), {HERE})

    def test_a_station_that_one_output_needs_is_left_to_it(self) -> None:
        there = [far("quick", 1, 0.5)]
        works = [work("any", [10.0] * 8, 0.0), work("choosy", [10.0] * 4, 0.0, stations=frozenset({"quick"}))]
        by_order, best = plan(works, 1, there), plan(works, 1, there, "finish")
        self.assertLess(float(best.end[0]), float(by_order.end[0]))
        bound = lower_bound(works, {HERE: 1}, there).end
        self.assertLessEqual(float(best.end[0]), bound * 1.1)

    def test_the_last_of_a_few_files_are_made_side_by_side_where_that_ends_all_sooner(self) -> None:
        dice = np.random.default_rng(11)
        works = [work(f"o{n}", list(np.exp(dice.normal(2, 0.6, 20))), 16.0) for n in range(10)]
        there = [far(f"s{n}", 4, 1 + n * 0.5) for n in range(4)]
        found = plan(works, 4, there, "finish")
        finale = found.guide.finale
        self.assertGreater(len(finale), 1)
        self.assertLess(float(found.end[0]), closing_bound(works, {HERE: 4}, there) * 1.1)
        self.assertEqual(finale, found.order[-len(finale) :])
        names = {name for item in works if item.output in finale for name in item.stages[0].names}
        self.assertEqual(set(found.guide.parts), names)
        self.assertEqual(plan(works, 4, there).guide.finale, (), "the operator's order is kept as it is")

    def test_of_hundreds_of_outputs_the_plan_is_within_one_percent_of_the_bound(self) -> None:
        dice = np.random.default_rng(3)
        works = [work(f"o{n}", list(np.exp(dice.normal(2, 0.6, 6))), 1.0) for n in range(300)]
        there = [far(f"s{n}", 4, 1 + n % 4 * 0.5) for n in range(4)]
        bound = lower_bound(works, {HERE: 4}, there)
        self.assertEqual({len(names) for names in bound.uses.values()}, {5})
        self.assertLess(float(plan(works, 4, there, "finish").end[0]), bound.end * 1.01)

    def test_nobody_who_can_do_it_is_never_and_nothing_hangs(self) -> None:
        nobody = work("o", [1.0], stations=frozenset({"gone"}))
        self.assertGreaterEqual(float(plan([nobody], 1, [far("s")]).end[0]), FAR)
        self.assertEqual(lower_bound([nobody], {HERE: 1}, [far("s")]).end, FAR)
        short = [far("s", windows=((0.0, 3.0), (10.0, 13.0)))]
        longer = work("o", [5.0], 0.1, stations=frozenset({"s"}))
        self.assertGreaterEqual(float(plan([longer], 1, short).end[0]), FAR, "never open long enough")
        self.assertEqual(plan([]).order, ())
        still = work("o", [0.0] * 5, 0.0)
        self.assertEqual(float(plan([still]).end[0]), 0.0)

    def test_ten_thousand_outputs_of_a_frame_are_planned_as_well(self) -> None:
        works = [work(f"o{n}", [0.05], 0.01) for n in range(10_000)]
        found = plan(works, 2)
        self.assertAlmostEqual(float(found.end[0]), 10_000 * 0.07 / 2, delta=2.0)


class SharedDrives(unittest.TestCase):
    """What all stations read and write together takes its time, however many they are."""

    def work(self, pieces: int, seconds: float, carried: float) -> Work:
        names = tuple(f"p{n}" for n in range(pieces))
        stage = Stage(ENCODE, HERE, names, np.full((pieces, 1), seconds), "/shared", np.full(pieces, carried))
        return Work("o", (stage,))

    def end(self, work: Work, there: list[Help], slots: int = 1) -> float:
        bound = lower_bound([work], {HERE: slots}, there).end
        end = float(plan([work], slots, there).end[0])
        self.assertLessEqual(bound, end + 1e-6)
        return end

    def test_no_more_is_done_than_the_drive_carries(self) -> None:
        many = [far(f"s{n}", 4) for n in range(5)]
        self.assertEqual(self.end(self.work(40, 4.0, 0.01), many, 4), 8.0)
        carried = self.end(self.work(40, 4.0, 1.0), many, 4)
        self.assertGreaterEqual(carried, 40.0)
        self.assertLessEqual(carried, 44.0)

    def test_a_station_that_reaches_it_slowly_gets_less(self) -> None:
        work = self.work(20, 2.0, 0.1)
        near, slow = [far("s")], [far("s", reach={"/shared": 100.0})]
        self.assertEqual(self.end(work, near), 20.0)
        self.assertGreater(self.end(work, slow), 30.0)
        shares = {share.station: share.tasks for share in plan([work], 1, slow).shares}
        self.assertGreater(shares[HERE], shares.get("s", 0) * 3)

    def test_what_stations_measured_is_what_the_forecast_divides(self) -> None:
        roots = (Root(name="footage", path="/mnt/footage"),)
        quick, slow = MountSpeed(read=200e6, write=100e6), MountSpeed(read=20e6, write=50e6)
        told = [
            StationTold(
                name=name,
                version=__version__,
                libraries=libraries_version(),
                slots=1,
                mounts={"footage": speed},
            )
            for name, speed in (("Plover", quick), ("Knot", slow))
        ]
        house = House(stations=tuple(told))
        (drive,) = shared_drives(house, roots)
        self.assertEqual((drive.path, drive.read, drive.write), ("/mnt/footage", 200e6, 100e6))
        helpers = helpers_of(house, drives=(drive,), roots=roots)
        self.assertEqual(
            {helper.id: dict(helper.reach) for helper in helpers},
            {"Plover": {"/mnt/footage": 1.0}, "Knot": {"/mnt/footage": 10.0}},
        )

    def test_a_folder_is_measured_and_nothing_stays_in_it(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            speed = measure_mount(Root(name="footage", path=folder))
            assert speed is not None
            self.assertGreater(min(speed.read, speed.write), 1e5)
            self.assertEqual(list(Path(folder).iterdir()), [])
        self.assertIsNone(measure_mount(Root(name="footage", path=folder)), "it is gone")


class Lost(unittest.TestCase):
    """Stations that are lost for a while, as rehearsals have it."""

    def end(self, works: list[Work], *surprises: Surprise, there: list[Help] | None = None) -> float:
        found = simulate(works, {HERE: 1}, 1, helping=there or [far("far")], surprises=surprises)
        return max(float(item.end[0]) for item in found)

    def test_what_it_had_in_hand_is_done_again_elsewhere(self) -> None:
        works = [work("o", [10.0, 10.0], 0.0)]
        self.assertEqual(self.end(works), 10.0)
        lost = Surprise("far", 4 * ONE, FAR * ONE)
        self.assertEqual(self.end(works, lost), 20.0)
        back = Surprise("far", 4 * ONE, 6 * ONE)
        self.assertEqual(self.end(works, back), 16.0)
        self.assertEqual(self.end(works, Surprise("far", 4 * ONE, 6 * ONE, noticed=3.0)), 17.0)

    def test_with_this_machine_the_run_is_lost_until_it_is_back(self) -> None:
        works = [work("o", [10.0, 10.0], 0.0)]
        self.assertEqual(self.end(works, Surprise(HERE, 4 * ONE, 60 * ONE)), 70.0)

    def test_how_often_a_station_is_lost_is_learned_from_how_it_was_there(self) -> None:
        book = AttendanceBook({})
        self.assertTrue(book.hear(["Knot", "Plover"], 0.0) is False)
        book.hear(["Knot", "Plover"], 3600.0)
        self.assertTrue(book.hear(["Knot"], 3610.0))
        book.hear(["Knot", "Plover"], 3700.0)
        book.pause()  # the hub is away: nobody knows
        book.hear(["Knot"], 90_000.0)
        seen = book.found
        self.assertEqual((seen["Plover"].losses, seen["Plover"].away), (1, (90.0,)))
        self.assertEqual(seen["Knot"], Attendance(seconds=3700.0))
        usual, once = hazard_seen("new", Attendance()), hazard_seen("Plover", seen["Plover"])
        steady = hazard_seen("Knot", Attendance(seconds=3600.0 * 2000))
        self.assertLess(once.hours_between, usual.hours_between)
        self.assertGreater(steady.hours_between, 10 * usual.hours_between)
        self.assertTrue(90 < once.away < usual.away)

    def test_one_that_stands_idle_loses_only_its_time(self) -> None:
        works = [work("o", [10.0], 0.0)]
        self.assertEqual(self.end(works, Surprise("far", 2 * ONE, 50 * ONE)), 10.0)
        lost_before = Surprise("far", 0 * ONE, 7 * ONE)
        self.assertEqual(self.end([work("o", [10.0, 10.0], 0.0)], lost_before), 17.0)

    @settings(max_examples=60)
    @given(st.lists(st.floats(1, 9), min_size=1, max_size=8), st.floats(0, 30), st.floats(0.1, 30))
    def test_a_loss_never_brings_the_end_forward_and_costs_at_most_its_time_and_a_task(
        self, pieces: list[float], lost: float, gone: float
    ) -> None:
        works = [work("o", pieces, 0.0)]
        usual = self.end(works)
        then = self.end(works, Surprise("far", lost * ONE, (lost + gone) * ONE))
        self.assertGreaterEqual(then, usual - max(pieces) - 1e-6)
        self.assertLessEqual(then, usual + gone + 2 * max(pieces) + 1e-6)


class WouldHelp(unittest.TestCase):
    """What is said of other plans."""

    def view(self, works: list[Work], there: list[Help], wish: Wish = "order", **wanted: float) -> Any:
        works = [
            replace(w, stages=tuple(replace(s, draws=np.repeat(s.draws, 20, axis=1)) for s in w.stages))
            for w in works
        ]
        there = [replace(item, slower=np.repeat(item.slower, 20)) for item in there]
        evening = Evening(works, {HERE: 1}, 20, there, wanted)
        now = datetime(2026, 11, 26, 22, 0, tzinfo=UTC)
        helpers = tuple(Helper(item.station, manner="gently") for item in there)
        return SimpleNamespace(
            evening=evening,
            placement=place_evening(evening, wish),
            station=Station(helpers=helpers),
            at=now,
            time_after=lambda seconds: now + timedelta(seconds=seconds),
            outputs=(),
            output=lambda _: None,
        )

    def test_what_would_bring_the_finish_forward_comes_in_order_of_worth_and_is_true(self) -> None:
        works = [work("o", [600.0] * 60, 1.0)]
        there = [far("Plover", windows=((0.0, 7200.0),)), far("Knot", booked=3000.0)]
        view = self.view(works, there)
        found = levers(view)
        words = {lever.words: lever.seconds for lever in found}
        self.assertEqual(sorted(words.values(), reverse=True), [lever.seconds for lever in found])
        self.assertEqual(
            set(words), {"two more hours of Plover", "Plover at every hour", "Knot without others' work"}
        )
        longer = [far("Plover", windows=((0.0, 14_400.0),)), there[1]]
        then = float(plan(works, 1, longer).end[0])
        self.assertAlmostEqual(words["two more hours of Plover"], float(view.placement.end[0]) - then)

    def test_each_wish_says_what_it_gives(self) -> None:
        works = [work("hopeless", [1000.0]), work("soon", [9.0])]
        found = {one.wish: one for one in wishes_compared(self.view(works, [], hopeless=20.0, soon=25.0))}
        self.assertEqual((found["order"].in_time, found["in time"].in_time), (0.0, 1.0))
        self.assertEqual(found["in time"].order, ("soon", "hopeless"))
        self.assertLess(found["in time"].first.likely, found["order"].first.likely)

    def test_a_night_is_rehearsed_with_what_was_said_to_happen(self) -> None:
        works = [work(f"o{n}", [300.0, 300.0], 1.0) for n in range(20)]
        view = self.view(works, [far("Plover"), far("Knot")], o19=3700.0)
        calm = rehearsed(view, Mishaps())
        self.assertEqual(
            (calm.end, calm.all_in_time), (calm.undisturbed, 0.0 if calm.end.likely > 3700 else 1.0)
        )
        lost = Happening("Plover", 1000.0, 1e6)
        night = rehearsed(view, usual_mishaps(view, [lost]))
        self.assertGreater(night.end.likely, calm.end.likely + 500)
        self.assertEqual(night.hangs_on[0].station, "Plover")
        self.assertIn(lost, night.typical.happened)
        after = [s for s in night.typical.spans if s.station == "Plover" and s.begin >= 1000.0]
        self.assertEqual(after, [], "a station that is lost does nothing")
        self.assertTrue(any("Plover costs" in line for line in rehearsal_told(night, view)))

    def test_people_come_on_working_days(self) -> None:
        friday = datetime(2026, 11, 27, 22, 0, tzinfo=UTC)
        (monday,) = working_mornings(friday)
        self.assertEqual((friday + timedelta(seconds=monday)).strftime("%a %H:%M"), "Mon 08:30")


class Draws(unittest.TestCase):
    def test_every_draw_is_what_it_is_alone(self) -> None:
        dice = np.random.default_rng(5)
        works = []
        for number in range(5):
            seconds = np.exp(dice.normal(1.5, 0.5, (4, 6)))
            names = tuple(f"{number}-{n}" for n in range(4))
            works.append(Work(f"o{number}", (Stage(ENCODE, HERE, names, seconds),)))
        hours = ((0.0, 12.0), (20.0, 500.0))
        there = [Help("far", 2, np.exp(dice.normal(0.3, 0.2, 6)), windows=hours)]
        together = simulate(works, {HERE: 2}, 6, helping=there)
        for draw in range(6):
            alone = [replace(w, stages=tuple(s.of_draw(draw) for s in w.stages)) for w in works]
            one = [replace(there[0], slower=there[0].slower[draw : draw + 1])]
            traced = Traced()
            found = simulate(alone, {HERE: 2}, 1, helping=one, traced=traced)
            for mine, theirs in zip(found, together, strict=True):
                self.assertAlmostEqual(float(mine.end[0]), float(theirs.end[draw]), 6)


class Convoys(unittest.TestCase):
    """Thousands of outputs are planned a few together."""

    def test_they_end_when_they_would_one_by_one(self) -> None:
        dice = np.random.default_rng(5)
        kinds = ({}, {"stations": frozenset({HERE})}, {"not_before": 200.0})
        works = [
            work(f"o{n}", list(dice.lognormal(1, 0.7, 1 + n % 3)), 0.2, **kinds[n // 900 % 3])
            for n in range(2700)
        ]
        there = [far("s0", 2, 1.5)]
        alone = {item.output: item for item in simulate(works, {HERE: 2}, 1, helping=there)}
        convoys = in_convoys(works, 300)
        self.assertLess(len(convoys), 310)
        self.assertEqual([w.output for c in convoys for w in c.members], [w.output for w in works])
        placed = place_evening(Evening(works, {HERE: 2}, 1, there))
        self.assertEqual([item.output for item in placed.finishes], [item.output for item in works])
        whole = max(float(item.end[0]) for item in alone.values())
        self.assertLess(abs(float(placed.end[0]) / whole - 1), 0.01)
        off = [abs(float(item.end[0] - alone[item.output].end[0])) for item in placed.finishes]
        self.assertLess(max(off), 0.02 * whole)
        self.assertTrue(all(item.begin[0] <= item.end[0] for item in placed.finishes))
        self.assertEqual({span.output for span in placed.spans}, {item.output for item in works})
        tasks = sum(share.tasks for share in placed.shares)
        self.assertEqual(tasks, sum(len(stage.names) for item in works for stage in item.stages))

    def test_few_are_planned_one_by_one(self) -> None:
        works = [work(f"o{n}", [1.0]) for n in range(5)]
        self.assertEqual([len(convoy.members) for convoy in in_convoys(works)], [1] * 5)


if __name__ == "__main__":
    unittest.main()
