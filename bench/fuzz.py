"""Twenty thousand spoilt timeline files through the readers: none may kill, hang for 2 s or take 1 GB."""

from __future__ import annotations

import os
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from importlib import resources
from pathlib import Path

from tests.fuzz import run

COUNT, SHARE = 20_000, 500


def _part(first: int) -> Counter[str]:
    footage = resources.files("chronocast.demo") / "footage"
    names = ("tide-walk.otio", "night-round.otio", "hall-opening.otio", "guided-tour.edl")
    return run(first, SHARE, [(name, (footage / name).read_bytes()) for name in names])


def measure(_folder: Path) -> list[tuple[str, str, str]]:
    """Counts of what became of them."""
    total: Counter[str] = Counter()
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for found in pool.map(_part, range(100_000, 100_000 + COUNT, SHARE)):
            total += found
    bad = {what: count for what, count in total.items() if what not in ("read", "refused")}
    for what in bad:
        print(what)
    return [
        ("spoilt timeline files read", f"{total['read']:,}", "told as it is"),
        ("refused with a sentence", f"{total['refused']:,}", "told as it is"),
        ("crashes, hangs over 2 s, memory over 1 GB", str(sum(bad.values())), "0"),
    ]
