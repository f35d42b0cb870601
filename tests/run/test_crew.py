"""The crew contract: what any crew must do, shown on this machine's and on a house's."""

from __future__ import annotations

import asyncio
import contextlib
import os
import tempfile
import time
import unittest
from collections.abc import AsyncIterator, Awaitable, Callable
from pathlib import Path

import psutil

import tests.house
from chronocast.crew import contract as c
from chronocast.crew.local.crew import SPINNING_SECONDS, Hand, LocalCrew
from chronocast.journal.locks import Lock
from chronocast.media.piece.settings import encoder_settings
from chronocast.model.device import TriedEncoder
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.recipe.recipe import PictureRecipe
from chronocast.model.source.cutlist import MediaRef, plain_span
from tests.footage import RATE

DEVICE = "stand-in device"


def stand_in_device(driver: str) -> TriedEncoder:
    return TriedEncoder(encoder="h264_standin", family=DEVICE, codec="h264", sessions=2, driver=driver)


def job(folder: Path, name: str, frames: int) -> PieceJob:
    """A piece of black pictures: work without a source."""
    settings = encoder_settings(PictureRecipe(effort="slow"), 640, 360, rate=RATE, colour=(1, 1, 1, 1))
    return PieceJob(
        name=name,
        target=str(folder / f"{name}.mp4"),
        rate=RATE,
        width=640,
        height=360,
        canvas=(640, 360),
        spans=(plain_span(0, frames, None),),
        settings=settings,
    )


def state(pid: int) -> str:
    return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]


class Listener:
    """Reads a crew's events."""

    def __init__(self, crew: c.Crew) -> None:
        self.crew, self.seen = crew, []
        self._events = crew.events()

    seen: list[c.CrewEvent]

    async def until(self, ready: Callable[[c.CrewEvent], bool], seconds: float = 30) -> c.CrewEvent:
        """The next event that is as wished."""

        async def look() -> c.CrewEvent:
            async for event in self._events:
                self.seen.append(event)
                if ready(event):
                    return event
            raise AssertionError("the crew ended")

        return await asyncio.wait_for(look(), seconds)

    async def slots(self, count: int) -> list[str]:
        """That many granted slots."""
        return [(await self.until(lambda e: isinstance(e, c.Granted))).slot for _ in range(count)]  # type: ignore[union-attr]


