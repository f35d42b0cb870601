"""Run one test module in a process and folders of its own; its counts as a JSON line at the end."""

from __future__ import annotations

import contextlib
import faulthandler
import json
import os
import signal
import sys
import tempfile
import time
import unittest
from pathlib import Path

from hypothesis import HealthCheck, settings

from tests.bearer import bear_runners


def leave_nothing_running(state: str) -> None:
    """End runners that a failed test left behind, or they would slow down the others."""
    from chronocast.run.runner_lock import runner_lives

    for lock in Path(state).glob("runs/*/*.lock"):
        if runner_lives(lock.with_suffix(".run")):
            with contextlib.suppress(ValueError, OSError):
                os.kill(int(lock.read_text()), signal.SIGKILL)


SIDE_BY_SIDE = frozenset(
    {
        "run.test_kills",
        "run.test_trouble",
        "run.test_whole",
        "run.test_trust",
        "ui.test_window",
        "ui.test_numbers",
    }
)
"""Modules about pieces that are encoded side by side; to the others a second child is only a second start."""


class Timed(unittest.TextTestResult):
    """Says how long each test took, where that is long."""

    LONG = 3.0

    def startTest(self, test: unittest.TestCase) -> None:
        self.begun = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        if (seconds := time.monotonic() - self.begun) > self.LONG:
            self.stream.writeln(f"      {seconds:.1f} s")


def main(name: str) -> None:
    faulthandler.enable()
    with tempfile.TemporaryDirectory(prefix="chronocast-test-", ignore_cleanup_errors=True) as folder:
        for place in ("DATA", "STATE", "CONFIG"):
            os.environ[f"CHRONOCAST_{place}"] = os.path.join(folder, place.lower())
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
        os.environ["CHRONOCAST_SLOTS"] = "2" if name.removeprefix("tests.") in SIDE_BY_SIDE else "1"
        os.environ["TMPDIR"] = tempfile.tempdir = folder
        # machines are noisy: how long drawing an example took says nothing about the code
        settings.register_profile("noisy", deadline=None, suppress_health_check=[HealthCheck.too_slow])
        settings.load_profile("noisy")
        if name != "tests.run.test_waiting":  # which is about how they come to be in use
            bear_runners()
        suite = unittest.defaultTestLoader.loadTestsFromName(name)
        result = unittest.TextTestRunner(stream=sys.stderr, verbosity=2, resultclass=Timed).run(suite)
        leave_nothing_running(os.environ["CHRONOCAST_STATE"])
        bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        print(
            json.dumps({"passed": result.testsRun - bad - skipped, "failed": bad, "skipped": skipped}),
            flush=True,
        )
    os._exit(1 if bad else 0)


if __name__ == "__main__":
    main(sys.argv[1])
