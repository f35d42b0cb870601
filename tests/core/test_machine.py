"""The run's state machine under thousands of random event sequences."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.run import events as e
from chronocast.run.machine import AT_REST, TRANSITIONS, Machine, replay

PIECES = [f"p{n}" for n in range(6)]
OUTPUTS = [f"o{n}" for n in range(5)]
FAULTS: list[e.Fault] = ["lost", "encode", "media", "space", "away", "place", "internal", "base", "device"]
BASES = {"p1": "b0", "p2": "b0", "p3": "b1"}
"""Pieces that have a base piece; one is of two of them."""
ON_DEVICE = {"p4", "p5"}
"""Pieces that a device encodes; outputs have them alone."""


class Choices:
    """Choices read from bytes, so that Hypothesis can draw a whole sequence at once and shrink it."""

    def __init__(self, data: bytes) -> None:
        self.data, self.at = data, 0

    def __bool__(self) -> bool:
        return self.at < len(self.data)

    def below(self, limit: int) -> int:
        value = self.data[self.at] if self.at < len(self.data) else 0
        self.at += 1
        return value % limit

    def one(self, items: list) -> object:  # type: ignore[type-arg]
        return items[self.below(len(items))]

    def some(self, items: list[str], most: int) -> tuple[str, ...]:
        return tuple(dict.fromkeys(items[self.below(len(items))] for _ in range(1 + self.below(most))))

    def spec(self) -> e.OutputSpec:
        sound = (None, "s0", "s1")[self.below(3)]
        name, pieces = OUTPUTS[self.below(5)], self.some(PIECES, 4)
        here = [piece for piece in pieces if piece not in ON_DEVICE]
        pieces = tuple(here) if here else pieces
        bases = tuple((piece, BASES[piece]) for piece in pieces if piece in BASES and self.below(4))
        held, keeps = self.below(6) == 0, self.below(4) == 0
        device = "device" if set(pieces) <= ON_DEVICE else ""
        waits, kept = self.below(8) == 1, self.below(8)
        stations = frozenset([("here", "there")[kept - 1]] if kept in (1, 2) and not device else ())
        return e.OutputSpec(
            name,
            pieces,
            sound,
            held,
            bases=bases,
            keeps_bases=keeps,
            device=device,
            stations=stations,
            waits=waits,
        )


class World:
    """A world that does what it is told, fails as it likes, and watches the promises."""

    def __init__(self, choices: Choices) -> None:
        self.choices = choices
        self.machine = Machine()
        self.running: dict[tuple[e.TaskId, int], str] = {}
        self.frozen: set[tuple[e.TaskId, int]] = set()
        self.stopped: set[tuple[e.TaskId, int]] = set()
        self.stock: set[str] = set()
        self.joined: dict[str, int] = {}
        self.checked: dict[str, int] = {}
        self.placing: list[tuple[str, int]] = []
        self.placed: list[str] = []
        self.stale: list[tuple[e.TaskId, int]] = []
        self.ended = ""
        self.states: dict[str, str] = {}
        self.unable: set[tuple[e.TaskId, str]] = set()
        self.early: set[str] = set()
        self.plan = e.Guided((), (), ())

    def feed(self, event: e.Event) -> None:
        if isinstance(
            event, e.RetryAsked | e.SpaceFreed | e.DriveReturned | e.HoldAsked | e.StationLost | e.Amended
        ):
            self.unable.clear()  # what stations couldn't do may be tried again
        if isinstance(event, e.Guided):
            self.plan = event
        said = self.machine.step(event)
        self.see_ready()
        if isinstance(event, e.Added | e.Amended) and self.taken_in(event.output):
            (self.early.add if event.output.waits else self.early.discard)(event.output.id)
        elif isinstance(event, e.Released):
            self.early -= set(event.outputs)
        self.carry_out(said)

    def see_ready(self) -> None:
        """What could start is what it is when everything is looked at, whatever has happened since the beginning."""
        tasks, of_outputs = self.machine.tasks, dict[str, list[e.TaskId]]()
        for name in self.machine.order:
            tracked, found = self.machine.outputs[name], of_outputs.setdefault(name, [])
            if tracked.state in AT_REST or tracked.state == "placing" or name in self.machine.early:
                continue
            parts = [tasks[key] for key in tracked.tasks]
            steps = [tasks[e.TaskId(kind, name)] for kind in ("join", "check")]
            if any(part.state != "done" for part in parts):
                for part in sorted(parts, key=lambda part: not part.id.stage.first):
                    base = tasks.get(tracked.bases.get(part.id, part.id), part)
                    first = part if base is part or base.state in ("done", "failed") else base
                    if part.state == "pending" and first.state == "pending":
                        found.append(first.id)
            elif left := [step for step in steps if step.state != "done"]:
                found += [left[0].id] if left[0].state == "pending" else []
        in_order = self.as_planned(of_outputs)
        for device in ("", "device"):
            could = self.machine.could_start(device)
            assert could == [key for key in in_order if tasks[key].device == device], (could, in_order)

    def as_planned(self, of_outputs: dict[str, list[e.TaskId]]) -> list[e.TaskId]:
        """One output's tasks after the other's; those of the plan's finale together, steps first, then by its parts."""
        parts, finale, found = list(self.plan.parts), self.plan.finale, dict[e.TaskId, None]()
        together = [key for name, keys in of_outputs.items() if name in finale for key in keys]
        together.sort(
            key=lambda key: (key.is_part, parts.index(key.name) if key.name in parts else len(parts))
        )
        for name, keys in of_outputs.items():
            found |= dict.fromkeys(together if name in finale else keys)
        return list(found)

    def taken_in(self, spec: e.OutputSpec) -> bool:
        """Whether it isn't refused."""
        tracked = self.machine.outputs.get(spec.id)
        return tracked is not None and tracked.spec is spec

    def carry_out(self, instructions: list[e.Instruction]) -> None:
        for item in instructions:
            match item:
                case e.Start(task, attempt, slot):
                    assert not self.machine.paused and not self.ended
                    assert all(running != task for running, _ in self.running), (
                        f"{task} is made twice at once"
                    )
                    station = self.machine.stations[slot]
                    assert (task, station) not in self.unable, f"{task} goes again where it can't be done"
                    self.see_allowed(task, station)
                    assert slot not in self.running.values(), "a slot has one task at a time"
                    wanted = "device" if task.kind == "encode" and task.name in ON_DEVICE else ""
                    assert self.machine.devices[slot] == wanted, "a device's work takes its sessions"
                    if task.is_part:
                        assert task.name not in self.stock, f"{task} is in the stock and is made again"
                        assert task.kind != "base" or self.is_of_use(task), f"{task} is made for nothing"
                    else:
                        spec = self.machine.outputs[task.name].spec
                        assert set(spec.pieces) <= self.stock
                        assert spec.sound is None or spec.sound in self.stock
                    if task.kind == "check":
                        assert task.name in self.joined, "only a joined file can be checked"
                    self.running[(task, attempt)] = slot
                case e.Control(verb, task, attempt, _):
                    assert (task, attempt) in self.running
                    if verb == "stop":
                        self.stopped.add((task, attempt))
                    elif verb == "freeze":
                        self.frozen.add((task, attempt))
                    else:
                        self.frozen.discard((task, attempt))
                case e.Place(output, attempt):
                    assert self.checked.get(output) == attempt, "only what was checked gets its name"
                    self.placing.append((output, attempt))
                case e.Discard(output, attempt):
                    if self.joined.get(output) == attempt:
                        del self.joined[output]
                        self.checked.pop(output, None)
                case e.DropPiece(name):
                    self.stock.discard(name)
                case e.Tell(output, state, _):
                    before = self.states.get(output)
                    assert before is None or before == state or state in TRANSITIONS[before]
                    self.states[output] = state
                case e.End(outcome):
                    assert not self.ended, "a run ends once"
                    self.ended = outcome
                    assert not self.running

    def see_allowed(self, task: e.TaskId, station: str) -> None:
        """A task begins for an output that may be begun, where one of those wanting it may be done."""
        tracked = self.machine.outputs.values()
        wanting = [
            t
            for t in tracked
            if task in (*t.tasks, *t.bases.values()) or (not task.is_part and t.spec.id == task.name)
        ]
        assert any(t.spec.id not in self.early for t in wanting), f"{task} is begun too early"
        assert any(not t.spec.stations or station in t.spec.stations for t in wanting), (
            f"{task} is kept elsewhere"
        )

    def is_of_use(self, base: e.TaskId) -> bool:
        """Whether a piece that is still to be made has it."""
        return any(
            of == base and self.machine.tasks[piece].state != "done"
            for tracked in self.machine.outputs.values()
            for piece, of in tracked.bases.items()
        )

    def begin(self) -> None:
        self.stock |= set(self.choices.some([*PIECES, "s0", "s1", "b0"], 3))
        for _ in range(1 + self.choices.below(3)):
            self.feed(e.Added(self.choices.spec(), frozenset(self.stock)))
        for slot in range(1 + self.choices.below(3)):
            self.grant_slot(slot)
        self.feed(e.Sealed())

    def grant_slot(self, number: int) -> None:
        self.feed(e.SlotGranted(f"slot-{number}", "here" if number < 2 else "there"))
        if number < 2:
            self.feed(e.SlotGranted(f"session-{number}", "here", "device"))

    def finish(self) -> None:
        able = sorted(set(self.running) - self.frozen, key=str)
        if able:
            self.finish_one(*self.choices.one(able))

    def finish_one(self, task: e.TaskId, attempt: int) -> None:
        del self.running[(task, attempt)]
        self.stale.append((task, attempt))
        if (task, attempt) in self.stopped and self.choices.below(2):
            self.feed(e.Failed(task, attempt, "stopped"))
            return
        if task.is_part:
            self.stock.add(task.name)
        elif task.kind == "join":
            self.joined[task.name] = attempt
        else:
            self.checked[task.name] = self.joined.get(task.name, -1)
        self.feed(e.Done(task, attempt))

    def fail(self) -> None:
        if not self.running:
            return
        task, attempt = self.choices.one(sorted(self.running, key=str))
        fault = self.choices.one(FAULTS)
        there = self.machine.stations.get(self.running[task, attempt]) == "there"
        del self.running[(task, attempt)]
        self.frozen.discard((task, attempt))
        self.stale.append((task, attempt))
        damaged: tuple[str, ...] = ()
        if (task, attempt) in self.stopped:
            fault = "stopped"
        elif fault == "base" and task.kind != "encode":
            fault = "encode"
        elif task.kind == "check" and fault == "encode":
            fault = "disproved"
        elif task.kind == "join" and fault == "encode":
            fault, damaged = "pieces", (self.choices.one(list(self.machine.outputs[task.name].spec.pieces)),)
        if there and fault in ("away", "place"):
            fault = "elsewhere"
            self.unable.add((task, "there"))
        self.feed(e.Failed(task, attempt, fault, "It failed.", damaged))

    def a_late_result(self) -> None:
        if not self.stale:
            return
        task, attempt = self.choices.one(self.stale)
        before = [(t.id, t.state, t.attempt) for t in self.machine.tasks.values()]
        self.feed(e.Done(task, attempt))
        assert before == [(t.id, t.state, t.attempt) for t in self.machine.tasks.values()], (
            "a late result counted"
        )

    def place(self) -> None:
        if not self.placing:
            return
        output, attempt = self.placing.pop()
        if self.choices.below(3) == 0:
            self.feed(e.PlaceRefused(output, "It can't be placed.", away=self.choices.below(2) == 0))
            return
        assert self.joined.get(output) == attempt
        assert output not in self.placed, "an output is placed once"
        self.placed.append(output)
        self.feed(e.Placed(output))

    def hold(self) -> None:
        self.feed(e.HoldAsked(self.choices.some(OUTPUTS, 2), self.choices.below(2) == 0))

    def reorder(self) -> None:
        self.feed(e.OrderAsked(self.choices.some(OUTPUTS, 5)))

    def guide(self) -> None:
        shares = tuple(
            e.TaskShare(output, part, station, self.choices.below(3))
            for output in self.choices.some(OUTPUTS, 4)
            for part in (True, False)
            for station in ("here", "there")
            if self.choices.below(3)
        )
        order = self.choices.some(OUTPUTS, 5) if self.choices.below(2) else ()
        finale = self.choices.some(OUTPUTS, 3) if self.choices.below(2) else ()
        parts = {
            key.name: None
            for name in finale
            if name in self.machine.outputs
            for key in self.machine.outputs[name].tasks
        }
        self.feed(e.Guided(order, ("there", "here"), shares, finale, tuple(reversed(parts))))

    def stop(self) -> None:
        self.feed(e.StopAsked(() if self.choices.below(4) == 0 else self.choices.some(OUTPUTS, 2)))

    def retry(self) -> None:
        self.feed(e.RetryAsked(self.choices.some(OUTPUTS, 3)))

    def add(self) -> None:
        self.feed(e.Added(self.choices.spec(), frozenset(self.stock)))

    def amend(self) -> None:
        self.feed(e.Amended(self.choices.spec(), frozenset(self.stock)))

    def lose_station(self) -> None:
        station = ("here", "there")[self.choices.below(2)]
        for key, slot in list(self.running.items()):
            if self.machine.stations[slot] == station:
                del self.running[key]
                self.frozen.discard(key)
                self.stale.append(key)
        self.feed(e.StationLost(station))

    def act(self) -> None:
        """One random thing; work going well is the likeliest."""
        what = self.choices.below(26)
        if what < 8:
            self.finish()
        elif what < 10:
            self.place()
        else:
            actions = [
                self.fail,
                self.a_late_result,
                lambda: self.feed(e.PauseAsked()),
                lambda: self.feed(e.ResumeAsked()),
                self.hold,
                self.reorder,
                self.stop,
                self.retry,
                self.add,
                self.amend,
                lambda: (self.feed(e.SpaceFreed()), self.feed(e.DriveReturned(tuple(OUTPUTS[:3])))),
                lambda: self.feed(e.WaitingOver()),
                self.lose_station,
                self.guide,
                lambda: self.feed(e.Released(self.choices.some(OUTPUTS, 3))),
                lambda: (self.grant_slot if self.choices.below(3) else self.withdraw_slot)(
                    self.choices.below(3)
                ),
            ]
            actions[what - 10]()

    def withdraw_slot(self, number: int) -> None:
        self.feed(e.SlotWithdrawn(f"slot-{number}"))
        self.feed(e.SlotWithdrawn(f"session-{number}"))

    def watch(self) -> None:
        assert {key for key in self.machine.slots.values() if key} == {task for task, _ in self.running}
        if self.ended:
            assert all(tracked.state in AT_REST for tracked in self.machine.outputs.values())
            over = [t for t in self.machine.outputs.values() if t.state in ("proved", "stopped")]
            if len(over) == len(self.machine.outputs) and not any(t.spec.keeps_bases for t in over):
                made = {t.id.name for t in self.machine.tasks.values() if t.id.kind == "base" and t.attempt}
                assert not made & self.stock, "base pieces lie about"

    def bring_to_end(self) -> None:
        """From wherever this went, a world that works brings the run to its end."""
        self.choices = Choices(b"")
        self.feed(e.ResumeAsked())
        self.feed(e.HoldAsked(tuple(OUTPUTS), False))
        self.feed(e.SpaceFreed())
        self.feed(e.DriveReturned(tuple(OUTPUTS)))
        self.feed(e.Released(tuple(OUTPUTS)))
        self.grant_slot(0)
        self.grant_slot(2)
        for _ in range(400):
            self.watch()
            if self.ended:
                break
            if self.placing:
                output, _attempt = self.placing.pop()
                self.placed.append(output)
                self.feed(e.Placed(output))
            elif self.running:
                self.finish_one(*sorted(self.running, key=str)[0])
            else:
                raise AssertionError(
                    f"nothing runs and it is not over: {self.states}, “{self.machine.waits_for}”"
                )
        assert self.ended, "the run never ended"


