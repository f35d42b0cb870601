"""A runner that has loaded before there is a run, and the nursery that forks its children."""

from __future__ import annotations

import contextlib
import os
import signal
import time
import unittest
from unittest import mock

import psutil

from chronocast.crew.local.nursery import Nursery
from chronocast.journal.documents import load_batch
from chronocast.run.client import begin_run, last_run, stop_run
from chronocast.run.runner_lock import lock_path
from chronocast.run.waiting import RUNNER, WaitingRunner, have_a_runner_wait, let_it_leave
from tests.footage import folder
from tests.runs import HEAVY, QUICK, gone, over, small_batch, wait


def waiting() -> set[int]:
    """Runners of this process that wait, and their nurseries."""
    found = set[int]()
    for process in psutil.Process().children(recursive=True):
        with contextlib.suppress(psutil.Error):  # of another test, and just leaving
            if RUNNER in process.cmdline():
                found.add(process.pid)
    return found


class Waiting(unittest.TestCase):
    def setUp(self) -> None:
        self.addCleanup(let_it_leave)
        let_it_leave()
        until = time.monotonic() + 20
        while waiting() and time.monotonic() < until:
            time.sleep(0.05)  # of another test, and just leaving

    def test_it_takes_the_next_runs_and_carries_them_through(self) -> None:
        path = small_batch(folder(), 1, 60, (QUICK,))
        have_a_runner_wait()
        (pid,) = waiting()
        journal = begin_run(load_batch(path), path)
        self.assertTrue(psutil.Process(pid).is_running())
        view = wait(journal, over)
        self.assertEqual(view.outcome, "done", view.sentence)
        self.assertEqual(last_run(path), journal)
        other = small_batch(folder(), 1, 55, (QUICK,))
        self.assertEqual(
            wait(begin_run(load_batch(other), other), over).outcome, "done", "and the one after it"
        )
        self.assertIn(pid, waiting())

    def test_a_run_that_it_took_is_stopped_like_any(self) -> None:
        path = small_batch(folder(), 1, 800, (HEAVY,))
        have_a_runner_wait()
        journal = begin_run(load_batch(path), path)
        self.assertIn("Stopped", stop_run(journal))

    def test_a_runner_that_stands_still_is_ended_where_its_folder_is_a_link(self) -> None:
        path, place = small_batch(folder(), 1, 800, (HEAVY,)), folder()
        (place / "state").mkdir()
        (place / "link").symlink_to(place / "state")
        with mock.patch.dict(os.environ, CHRONOCAST_STATE=str(place / "link")):
            journal = begin_run(load_batch(path), path)
            wait(journal, lambda view: view.tasks)
            pid = int(lock_path(journal).read_text())
            os.kill(pid, signal.SIGSTOP)
            self.assertIn("Stopped", stop_run(journal, 0.3))
            self.assertTrue(gone(pid))

    def test_one_that_was_killed_costs_nothing(self) -> None:
        path = small_batch(folder(), 1, 60, (QUICK,))
        have_a_runner_wait()
        for pid in waiting():
            os.kill(pid, 9)
        self.assertEqual(wait(begin_run(load_batch(path), path), over).outcome, "done")

    def test_one_that_would_look_in_other_folders_is_not_given_the_run(self) -> None:
        path = small_batch(folder(), 1, 60, (QUICK,))
        have_a_runner_wait()
        with mock.patch.dict(os.environ, CHRONOCAST_STATE=str(folder())):
            journal = begin_run(load_batch(path), path)
            self.assertEqual(wait(journal, over).outcome, "done")

    def test_it_leaves_when_nobody_begins_anything(self) -> None:
        waiter = WaitingRunner()
        pids = waiting()
        self.assertTrue(pids)
        waiter.leave()
        until = time.monotonic() + 10
        while not all(map(gone, pids)):
            self.assertLess(time.monotonic(), until)
            time.sleep(0.05)


class Forking(unittest.TestCase):
    def test_children_are_born_again_after_their_nursery_was_killed(self) -> None:
        born_at, nursery = folder(), Nursery()
        for _ in range(2):
            order = {"command": ["sh", "-c", "echo $((6 * 7)); exit 3"]}
            born = nursery.bear(order, born_at / "said")
            with born.stream, born.status:
                self.assertEqual(born.stream.makefile("r").read(), "42\n")
                self.assertEqual(born.status.makefile("r").read(), "3")
            for process in psutil.Process().children():
                with contextlib.suppress(psutil.ZombieProcess):  # of another test
                    if "chronocast.crew.local.nursery" in process.cmdline():
                        process.kill()
                        process.wait(5)

    def test_a_child_that_can_t_be_run_says_so_where_it_complains(self) -> None:
        said, nursery = folder() / "said", Nursery()
        born = nursery.bear({"command": ["/nowhere/at/all"]}, said)
        with born.stream, born.status:
            self.assertEqual(born.status.makefile("r").read(), "1")
        self.assertIn("FileNotFoundError", said.read_text())


if __name__ == "__main__":
    unittest.main()
