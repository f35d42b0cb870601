"""The kinds of work that outputs take, one row each, from the forecast to the run.

To add one: a row here; its job in ``messages/jobs.py``; who does it in
``crew/local/work.py``; what it costs in ``forecast/work.py``; how the runner
words its job in ``run/runner/jobs.py``.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

HERE = "here"
"""The station that is this machine."""


@dataclass(frozen=True)
class StageKind:
    """One kind of work.

    Parameters
    ----------
    id
        Its name in jobs, journals and answers.
    of
        *part*: it makes a part that lies in the stock under its own name, and
        that several outputs may share.  *output*: it is done once for an output
        when all its parts are there, after the rows above it.
    state
        What an output is doing meanwhile.
    first
        Whether it begins before the other parts: it is long and can't be divided.
    fresh
        Whether it wants a process that has done nothing before.
    """

    id: str
    of: Literal["part", "output"]
    state: Literal["rendering", "joining", "checking"]
    first: bool = False
    fresh: bool = False


BASE = StageKind("base", "part", "rendering")
ENCODE = StageKind("encode", "part", "rendering")
COPY = StageKind("copy", "part", "rendering")
SOUND = StageKind("sound", "part", "rendering", first=True)
JOIN = StageKind("join", "output", "joining")
CHECK = StageKind("check", "output", "checking", fresh=True)

STAGES = {kind.id: kind for kind in (BASE, ENCODE, COPY, SOUND, JOIN, CHECK)}
"""In the order that an output goes through them."""
PARTS = tuple(kind for kind in STAGES.values() if kind.of == "part")
STEPS = tuple(kind for kind in STAGES.values() if kind.of == "output")
