"""What stations say and what forecasts make of it: paths, hours, manners, bookings, slots that are slower elsewhere."""

from __future__ import annotations

import tempfile
import time
import unittest
from dataclasses import replace
from datetime import date, datetime, timedelta
from fractions import Fraction
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from chronocast import __version__
from chronocast.cli.house.stations import read_hours
from chronocast.crew.house.copies import SourceCopies
from chronocast.forecast.stage import Stage, Work
from chronocast.forecast.station import device_place
from chronocast.media.piece.here import libraries_version
from chronocast.media.source.fingerprint import fingerprint
from chronocast.model.calendar import DAYS, Calendar, OpenHours, open_spans
from chronocast.model.device import TriedEncoder
from chronocast.model.house import Booking, Doing, House, Root, StationTold
from chronocast.model.messages.jobs import CheckJob, EncoderSettings, JoinJob, PieceJob, SoundJob
from chronocast.model.messages.moved import moved
from chronocast.model.source.cutlist import Layer, MediaRef, PictureSpan, SoundSpan
from chronocast.model.stages import CHECK, ENCODE, HERE, JOIN
from chronocast.preparation.station.helpers import helpers_of, with_house_devices
from chronocast.run import events as e
from chronocast.run.machine import Machine
from chronocast.schedule.clock import Traced, simulate
from chronocast.schedule.courtesy import BACK_SECONDS, SURE_SECONDS, Courtesy
from chronocast.schedule.pool import FAR, Help, Pool
from chronocast.ui.places.house.stations_model import house_told, station_rows
from chronocast.ui.places.house.week_grid import halves_of, hours_of

NOW = 1_800_000_000.0
FILM = MediaRef(path="/near/reef.%04d.png?1-40@25", fingerprint="/near/f")


def told(name: str, **what: object) -> StationTold:
    return StationTold(
        **{"name": name, "version": __version__, "libraries": libraries_version(), "slots": 2, **what}  # type: ignore[arg-type]
    )


class Paths(unittest.TestCase):
    def test_every_path_of_a_job_is_moved_and_nothing_else(self) -> None:
        layer = Layer(media=FILM)
        span = PictureSpan(start=0, frames=5, layers=(layer,))
        sound = SoundSpan(start=Fraction(0), seconds=Fraction(1), media=FILM, media_start=Fraction(0))
        jobs = (
            PieceJob(
                name="/near/name",
                target="/near/a",
                base="/near/b",
                rate=Fraction(25),
                width=64,
                height=64,
                canvas=(64, 64),
                spans=(span,),
                settings=EncoderSettings(encoder="/near/e", options={"/near/k": "/near/v"}),
            ),
            SoundJob(
                name="/near/name",
                target="/near/a",
                samples=1,
                sample_rate=48000,
                channels=2,
                codec="aac",
                bits_per_second=1,
                spans=(sound,),
                tracks=((sound,),),
            ),
            JoinJob(
                name="/near/name",
                target="/near/a",
                container="mp4",
                rate="25",
                pieces=(("/near/p", 5), ("/near/q", 6)),
                sound="/near/s",
                title="/near/title",
                stem="/near/stem",
            ),
            CheckJob(name="/near/name", target="/near/a", expected={"name": "/near/n"}),
        )
        for job, paths in zip(jobs, (3, 3, 4, 1), strict=True):
            there = moved(job, lambda path: path.replace("/near/", "/far/"))
            text = there.model_dump_json()
            self.assertEqual(text.count("/far/"), paths, job.kind)
            back = moved(there, lambda path: path.replace("/far/", "/near/"))
            self.assertEqual(back, job)
        self.assertEqual(moved(jobs[3].model_copy(update={"target": ""}), lambda _: "x").target, "")

    def test_roots_and_names_that_lead_elsewhere_are_none(self) -> None:
        for name, path in (
            ("a", "x"),
            ("a", "/x/../y"),
            ("../a", "/x"),
            ("", "/x"),
            ("a:b", "/x"),
            ("a", ""),
        ):
            with self.assertRaises(ValidationError, msg=f"{name} {path}"):
                Root(name=name, path=path)
        self.assertEqual(Root(name="a", path="/x/").path, "/x")


