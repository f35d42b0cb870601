"""Who gets into a house and who doesn't; what those who are in can't do.  Nothing runs, nothing is lost, a sentence says why."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import os
import ssl
import tempfile
import unittest
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any
from unittest import mock

from chronocast import __version__
from chronocast.crew import contract as c
from chronocast.crew.house.certificates import (
    CertificateError,
    make_authority,
    own_member,
    sign,
    wish_for,
    write_privately,
)
from chronocast.crew.house.joining import (
    LOG_SECONDS,
    TRIES,
    CodeBook,
    JoinRefused,
    WrongHub,
    join_house,
    make_house,
    read_code,
    write_code,
)
from chronocast.crew.house.line import HubAway, HubRefused, Line, bounded, heard_now
from chronocast.crew.house.session import Session
from chronocast.crew.house.shared_paths import NotShared, as_here, as_shared
from chronocast.crew.house.station import Station
from chronocast.crew.house.told_events import as_event
from chronocast.crew.local.crew import LocalCrew
from chronocast.journal.station.house import HouseStore
from chronocast.model.house import Root, StationTold
from tests.house import Rig, certify, house
from tests.run.test_crew import Listener, job


class Within(unittest.TestCase):
    """Each test has a house of its own on the loopback."""

    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())

    def within(self, work: Callable[[Rig], Awaitable[None]]) -> None:
        async def go() -> None:
            async with house(self.folder, self.folder) as rig:
                await work(rig)

        asyncio.run(go())

    def new(self) -> Path:
        return Path(tempfile.mkdtemp())


class Joining(Within):
    def test_a_code_lets_one_machine_in_once_and_its_key_is_its_own(self) -> None:
        async def work(rig: Rig) -> None:
            code = CodeBook(rig.folder).give_out("desktop")
            folder = self.new()
            joined = await join_house(folder, "127.0.0.1", rig.join_port, f" {code.lower()} ", "reception")
            self.assertEqual(joined.kind, "desktop")
            self.assertEqual(rig.address, f"tls://127.0.0.1:{joined.hub_port}")
            own = own_member(folder)
            self.assertEqual((own.name, own.kind), ("reception", "desktop"))
            self.assertEqual(os.stat(folder / "own.key").st_mode & 0o077, 0, "nobody else can read it")
            line = Line(rig.address, folder)
            self.assertEqual((await line.ask("house_look", version=__version__))["house"]["bookings"], ())
            await line.close()
            with self.assertRaisesRegex(JoinRefused, "isn't good, or not any more"):
                await join_house(self.new(), "127.0.0.1", rig.join_port, code, "again")

        self.within(work)

    def test_guessing_spends_the_code_and_an_old_one_is_no_good(self) -> None:
        async def work(rig: Rig) -> None:
            book = CodeBook(rig.folder)
            authority = (rig.folder / "authority.pem").read_bytes()
            code = book.give_out("station")
            for _ in range(TRIES):
                with self.assertRaises(JoinRefused):
                    await join_house(
                        self.new(),
                        "127.0.0.1",
                        rig.join_port,
                        write_code(os.urandom(5), authority),
                        "guesser",
                    )
            with self.assertRaisesRegex(JoinRefused, "isn't good"):
                await join_house(self.new(), "127.0.0.1", rig.join_port, code, "late")
            old = book.give_out("station", seconds=-1)
            with self.assertRaisesRegex(JoinRefused, "isn't good"):
                await join_house(self.new(), "127.0.0.1", rig.join_port, old, "late")

        self.within(work)

    def test_another_hub_at_the_address_is_found_before_anything_is_said(self) -> None:
        async def work(rig: Rig) -> None:
            other = self.new()
            make_house(other)
            code = CodeBook(other).give_out("station")
            with self.assertRaisesRegex(WrongHub, "isn't the one that this code is of"):
                await join_house(self.new(), "127.0.0.1", rig.join_port, code, "lost")
            self.assertTrue(CodeBook(other).use(read_code(code)[0]), "the secret was never sent")

        self.within(work)

    def test_hostile_names_and_rubbish_are_refused_and_the_log_is_not_flooded(self) -> None:
        async def work(rig: Rig) -> None:
            with self.assertLogs("chronocast.hub") as logs:
                for name in ("../../etc", "a\nb", "", "x" * 41, "Plover/../x", "‮evil"):
                    code = CodeBook(rig.folder).give_out("station")
                    with self.assertRaisesRegex(JoinRefused, "can't be a name in a house"):
                        await join_house(self.new(), "127.0.0.1", rig.join_port, code, name)
                blind = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
                blind.check_hostname, blind.verify_mode = False, ssl.CERT_NONE
                sent = (
                    b"GET / HTTP/1.1\r\n\r\n",
                    b"{}\n",
                    b"[]\n",
                    b"\xff" * 70000 + b"\n",
                    b'{"secret": 3}\n',
                )
                for words in sent * 8:
                    with contextlib.suppress(OSError):
                        _, writer = await asyncio.open_connection("127.0.0.1", rig.join_port, ssl=blind)
                        writer.write(words)
                        await writer.drain()
                        writer.close()
                await asyncio.sleep(0.5)
                code = CodeBook(rig.folder).give_out("station")
                await join_house(self.new(), "127.0.0.1", rig.join_port, code, "honest")
            refused = [line for line in logs.output if "refused" in line]
            self.assertLessEqual(len(refused), 1 + 30 / LOG_SECONDS, "a line in ten seconds at most")

        self.within(work)


class Certificates(Within):
    def refused(self, rig: Rig, folder: Path, expected: str) -> Awaitable[None]:
        async def go() -> None:
            with self.assertRaisesRegex((HubAway, HubRefused, CertificateError), expected):
                line = Line(rig.address, folder)
                try:
                    await line.ask("house_look", 5.0, version=__version__)
                finally:
                    await line.close()

        return go()

    def test_without_a_good_certificate_nobody_is_answered(self) -> None:
        async def work(rig: Rig) -> None:
            await self.refused(rig, self.new(), "belongs to no house")
            expired = self.new()
            certify(rig.folder, expired, "late", days=-2)
            await self.refused(rig, expired, "expired on")
            foreign, other = self.new(), self.new()
            make_authority(other)
            certify(other, foreign, "stranger")
            await self.refused(rig, foreign, "isn't the hub of this machine's house")
            # one that would trust the hub, and shows a certificate of somebody else's authority
            write_privately(foreign / "authority.pem", (rig.folder / "authority.pem").read_bytes())
            await self.refused(rig, foreign, "doesn't know this machine's certificate")
            # and one that shows none at all
            blind = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
            blind.check_hostname, blind.verify_mode = False, ssl.CERT_NONE
            host, port = rig.address.removeprefix("tls://").split(":")
            with self.assertRaises((OSError, asyncio.IncompleteReadError)):
                reader, writer = await asyncio.open_connection(host, int(port), ssl=blind)
                writer.write(b"\0" * 16)
                await reader.readexactly(1)

        self.within(work)

    def test_a_certificate_says_who_somebody_is_whatever_he_asks_for(self) -> None:
        folder = self.new()
        make_authority(folder)
        _, wish = wish_for("hub", "hub")
        signed = sign(folder, wish, "Curlew", "station")
        key, _ = wish_for("x", "station")
        write_privately(folder / "own.pem", signed)
        write_privately(folder / "own.key", key)
        self.assertEqual(own_member(folder)[:2], ("Curlew", "station"))
        with self.assertRaises(CertificateError):
            sign(folder, b"rubbish", "Curlew", "station")
        with self.assertRaises(CertificateError):
            sign(folder, wish, "Curlew", "king")

    def test_a_good_certificate_is_renewed_for_the_same_name(self) -> None:
        async def work(rig: Rig) -> None:
            folder = self.new()
            certify(rig.folder, folder, "Dunlin", days=3)
            line = Line(rig.address, folder)
            _, wish = wish_for("king", "hub")
            answer = await line.ask("house_renew", wish=wish.decode())
            await line.close()
            write_privately(folder / "own.pem", str(answer["certificate"]).encode())
            own = own_member(folder)
            self.assertEqual((own.name, own.kind), ("Dunlin", "station"))
            self.assertGreater(own.days_left, 300)

        self.within(work)


class Inside(Within):
    """Machines of one house trust each other; what can't be meant is refused nevertheless."""

    async def say(self, rig: Rig, verb: str, **body: Any) -> dict[str, Any]:
        line = Line(rig.address, self.desk)
        try:
            return await line.ask(
                "house_pass", station="Plover", verb=verb, body={"run": "r", "session": "s", **body}
            )
        except HubRefused as error:
            return {"refused": str(error)}
        finally:
            await line.close()

    async def known(self, rig: Rig) -> None:
        self.desk = self.folder / "desk"
        certify(rig.folder, self.desk, "desk", "desktop")
        for _ in range(100):
            if "away" not in await self.say(rig, "offer", slots=1):
                return
            await asyncio.sleep(0.1)

    def test_false_slots_false_paths_and_rubbish_start_nothing(self) -> None:
        async def work(rig: Rig) -> None:
            await self.known(rig)
            good = job(self.folder, "a", 10)
            told = (await self.say(rig, "events", since=0))["events"]
            (slot,) = [event["slot"] for _, event in told if event["what"] == "Granted"]

            async def start(target: str, slot: str = slot, **job_update: Any) -> dict[str, Any]:
                words = {**good.model_dump(mode="json"), "target": target, **job_update}
                return await self.say(rig, "start", slot=slot, task="encode:a", attempt=1, job=words)

            self.assertIn(
                "isn't one of this station's", (await start("shared:a.mp4", slot="here-7"))["elsewhere"]
            )
            for path in (
                "/etc/passwd",
                "shared:../out.mp4",
                "shared:/etc/x",
                "other:a.mp4",
                "shared:",
                f"{self.folder}/a.mp4",
            ):
                self.assertIn("elsewhere", await start(path), path)
            os.symlink("/tmp", self.folder / "way out")
            self.assertIn("by a link", (await start("shared:way out/x.mp4"))["elsewhere"])
            self.assertIn("makes no sense", (await start("shared:a.mp4", rate="fish"))["refused"])
            for verb, body in (
                ("offer", {"slots": -1}),
                ("offer", {"slots": 10**9}),
                ("offer", {}),
                ("dance", {}),
                ("control", {"control": "explode", "task": "a", "attempt": 1}),
                ("events", {"since": "yesterday"}),
            ):
                self.assertIn("refused", await self.say(rig, verb, **body), verb)
            station = rig.stations["Plover"]
            self.assertEqual([s.doing for s in station.sessions.values()], [()], "nothing runs")
            self.assertEqual(list(self.folder.glob("*.mp4")), [])

        self.within(work)

    def test_who_calls_itself_otherwise_or_has_another_version_is_refused_by_name(self) -> None:
        async def work(rig: Rig) -> None:
            await self.known(rig)
            line = Line(rig.address, self.desk)
            for told, expected in (
                (StationTold(name="Plover", version=__version__, slots=1), "certificate is of “desk”"),
                (StationTold(name="desk", version="0.0.1", slots=1), "has version 0.0.1"),
            ):
                with self.assertRaisesRegex(HubRefused, expected):
                    await line.ask("house_tell", station=told.model_dump(mode="json"), address="tls://x")
            with self.assertRaisesRegex(HubRefused, "can't be understood"):
                await line.ask("house_tell", station={"slots": -4}, address="tls://x")
            with self.assertRaisesRegex(HubRefused, "works with version"):
                await line.ask("house_look", version="99")
            await line.close()

        self.within(work)

    def test_bookings_are_seen_by_others_under_their_true_name_and_forgotten(self) -> None:
        async def work(rig: Rig) -> None:
            await self.known(rig)
            line = Line(rig.address, self.desk)
            told = {"run": "r", "station": "Plover", "seconds": 90.0, "who": "somebody else", "title": "Reef"}
            await line.ask("house_book", run="r", bookings=[told])
            (seen,) = (await line.ask("house_look", version=__version__))["house"]["bookings"]
            self.assertEqual((seen["who"], seen["seconds"]), ("desk", 90.0))
            await line.ask("house_book", run="r", bookings=[])
            self.assertEqual((await line.ask("house_look", version=__version__))["house"]["bookings"], ())
            with self.assertRaises(HubRefused):
                await line.ask("house_book", run="r", bookings=[{"seconds": -1}])
            await line.close()

        self.within(work)

    def test_a_station_that_doesn_t_answer_holds_neither_the_runner_nor_others_up(self) -> None:
        async def work(rig: Rig) -> None:
            await rig.station("Curlew", self.folder / "other")
            answers = Station._session

            async def silent(station: Station, *words: Any, **more: Any) -> Session | None:
                if station.belonging.name == "Plover":
                    await asyncio.sleep(3600)
                return await answers(station, *words, **more)

            Station._session = silent  # type: ignore[method-assign]
            try:
                crew = await rig.crew(self.folder)
                ears = Listener(crew)
                await crew.offer(0)
                for _ in range(200):
                    if len(crew.stations) == 2:
                        break
                    await asyncio.sleep(0.1)
                await asyncio.wait_for(crew.offer(4), 2)
                granted = [await ears.until(lambda e: isinstance(e, c.Granted)) for _ in range(2)]
                self.assertEqual({told.station for told in granted}, {"Curlew"})  # type: ignore[union-attr]
                await asyncio.wait_for(crew.offer(3), 2)
            finally:
                Station._session = answers  # type: ignore[method-assign]
                rig.tasks["Plover"].cancel()

        self.within(work)

    def test_a_start_that_doesn_t_come_through_costs_no_attempt_and_begins_once(self) -> None:
        """Else a station that went is begun on again and again, until a task was lost too often to be tried once more."""
        for answered in (False, True):  # the words are lost, or the station's answer is

            async def work(rig: Rig, answered: bool = answered) -> None:
                crew = await rig.crew(self.folder)
                ears, ask, tries = Listener(crew), crew.line.ask, []
                begun: list[str] = []
                begins = LocalCrew.start

                async def counted(own: LocalCrew, slot: str, task: str, *words: Any, **more: Any) -> None:
                    begun.append(task)
                    await begins(own, slot, task, *words, **more)

                async def cut(what: str, *words: Any, **more: Any) -> dict[str, Any]:
                    if more.get("verb") != "start" or len(tries) >= 4:
                        return await ask(what, *words, **more)
                    tries.append(what)
                    if answered:
                        await ask(what, *words, **more)
                    return {"away": "Plover isn't in the house now."}

                await crew.offer(1)
                (slot,) = await ears.slots(1)
                with (
                    mock.patch.object(crew.line, "ask", cut),
                    mock.patch.object(LocalCrew, "start", counted),
                    mock.patch("chronocast.crew.house.house_crew.AGAIN_SECONDS", 0.01),
                ):
                    await crew.start(slot, "encode:a", 1, job(self.folder, "a", 400))
                    told = await ears.until(lambda e: isinstance(e, c.Finished | c.AttemptFailed))
                self.assertIsInstance(told, c.Finished, told)
                self.assertEqual((len(tries), begun), (4, ["encode:a"]))

            self.within(work)
            self.folder = Path(tempfile.mkdtemp())

    def test_a_station_lost_before_it_could_be_told_takes_what_it_was_given_along_once(self) -> None:
        async def work(rig: Rig) -> None:
            crew = await rig.crew(self.folder)
            ears = Listener(crew)
            await crew.offer(1)
            (slot,) = await ears.slots(1)
            away = mock.AsyncMock(return_value={"away": "Plover isn't in the house now."})
            with (
                mock.patch.object(crew.line, "ask", away),
                mock.patch("chronocast.crew.house.house_crew.AWAY_SECONDS", 2.0),
            ):
                await crew.start(slot, "encode:a", 1, job(self.folder, "a", 10))
                told = await ears.until(lambda e: isinstance(e, c.StationGone | c.AttemptFailed))
                self.assertEqual(told, c.StationGone("Plover", (slot,)))
                self.assertEqual(crew.signs(), {})

        self.within(work)

    def test_wrong_results_are_not_believed(self) -> None:
        async def work(rig: Rig) -> None:
            crew = await rig.crew(self.folder)
            ears = Listener(crew)
            await crew.offer(1)
            (slot,) = await ears.slots(1)
            sum_up = Session._sum_up

            async def lie(session: Session, event: c.Finished) -> None:
                await sum_up(
                    session, c.Finished(event.task, event.attempt, {**event.result, **wrong}, 1.0, 1.0, 1)
                )

            for attempt, wrong in enumerate(({"frames": 9}, {"bytes": 1}), 1):
                Session._sum_up = lie  # type: ignore[method-assign]
                try:
                    await crew.start(slot, "encode:a", attempt, job(self.folder, "a", 10))
                    told = await ears.until(lambda e: isinstance(e, c.Finished | c.AttemptFailed))
                finally:
                    Session._sum_up = sum_up  # type: ignore[method-assign]
                if "frames" in wrong:
                    assert isinstance(told, c.AttemptFailed)
                    self.assertIn("Plover: it made 9 pictures of 10", told.sentence)
            # a file that is another one here than there
            await crew.start(slot, "encode:b", 5, job(self.folder, "b", 10))
            real = Session._keep

            def spoil(session: Session, event: c.CrewEvent) -> None:
                if isinstance(event, c.Finished):
                    (self.folder / "b.mp4").write_bytes(b"something else")
                real(session, event)

            Session._keep = spoil  # type: ignore[method-assign]
            try:
                told = await ears.until(lambda e: isinstance(e, c.Finished | c.AttemptFailed))
            finally:
                Session._keep = real  # type: ignore[method-assign]
            assert isinstance(told, c.AttemptFailed)
            self.assertIn("another one here than there", told.sentence)

        self.within(work)


