"""The crew contract: five verbs behind which work gets done.

*offer*: how many slots could be used now; the crew grants what it can.
*start*: a job's attempt on a granted slot.  *control*: freeze, thaw or stop
an attempt.  *events*: what happens, in order.  *lost*: stations that have
gone.  A slot is granted by the station alone, and is the runner's until it
is given back.
"""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol

from chronocast.model.messages.jobs import Job


@dataclass(frozen=True)
class Granted:
    """A slot may be used: of the station's processor, or a session of a device."""

    slot: str
    station: str
    device: str = ""


@dataclass(frozen=True)
class Returned:
    """An idle slot was given back to the station."""

    slot: str


@dataclass(frozen=True)
class Progressed:
    """An attempt is under way: pictures or samples done."""

    task: str
    attempt: int
    count: int
    slot: str


@dataclass(frozen=True)
class Finished:
    """An attempt has a result."""

    task: str
    attempt: int
    result: dict[str, Any]
    wall_seconds: float
    cpu_seconds: float
    memory_bytes: int
    read_bytes: int = 0


@dataclass(frozen=True)
class AttemptFailed:
    """An attempt ended without a result."""

    task: str
    attempt: int
    fault: str
    sentence: str
    detail: str = ""


@dataclass(frozen=True)
class StationGone:
    """A station went, with its slots."""

    station: str
    slots: tuple[str, ...] = field(default=())


CrewEvent = Granted | Returned | Progressed | Finished | AttemptFailed | StationGone


class Crew(Protocol):
    """Whoever does the work."""

    async def offer(self, slots: int, device: str = "") -> None:
        """Say how many slots of a kind could be used now, those in use included; of the processor, or sessions of a device."""

    async def start(self, slot: str, task: str, attempt: int, job: Job, fresh: bool = False) -> None:
        """Begin an attempt; ``fresh`` asks for a process that has done nothing before.

        Parameters
        ----------
        slot
            The granted slot.
        task
            The task, as the runner names it.
        attempt
            The attempt's number.
        job
            The job.
        fresh
            Whether it wants a process that has done nothing before.
        """

    async def control(self, verb: Literal["freeze", "thaw", "stop"], task: str, attempt: int) -> bool:
        """Freeze, thaw or stop an attempt; False if it is not running here.  Repeating does no harm.

        Parameters
        ----------
        verb
            What to do to it.
        task
            The task, as the runner names it.
        attempt
            The attempt's number.
        """

    def events(self) -> AsyncIterator[CrewEvent]:
        """What happens, in order, for as long as the crew is open."""

    def signs(self) -> Mapping[tuple[str, int], float]:
        """Attempts in hand (task, attempt), each with the seconds since it last showed progress or used a processor."""

    def sessions(self) -> Mapping[str, int]:
        """How many encodes each kind of device does at once, by its family, as far as is known now."""

    def lost(self) -> frozenset[str]:
        """Stations that have gone and not come back."""

    async def close(self) -> None:
        """Stop everything and give every slot back."""
