"""The heart of a run: events in, instructions out.

Pure: no clock, no files, no sockets.  Whoever drives it carries out the
instructions and tells it what came of them.  Every event and every change of
state is kept as a story that replays.

What it holds to, whatever happens:

* a task has one current attempt; results of any other are ignored;
* a piece wanted by several outputs is made once;
* a piece waits for its base piece, and does without where that can't be made;
* an output is proved only after its pieces, its join, its check and its
  final name, in that order;
* a run ends when every output is proved, held, stopped or needs somebody, or
  it waits for room on a drive, which it says.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, Literal

from chronocast.model.stages import BASE, COPY, ENCODE, JOIN, PARTS, SOUND, STEPS
from chronocast.run.dispatch import Dispatch
from chronocast.run.events import (
    Added,
    Amended,
    Control,
    Discard,
    Done,
    DriveReturned,
    DropPiece,
    End,
    Event,
    Failed,
    Guided,
    HoldAsked,
    Instruction,
    Offer,
    OrderAsked,
    PauseAsked,
    Place,
    Placed,
    PlaceRefused,
    Refuse,
    Released,
    ResumeAsked,
    RetryAsked,
    Sealed,
    SlotGranted,
    SlotWithdrawn,
    SpaceFreed,
    Start,
    State,
    StationLost,
    StopAsked,
    Task,
    TaskId,
    Tell,
    Tracked,
    WaitingOver,
)
from chronocast.run.ready_tasks import ReadyTasks, steps_of

MOST_FAILURES = 2
MOST_LOSSES = 5

# From each state, the states an output can come to.
TRANSITIONS: dict[State, frozenset[State]] = {
    "waiting": frozenset({"rendering", "joining", "held", "needs you", "stopped", "proved"}),
    "rendering": frozenset({"waiting", "joining", "held", "needs you", "stopped"}),
    "joining": frozenset({"waiting", "rendering", "checking", "held", "needs you", "stopped"}),
    "checking": frozenset({"waiting", "placing", "joining", "held", "needs you", "stopped"}),
    "placing": frozenset({"proved", "needs you"}),
    "proved": frozenset(),
    "held": frozenset({"waiting", "rendering", "joining", "checking", "placing", "needs you", "stopped"}),
    "needs you": frozenset({"waiting", "held", "stopped"}),
    "stopped": frozenset(),
}
AT_REST: frozenset[State] = frozenset({"proved", "stopped", "needs you", "held"})


class Machine:
    """One run.  ``step`` is the only way to change it."""

    def __init__(self) -> None:
        self.outputs: dict[str, Tracked] = {}
        self.order: list[str] = []
        self.tasks: dict[TaskId, Task] = {}
        self.slots: dict[str, TaskId | None] = {}
        self.stations: dict[str, str] = {}
        self.devices: dict[str, str] = {}
        self._leaving: set[str] = set()
        self._ready = ReadyTasks(self.tasks, self.outputs)
        self._choosy: set[str] = set()
        self._dispatch = Dispatch()
        self.paused = False
        self.stopping = False
        self.ended: str | None = None
        self.sealed = False
        self.story: list[tuple[Event, tuple[Instruction, ...]]] = []
        self._out: list[Instruction] = []
        self.attempts = 0
        self._offered: dict[str, int] = {}

    # The one way in

    def step(self, event: Event) -> list[Instruction]:
        """Take an event; what is to be done about it."""
        self._out = []
        if self.ended is None or isinstance(event, SlotGranted):
            _HANDLERS[type(event)](self, event)
            self._advance()
        answer = self._out
        self.story.append((event, tuple(answer)))
        return answer

    # Events

    def _added(self, event: Added) -> None:
        spec = event.output
        if spec.id in self.outputs:
            self._say(Refuse(f"The output “{spec.id}” is already in this run."))
            return
        if self.stopping:
            self._say(Refuse("This run is being stopped."))
            return
        self.outputs[spec.id] = tracked = Tracked(spec, told=self._ready.touch)
        self.order.append(spec.id)
        self._ready.enter(spec.id)
        self._want(tracked, event.kept)
        if event.proved:
            self._move(tracked, "proved")
        elif spec.held:
            self._move(tracked, "held")
        else:
            self._say(Tell(spec.id, "waiting"))

    def _sealed(self, _: Sealed) -> None:
        self.sealed = True

    def _want(self, tracked: Tracked, kept: Iterable[str]) -> None:
        """Enter an output's tasks; those in the stock are done already."""
        have = set(kept)
        spec, former = tracked.spec, (*tracked.tasks, *tracked.bases.values())
        self._ready.wait(spec.id, spec.waits)
        (self._choosy.add if spec.stations else self._choosy.discard)(spec.id)
        tracked.tasks = [
            TaskId((COPY if name in spec.copied else ENCODE).id, name) for name in dict.fromkeys(spec.pieces)
        ]
        if spec.sound:
            tracked.tasks.append(TaskId(SOUND.id, spec.sound))
        for key in tracked.tasks:
            task = self._task(key, spec.id)
            task.device = spec.device if key.kind == ENCODE.id else ""
            if key.name in have and task.state in ("pending", "failed"):
                task.state = "done"
            elif task.state == "failed":
                task.state, task.failures, task.losses = "pending", 0, 0
        tracked.bases = {
            TaskId(ENCODE.id, piece): TaskId(BASE.id, base)
            for piece, base in spec.bases
            if TaskId(ENCODE.id, piece) in tracked.tasks
        }
        for key in tracked.bases.values():
            base = self._task(key, spec.id)
            if key.name in have and base.state == "pending":
                base.state = "done"
        for key in steps_of(spec.id):
            last = self._task(key, spec.id)
            last.failures = last.losses = 0
            if last.state != "running":
                last.state = "pending"
        mine = (*tracked.tasks, *tracked.bases.values())
        for key in set(former).difference(mine):
            self.tasks[key].users.pop(spec.id, None)
        self._ready.touch(spec.id)
        self._limit([*mine, *steps_of(spec.id)])

    def _task(self, key: TaskId, output: str) -> Task:
        """A task, with one more output that it belongs to."""
        task = self.tasks.get(key)
        if task is None:
            task = self.tasks[key] = Task(key, told=self._ready.touch)
        task.users[output] = None
        return task

    def _limit(self, keys: Iterable[TaskId]) -> None:
        """Have tasks done only by stations that one of the outputs wanting them is kept to."""
        for key in keys:
            task = self.tasks[key]
            if self._choosy or task.only:
                each = [self.outputs[name].spec.stations for name in task.users]
                task.only = frozenset().union(*each) if all(each) else frozenset()

    def _amended(self, event: Amended) -> None:
        tracked = self.outputs.get(event.output.id)
        if tracked is None:
            self._say(Refuse(f"There is no output “{event.output.id}” in this run."))
            return
        if tracked.state in ("placing", "proved", "stopped") or self.stopping:
            self._say(
                Refuse(f"The output “{event.output.id}” is {tracked.state} and can't be changed any more.")
            )
            return
        self._withdraw(tracked)
        before, bases = {*tracked.tasks, *tracked.bases.values()}, list(tracked.bases.values())
        tracked.spec = event.output
        self._want(tracked, event.kept)
        self._limit(before)
        for key in before - {*tracked.tasks, *tracked.bases.values()}:
            self._stop_unless_wanted(key)
        self._drop_bases(bases)
        wanted: State = "held" if event.output.held else "waiting"
        if tracked.state != wanted:
            self._move(tracked, wanted)

    def _slot_granted(self, event: SlotGranted) -> None:
        if event.slot not in self.slots:
            self.slots[event.slot] = None
        self.stations[event.slot] = event.station
        self.devices[event.slot] = event.device
        self._leaving.discard(event.slot)

    def _slot_withdrawn(self, event: SlotWithdrawn) -> None:
        """A slot goes; one that was begun on meanwhile goes when that ends, which it does at once."""
        if self.slots.get(event.slot, "none") is None:
            self._forget(event.slot)
        elif event.slot in self.slots:
            self._leaving.add(event.slot)

    def _forget(self, slot: str) -> None:
        self._leaving.discard(slot)
        del self.slots[slot], self.stations[slot], self.devices[slot]

    def _station_lost(self, event: StationLost) -> None:
        gone = [slot for slot, station in self.stations.items() if station == event.station]
        for task in self.tasks.values():
            task.kept_from.discard(event.station)  # when it is back it may see what it didn't
        for slot in gone:
            key = self.slots.get(slot)
            if key is not None:
                self._fail(
                    Failed(key, self.tasks[key].attempt, "lost", f"The station {event.station} went away.")
                )
            if slot in self.slots:
                self._forget(slot)

    def _done(self, event: Done) -> None:
        task = self._current(event.task, event.attempt)
        if task is None:
            return
        if task.stopping and not task.id.is_part:
            self._fail(Failed(task.id, task.attempt, "stopped"))
            return
        self._release(task)
        task.state = "done"
        if task.id.kind == STEPS[-1].id:
            tracked = self.outputs[task.id.name]
            self._move(tracked, "placing")
            self._say(Place(tracked.spec.id, tracked.joined))
        elif task.id.kind == JOIN.id:
            self.outputs[task.id.name].joined = task.attempt
        elif task.id.kind == BASE.id:
            self._drop_bases([task.id])

    def _failed(self, event: Failed) -> None:
        if self._current(event.task, event.attempt) is not None:
            self._fail(event)

    def _fail(self, event: Failed) -> None:
        task = self.tasks[event.task]
        station = self.stations.get(task.slot, "")
        self._release(task)
        if event.fault == "elsewhere":
            task.kept_from.add(station)
        elif station and event.fault not in ("stopped", "space", "away"):
            task.failed_at.add(station)
        task.fault, task.sentence = event.fault, event.sentence
        task.state = "pending"
        if task.id.kind == JOIN.id:
            self._say(Discard(task.id.name, task.attempt))
        if event.fault in ("stopped", "elsewhere"):
            self._came_back(task, event)
            return
        if task.id.kind == BASE.id:
            self._do_without(task, event)
            return
        if event.fault in ("space", "away"):
            self._wait_for("space" if event.fault == "space" else "drive", task, event.sentence)
            return
        self._count_failure(task, event)
        if event.fault == "disproved":
            self._redo_join(task, event)
        elif task.failures >= MOST_FAILURES or task.losses >= MOST_LOSSES:
            self._give_up(task, event.sentence)
        if task.id.kind == JOIN.id and task.state == "pending":
            tracked = self.outputs[task.id.name]
            if tracked.state == "joining":
                self._move(tracked, "waiting")

    def _came_back(self, task: Task, event: Failed) -> None:
        """A task was stopped, or its station can't do it: it waits for another, unless it is kept to those that can't."""
        if event.fault == "elsewhere" and task.only and task.only <= task.kept_from:
            names = " and ".join(sorted(task.only))
            self._give_up(task, f"It is kept to {names}, where it can't be done: {event.sentence}")
        elif task.id.kind == JOIN.id and self.outputs[task.id.name].state == "joining":
            self._move(self.outputs[task.id.name], "waiting")  # another round comes first

    def _count_failure(self, task: Task, event: Failed) -> None:
        """Count what went wrong with a task, and see to what it was made of."""
        if event.fault in ("lost", "base"):
            task.losses += 1
        else:
            task.failures += MOST_FAILURES if event.fault == "media" else 1
        if event.fault == "base":
            self._distrust_base(task)
        elif event.fault == "pieces":
            self._remake(event.damaged)

    def _do_without(self, base: Task, event: Failed) -> None:
        """A base piece whose station went is made again; where it can't be made, its pieces are composed by themselves."""
        base.losses += event.fault == "lost"
        if event.fault != "lost" or base.losses >= MOST_LOSSES:
            base.state = "failed"

    def _distrust_base(self, piece: Task) -> None:
        """A base piece that is no good goes, and what was to be encoded from it is composed by itself."""
        for name in piece.users:
            if (key := self.outputs[name].bases.get(piece.id)) and self.tasks[key].state == "done":
                self.tasks[key].state = "failed"
                self._say(DropPiece(key.name))

    def _drop_bases(self, keys: Iterable[TaskId]) -> None:
        """Base pieces that no output waits for any more go: they are large."""
        for key in dict.fromkeys(keys):
            users = [self.outputs[name] for name in self.tasks[key].users]
            wanted = any(
                key in tracked.bases.values()
                and (tracked.state not in ("proved", "stopped") or tracked.spec.keeps_bases)
                for tracked in users
            )
            if not wanted and self.tasks[key].state == "done":
                self.tasks[key].state = "pending"
                self._say(DropPiece(key.name))

    def _wait_for(self, what: Literal["space", "drive"], task: Task, sentence: str) -> None:
        """Bring what wants a task to rest until there is room, or the drive is back."""
        for tracked in self._wanting(task.id):
            if tracked.state not in AT_REST:
                self._rest(tracked, "needs you", sentence)
                tracked.waits_for = what

    def _remake(self, damaged: Iterable[str]) -> None:
        """Parts that are no good are dropped and made anew."""
        for name in damaged:
            for kind in PARTS:
                part = self.tasks.get(TaskId(kind.id, name))
                if part and part.state == "done":
                    part.state = "pending"
                    self._say(DropPiece(name))

    def _redo_join(self, check: Task, event: Failed) -> None:
        """A file that was not what it should be is joined once more, from the same pieces."""
        tracked = self.outputs[check.id.name]
        self._say(Discard(tracked.spec.id, tracked.joined))
        join = self.tasks[TaskId(JOIN.id, tracked.spec.id)]
        join.state, join.failures = "pending", join.failures + 1
        if check.failures >= MOST_FAILURES:
            self._give_up(check, event.sentence)
        elif tracked.state == "checking":
            self._move(tracked, "waiting")

    def _give_up(self, task: Task, sentence: str) -> None:
        task.state = "failed"
        for tracked in self._wanting(task.id):
            if tracked.state not in ("proved", "stopped", "needs you"):
                self._rest(tracked, "needs you", sentence)

    def _placed(self, event: Placed) -> None:
        tracked = self.outputs.get(event.output)
        if tracked and tracked.state == "placing":
            self._move(tracked, "proved")

    def _place_refused(self, event: PlaceRefused) -> None:
        tracked = self.outputs.get(event.output)
        if tracked and tracked.state == "placing":
            self._say(Discard(event.output, tracked.joined))
            for key in steps_of(event.output):
                self.tasks[key].state = "pending"
            self._move(tracked, "needs you", event.sentence)
            tracked.waits_for = "drive" if event.away else ""

    def _pause(self, _: PauseAsked) -> None:
        if self.paused or self.stopping:
            return
        self.paused = True
        self._control_all("freeze")

    def _resume(self, _: ResumeAsked) -> None:
        if self.paused:
            self.paused = False
            self._control_all("thaw")

    def _control_all(self, verb: Any) -> None:
        for slot, key in self.slots.items():
            if key is not None:
                self._say(Control(verb, key, self.tasks[key].attempt, slot))

    def _stop(self, event: StopAsked) -> None:
        chosen = list(event.outputs) or list(self.outputs)
        if not event.outputs:
            self.stopping = True
            self.paused = False
        for name in chosen:
            tracked = self.outputs.get(name)
            if tracked and tracked.state not in ("proved", "stopped", "placing"):
                self._rest(tracked, "stopped", "")

    def _hold(self, event: HoldAsked) -> None:
        for name in event.outputs:
            tracked = self.outputs.get(name)
            if tracked is None:
                continue
            if event.held and tracked.state not in ("proved", "stopped", "placing", "held"):
                self._withdraw(tracked)
                self._move(tracked, "held")
            elif not event.held and tracked.state == "held":
                self._try_again(tracked)

    def _reordered(self, event: OrderAsked) -> None:
        first = [name for name in dict.fromkeys(event.outputs) if name in self.outputs]
        chosen = set(first)
        self.order = first + [name for name in self.order if name not in chosen]
        self._ready.order(self.order)

    def _guided(self, event: Guided) -> None:
        """Follow another plan; what is under way counts as had."""
        if event.order:
            self._reordered(OrderAsked(event.order))
        self._ready.side_by_side(event.finale, event.parts)
        running = [task for task in self.tasks.values() if task.state == "running"]
        self._dispatch.follow(
            event, [(task, self.stations[task.slot]) for task in running if task.slot in self.stations]
        )

    def _released(self, event: Released) -> None:
        for name in self._ready.early & set(event.outputs):
            self._ready.wait(name, False)

    def _retry(self, event: RetryAsked) -> None:
        for name in event.outputs:
            tracked = self.outputs.get(name)
            if tracked and tracked.state == "needs you":
                self._try_again(tracked)

    def _space_freed(self, _: SpaceFreed) -> None:
        for tracked in self.outputs.values():
            if tracked.state == "needs you" and tracked.waits_for == "space":
                self._try_again(tracked)

    def _drive_returned(self, event: DriveReturned) -> None:
        for name in event.outputs:
            tracked = self.outputs.get(name)
            if tracked and tracked.state == "needs you" and tracked.waits_for == "drive":
                self._try_again(tracked)

    def _waiting_over(self, _: WaitingOver) -> None:
        for tracked in self.outputs.values():
            tracked.waits_for = ""

    # What follows from them

    def _try_again(self, tracked: Tracked) -> None:
        if self.stopping:
            return  # a run that is being stopped begins nothing any more
        for key in [*tracked.tasks, *steps_of(tracked.spec.id)]:
            task = self.tasks[key]
            task.failures = task.losses = 0
            task.kept_from.clear()
            if task.state == "failed":
                task.state = "pending"
        self._move(tracked, "waiting")

    def _rest(self, tracked: Tracked, state: State, reason: str) -> None:
        """Bring an output to rest; its work stops unless another output wants it."""
        self._withdraw(tracked)
        self._move(tracked, state, reason)
        for key in (*tracked.tasks, *tracked.bases.values()):
            self._stop_unless_wanted(key)

    def _withdraw(self, tracked: Tracked) -> None:
        """Take back an output's steps; their attempts stop and their file goes."""
        for key in steps_of(tracked.spec.id):
            task = self.tasks[key]
            self._halt(task)
            if task.state == "done":
                task.state = "pending"
        if tracked.joined:
            self._say(Discard(tracked.spec.id, tracked.joined))
            tracked.joined = 0

    def _stop_unless_wanted(self, key: TaskId) -> None:
        task = self.tasks[key]
        wanted = any(t.state not in ("stopped", "needs you") for t in self._wanting(key))
        if not wanted:
            self._halt(task)

    def _halt(self, task: Task) -> None:
        if task.state == "running" and not task.stopping:
            task.stopping = True
            self._say(Control("stop", task.id, task.attempt, task.slot))

    def _wanting(self, key: TaskId) -> list[Tracked]:
        """The outputs that a task is done for; a base piece only for those that are still to be encoded from it."""
        users = [self.outputs[name] for name in self.tasks[key].users]
        if key.kind != BASE.id:
            return users
        return [
            tracked
            for tracked in users
            if any(base == key and self.tasks[piece].state != "done" for piece, base in tracked.bases.items())
        ]

    def _current(self, key: TaskId, attempt: int) -> Task | None:
        task = self.tasks.get(key)
        return task if task and task.state == "running" and task.attempt == attempt else None

    def _release(self, task: Task) -> None:
        if task.slot in self.slots and self.slots[task.slot] == task.id:
            self.slots[task.slot] = None
            if task.slot in self._leaving:
                self._forget(task.slot)
        task.slot, task.stopping = "", False

    def _advance(self) -> None:
        """Start what can start, tell what has changed, end when there is nothing left."""
        offers: dict[str, int] = {}
        self._ready.refresh()
        idle = self.paused or self.stopping or bool(self.ended)
        for device in {"", *self.devices.values(), *self._ready.counts}:
            count = 0 if idle else self._ready.counts[device]
            mine = [slot for slot in self.slots if self.devices[slot] == device]
            free = [slot for slot in mine if self.slots[slot] is None]
            for key, slot in (matched := self._matched(device, free, len(mine)) if count else []):
                self._start(self.tasks[key], slot)
            busy = sum(self.slots[slot] is not None for slot in mine)
            offers[device] = busy + count - len(matched)
        for tracked in self._ready.take_unfollowed():
            self._follow(tracked)
        for device, usable in sorted(offers.items()):
            if usable != self._offered.get(device, -1 if not device else 0):
                self._offered[device] = usable
                self._say(Offer(usable, device))
        self._end_if_over()

    def _matched(self, device: str, free: list[str], count: int) -> list[tuple[TaskId, str]]:
        """What begins on which slot of a kind, of which there are so many."""
        if not free:
            return []
        matched = self._dispatch.matched(self._ready.in_order(device), free, self.stations)
        if not matched and len(free) == count:  # a plan that has nobody do anything isn't followed
            wanting = self._ready.in_order(device)
            matched = self._dispatch.matched(wanting, free, self.stations, planned=False)
        return matched

    def could_start(self, device: str = "") -> list[TaskId]:
        """What could start on a kind of slot if one came free, in the operator's order."""
        self._ready.refresh()
        return [task.id for task in self._ready.in_order(device)]

    def _start(self, task: Task, slot: str) -> None:
        self.attempts += 1
        task.state, task.attempt, task.slot = "running", self.attempts, slot
        self.slots[slot] = task.id
        self._dispatch.began(task, self.stations[slot])
        self._say(Start(task.id, task.attempt, slot))

    def _follow(self, tracked: Tracked) -> None:
        """Bring an output's state in line with its tasks."""
        if tracked.state in AT_REST or tracked.state == "placing":
            return
        steps = [self.tasks[key] for key in steps_of(tracked.spec.id)]
        target: State = tracked.state
        begun = next((step for step in steps if step.state != "done"), None)
        if begun is not None and begun.state == "running":
            target = begun.id.stage.state
        elif tracked.state == "waiting" and any(self.tasks[key].state == "running" for key in tracked.tasks):
            target = "rendering"
        if target != tracked.state:
            if target == "checking" and tracked.state != "joining":
                self._move(tracked, "joining")
            self._move(tracked, target)

    def _move(self, tracked: Tracked, state: State, reason: str = "") -> None:
        if state not in TRANSITIONS[tracked.state]:
            raise AssertionError(f"{tracked.spec.id}: {tracked.state} can't become {state}")
        tracked.state, tracked.reason, tracked.waits_for = state, reason, ""
        self._say(Tell(tracked.spec.id, state, reason))
        if state in ("proved", "stopped"):
            self._drop_bases(tracked.bases.values())

    def _end_if_over(self) -> None:
        if self.ended or not self.sealed or self.paused:
            return
        if any(key is not None for key in self.slots.values()):
            return
        states = [tracked.state for tracked in self.outputs.values()]
        if not all(state in AT_REST for state in states):
            return
        if any(tracked.waits_for for tracked in self.outputs.values()) and not self.stopping:
            return
        outcome: Any = "stopped" if self.stopping else "needs you" if "needs you" in states else "done"
        self.ended = outcome
        self._say(End(outcome))

    @property
    def early(self) -> frozenset[str]:
        """Outputs that may not be begun yet."""
        return frozenset(self._ready.early)

    @property
    def waits_for(self) -> str:
        """Why the run is not over though nothing runs: *space*, *drive*, *resume*, *slot*, *time*, *station*, or nothing."""
        if self.ended or any(key is not None for key in self.slots.values()):
            return ""
        if self.paused:
            return "resume"
        left = [name for name, tracked in self.outputs.items() if tracked.state not in AT_REST]
        if left:
            present = frozenset(self.stations.values())
            kept = [self.outputs[name].spec.stations for name in left if name not in self._ready.early]
            if not kept:
                return "time"
            return "station" if all(stations and not stations & present for stations in kept) else "slot"
        waiting = {tracked.waits_for for tracked in self.outputs.values()} - {""}
        return "drive" if "drive" in waiting else "space" if waiting else ""

    def _say(self, instruction: Instruction) -> None:
        self._out.append(instruction)


_HANDLERS: dict[type, Callable[[Machine, Any], None]] = {
    Added: Machine._added,
    Sealed: Machine._sealed,
    Amended: Machine._amended,
    SlotGranted: Machine._slot_granted,
    SlotWithdrawn: Machine._slot_withdrawn,
    StationLost: Machine._station_lost,
    Done: Machine._done,
    Failed: Machine._failed,
    Placed: Machine._placed,
    PlaceRefused: Machine._place_refused,
    PauseAsked: Machine._pause,
    ResumeAsked: Machine._resume,
    StopAsked: Machine._stop,
    HoldAsked: Machine._hold,
    OrderAsked: Machine._reordered,
    Guided: Machine._guided,
    Released: Machine._released,
    RetryAsked: Machine._retry,
    SpaceFreed: Machine._space_freed,
    DriveReturned: Machine._drive_returned,
    WaitingOver: Machine._waiting_over,
}


def replay(story: Iterable[tuple[Event, tuple[Instruction, ...]]]) -> Machine:
    """A machine brought to where a story left it."""
    machine = Machine()
    for event, _ in story:
        machine.step(event)
    return machine