class Sharing(Within):
    def test_two_runs_have_a_station_s_only_slot_in_turn(self) -> None:
        async def work(rig: Rig) -> None:
            station = rig.stations["Plover"]
            station.slots = 1
            done: list[str] = []

            async def runs(name: str) -> None:
                """A run that always wants a slot, and uses it as soon as it has one."""
                crew, number = await rig.crew(self.folder, run=name), 0
                await crew.offer(1)
                async for event in crew.events():
                    if isinstance(event, c.Finished):
                        done.append(name)
                    if len(done) >= 14:
                        return
                    slot = event.slot if isinstance(event, c.Granted) else slot_of.get(name, "")
                    if isinstance(event, c.Granted | c.Finished):
                        number += 1
                        slot_of[name] = slot
                        piece = f"{name}{number}"
                        await crew.start(slot, f"encode:{piece}", number, job(self.folder, piece, 20))

            slot_of: dict[str, str] = {}
            async with asyncio.timeout(90):
                both = [asyncio.create_task(runs(name)) for name in ("one", "two")]
                await asyncio.wait(both, return_when=asyncio.FIRST_COMPLETED)
                for task in both:
                    task.cancel()
            self.assertGreaterEqual(min(done.count("one"), done.count("two")), 3, done)

        self.within(work)


