"""Nothing hangs: whatever fails in a runner is said, a run can be stopped for certain, and nobody begins it twice."""

from __future__ import annotations

import asyncio
import fcntl
import os
import shutil
import signal
import subprocess
import tempfile
import threading
import time
import unittest
from collections.abc import AsyncIterator, Mapping
from pathlib import Path
from typing import Any
from unittest import mock

from chronocast.crew import contract as c
from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import load_batch, save_batch
from chronocast.model.batch.edits import add_source, fill
from chronocast.run.client import RunError, ask, begin_run, stop_run
from chronocast.run.runner import watch
from chronocast.run.runner.runner import Runner
from chronocast.run.runner_lock import runner_lives
from chronocast.run.view_kept import read_view
from tests.runs import HEAVY, over, render, see, small_batch, wait


class OddCrew:
    """A stand-in for a crew: grants one slot, and then does what a test wants of it."""

    def __init__(self, *, breaks: bool = False, loses: int = 0, garbles: bool = False) -> None:
        self.breaks, self.loses, self.garbles = breaks, loses, garbles
        self.queue: asyncio.Queue[c.CrewEvent] = asyncio.Queue()
        self.started = 0
        self.closed = False

    async def offer(self, slots: int, device: str = "") -> None:
        if slots and not self.started:
            self.queue.put_nowait(c.Granted("odd-0", "odd"))

    async def start(self, slot: str, task: str, attempt: int, job: Any, fresh: bool = False) -> None:
        self.started += 1
        if self.garbles:  # a result that is none
            self.queue.put_nowait(c.Finished(task, attempt, {"nothing": True}, 0.1, 0.1, 1))
        elif self.started > self.loses:
            self.queue.put_nowait(c.AttemptFailed(task, attempt, "media", "The film can't be read."))

    async def control(self, verb: str, task: str, attempt: int) -> bool:
        return True

    async def events(self) -> AsyncIterator[c.CrewEvent]:
        while True:
            event = await self.queue.get()
            if self.breaks:
                raise ZeroDivisionError("a crew that breaks")
            yield event

    def signs(self) -> Mapping[tuple[str, int], float]:
        return {}

    def sessions(self) -> Mapping[str, int]:
        return {}

    def lost(self) -> frozenset[str]:
        return frozenset()

    async def close(self) -> None:
        self.closed = True