class Hours(unittest.TestCase):
    zone = ZoneInfo("Europe/Berlin")

    def spans(self, calendar: Calendar, *moment: int, days: int = 3) -> list[tuple[str, str]]:
        now = datetime(*moment, tzinfo=self.zone)  # type: ignore[arg-type]
        return [
            tuple(datetime.fromtimestamp(at, self.zone).strftime("%d %H:%M") for at in (span.begin, span.end))  # type: ignore[misc]
            for span in open_spans(calendar, now, days)
        ]

    def test_nights_go_on_into_the_next_day_and_dates_count_more_than_hours(self) -> None:
        nights = Calendar(hours=(OpenHours(days=(0, 1, 2, 3, 4), begin="19:00", end="07:00"),))
        # 2026-11-26 is a Thursday
        self.assertEqual(
            self.spans(nights, 2026, 11, 26, 3),
            [("25 19:00", "26 07:00"), ("26 19:00", "27 07:00"), ("27 19:00", "28 07:00")],
        )
        shut = nights.model_copy(update={"shut": (date(2026, 11, 26),), "all_day": (date(2026, 11, 28),)})
        self.assertEqual(
            self.spans(shut, 2026, 11, 26, 12), [("27 19:00", "29 00:00")], "what touches is one stretch"
        )

    def test_a_clock_that_is_put_back_makes_a_longer_night(self) -> None:
        nights = Calendar(hours=(OpenHours(begin="22:00", end="06:00"),))
        first = open_spans(nights, datetime(2026, 10, 24, 23, tzinfo=self.zone))[0]
        self.assertEqual(first.end - first.begin, 9 * 3600)

    def test_none_is_always_and_never_is_never(self) -> None:
        (always,) = open_spans(Calendar(), datetime(2026, 11, 26, 12, tzinfo=self.zone))
        self.assertGreater(always.end - always.begin, 13 * 86400)
        days = tuple(date(2026, 11, 25) + timedelta(days=n) for n in range(20))
        hours = (OpenHours(begin="08:00", end="09:00"),)
        self.assertEqual(
            open_spans(Calendar(hours=hours, shut=days), datetime(2026, 11, 26, 12, tzinfo=self.zone)), ()
        )

    def test_hours_are_said_as_people_say_them_and_nonsense_is_refused(self) -> None:
        self.assertEqual(read_hours("Mon-Fri 19:00-07:00").told, "Mon–Fri 19:00–07:00")
        self.assertEqual(read_hours("sat 10:00-12:00").days, (5,))
        self.assertEqual(read_hours("Sat-Mon 10:00-12:00").days, (0, 5, 6))
        self.assertEqual(read_hours("22:00-06:00").told, "daily 22:00–06:00")
        for begin, end in (("7", "8"), ("25:00", "26:00"), ("08:60", "09:00")):
            with self.assertRaises(ValidationError):
                OpenHours(begin=begin, end=end)
        with self.assertRaises(ValidationError):
            OpenHours(days=(7,))

    @given(st.lists(st.frozensets(st.integers(0, 47)), min_size=7, max_size=7).map(tuple))
    @settings(max_examples=150)
    def test_what_is_dragged_is_what_is_kept(self, days: tuple[frozenset[int], ...]) -> None:
        if any(days):
            self.assertEqual(halves_of(Calendar(hours=hours_of(days))), days, DAYS)


class Manners(unittest.TestCase):
    def see(self, courtesy: Courtesy, *steps: tuple[float, float]) -> list[bool]:
        return [courtesy.see(now, others) for now, others in steps]

    def test_somebody_who_sits_down_has_it_within_seconds_and_a_moment_is_nobody(self) -> None:
        gently = Courtesy("gently")
        self.assertEqual(self.see(gently, (0, 0.0), (1, 0.9), (2, 0.1), (3, 0.9)), [True] * 4)
        self.assertEqual(self.see(gently, (3 + SURE_SECONDS, 0.9)), [False])
        self.assertEqual(self.see(gently, (20, 0.1), (30, 0.5), (40, 0.1)), [False] * 3)
        self.assertEqual(self.see(gently, (39 + BACK_SECONDS, 0.1), (40 + BACK_SECONDS, 0.1)), [False, True])

    def test_one_that_waits_for_nobody_begins_shut_and_one_that_always_works_never_stops(self) -> None:
        self.assertEqual(self.see(Courtesy("idle"), (0, 0.0), (BACK_SECONDS, 0.0)), [False, True])
        self.assertEqual(self.see(Courtesy("always"), (0, 1.0), (100, 1.0)), [True, True])