class Stopping(unittest.TestCase):
    def test_a_drive_that_comes_back_while_a_run_is_being_stopped_begins_nothing(self) -> None:
        machine = Machine()
        told: list[e.Instruction] = []
        for event in (
            e.Added(e.OutputSpec("one", ("p",)), kept=frozenset({"p"})),
            e.Added(e.OutputSpec("two", ("p",)), kept=frozenset({"p"})),
            e.Sealed(),
            e.SlotGranted("slot"),
            e.Done(e.TaskId("join", "one"), 1),
            e.Done(e.TaskId("check", "one"), 2),
            e.Done(e.TaskId("join", "two"), 3),
            e.StopAsked(),
            e.PlaceRefused("one", "The drive is gone.", away=True),
            e.DriveReturned(("one",)),
            e.Failed(e.TaskId("check", "two"), 4, "stopped"),
        ):
            told = machine.step(event)
        self.assertIn(e.End("stopped"), told)


class RandomRuns(unittest.TestCase):
    @settings(max_examples=4000, deadline=None)
    @given(st.binary(min_size=10, max_size=150))
    def test_nothing_is_lost_or_doubled_and_every_run_ends(self, data: bytes) -> None:
        world = World(Choices(data))
        world.begin()
        while world.choices:
            world.act()
            world.watch()
        world.bring_to_end()
        again = replay(world.machine.story)
        left = [(t.spec.id, t.state, t.reason) for t in world.machine.outputs.values()]
        self.assertEqual([(t.spec.id, t.state, t.reason) for t in again.outputs.values()], left)
        self.assertEqual(again.ended, world.machine.ended)


