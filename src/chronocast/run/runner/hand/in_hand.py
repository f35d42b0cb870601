"""What a run has in hand: outputs that are ready, jobs, and the attempts that go on."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from typing import NamedTuple

from chronocast.model.messages.jobs import PieceJob, SoundJob
from chronocast.model.stages import HERE
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.station.drives import PIECE_BYTES
from chronocast.run import events as e


class Attempt(NamedTuple):
    """An attempt that goes on.

    ``slot`` is the one it has and ``station`` whose that is; ``since`` when it
    began (seconds since 1970); ``output`` the one it is for.
    """

    task: e.TaskId
    slot: str
    since: float
    output: str
    station: str = HERE


@dataclass
class InHand:
    """What a run has in hand.

    ``ready`` by output; ``jobs`` of parts by task, ``planned_for`` an output of each piece; ``attempts`` by
    task and attempt number; ``based`` whether a piece is encoded from its base piece.

    ``piece_room`` is what has to be free before a piece is begun: twice as much each time one has filled the drive,
    so that none is tried for ever.

    ``counts`` are frames or samples done of tasks; ``moved`` is when anything
    last moved (seconds since 1970); ``ended_still`` are attempts that were ended since they stood still.
    """

    ready: dict[str, OutputReady] = field(default_factory=dict)
    jobs: dict[e.TaskId, PieceJob | SoundJob] = field(default_factory=dict)
    planned_for: dict[e.TaskId, OutputReady] = field(default_factory=dict)
    attempts: dict[tuple[str, int], Attempt] = field(default_factory=dict)
    based: dict[e.TaskId, bool] = field(default_factory=dict)
    counts: dict[str, int] = field(default_factory=dict)
    piece_room: int = PIECE_BYTES
    moved: float = field(default_factory=time.time)
    ended_still: set[tuple[str, int]] = field(default_factory=set)