class Words(unittest.TestCase):
    def test_paths_come_back_as_they_went_and_lead_nowhere_else(self) -> None:
        there = (Root(name="a", path="/mnt/footage"), Root(name="b", path="/mnt/footage/day 2"))
        here = Path(tempfile.mkdtemp())
        roots = (Root(name="b", path=str(here)),)
        self.assertEqual(as_shared("/mnt/footage/day 2/x:y.mov", there), "b:x:y.mov")
        self.assertEqual(as_here("b:x:y.mov", roots), f"{here}/x:y.mov")
        for path in ("/mnt/foot/x", "/mnt/footage", "/mnt/footage/../x", "relative"):
            with self.assertRaises(NotShared):
                as_shared(path, there)

    def test_a_call_that_is_cut_or_never_ends_doesn_t_take_its_caller_with_it(self) -> None:
        async def cut() -> None:
            raise asyncio.CancelledError

        async def for_ever() -> None:
            while True:
                with contextlib.suppress(asyncio.CancelledError):
                    await asyncio.sleep(0.5)
                    return

        async def go() -> None:
            with self.assertRaises(ConnectionError):
                await bounded(cut(), 5)
            with self.assertRaises(TimeoutError):
                await bounded(for_ever(), 0.05)

        asyncio.run(go())

    def test_a_hub_whose_clock_is_wrong_is_heard_nevertheless(self) -> None:
        store = HouseStore(Path(tempfile.mkdtemp()), Path(tempfile.mkdtemp()))
        store.keep_heard(heard_now({"known_at": 5.0, "stations": []}, "tls://h:1"))
        self.assertEqual(store.known_now().hub, "tls://h:1")
        self.assertTrue(store.known_now().known_at)

    def test_events_that_make_no_sense_are_none(self) -> None:
        for told in (
            None,
            3,
            [],
            {},
            {"what": "Granted"},
            {"what": "__import__"},
            {"what": "Finished", "task": 1},
        ):
            self.assertIsNone(as_event(json.loads(json.dumps(told))), told)
        self.assertEqual(as_event({"what": "Returned", "slot": "a"}), c.Returned("a"))


logging.getLogger("distributed").setLevel(logging.CRITICAL)

if __name__ == "__main__":
    unittest.main()