class Contract:
    """What any crew must do."""

    fault_of_missing = "away"

    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())

    def with_crew(self, work: Callable[[c.Crew, Listener], Awaitable[None]]) -> None:
        async def go() -> None:
            async with self.crew() as crew:
                await work(crew, Listener(crew))

        asyncio.run(go())

    def crew(self) -> contextlib.AbstractAsyncContextManager[c.Crew]:
        raise NotImplementedError

    def test_what_is_started_is_finished_and_reported(self) -> None:
        async def work(crew: c.Crew, ears: Listener) -> None:
            await crew.offer(1)
            (slot,) = await ears.slots(1)
            await crew.start(slot, "encode:a", 7, job(self.folder, "a", 30))
            done = await ears.until(lambda e: isinstance(e, c.Finished))
            assert isinstance(done, c.Finished)
            self.assertEqual((done.task, done.attempt, done.result["frames"]), ("encode:a", 7, 30))
            self.assertGreater(done.memory_bytes, 10_000_000)
            self.assertTrue((self.folder / "a.mp4").stat().st_size)

        self.with_crew(work)

    def test_no_more_slots_than_offered_and_idle_ones_come_back(self) -> None:
        async def work(crew: c.Crew, ears: Listener) -> None:
            await crew.offer(5)
            await ears.slots(2)
            await crew.offer(0)
            await ears.until(lambda e: isinstance(e, c.Returned))
            await ears.until(lambda e: isinstance(e, c.Returned))
            self.assertEqual(sum(isinstance(e, c.Granted) for e in ears.seen), 2)

        self.with_crew(work)

    def test_sessions_of_a_device_are_slots_beside_the_processor_s(self) -> None:
        async def work(crew: c.Crew, ears: Listener) -> None:
            await crew.offer(2)
            slots = await ears.slots(2)
            self.assertEqual(crew.sessions(), {DEVICE: 2})
            await crew.offer(1, DEVICE)
            granted = await ears.until(lambda e: isinstance(e, c.Granted))
            assert isinstance(granted, c.Granted)
            self.assertEqual((granted.device, granted.slot in slots), (DEVICE, False))
            await crew.offer(0, DEVICE)
            back = await ears.until(lambda e: isinstance(e, c.Returned))
            self.assertEqual(back, c.Returned(granted.slot))

        self.with_crew(work)

    def test_two_crews_on_one_machine_share_its_slots(self) -> None:
        async def work(crew: c.Crew, ears: Listener) -> None:
            other = LocalCrew(self.folder / "slots", 2)
            others = Listener(other)
            await crew.offer(2)
            await ears.slots(2)
            await other.offer(2)
            with self.assertRaises(asyncio.TimeoutError):
                await others.until(lambda e: isinstance(e, c.Granted), 0.5)
            await crew.offer(1)
            await ears.until(lambda e: isinstance(e, c.Returned))
            granted = await Listener(other).until(lambda e: isinstance(e, c.Granted))
            self.assertIsInstance(granted, c.Granted)
            await other.close()

        self.with_crew(work)

    def test_freezing_and_thawing_take_effect_at_once(self) -> None:
        async def work(crew: c.Crew, ears: Listener) -> None:
            await crew.offer(1)
            (slot,) = await ears.slots(1)
            await crew.start(slot, "encode:a", 1, job(self.folder, "a", 4000))
            await ears.until(lambda e: isinstance(e, c.Progressed))
            (pid,) = (child.pid for born in psutil.Process().children() for child in born.children())
            for verb, frozen in (
                ("freeze", True),
                ("freeze", True),
                ("thaw", False),
                ("freeze", True),
                ("thaw", False),
            ):
                self.assertTrue(await crew.control(verb, "encode:a", 1))  # type: ignore[arg-type]
                begin = time.monotonic()
                while (state(pid) == "T") != frozen:
                    self.assertLess(time.monotonic() - begin, 0.150)
                    await asyncio.sleep(0)
            self.assertFalse(await crew.control("freeze", "encode:other", 1))
            self.assertFalse(await crew.control("freeze", "encode:a", 2), "an older attempt is not this one")
            await crew.control("freeze", "encode:a", 1)
            await crew.control("stop", "encode:a", 1)
            gave = await ears.until(lambda e: isinstance(e, c.AttemptFailed))
            assert isinstance(gave, c.AttemptFailed)
            self.assertEqual(gave.fault, "stopped", "a frozen child can be stopped")

        self.with_crew(work)

    def test_a_child_that_dies_costs_its_attempt_only(self) -> None:
        async def killed(crew: c.Crew, ears: Listener) -> None:
            await crew.offer(1)
            (slot,) = await ears.slots(1)
            await crew.start(slot, "encode:a", 1, job(self.folder, "a", 4000))
            await ears.until(lambda e: isinstance(e, c.Progressed))
            (pid,) = (child.pid for born in psutil.Process().children() for child in born.children())
            os.kill(pid, 9)
            gave = await ears.until(lambda e: isinstance(e, c.AttemptFailed))
            assert isinstance(gave, c.AttemptFailed)
            self.assertEqual((gave.fault, gave.attempt), ("lost", 1))
            await crew.start(slot, "encode:a", 2, job(self.folder, "a", 10))
            self.assertIsInstance(await ears.until(lambda e: isinstance(e, c.Finished)), c.Finished)

        self.with_crew(killed)

    def test_a_bad_job_is_a_sentence(self) -> None:
        async def work(crew: c.Crew, ears: Listener) -> None:
            await crew.offer(1)
            (slot,) = await ears.slots(1)
            bad = job(self.folder, "a", 10).model_copy(
                update={
                    "spans": (plain_span(0, 5, MediaRef(path=str(self.folder / "nowhere" / "film.mp4"))),)
                }
            )
            await crew.start(slot, "encode:a", 1, bad)
            gave = await ears.until(lambda e: isinstance(e, c.AttemptFailed))
            assert isinstance(gave, c.AttemptFailed)
            self.assertEqual(
                gave.fault, self.fault_of_missing, "its folder is missing, too: a drive has gone"
            )
            self.assertIn("/nowhere/film.mp4 is missing", gave.sentence)

        self.with_crew(work)


