"""What the state machine is told, and what it answers.  Small, typed, without clock or files."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal, NamedTuple, overload

from chronocast.model.stages import HERE, STAGES, StageKind

Fault = Literal[
    "lost",
    "encode",
    "media",
    "space",
    "away",
    "place",
    "pieces",
    "base",
    "device",
    "disproved",
    "stopped",
    "elsewhere",
    "internal",
]
"""Why a task failed.

*lost*: its child or station went; *encode*: the work itself failed; *media*:
the source can't be read; *space*: a drive is full; *away*: a folder or a file
is gone, as when a drive was unplugged; *place*: a folder can't be written;
*pieces*: a join found damaged pieces; *base*: the base piece it was to be encoded from is
no good; *device*: a hardware encoder failed at it; *disproved*: a check found the file
wanting; *stopped*: we stopped it, or its station gave it back; *elsewhere*: its station
can't do it, another one may; *internal*: the runner itself failed at it.
"""

State = Literal[
    "waiting", "rendering", "joining", "checking", "placing", "proved", "held", "needs you", "stopped"
]


class TaskId(NamedTuple):
    """A part (a piece, sound) by its name in the stock; a step (join, check) by its output.

    ``kind`` is one of ``STAGES``.
    """

    kind: str
    name: str

    def __str__(self) -> str:
        return f"{self.kind}:{self.name}"

    @property
    def stage(self) -> StageKind:
        """Its row in the table of kinds."""
        return STAGES[self.kind]

    @property
    def is_part(self) -> bool:
        """Whether it makes a part in the stock; else it is a step of its output."""
        return self.stage.of == "part"

    @classmethod
    def read(cls, text: str) -> TaskId:
        """The task that ``str`` made this text of."""
        kind, name = text.split(":", 1)
        return cls(kind, name)


@dataclass(frozen=True)
class OutputSpec:
    """What the machine must know of an output: its pieces by name, which of them are ``copied``, and its sound.

    ``bases`` are pieces with the base piece that each is encoded from; ``keeps_bases`` whether those stay in the
    stock when nothing waits for them any more.  ``device`` is the kind of device that encodes its pieces, "" for
    the processor.  ``stations`` are the only ones that may do it, none for all; ``waits`` is whether it may not be
    begun yet.
    """

    id: str
    pieces: tuple[str, ...]
    sound: str | None = None
    held: bool = False
    priority: int = 0
    copied: frozenset[str] = frozenset()
    bases: tuple[tuple[str, str], ...] = ()
    keeps_bases: bool = False
    device: str = ""
    stations: frozenset[str] = frozenset()
    waits: bool = False


# Events


@dataclass(frozen=True)
class Added:
    """An output joins the run; ``kept`` are the pieces (and sound) already in the stock."""

    output: OutputSpec
    kept: frozenset[str] = frozenset()
    proved: bool = False


@dataclass(frozen=True)
class Sealed:
    """All outputs of the snapshot are in: from here on the run may end."""


@dataclass(frozen=True)
class Amended:
    """An output is wanted differently."""

    output: OutputSpec
    kept: frozenset[str] = frozenset()


@dataclass(frozen=True)
class SlotGranted:
    """A station grants a slot: of its processor, or a session of a device."""

    slot: str
    station: str = HERE
    device: str = ""


@dataclass(frozen=True)
class SlotWithdrawn:
    """A station takes a slot back: at once if it is idle, else when what was begun on it meanwhile has ended."""

    slot: str


@dataclass(frozen=True)
class StationLost:
    """A station went, with all its slots and whatever they were doing."""

    station: str


@dataclass(frozen=True)
class Done:
    """A task's attempt is finished and its result is in place."""

    task: TaskId
    attempt: int


@dataclass(frozen=True)
class Failed:
    """A task's attempt has ended without a result."""

    task: TaskId
    attempt: int
    fault: Fault
    sentence: str = ""
    damaged: tuple[str, ...] = ()


@dataclass(frozen=True)
class Placed:
    """An output has its final name."""

    output: str


@dataclass(frozen=True)
class PlaceRefused:
    """An output could not get its final name; ``away`` since its drive isn't there."""

    output: str
    sentence: str
    away: bool = False


@dataclass(frozen=True)
class PauseAsked:
    """Freeze what is running; start nothing."""


@dataclass(frozen=True)
class ResumeAsked:
    """Go on."""


@dataclass(frozen=True)
class StopAsked:
    """Stop the whole run, or only the outputs named."""

    outputs: tuple[str, ...] = ()


@dataclass(frozen=True)
class HoldAsked:
    """Hold outputs back (``held``), or release them."""

    outputs: tuple[str, ...]
    held: bool = True


@dataclass(frozen=True)
class OrderAsked:
    """Outputs in this order; those not named come after, in theirs."""

    outputs: tuple[str, ...]


@dataclass(frozen=True)
class TaskShare:
    """How many of an output's parts, or of its steps, a station is to have by the plan."""

    output: str
    is_part: bool
    station: str
    most: int


