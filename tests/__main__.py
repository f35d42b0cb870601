"""Run all tests, or those named: ``./run test`` or ``./run test core.test_machine``; ``--quick`` runs the core's.

Each module runs in a process of its own, forked from one that has loaded what most need; some side by side.  The last line is
``N passed, N failed, N skipped``.
"""

from __future__ import annotations

import gc
import json
import os
import signal
import sys
import tempfile
import time
import traceback
from collections.abc import Iterator
from importlib import import_module
from pathlib import Path

from tests import one

HERE = Path(__file__).parent
TIMEOUT = 800
AT_ONCE = 2
"""Modules side by side: three are no quicker on two cores."""
SLOWEST_FIRST = (
    "ui.test_trust",
    "run.test_devices",
    "run.test_passes",
    "run.test_house",
    "run.test_kills",
    "run.test_trouble",
    "ui.test_window",
    "ui.test_range",
    "media.test_formats",
    "run.test_joining",
    "run.test_groups",
    "ui.test_proxies",
    "ui.test_recipe",
    "run.test_trust",
    "cli.test_cli",
    "run.test_whole",
    "core.test_fuzz",
)
"""So that no long module is left alone at the end."""
PRELOADED = (
    "av",
    "hypothesis.strategies",
    "numpy",
    "opentimelineio",
    "PIL.Image",
    "PyQt6.QtTest",
    "chronocast.cli.app",
    "chronocast.crew.local.child",
    "chronocast.crew.local.work",
    "chronocast.run.runner.runner",
    "chronocast.ui.window",
)
QUICK = ("core", "media.test_making", "media.test_decode")
LEFT_OUT_OF_QUICK = ("core.test_fuzz",)


def modules(wanted: list[str]) -> list[str]:
    """Test modules by name, the slowest first."""
    found = [".".join(path.relative_to(HERE).with_suffix("").parts) for path in HERE.rglob("test_*.py")]
    if wanted:
        found = [
            name
            for name in found
            if any(
                name == word or name.endswith("." + word) or name.startswith(word + ".") for word in wanted
            )
        ]
    rank = {name: n for n, name in enumerate(SLOWEST_FIRST)}
    return sorted(found, key=lambda name: (rank.get(name, 99), name))


def load() -> None:
    """Load what most modules need, once: each is forked from this process, which has one thread."""
    for name in PRELOADED:
        import_module(name)
    gc.collect()
    gc.freeze()  # what is loaded stays where it lies in memory, shared by all


class Module:
    """A module in a process of its own: what it says goes to files, its counts are the last line of its output."""

    def __init__(self, name: str, folder: Path) -> None:
        self.name, self.begun = name, time.monotonic()
        self.output, self.errors = folder / f"{name}.out", folder / f"{name}.err"
        self.pid = os.fork()
        if not self.pid:
            try:
                with (
                    open(os.devnull, "rb") as nothing,
                    open(self.output, "wb") as output,
                    open(self.errors, "wb") as errors,
                ):
                    for number, file in enumerate((nothing, output, errors)):
                        os.dup2(file.fileno(), number)
                one.main(f"tests.{name}")
            except BaseException:
                traceback.print_exc()
                sys.stderr.flush()
            finally:
                os._exit(1)

    @property
    def seconds(self) -> float:
        """Since it was begun."""
        return time.monotonic() - self.begun

    def ended(self) -> tuple[dict[str, int], str]:
        """Its counts, and what it said."""
        lines = self.output.read_text(errors="replace").strip().splitlines()
        said = self.errors.read_text(errors="replace")
        if lines and lines[-1].startswith("{"):
            return json.loads(lines[-1]), said
        return {"passed": 0, "failed": 1, "skipped": 0}, f"{said}\nit ended after {self.seconds:.0f} s"


def run(names: list[str], folder: Path) -> Iterator[tuple[Module, dict[str, int], str]]:
    """All modules, some side by side; each as it ends."""
    waiting, running = list(names), dict[int, Module]()
    while waiting or running:
        while waiting and len(running) < AT_ONCE:
            module = Module(waiting.pop(0), folder)
            running[module.pid] = module
        pid, _ = os.waitpid(-1, os.WNOHANG)
        if pid in running:
            module = running.pop(pid)
            yield module, *module.ended()
            continue
        for module in running.values():
            if module.seconds > TIMEOUT:
                os.kill(module.pid, signal.SIGKILL)
        time.sleep(0.05)


def main() -> int:
    wanted = [word for word in sys.argv[1:] if word != "--quick"]
    names = modules(wanted or list(QUICK if "--quick" in sys.argv else ()))
    if "--quick" in sys.argv:
        names = [name for name in names if name not in LEFT_OUT_OF_QUICK]
    if not names:
        print(f"There is no test module {', '.join(wanted)}.")
        return 2
    total = {"passed": 0, "failed": 0, "skipped": 0}
    with (
        tempfile.TemporaryDirectory(prefix="chronocast-clips-") as clips,
        tempfile.TemporaryDirectory(prefix="chronocast-said-") as said_folder,
    ):
        os.environ["CHRONOCAST_TEST_CLIPS"] = clips
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
        load()
        for module, counts, said in run(names, Path(said_folder)):
            for key in total:
                total[key] += counts[key]
            mark = "FAILED" if counts["failed"] else "ok"
            print(
                f"{mark:7} {module.name:32} {counts['passed']} passed, {counts['skipped']} skipped, "
                f"{module.seconds:.1f} s",
                flush=True,
            )
            if counts["failed"] or wanted:
                print(said, flush=True)
    print(f"{total['passed']} passed, {total['failed']} failed, {total['skipped']} skipped")
    return 1 if total["failed"] else 0


if __name__ == "__main__":
    sys.exit(main())
