"""A piece that is nearly done when a run is stopped is let finish; others end at once."""

from __future__ import annotations

import asyncio
import time
import unittest
from fractions import Fraction
from typing import Any
from unittest import mock

from chronocast.model.messages.jobs import EncoderSettings, PieceJob
from chronocast.model.source.cutlist import PictureSpan
from chronocast.run import events as e
from chronocast.run.runner.hand import grace
from chronocast.run.runner.hand.grace import Grace
from chronocast.run.runner.hand.in_hand import Attempt, InHand

TASK = e.TaskId("encode", "a")


class Stops:
    """A crew that only remembers what it was told."""

    def __init__(self) -> None:
        self.told: list[tuple[str, str, int]] = []

    async def control(self, verb: str, task: str, attempt: int) -> bool:
        self.told.append((verb, task, attempt))
        return True


def in_hand(done: int, seconds: float, frames: int = 100) -> InHand:
    """A piece of so many frames, begun so many seconds ago."""
    job = PieceJob(
        name="a",
        target="t",
        rate=Fraction(25),
        width=320,
        height=180,
        canvas=(320, 180),
        spans=(PictureSpan(start=0, frames=frames),),
        settings=EncoderSettings(encoder="libx264", options={}),
    )
    found = InHand(jobs={TASK: job}, counts={str(TASK): done})
    found.attempts[str(TASK), 1] = Attempt(TASK, "1", time.time() - seconds, "out")
    return found


class NearlyDone(unittest.TestCase):
    def test_only_what_soon_ends_is_waited_for(self) -> None:
        """Encoders hold pictures back that they were given: a part is done when they are done with those."""
        for given, seconds, left in ((448, 20.0, 2.4), (440, 16.0, 2.3), (400, 10.0, 2.7), (200, 1.0, 1.9)):
            found = Grace(in_hand(given, seconds, 448)).seconds_left(TASK, 1, time.time())
            assert found is not None
            self.assertAlmostEqual(found, left, delta=0.1)
        for given, seconds in ((448, 100.0), (100, 1.0), (50, 0.1), (0, 0.5)):
            self.assertIsNone(Grace(in_hand(given, seconds, 448)).seconds_left(TASK, 1, time.time()))
        short = Grace(in_hand(40, 1.0, 40)).seconds_left(TASK, 1, time.time())
        self.assertAlmostEqual(short or 0.0, 3.0, delta=0.1)
        self.assertIsNone(Grace(InHand()).seconds_left(TASK, 1, time.time()), "nobody works on it")

    def test_it_is_stopped_all_the_same_if_it_takes_longer(self) -> None:
        async def stopped(hand: InHand) -> list[list[Any]]:
            crew = Stops()
            await Grace(hand).stop(crew, TASK, 1)  # type: ignore[arg-type]
            at_once = list(crew.told)
            await asyncio.sleep(0.15)
            return [at_once, crew.told]

        told = ("stop", str(TASK), 1)
        with mock.patch.object(grace, "MOST_SECONDS", 0.1):
            self.assertEqual(asyncio.run(stopped(in_hand(100, 0.05))), [[], [told]])
            self.assertEqual(asyncio.run(stopped(in_hand(10, 10.0))), [[told], [told]])