@dataclass(frozen=True)
class Guided:
    """A new plan: outputs in this order (none: as it is), stations the quickest first, what each is to have of what.

    What a plan says nothing of anybody may do.  ``finale`` are outputs that are made side by side: their parts are
    begun in the order of ``parts``, whichever of them they are of.
    """

    order: tuple[str, ...] = ()
    stations: tuple[str, ...] = ()
    shares: tuple[TaskShare, ...] = ()
    finale: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()


@dataclass(frozen=True)
class Released:
    """Outputs may be begun from now on."""

    outputs: tuple[str, ...]


@dataclass(frozen=True)
class RetryAsked:
    """Try outputs again that need somebody."""

    outputs: tuple[str, ...]


@dataclass(frozen=True)
class SpaceFreed:
    """There is room again on the drive that was full."""


@dataclass(frozen=True)
class DriveReturned:
    """What outputs waited for because it was gone is there again."""

    outputs: tuple[str, ...]


@dataclass(frozen=True)
class WaitingOver:
    """Nobody frees the drive or brings it back: outputs that wait for that now need somebody."""


Event = (
    Added
    | Sealed
    | Amended
    | SlotGranted
    | SlotWithdrawn
    | StationLost
    | Done
    | Failed
    | Placed
    | PlaceRefused
    | PauseAsked
    | ResumeAsked
    | StopAsked
    | HoldAsked
    | OrderAsked
    | Guided
    | Released
    | RetryAsked
    | SpaceFreed
    | DriveReturned
    | WaitingOver
)


# Instructions


@dataclass(frozen=True)
class Start:
    """Begin a task's attempt on a slot."""

    task: TaskId
    attempt: int
    slot: str


@dataclass(frozen=True)
class Control:
    """Freeze, thaw or stop a running attempt."""

    verb: Literal["freeze", "thaw", "stop"]
    task: TaskId
    attempt: int
    slot: str


@dataclass(frozen=True)
class Place:
    """Give the checked file of a join's attempt its final name."""

    output: str
    attempt: int


@dataclass(frozen=True)
class Discard:
    """Remove what a join's attempt has written."""

    output: str
    attempt: int


@dataclass(frozen=True)
class DropPiece:
    """Remove a damaged piece from the stock."""

    name: str


@dataclass(frozen=True)
class Tell:
    """An output has come to another state."""

    output: str
    state: State
    reason: str = ""


@dataclass(frozen=True)
class Refuse:
    """A request can't be met; the sentence says why."""

    sentence: str


@dataclass(frozen=True)
class Offer:
    """How many slots of a kind could be used now: of the processor, or sessions of a device."""

    slots: int
    device: str = ""


@dataclass(frozen=True)
class End:
    """The run is over.  *stopped* by a person, *done* with every output proved or held, else *needs you*."""

    outcome: Literal["done", "needs you", "stopped"]


Instruction = Start | Control | Place | Discard | DropPiece | Tell | Refuse | Offer | End


TaskState = Literal["pending", "running", "done", "failed"]


class _State:
    """A task's state: whoever was to hear of it does when it changes, and nothing else that changes takes longer for it."""

    @overload
    def __get__(self, task: None, owner: type[Task]) -> _State: ...

    @overload
    def __get__(self, task: Task, owner: type[Task]) -> TaskState: ...

    def __get__(self, task: Task | None, owner: type[Task]) -> _State | TaskState:
        if task is None:
            return self
        found: TaskState = task.__dict__["state"]
        return found

    def __set__(self, task: Task, value: TaskState) -> None:
        task.__dict__["state"] = value
        if task.told is not None:
            for output in task.users:
                task.told(output)


@dataclass
class Task:
    """One task as the machine sees it; ``device`` is the kind of slot it wants, "" for the processor's.

    ``kept_from`` are stations that can't do it, ``failed_at`` those where it failed: they get it only if no other is free.
    ``only`` are those that may do it, none for all; ``output`` is the first that it is done for.
    ``users`` are the outputs that it belongs to, whatever their state; ``told`` hears of each when the task's state changes.
    """

    id: TaskId
    attempt: int = 0
    slot: str = ""
    failures: int = 0
    losses: int = 0
    stopping: bool = False
    fault: str = ""
    sentence: str = ""
    device: str = ""
    kept_from: set[str] = field(default_factory=set)
    failed_at: set[str] = field(default_factory=set)
    only: frozenset[str] = frozenset()
    output: str = ""
    users: dict[str, None] = field(default_factory=dict, repr=False)
    told: Callable[[str], None] | None = field(default=None, repr=False, compare=False)
    state = _State()

    def __post_init__(self) -> None:
        self.__dict__["state"] = "pending"


@dataclass
class Tracked:
    """One output as the machine sees it; ``bases`` are its pieces with what each waits for."""

    spec: OutputSpec
    state: State = "waiting"
    reason: str = ""
    waits_for: Literal["", "space", "drive"] = ""
    joined: int = 0
    tasks: list[TaskId] = field(default_factory=list)
    bases: dict[TaskId, TaskId] = field(default_factory=dict)
    told: Callable[[str], None] | None = field(default=None, repr=False, compare=False)

    def __setattr__(self, name: str, value: object) -> None:
        object.__setattr__(self, name, value)
        if name == "state" and (told := getattr(self, "told", None)) is not None:
            told(self.spec.id)
