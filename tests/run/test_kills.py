"""Processes are really killed, in mid-run, by their numbers."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from collections import Counter
from pathlib import Path

from chronocast.journal.batches.runs import Record, RunJournal
from chronocast.journal.documents import load_batch
from chronocast.run.client import ask, begin_run, last_run
from chronocast.run.runner_lock import runner_lives
from tests.footage import counters
from tests.runs import HEAVY, children_did, children_of, gone, over, see, small_batch, wait


def runner_pid(journal: Path) -> int:
    """The process that owns a run."""
    opened = RunJournal(journal)
    try:
        return int(opened.now()["runner"][1]["pid"])
    finally:
        opened.close()


FRAMES = 450  # three pieces a clip


class Kills(unittest.TestCase):
    number = 1

    def setUp(self) -> None:
        self.first = Kills.number  # clips of its own for each test: the stock is shared
        Kills.number += 2
        folder = Path(tempfile.mkdtemp()) / "films"
        self.path = small_batch(
            folder, clips=2, frames=FRAMES, recipes=(HEAVY,), size=(256, 144), first=self.first, sound=False
        )
        self.batch = load_batch(self.path)

    def begin(self, pieces: int) -> Path:
        """A run that has finished some pieces and is busy with others."""
        before = len(children_did())
        journal = begin_run(self.batch, self.path)
        wait(journal, lambda view: len(children_did()) - before >= pieces and bool(view.tasks))
        return journal

    def proved(self, journal: Path) -> None:
        """The run ends with every file proved and every picture in it."""
        view = wait(journal, over)
        self.assertEqual(
            [o.state for o in view.outputs.values()],
            ["proved", "proved"],
            [o.reason for o in view.outputs.values()],
        )
        for number, output in enumerate(view.outputs.values()):
            self.assertEqual(counters(Path(output.path)), [(number + self.first, n) for n in range(FRAMES)])
        out = Path(next(iter(view.outputs.values())).path).parent
        self.assertEqual([p.name for p in out.iterdir() if p.name.startswith(".")], [])

    def test_a_killed_runner_starts_again_without_encoding_a_finished_piece_twice(self) -> None:
        start = len(children_did())
        journal = self.begin(2)
        for _ in range(2):
            pid = runner_pid(journal)
            children = children_of(pid)
            self.assertTrue(children)
            os.kill(pid, signal.SIGKILL)
            end = time.monotonic() + 5
            while not all(gone(child) for child in children) and time.monotonic() < end:
                time.sleep(0.01)
            self.assertTrue(all(gone(child) for child in children), "children die with their runner")
            while runner_lives(journal) and time.monotonic() < end:
                time.sleep(0.01)
            self.assertFalse(runner_lives(journal))
            done = len(children_did())
            self.assertEqual(begin_run(self.batch, self.path), journal, "the same run is taken up")
            wait(
                journal,
                lambda view, done=done: (len(children_did()) > done and bool(view.tasks)) or over(view),
            )
        self.proved(journal)
        twice = [name for name, count in Counter(children_did()[start:]).items() if count > 1]
        self.assertEqual(twice, [])

    def test_a_run_outlives_the_desktop_that_began_it_and_is_found_again(self) -> None:
        code = (
            "import sys, time\n"
            "from pathlib import Path\n"
            "from PyQt6.QtWidgets import QApplication\n"
            "from chronocast.ui.app import make_app\nfrom chronocast.ui.desk.session import Session\nfrom chronocast.ui.window import Window\n"
            "from chronocast.ui import theme\n"
            "app = make_app(); theme.apply(app, theme.INK)\n"
            "session = Session(Path(sys.argv[1])); window = Window(session, theme.INK); window.show(); session.open()\n"
            "end = time.time() + 60\n"
            "while session.view is None and time.time() < end: app.processEvents(); time.sleep(0.01)\n"
            "window.begin.click()\n"
            "while True: app.processEvents(); time.sleep(0.01)\n"
        )
        desktop = subprocess.Popen([sys.executable, "-c", code, str(self.path)])
        try:
            end = time.monotonic() + 60
            while last_run(self.path) is None and time.monotonic() < end:
                time.sleep(0.05)
            journal = last_run(self.path)
            assert journal is not None
            wait(journal, lambda view: bool(view.tasks))
        finally:
            desktop.send_signal(signal.SIGKILL)
            desktop.wait()
        self.assertTrue(runner_lives(journal))
        self.assertEqual(last_run(self.path), journal)
        self.assertTrue(see(journal).tasks)
        self.proved(journal)

    def test_a_killed_child_costs_one_piece(self) -> None:
        start = len(children_did("start"))
        journal = self.begin(1)
        victim = children_of(runner_pid(journal))[0]
        os.kill(victim, signal.SIGKILL)
        self.proved(journal)
        pieces = len(set(children_did("start")[start:]))
        self.assertLessEqual(len(children_did("start")[start:]), pieces + 1)

    def test_a_paused_run_stands_still_and_goes_on(self) -> None:
        journal = self.begin(1)
        self.assertEqual(ask(journal, "pause"), (True, ""))
        wait(journal, lambda view: view.paused)
        pid = runner_pid(journal)
        self.assertTrue(any(self.state(child) == "T" for child in children_of(pid)))
        done = len(children_did())
        time.sleep(1.0)
        self.assertEqual(len(children_did()), done)
        os.kill(pid, signal.SIGKILL)
        end = time.monotonic() + 5
        while runner_lives(journal) and time.monotonic() < end:
            time.sleep(0.02)
        self.assertEqual(begin_run(self.batch, self.path), journal)
        wait(journal, lambda view: view.lives and view.paused)
        self.assertEqual(ask(journal, "resume"), (True, ""))
        self.proved(journal)

    def records(self, journal: Path) -> list[Record]:
        opened = RunJournal(journal)
        try:
            return opened.records()
        finally:
            opened.close()

    def state(self, pid: int) -> str:
        try:
            return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]
        except OSError:
            return ""

    def test_a_stopped_run_keeps_what_is_finished(self) -> None:
        start = len(children_did())
        journal = self.begin(2)
        self.assertEqual(ask(journal, "stop"), (True, ""))
        view = wait(journal, over)
        self.assertEqual(view.outcome, "stopped")
        self.assertFalse(list((self.path.parent / "out").glob("*")))
        again = begin_run(self.batch, self.path)
        self.assertNotEqual(again, journal)
        self.proved(again)
        self.assertEqual([n for n, c in Counter(children_did()[start:]).items() if c > 1], [])

    def test_outputs_are_held_released_reordered_and_added_while_it_runs(self) -> None:
        from chronocast.model.batch.batch import FULL
        from chronocast.model.batch.edits import add_recipe, fill
        from tests.runs import QUICK

        first, second = (output.id for output in self.batch.outputs)
        journal = self.begin(1)
        self.assertEqual(ask(journal, "hold", {"outputs": [second]}), (True, ""))
        wait(journal, lambda view: view.outputs[second].state == "held")
        self.assertEqual(ask(journal, "pause"), (True, ""), "it doesn't end meanwhile")
        self.assertFalse(ask(journal, "hold", {"outputs": ["nobody"]})[0])
        self.assertFalse(ask(journal, "dance")[0])
        wider = fill(add_recipe(self.batch, QUICK), [(self.batch.sources[1].id, FULL, "quick")])
        added = wider.outputs[-1].id
        self.assertEqual(
            ask(journal, "add", {"batch": wider.model_dump(mode="json"), "outputs": [added]}), (True, "")
        )
        self.assertEqual(ask(journal, "order", {"outputs": [added, second, first]}), (True, ""))
        ask(journal, "hold", {"outputs": [second], "held": False})
        ask(journal, "resume")
        view = wait(journal, over)
        records = self.records(journal)
        asked = next(n for n, r in enumerate(records) if r.kind == "request" and r.body["kind"] == "order")
        nearest = next(r.body["task"] for r in records[asked:] if r.kind == "started")
        owner = next(r.body["output"] for r in records if r.kind == "finished" and r.body["task"] == nearest)
        self.assertEqual(owner, added, "what was put first is worked on next")
        self.assertEqual({o.state for o in view.outputs.values()}, {"proved"})

    def test_what_was_held_and_put_first_lasts_though_the_runner_is_killed(self) -> None:
        first, second = (output.id for output in self.batch.outputs)
        journal = self.begin(1)
        self.assertEqual(ask(journal, "hold", {"outputs": [first]}), (True, ""))
        self.assertEqual(ask(journal, "order", {"outputs": [second, first]}), (True, ""))
        os.kill(runner_pid(journal), signal.SIGKILL)
        wait(journal, lambda view: not view.lives)
        again = begin_run(self.batch, self.path)
        view = wait(again, over)
        self.assertEqual(again, journal)
        self.assertEqual([view.outputs[n].state for n in (first, second)], ["held", "proved"])
        self.assertEqual(view.order, [second, first])


if __name__ == "__main__":
    unittest.main()