class Helping(unittest.TestCase):
    def test_only_who_would_make_the_same_pieces_helps_and_the_quickest_comes_first(self) -> None:
        slow, quick = {"encode": 0.2, "write": 1e8}, {"encode": 0.05, "write": 1e8}
        house = House(
            known_at=NOW,
            stations=(
                told("Avocet", pace=slow),
                told("Plover", pace=quick, load=1.5),
                told("Old", version="0"),
                told("Other", libraries="x"),
                told("Odd", pace={"encode": -1.0, "fish": 2.0}),
            ),
        )
        helpers = helpers_of(house, now=NOW)
        self.assertEqual([item.id for item in helpers], ["Plover", "Odd", "Avocet"])
        self.assertEqual(helpers[0].pace.encode, 0.05)
        self.assertEqual(helpers[1].pace.calibrated, False, "nonsense is the supplied pace")

    def test_what_others_have_booked_comes_first_and_one_s_own_doesn_t_count(self) -> None:
        bookings = (
            Booking(run="mine", station="Plover", seconds=500),
            Booking(run="theirs", station="Plover", seconds=60),
        )
        house = House(known_at=NOW, stations=(told("Plover"),), bookings=bookings)
        self.assertEqual(helpers_of(house, "mine", NOW)[0].booked, 30.0)
        self.assertEqual(helpers_of(house, now=NOW)[0].booked, 280.0)
        own = (Booking(run="key 20260101-1200", station="Plover", seconds=500),)
        house_of_one = House(known_at=NOW, stations=(told("Plover"),), bookings=own)
        self.assertEqual(helpers_of(house_of_one, "key", NOW)[0].booked, 0.0, "nor of its batch")
        self.assertEqual(
            helpers_of(house, "mine", NOW, rank="before others")[0].booked, 7.5, "as it is shared"
        )
        self.assertEqual(helpers_of(house, "mine", NOW, rank="after others")[0].booked, 30.0)

    def test_hours_are_seconds_from_now_and_who_sits_at_it_is_not_counted_on(self) -> None:
        spans = ({"begin": NOW - 100, "end": NOW + 50}, {"begin": NOW + 200, "end": NOW + 900})
        stations = (
            told("Curlew", spans=spans),
            told("Dunlin", open=False, why_shut="it was told to give way", until=NOW + 40),
            told("Knot", open=False, why_shut="somebody is at work on it"),
            told("Ruff", spans=spans, open=False, until=NOW + 300),
        )
        found = {
            item.id: item.windows for item in helpers_of(House(known_at=NOW, stations=stations), now=NOW)
        }
        self.assertEqual(found["Curlew"], ((0.0, 50.0), (200.0, 900.0)))
        self.assertEqual(found["Dunlin"][0][0], 40.0)
        self.assertEqual(found["Ruff"], ((300.0, 900.0),))
        self.assertNotIn("Knot", found)

    def test_devices_of_the_house_are_counted_on_where_this_machine_has_none_and_all_make_the_same_bits(
        self,
    ) -> None:
        def tried(driver: str, sessions: int = 2, pace: float = 0.1, **what: object) -> TriedEncoder:
            return TriedEncoder(
                encoder="h264_standin",
                family="stand-in",
                codec="h264",
                driver=driver,
                sessions=sessions,
                seconds_a_megapixel=pace,
                **what,  # type: ignore[arg-type]
            )

        stations = (
            told("Curlew", devices=(tried("1"),)),
            told("Knot", devices=(tried("2", 3),)),
            told("Plover", devices=(tried("1", 2, 0.2),)),
            told("Ruff", devices=(tried("1", why_not="no permission"),)),
        )
        house, none_here = House(known_at=NOW, stations=stations), tried("", why_not="no device")
        (found,) = usable = with_house_devices((none_here,), house, {})
        self.assertEqual((found.driver, found.sessions, found.at), ("1", 4, "Curlew and Plover"))
        helping = {helper.id: helper.devices for helper in helpers_of(house, now=NOW, devices=usable)}
        self.assertEqual([item.slower for item in helping["Plover"]], [2.0])
        self.assertEqual((helping["Knot"], helping["Ruff"]), ((), ()))
        own = tried("2", 1)
        self.assertEqual(with_house_devices((own,), house, {}), (own,))
        self.assertEqual(with_house_devices((none_here,), house, {"stand-in": "it hung"}), (none_here,))

    def test_it_is_said_in_words(self) -> None:
        doing = (Doing(task="encode:a", run="r", who="reception"),)
        stations = (told("Plover", doing=doing, stand_in=True), told("Knot", open=False, why_shut="closed"))
        bookings = (Booking(run="r", station="Plover", seconds=120),)
        house = House(hub="tls://h:1", known_at=NOW, stations=stations, bookings=bookings)
        plover, knot = station_rows(house)
        self.assertEqual(plover.name, "Plover · stand-in")
        self.assertEqual(plover.now, "1 of 2 slots, for reception; 1:00 min placed on it")
        self.assertEqual((knot.state, knot.now), ("shut", "closed"))
        self.assertIn("1 of 2 stations take work now", house_told(house))
        self.assertIn("renders alone", house_told(House()))
        self.assertIn("goes on alone", house_told(House(hub="tls://h:1", trouble="Nothing answers.")))


