"""What could start now, in the operator's order: worked out anew only for outputs that something has happened to.

Pure, a part of the state machine.  A run of thousands of outputs has tens of
thousands of tasks, and each event touches a few of them.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping

from chronocast.model.stages import STEPS
from chronocast.run.events import Task, TaskId, Tracked

RESTING = frozenset({"proved", "stopped", "needs you", "held", "placing"})
"""An output in one of these states has nothing that could start."""


def steps_of(output: str) -> list[TaskId]:
    """What is done for an output once its parts are there, in order."""
    return [TaskId(kind.id, output) for kind in STEPS]


class ReadyTasks:
    """``ReadyTasks(tasks, outputs)``: ``refresh``, then ``counts`` and ``in_order``.

    ``touched`` are outputs that something has happened to since, ``unfollowed`` those since it was taken last.

    Parameters
    ----------
    tasks, outputs
        Those of the machine, by what they are called.
    """

    def __init__(self, tasks: Mapping[TaskId, Task], outputs: Mapping[str, Tracked]) -> None:
        self._tasks, self._outputs = tasks, outputs
        self.early: set[str] = set()
        self.touched: set[str] = set()
        self.unfollowed: set[str] = set()
        self.counts: Counter[str] = Counter()
        self._ready: dict[str, list[TaskId]] = {}
        self._offered: Counter[TaskId] = Counter()
        self._device_of: dict[TaskId, str] = {}
        self._order: list[str] = []
        self._places: dict[str, int] = {}
        self._finale: frozenset[str] = frozenset()
        self._ranks: dict[str, int] = {}
        self._first = 0
        """Nothing could start of any output before this place."""

    def touch(self, name: str) -> None:
        """Something has happened to an output of that name."""
        self.touched.add(name)
        self.unfollowed.add(name)

    def enter(self, output: str) -> None:
        """An output comes to the end of the order of work."""
        self._places[output] = len(self._order)
        self._order.append(output)
        self.touch(output)

    def order(self, names: list[str]) -> None:
        """The outputs are in another order."""
        self._order, self._first = list(names), 0
        self._places = {name: number for number, name in enumerate(names)}

    def side_by_side(self, outputs: Iterable[str], parts: Iterable[str]) -> None:
        """Some outputs are made at once: where the first of them comes in the order, all their parts do.

        Parameters
        ----------
        outputs
            They, or none.
        parts
            The names of their parts in the order in which those are begun.
        """
        self._finale = frozenset(outputs)
        self._ranks = {name: number for number, name in reversed(list(enumerate(parts)))}

    def wait(self, output: str, waits: bool) -> None:
        """An output may not be begun yet, or may."""
        if (output in self.early) != waits:
            (self.early.add if waits else self.early.discard)(output)
            self.touch(output)

    def take_unfollowed(self) -> list[Tracked]:
        """The outputs that something has happened to since this was asked last, in the order of their coming."""
        names, self.unfollowed = self.unfollowed, set()
        return [self._outputs[name] for name in sorted(names, key=self._places.__getitem__)]

    def refresh(self) -> None:
        """See what could start of the outputs that something has happened to."""
        while self.touched:
            name = self.touched.pop()
            for key in self._ready.pop(name, ()):
                self._offered[key] -= 1
                if not self._offered[key]:
                    del self._offered[key]
                    self.counts[self._device_of.pop(key)] -= 1
            ready = list(dict.fromkeys(self._of(self._outputs[name])))
            for key in ready:
                self._offered[key] += 1
                if self._offered[key] == 1:
                    self._device_of[key] = self._tasks[key].device
                    self.counts[self._device_of[key]] += 1
            if ready:
                self._ready[name] = ready
                self._first = min(self._first, self._places[name])

    def in_order(self, device: str) -> Iterator[Task]:
        """What could start on a kind of slot, each once; it is counted with the first output that wants it.

        Parameters
        ----------
        device
            The kind of slot.
        """
        seen = set[TaskId]()
        while self._first < len(self._order) and self._order[self._first] not in self._ready:
            self._first += 1
        for name, key in self._in_turn():
            if key not in seen:
                seen.add(key)
                task = self._tasks[key]
                task.output = name
                if task.device == device:
                    yield task

    def _in_turn(self) -> Iterator[tuple[str, TaskId]]:
        """What could start, each with its output: one output's after the other's, those of the finale by the plan."""
        came = False
        for place in range(self._first, len(self._order)):
            name = self._order[place]
            if name not in self._finale:
                yield from ((name, key) for key in self._ready.get(name, ()))
            elif not came:
                came = True
                finale = [
                    (other, key)
                    for other in self._order[place:]
                    if other in self._finale
                    for key in self._ready.get(other, ())
                ]
                yield from sorted(finale, key=lambda item: self._rank(item[1]))

    def _rank(self, key: TaskId) -> tuple[bool, int]:
        """Steps before parts; parts that the plan doesn't name last."""
        return key.is_part, self._ranks.get(key.name, len(self._ranks))

    def _of(self, tracked: Tracked) -> Iterator[TaskId]:
        if tracked.state in RESTING or tracked.spec.id in self.early:
            return
        parts = [self._tasks[key] for key in tracked.tasks]
        if all(task.state == "done" for task in parts):
            steps = (self._tasks[key] for key in steps_of(tracked.spec.id))
            following = next((step for step in steps if step.state != "done"), None)
            if following is not None and following.state == "pending":
                yield following.id
            return
        for task in sorted(parts, key=lambda task: not task.id.stage.first):
            if task.state == "pending" and (begun := self._begun_with(tracked, task)) is not None:
                yield begun

    def _begun_with(self, tracked: Tracked, part: Task) -> TaskId | None:
        """What a part begins with: its base piece where that is to be made first; None while it is being made."""
        key = tracked.bases.get(part.id)
        if key is None or (base := self._tasks[key]).state in ("done", "failed"):
            return part.id
        return key if base.state == "pending" else None