class Trust(unittest.TestCase):
    number = 60

    def batch(self, clips: int = 1, frames: int = 110, **more: Any) -> Path:
        Trust.number += clips
        return small_batch(Path(tempfile.mkdtemp()) / "films", clips, frames, first=Trust.number, **more)

    def begun(self, path: Path) -> RunJournal:
        """A journal with a beginning and no runner."""
        journal = RunJournal(path.with_suffix(".run"))
        batch = load_batch(path).model_dump(mode="json")
        journal.append("begin", {"batch": batch, "path": str(path), "options": {}, "pid": 0})
        self.addCleanup(journal.close)
        return journal

    def test_two_copies_of_one_clip_are_both_made(self) -> None:
        path = self.batch()
        (path.parent / "card 2").mkdir()
        shutil.copy(path.parent / "clip 0.mp4", path.parent / "card 2" / "clip 0.mp4")
        batch = add_source(load_batch(path), "card 2/clip 0.mp4", "Clip 0", "clip")
        batch = fill(batch, [(batch.sources[1].id, "full", "quick")])
        save_batch(batch, path)
        journal = begin_run(batch, path)
        view = wait(journal, over, 60)
        self.assertEqual([output.state for output in view.outputs.values()], ["proved", "proved"])

    def test_a_helper_that_fails_ends_the_run_with_its_reason(self) -> None:
        path = self.batch()
        journal, crew = self.begun(path), OddCrew(breaks=True)
        outcome = asyncio.run(asyncio.wait_for(Runner(journal, crew).run(), 30))
        self.assertEqual(outcome, "needs you")
        view = read_view(journal, False)
        self.assertIn("ZeroDivisionError", view.sentence)
        self.assertTrue(crew.closed)

    def test_a_result_that_makes_no_sense_fails_its_attempt_and_not_in_silence(self) -> None:
        path = self.batch()
        journal = self.begun(path)
        outcome = asyncio.run(asyncio.wait_for(Runner(journal, OddCrew(garbles=True)).run(), 30))
        self.assertEqual(outcome, "needs you")
        reasons = [output.reason for output in read_view(journal, False).outputs.values()]
        self.assertTrue(all(reasons), reasons)

    def test_an_attempt_nobody_works_on_any_more_is_tried_again(self) -> None:
        path = self.batch()
        journal, crew = self.begun(path), OddCrew(loses=2)
        with mock.patch.object(watch, "CREW_SECONDS", 0.05):
            outcome = asyncio.run(asyncio.wait_for(Runner(journal, crew).run(), 30))
        self.assertEqual(outcome, "needs you")
        faults = [record.body["fault"] for record in journal.records() if record.kind == "failed"]
        self.assertEqual(faults.count("lost"), 2)

    def test_a_runner_that_stands_still_is_said_and_stop_ends_it(self) -> None:
        path = self.batch(frames=400, recipes=(HEAVY,))
        journal = begin_run(load_batch(path), path)
        view = wait(journal, lambda view: bool(view.tasks))
        pid = int(journal.with_suffix(".lock").read_text())
        os.kill(pid, signal.SIGSTOP)
        try:
            opened = RunJournal(journal)
            later = read_view(opened, True)
            later.see(opened.now(), True, time.time() + 20)
            opened.close()
            self.assertEqual(later.condition, "silent")
            self.assertIsNone(later.as_json()["finish"], "no time is promised while nothing moves")
            with self.assertRaises(RunError):
                ask(journal, "pause", wait_seconds=0.3)
            self.assertIn("Stopped", stop_run(journal, 0.5))
        finally:
            if runner_lives(journal):
                os.kill(pid, signal.SIGCONT)
        self.assertFalse(runner_lives(journal))
        view = see(journal)
        self.assertEqual((view.outcome, view.condition), ("stopped", "ended"))
        again = render(load_batch(path), path)
        self.assertEqual(again.outcome, "done", "what was begun can be gone on with")

    def test_a_runner_that_has_gone_accepts_nothing(self) -> None:
        path = self.batch()
        journal = self.begun(path).path
        with open(journal.with_suffix(".lock"), "w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            threading.Timer(0.4, lambda: fcntl.flock(lock, fcntl.LOCK_UN)).start()
            with self.assertRaises(RunError) as caught:
                ask(journal, "pause", wait_seconds=5)
            self.assertIn("went away", str(caught.exception))
        opened = RunJournal(journal)
        self.assertEqual(opened.requests(), [], "nobody obeys it later")
        opened.close()

    def test_of_two_that_begin_at_once_one_is_refused(self) -> None:
        path = self.batch(frames=300, recipes=(HEAVY,))
        batch, found = load_batch(path), []

        def begin() -> None:
            try:
                found.append(begin_run(batch, path))
            except RunError as error:
                found.append(error)

        threads = [threading.Thread(target=begin) for _ in range(3)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        begun = [item for item in found if isinstance(item, Path)]
        self.assertEqual(len(begun), 1, found)
        self.assertIn("being run already", str(next(e for e in found if isinstance(e, RunError))))
        self.assertEqual(wait(begun[0], over).outcome, "done")

    def test_a_folder_whose_drive_has_gone_is_waited_for_and_never_made_again(self) -> None:
        path = self.batch()
        drive = Path(tempfile.mkdtemp()) / "drive"
        drive.mkdir()
        batch = load_batch(path).model_copy(update={"folder": str(drive / "out")})
        save_batch(batch, path)
        drive.rmdir()
        journal = begin_run(batch, path, {"space_wait_seconds": 60.0})
        wait(
            journal,
            lambda view: (
                view.condition == "away" and f"{drive} is missing" in next(iter(view.outputs.values())).reason
            ),
        )
        self.assertFalse(drive.exists())
        drive.mkdir()
        self.assertEqual(wait(journal, over).outcome, "done")
        self.assertEqual(len(list((drive / "out").iterdir())), 1)

    @unittest.skipUnless(os.geteuid() == 0, "a drive can only be taken out by root")
    def test_a_drive_taken_out_in_mid_run_is_waited_for_though_its_empty_folder_stays(self) -> None:
        drive = Path(tempfile.mkdtemp())
        mount = ["mount", "-t", "tmpfs", "-o", "size=50m", "none", str(drive)]
        if subprocess.run(mount, capture_output=True).returncode:
            self.skipTest("a drive can't be mounted here")
        self.addCleanup(subprocess.run, ["umount", "-l", str(drive)], capture_output=True)
        path = self.batch(clips=2, frames=300)
        batch = load_batch(path).model_copy(update={"folder": str(drive)})
        save_batch(batch, path)
        journal = begin_run(batch, path, {"space_wait_seconds": 60.0})
        wait(journal, lambda view: any(o.pieces for o in view.outputs.values()))
        subprocess.run(["umount", "-l", str(drive)], check=True)
        view = wait(journal, lambda view: view.condition == "away")
        self.assertIn(
            f"The drive at {drive} is not there any more", " ".join(o.reason for o in view.outputs.values())
        )
        self.assertEqual(list(drive.iterdir()), [], "nothing is written in its place")
        subprocess.run(mount, check=True)
        self.assertEqual(wait(journal, over).outcome, "done")
        self.assertGreaterEqual(len([p for p in drive.iterdir() if p.suffix == ".mp4"]), 1)

    def test_a_stop_while_a_batch_is_being_prepared_is_heard(self) -> None:
        path = self.batch(clips=3)
        journal = self.begun(path)
        journal.ask("stop")
        runner = Runner(journal, OddCrew())
        runner.stop_asked = True
        self.assertEqual(asyncio.run(asyncio.wait_for(runner.run(), 30)), "stopped")


if __name__ == "__main__":
    unittest.main()