class Story(unittest.TestCase):
    def run_through(self, machine: Machine, instructions: list[e.Instruction]) -> list[e.Instruction]:
        """A world in which everything works."""
        told: list[e.Instruction] = []
        queue = list(instructions)
        while queue:
            item = queue.pop(0)
            told.append(item)
            if isinstance(item, e.Start):
                queue += machine.step(e.Done(item.task, item.attempt))
            elif isinstance(item, e.Place):
                queue += machine.step(e.Placed(item.output))
        return told

    def test_an_output_comes_through_its_states_in_order(self) -> None:
        machine = Machine()
        machine.step(e.Added(e.OutputSpec("a", ("p1", "p2"), "s")))
        machine.step(e.Sealed())
        told = self.run_through(machine, machine.step(e.SlotGranted("1")))
        states = [item.state for item in told if isinstance(item, e.Tell)]
        self.assertEqual(states, ["rendering", "joining", "checking", "placing", "proved"])
        self.assertEqual(told[-1], e.End("done"))

    def test_a_piece_wanted_twice_is_made_once(self) -> None:
        machine = Machine()
        machine.step(e.Added(e.OutputSpec("a", ("p1",))))
        machine.step(e.Added(e.OutputSpec("b", ("p1",))))
        machine.step(e.Sealed())
        told = self.run_through(machine, machine.step(e.SlotGranted("1")))
        pieces = [item for item in told if isinstance(item, e.Start) and item.task.kind == "encode"]
        self.assertEqual(len(pieces), 1)
        self.assertEqual({t.state for t in machine.outputs.values()}, {"proved"})

    def test_a_full_drive_is_waited_for_and_said(self) -> None:
        machine = Machine()
        machine.step(e.Added(e.OutputSpec("a", ("p1",))))
        machine.step(e.Sealed())
        start = machine.step(e.SlotGranted("1"))[0]
        assert isinstance(start, e.Start)
        machine.step(e.Failed(start.task, start.attempt, "space", "The drive is full."))
        self.assertEqual((machine.waits_for, machine.ended), ("space", None))
        self.assertIsNone(machine.ended)
        told = self.run_through(machine, machine.step(e.SpaceFreed()))
        self.assertEqual(told[-1], e.End("done"))

    def test_one_bad_output_does_not_stop_the_others(self) -> None:
        machine = Machine()
        machine.step(e.Added(e.OutputSpec("bad", ("p1",))))
        machine.step(e.Added(e.OutputSpec("good", ("p2",))))
        machine.step(e.Sealed())
        start = machine.step(e.SlotGranted("1"))[0]
        assert isinstance(start, e.Start)
        told = self.run_through(
            machine, machine.step(e.Failed(start.task, start.attempt, "media", "It is gone."))
        )
        self.assertEqual(machine.outputs["bad"].state, "needs you")
        self.assertEqual(machine.outputs["bad"].reason, "It is gone.")
        self.assertEqual(machine.outputs["good"].state, "proved")
        self.assertEqual(told[-1], e.End("needs you"))


if __name__ == "__main__":
    unittest.main()