def piece_work(name: str, seconds: list[float]) -> Work:
    names = tuple(f"{name}-{n}" for n in range(len(seconds)))
    one = np.ones((1, 1))
    return Work(
        name,
        (
            Stage(ENCODE, HERE, names, np.array(seconds)[:, None]),
            Stage(JOIN, HERE, (name,), 0.5 * one),
            Stage(CHECK, HERE, (name,), 0.5 * one),
        ),
    )


class Copies(unittest.TestCase):
    """Sources that are copied to a station because reading them over its line holds work up."""

    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        self.film = self.folder / "reef.mp4"
        self.film.write_bytes(bytes(range(256)) * 4000)
        self.speed = 1e6
        self.copies = SourceCopies(self.folder / "copies", lambda _: self.speed)
        self.addCleanup(self.copies.end)

    def job(self, fingerprint: str) -> SoundJob:
        media = MediaRef(path=str(self.film), fingerprint=fingerprint)
        span = SoundSpan(start=Fraction(0), seconds=Fraction(1), media=media)
        return SoundJob(
            name="s",
            target="/t",
            samples=48_000,
            sample_rate=48_000,
            channels=2,
            codec="pcm",
            bits_per_second=1,
            spans=(span,),
        )

    def until_copied(self) -> None:
        end = time.monotonic() + 10
        while not self.copies.bytes and time.monotonic() < end:
            time.sleep(0.01)

    def test_what_was_read_as_often_as_it_is_long_over_a_line_that_held_work_up_is_copied_and_used(
        self,
    ) -> None:
        size, job = self.film.stat().st_size, self.job(fingerprint(self.film))
        self.copies.note(job, size // 2, 1.0)
        self.assertIs(self.copies.used(job), job)
        self.copies.note(job, size // 2 + 1, 1.0)
        self.until_copied()
        used = self.copies.used(job)
        copy = Path(used.spans[0].media.path)
        self.assertNotEqual(copy, self.film)
        self.assertEqual(copy.read_bytes(), self.film.read_bytes())
        self.assertEqual(self.copies.original(str(copy)), str(self.film))
        self.assertEqual(used.target, "/t")
        other = self.job("another film of that name")
        self.assertIs(self.copies.used(other), other, "only what is byte for byte what was asked for")
        self.copies.end()
        self.assertFalse(copy.exists())

    def test_two_films_called_alike_are_two_copies(self) -> None:
        other = self.folder / "card 2" / "reef.mp4"
        other.parent.mkdir()
        other.write_bytes(b"another" * 300_000)
        jobs = []
        for film in (self.film, other):
            media = MediaRef(path=str(film), fingerprint=fingerprint(film))
            span = SoundSpan(start=Fraction(0), seconds=Fraction(1), media=media)
            jobs.append(self.job("").model_copy(update={"spans": (span,)}))
        for job in jobs:  # both are begun before either is there
            self.copies.note(job, 10_000_000, 1.0)
        end = time.monotonic() + 10
        while time.monotonic() < end and any(self.copies.used(job) is job for job in jobs):
            time.sleep(0.01)
        for job, film in zip(jobs, (self.film, other), strict=True):
            copy = Path(self.copies.used(job).spans[0].media.path)
            self.assertNotEqual(copy, film)
            self.assertEqual(copy.read_bytes(), film.read_bytes())

    def test_a_quick_line_or_one_that_nobody_measured_is_no_reason(self) -> None:
        size, job = self.film.stat().st_size, self.job(fingerprint(self.film))
        for self.speed in (1e9, 0.0):
            self.copies.note(job, size * 5, 1.0)
        time.sleep(0.1)
        self.assertEqual(self.copies.bytes, 0)

    def test_a_film_that_changed_meanwhile_is_no_copy_of_what_was_asked_for(self) -> None:
        job = self.job("what it was")
        self.copies.note(job, self.film.stat().st_size, 0.1)
        time.sleep(0.3)
        self.assertEqual((self.copies.bytes, self.copies.used(job)), (0, job))


class Clock(unittest.TestCase):
    @settings(max_examples=100)
    @given(
        st.lists(st.lists(st.floats(0.5, 20), min_size=1, max_size=8), min_size=1, max_size=4),
        st.floats(0.5, 4),
    )
    def test_what_a_run_does_over_two_stations_is_what_was_promised(
        self, pieces: list[list[float]], slower: float
    ) -> None:
        works = [piece_work(f"o{n}", seconds) for n, seconds in enumerate(pieces)]
        there = (Help("far", 1, np.array([slower])),)
        promised = max(float(f.end[0]) for f in simulate(works, {HERE: 1}, 1, helping=there))
        took = {
            f"{s.kind.id}:{n}": float(d)
            for w in works
            for s in w.stages
            for n, d in zip(s.names, s.draws[:, 0], strict=True)
        }
        machine, going, now = Machine(), list[tuple[float, int, e.TaskId]](), 0.0

        def feed(event: e.Event) -> None:
            for said in machine.step(event):
                if isinstance(said, e.Start):
                    share = slower if said.slot == "far-0" else 1.0
                    going.append((now + took[str(said.task)] * share, said.attempt, said.task))
                elif isinstance(said, e.Place):
                    feed(e.Placed(said.output))

        for work in works:
            feed(e.Added(e.OutputSpec(work.output, work.stages[0].names)))
        feed(e.SlotGranted("here-0"))
        feed(e.SlotGranted("far-0", "far"))
        feed(e.Sealed())
        while going:
            going.sort()
            now, attempt, task = going.pop(0)
            feed(e.Done(task, attempt))
        # a task here or there, and the steps of the last output with it
        one = (max(took.values()) + 1.0) * max(1.0, slower)
        self.assertLessEqual(abs(promised - now), one + 1e-6)

    def test_what_others_can_t_see_is_reckoned_here_alone(self) -> None:
        there = (Help("far", 3, np.array([1.0])),)
        work = piece_work("o", [10.0] * 4)

        def end(**how: bool) -> float:
            return float(simulate([replace(work, **how)], {HERE: 1}, 1, helping=there)[0].end[0])

        self.assertEqual((end(), end(parts_here=True, steps_here=True)), (11.0, 41.0))
        self.assertEqual(end(steps_here=True), 11.0)

    def test_a_device_that_only_another_station_has_is_a_slot_of_its_own(self) -> None:
        work = piece_work("o", [10.0] * 4)
        place = device_place(HERE, "stand-in")
        on = replace(work, stages=(replace(work.stages[0], station=place), *work.stages[1:]))
        there = (
            Help("far", 1, np.array([1.0])),
            Help(device_place("far", "stand-in"), 2, np.array([1.0]), place=place),
        )
        seen = Traced()
        (finish,) = simulate([on], {HERE: 1}, 1, traced=seen, helping=there)
        self.assertEqual(finish.end[0], 21.0)
        self.assertEqual({span.station for span in seen.spans if span.end <= 20}, {"far · stand-in"})

    def test_a_station_helps_from_when_it_is_free_and_only_while_it_is_open(self) -> None:
        work = piece_work("o", [10.0] * 4)

        def ends(**how: object) -> float:
            there = (Help("far", 1, np.array([1.0]), **how),)  # type: ignore[arg-type]
            return float(simulate([work], {HERE: 1}, 1, helping=there)[0].end[0])

        self.assertEqual(ends(), 21.0)
        self.assertEqual(ends(booked=1000.0), 41.0)
        self.assertEqual(ends(booked=15.0), 31.0)
        self.assertEqual(ends(windows=((500.0, 900.0),)), 41.0, "it isn't waited for")
        self.assertEqual(ends(windows=((0.0, 12.0),)), 31.0, "what it wouldn't finish it doesn't begin")
        closed = Pool("far", 0, 1, [Help("far", 1, np.array([1.0]), windows=((0.0, 5.0),))])
        self.assertEqual(closed.take(np.array([1.0]), np.array([6.0])).end[0], FAR)


if __name__ == "__main__":
    unittest.main()
