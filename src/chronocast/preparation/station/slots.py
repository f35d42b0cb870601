"""This machine as a station: how much it does at once."""

from __future__ import annotations

import os


def machine_slots() -> int:
    """How many pieces this machine works on at once: one a core (CHRONOCAST_SLOTS overrides)."""
    said = os.environ.get("CHRONOCAST_SLOTS", "")
    if said.isdigit() and int(said) > 0:
        return min(64, int(said))
    try:
        cores = len(os.sched_getaffinity(0))
    except OSError:
        cores = os.cpu_count() or 1
    return max(1, min(16, cores))