class OfThisMachine(Contract, unittest.TestCase):
    """This machine's crew."""

    command: list[str] | None = None

    @contextlib.asynccontextmanager
    async def crew(self) -> AsyncIterator[c.Crew]:
        crew = LocalCrew(self.folder / "slots", 2, child_command=self.command, devices={DEVICE: 2})
        try:
            yield crew
        finally:
            await crew.close()

    def test_a_nursery_that_is_killed_costs_what_is_in_hand_only(self) -> None:
        async def killed(crew: c.Crew, ears: Listener) -> None:
            await crew.offer(1)
            (slot,) = await ears.slots(1)
            await crew.start(slot, "encode:a", 1, job(self.folder, "a", 4000))
            await ears.until(lambda e: isinstance(e, c.Progressed))
            (nursery,) = (born for born in psutil.Process().children() if born.children())
            (child,) = nursery.children()
            nursery.kill()
            gave = await ears.until(lambda e: isinstance(e, c.AttemptFailed))
            assert isinstance(gave, c.AttemptFailed)
            self.assertEqual(gave.fault, "lost")
            child.wait(5)  # it doesn't go on by itself
            await crew.start(slot, "encode:a", 2, job(self.folder, "a", 10))
            self.assertIsInstance(await ears.until(lambda e: isinstance(e, c.Finished)), c.Finished)

        self.with_crew(killed)

    def test_a_child_that_talks_rubbish_costs_its_attempt_only(self) -> None:
        async def rubbish(crew: c.Crew, ears: Listener) -> None:
            await crew.offer(1)
            (slot,) = await ears.slots(1)
            await crew.start(slot, "encode:a", 1, job(self.folder, "a", 10))
            gave = await ears.until(lambda e: isinstance(e, c.AttemptFailed))
            assert isinstance(gave, c.AttemptFailed)
            self.assertEqual(gave.fault, "lost")
            self.assertIn("can't be understood", gave.sentence)

        self.command = ["sh", "-c", 'echo \'{"what": "ready"}\'; read line; echo fish; sleep 9']
        self.with_crew(rubbish)


class OfAHouse(Contract, unittest.TestCase):
    """A station of a house, over TLS on the loopback; this machine itself has no slot."""

    fault_of_missing = "elsewhere"

    @contextlib.asynccontextmanager
    async def crew(self) -> AsyncIterator[c.Crew]:
        async with tests.house.house(self.folder, self.folder) as house:
            house.stations["Plover"].devices = (stand_in_device("1.0"),)
            yield await house.crew(self.folder, drivers={DEVICE: "1.0"})

    def test_a_device_with_another_driver_isn_t_counted_on(self) -> None:
        async def go() -> None:
            async with tests.house.house(self.folder, self.folder, "Plover", "Curlew") as house:
                house.stations["Plover"].devices = (stand_in_device("1.0"),)
                house.stations["Curlew"].devices = (stand_in_device("2.0"),)
                crew = await house.crew(self.folder, drivers={DEVICE: "1.0"})
                ears = Listener(crew)
                await crew.offer(4, DEVICE)
                slots = await ears.slots(2)
                self.assertEqual({slot.partition("/")[0] for slot in slots}, {"Plover"})
                with self.assertRaises(asyncio.TimeoutError):
                    await ears.until(lambda e: isinstance(e, c.Granted), 3)

        asyncio.run(go())


class Spinning(unittest.TestCase):
    """An encoder that only uses the processor is found; whoever hasn't begun to report, or works on, is left alone."""

    def test_only_an_encode_that_reported_and_then_fell_silent_stands_still(self) -> None:
        hand = Hand(0, Lock(Path(tempfile.mkdtemp()) / "slot"))
        now = time.monotonic()
        for task, told, still in (
            ("encode:a", SPINNING_SECONDS + 5, True),
            ("encode:a", SPINNING_SECONDS - 50, False),
            ("check:a", SPINNING_SECONDS + 5, False),
            ("encode:a", None, False),
        ):
            hand.task, hand.moved = task, now
            hand.told = 0.0 if told is None else now - told
            with self.subTest(task, told=told):
                self.assertEqual(hand.look() > 100, still)


if __name__ == "__main__":
    unittest.main()
