"""``./run bench NAME``: figures and ratios within one run, printed and kept in docs/benchmarks.md."""

from __future__ import annotations

import importlib
import os
import platform
import sys
import tempfile
import time
from datetime import date
from pathlib import Path

NAMES = (
    "render",
    "start",
    "memory",
    "timeline",
    "sources",
    "seek",
    "fuzz",
    "passes",
    "priors",
    "forecast",
    "many",
    "pieces",
    "composing",
    "routes",
    "faults",
    "placement",
    "promise",
    "thousands",
    "straight",
)
REPORT = Path(__file__).parent.parent / "docs" / "benchmarks.md"


def loop_seconds() -> float:
    """What ten million additions take: seconds in a table mean little on a machine whose speed isn't known."""
    begin, number = time.perf_counter(), 0
    while number < 10_000_000:
        number += 1
    return time.perf_counter() - begin


def write_section(name: str, rows: list[tuple[str, str, str]], speeds: tuple[float, float]) -> None:
    """Replace a bench's section in the report.

    Parameters
    ----------
    name
        The bench's.
    rows
        What was measured, how much it was, and what is aimed at.
    speeds
        What the plain loop took before and after.
    """
    machine = f"{os.cpu_count()} cores, {platform.machine()}, Python {platform.python_version()}"
    lines = [
        f"## {name}",
        "",
        f"{date.today().isoformat()}, on a shared machine with {machine}. Ratios are of one run; "
        f"ten million additions in Python took {speeds[0]:.2f} s before it, {speeds[1]:.2f} s after.",
        "",
        "| what | measured | aim |",
        "| --- | --- | --- |",
    ]
    lines += [f"| {what} | {found} | {aim} |" for what, found, aim in rows]
    text = (
        REPORT.read_text()
        if REPORT.exists()
        else "# Benchmarks\n\nMade by `./run bench NAME`. Machines differ and are noisy; compare ratios.\n"
    )
    parts = text.split("\n## ")
    kept = [parts[0].rstrip()] + [
        "## " + part.rstrip() for part in parts[1:] if not part.startswith(name + "\n")
    ]
    REPORT.write_text("\n\n".join([*kept, "\n".join(lines)]) + "\n")


def main() -> int:
    if len(sys.argv) != 2 or sys.argv[1] not in NAMES:
        print(f"usage: ./run bench {' | '.join(NAMES)}")
        return 2
    name = sys.argv[1]
    with tempfile.TemporaryDirectory(prefix="chronocast-bench-") as folder:
        for place in ("DATA", "STATE", "CONFIG"):
            os.environ[f"CHRONOCAST_{place}"] = os.path.join(folder, place.lower())
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        before = loop_seconds()
        rows = importlib.import_module(f"bench.{name}").measure(Path(folder))
    for what, found, aim in rows:
        print(f"{what:58} {found:>24}   aim {aim}")
    write_section(name, rows, (before, loop_seconds()))
    return 0


if __name__ == "__main__":
    sys.exit(main())
