"""The simulated clock against the state machine that runs are dispatched by: what is promised is what is done."""

from __future__ import annotations

import heapq
import itertools
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.forecast.stage import Stage, Work
from chronocast.forecast.station import device_place
from chronocast.model.stages import CHECK, ENCODE, HERE, JOIN, SOUND, StageKind
from chronocast.run import events as e
from chronocast.run.machine import Machine
from chronocast.schedule.clock import finish_fan, simulate
from chronocast.schedule.placement import place_works


def seconds_of(works: list[Work]) -> dict[e.TaskId, float]:
    """What every task takes in the first draw."""
    return {
        e.TaskId(stage.kind.id, name): float(seconds)
        for work in works
        for stage in work.stages
        for name, seconds in zip(stage.names, stage.draws[:, 0], strict=True)
    }


def dispatched(works: list[Work], slots: int) -> dict[str, float]:
    """When each output is proved if the machine hands out the work and every task takes its time."""
    machine, took = Machine(), seconds_of(works)
    going: list[tuple[float, int, e.TaskId]] = []
    finished: dict[str, float] = {}
    now = 0.0

    def feed(event: e.Event) -> None:
        for told in machine.step(event):
            if isinstance(told, e.Start):
                heapq.heappush(going, (now + took[told.task], told.attempt, told.task))
            elif isinstance(told, e.Place):
                finished[told.output] = now
                feed(e.Placed(told.output))

    for work in works:
        parts = {stage.kind: stage.names for stage in work.stages}
        sound = parts.get(SOUND, (None,))[0]
        feed(e.Added(e.OutputSpec(work.output, parts.get(ENCODE, ()), sound)))
    for number in range(slots):
        feed(e.SlotGranted(f"slot-{number}"))
    feed(e.Sealed())
    while going:
        now, attempt, task = heapq.heappop(going)
        feed(e.Done(task, attempt))
    assert machine.ended == "done"
    return finished


def stage(kind: StageKind, names: list[str], seconds: list[float], station: str = HERE) -> Stage:
    return Stage(kind, station, tuple(names), np.array(seconds)[:, None] * np.ones(3))


@st.composite
def batches(draw: st.DrawFn) -> list[Work]:
    """Outputs with pieces of their own, sound or none, and their steps."""
    some = st.floats(0.5, 20)
    works = []
    for number in range(draw(st.integers(1, 5))):
        name = f"o{number}"
        pieces = draw(st.lists(some, min_size=1, max_size=5))
        stages = [stage(ENCODE, [f"{name}-{n}" for n in range(len(pieces))], pieces)]
        if draw(st.booleans()):
            stages.append(stage(SOUND, [f"{name}-s"], [draw(some)]))
        stages += [
            stage(JOIN, [name], [draw(st.floats(0.1, 2))]),
            stage(CHECK, [name], [draw(st.floats(0.1, 4))]),
        ]
        works.append(Work(name, tuple(stages)))
    return works


class Promised(unittest.TestCase):
    @settings(max_examples=150)
    @given(batches())
    def test_on_one_slot_the_end_is_what_it_is_to_the_second(self, works: list[Work]) -> None:
        promised = max(finish.end[0] for finish in simulate(works, {HERE: 1}, 3))
        self.assertAlmostEqual(promised, max(dispatched(works, 1).values()))

    @settings(max_examples=150)
    @given(batches(), st.integers(2, 4))
    def test_on_several_slots_it_is_off_by_no_more_than_one_task(self, works: list[Work], slots: int) -> None:
        finishes = simulate(works, {HERE: slots}, 3)
        done = dispatched(works, slots)
        longest = max(seconds_of(works).values())
        self.assertLessEqual(abs(max(f.end[0] for f in finishes) - max(done.values())), longest + 1e-6)

    @settings(max_examples=60)
    @given(batches(), st.integers(1, 4))
    def test_more_slots_never_do_less_in_the_same_time(self, works: list[Work], slots: int) -> None:
        few = sum(f.end[0] for f in simulate(works, {HERE: slots}, 3))
        many = sum(f.end[0] for f in simulate(works, {HERE: slots + 8}, 3))
        self.assertLessEqual(many, few + 1e-6)

    @settings(max_examples=60)
    @given(batches(), st.integers(1, 3))
    def test_a_second_station_changes_nothing_of_what_the_first_does(
        self, works: list[Work], slots: int
    ) -> None:
        far = Work("far", (stage(ENCODE, ["far-0", "far-1"], [7.0, 3.0], "far"),))
        alone = simulate(works, {HERE: slots}, 3)
        both = simulate([far, *works], {HERE: slots, "far": 1}, 3)
        self.assertEqual(both[0].end[0], 10.0)
        for one, other in zip(alone, both[1:], strict=True):
            np.testing.assert_allclose(one.end, other.end)

    @settings(max_examples=60)
    @given(batches(), st.integers(1, 4))
    def test_the_fan_grows_and_the_lanes_hold_all_the_work(self, works: list[Work], slots: int) -> None:
        finishes = simulate(works, {HERE: slots}, 3)
        fan = finish_fan(finishes)
        self.assertEqual(len(fan), len(works))
        for before, after in itertools.pairwise(fan):
            self.assertLessEqual(before.likely, after.likely)
        spans = place_works(works, {HERE: slots}, 3).spans
        whole = sum(work.seconds(3)[0] for work in works)
        self.assertAlmostEqual(sum(span.end - span.begin for span in spans), whole, 5)
        self.assertLess({span.slot for span in spans}, set(range(slots + 1)))

    def test_what_a_device_has_the_processor_do_is_taken_of_its_slots(self) -> None:
        place = device_place(HERE, "card")
        on_device = stage(ENCODE, [f"d{n}" for n in range(4)], [10.0] * 4, place)
        software = Work("soft", (stage(ENCODE, [f"s{n}" for n in range(4)], [10.0] * 4),))
        ends = {
            beside: [
                float(finish.end[0])
                for finish in simulate(
                    [Work("dev", (replace(on_device, beside=beside),)), software], {HERE: 2, place: 1}, 3
                )
            ]
            for beside in (0.0, 0.5)
        }
        self.assertEqual(ends, {0.0: [40.0, 20.0], 0.5: [40.0, 30.0]})

    def test_nothing_to_do_is_finished_now(self) -> None:
        self.assertEqual(finish_fan([]), ())
        self.assertEqual(place_works([], {HERE: 2}, 3).spans, ())
        (made,) = simulate([Work("made", ())], {HERE: 2}, 3)
        self.assertEqual((made.begin.tolist(), made.end.tolist()), ([0, 0, 0], [0, 0, 0]))
        np.testing.assert_allclose(Work("made", ()).seconds(3), np.zeros(3))


if __name__ == "__main__":
    unittest.main()
