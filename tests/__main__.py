"""Run all tests, or those named: ``./run test`` or ``./run test core.test_machine``; ``--quick`` runs the core's.

Each module runs in a process of its own, some side by side.  The last line is
``N passed, N failed, N skipped``.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

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


def run(name: str) -> tuple[str, dict[str, int], str, float]:
    """One module: its counts, and what it said if something failed."""
    begin = time.monotonic()
    command = [sys.executable, "-m", "tests.one", f"tests.{name}"]
    try:
        done = subprocess.run(
            command, capture_output=True, text=True, timeout=TIMEOUT, stdin=subprocess.DEVNULL
        )
        said, lines = done.stderr, done.stdout.strip().splitlines()
        counts = (
            json.loads(lines[-1])
            if lines and lines[-1].startswith("{")
            else {"passed": 0, "failed": 1, "skipped": 0}
        )
    except subprocess.TimeoutExpired as error:
        said = f"{(error.stderr or b'').decode(errors='replace')}\nstopped after {TIMEOUT} s"
        counts = {"passed": 0, "failed": 1, "skipped": 0}
    return name, counts, said, time.monotonic() - begin


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
        ThreadPoolExecutor(AT_ONCE) as pool,
    ):
        os.environ["CHRONOCAST_TEST_CLIPS"] = clips
        for name, counts, said, seconds in pool.map(run, names):
            for key in total:
                total[key] += counts[key]
            mark = "FAILED" if counts["failed"] else "ok"
            print(
                f"{mark:7} {name:32} {counts['passed']} passed, {counts['skipped']} skipped, {seconds:.1f} s",
                flush=True,
            )
            if counts["failed"] or wanted:
                print(said, flush=True)
    print(f"{total['passed']} passed, {total['failed']} failed, {total['skipped']} skipped")
    return 1 if total["failed"] else 0


if __name__ == "__main__":
    sys.exit(main())
