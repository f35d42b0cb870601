"""Stories of the run's state machine, told step by step: what somebody asks for, what goes wrong, what follows."""

from __future__ import annotations

import unittest

from chronocast.model.stages import CHECK, ENCODE, JOIN, SOUND, STEPS
from chronocast.run import events as e
from chronocast.run.machine import MOST_FAILURES, MOST_LOSSES, Machine


class Story(unittest.TestCase):
    """A machine with two slots; ``tell`` gives it an event and keeps what it says."""

    def setUp(self) -> None:
        self.machine = Machine()
        self.said: list[e.Instruction] = []

    def tell(self, *events: e.Event) -> list[e.Instruction]:
        self.said = [told for event in events for told in self.machine.step(event)]
        return self.said

    def add(self, name: str, *pieces: str, sound: str | None = None, kept: tuple[str, ...] = ()) -> None:
        self.tell(e.Added(e.OutputSpec(name, pieces, sound), frozenset(kept)))

    def slots(self, count: int = 2, station: str = "here") -> None:
        self.tell(*(e.SlotGranted(f"{station}-{number}", station) for number in range(count)))

    def state(self, name: str) -> str:
        return self.machine.outputs[name].state

    def running(self) -> dict[str, int]:
        """Attempts that go on, by task."""
        return {str(task.id): task.attempt for task in self.machine.tasks.values() if task.state == "running"}

    def done(self, kind: str, name: str) -> list[e.Instruction]:
        return self.tell(e.Done(e.TaskId(kind, name), self.running()[f"{kind}:{name}"]))

    def fails(
        self, kind: str, name: str, fault: e.Fault, sentence: str = "", *damaged: str
    ) -> list[e.Instruction]:
        attempt = self.running()[f"{kind}:{name}"]
        return self.tell(e.Failed(e.TaskId(kind, name), attempt, fault, sentence, damaged))

    def prove(self, name: str) -> None:
        """From its join on, all goes well."""
        for kind in STEPS:
            self.done(kind.id, name)
        self.tell(e.Placed(name))
        self.assertEqual(self.state(name), "proved")


class Based(Story):
    """Pieces that are encoded from a base piece."""

    def add_based(self, name: str, *pieces: str, keeps: bool = False) -> e.OutputSpec:
        spec = e.OutputSpec(name, pieces, bases=tuple((piece, "b") for piece in pieces), keeps_bases=keeps)
        self.tell(e.Added(spec))
        return spec

    def test_it_is_composed_once_before_them_and_goes_after_the_last(self) -> None:
        self.add_based("one", "p0")
        self.add_based("two", "q0")
        self.slots()
        self.assertEqual(list(self.running()), ["base:b"])
        self.done("base", "b")
        self.assertEqual(sorted(self.running()), ["encode:p0", "encode:q0"])
        self.done("encode", "p0")
        self.prove("one")
        self.assertNotIn(e.DropPiece("b"), [told for _, said in self.machine.story for told in said])
        self.done("encode", "q0")
        self.prove("two")
        self.assertIn(e.DropPiece("b"), self.said)

    def test_it_stays_where_somebody_wishes_that(self) -> None:
        self.add_based("one", "p0", keeps=True)
        self.slots(1)
        self.done("base", "b")
        self.done("encode", "p0")
        self.prove("one")
        self.assertNotIn(e.DropPiece("b"), [told for _, said in self.machine.story for told in said])

    def test_what_cannot_be_composed_ahead_is_composed_as_it_is_encoded(self) -> None:
        for fault in ("space", "media", "encode"):
            with self.subTest(fault):
                self.setUp()
                self.add_based("one", "p0")
                self.slots(1)
                self.fails("base", "b", fault)  # type: ignore[arg-type]
                self.assertEqual(list(self.running()), ["encode:p0"])

    def test_one_that_is_no_good_goes_and_is_done_without(self) -> None:
        self.add_based("one", "p0")
        self.slots(1)
        self.done("base", "b")
        self.assertIn(e.DropPiece("b"), self.fails("encode", "p0", "base"))
        self.assertEqual(list(self.running()), ["encode:p0"])

    def test_an_output_that_is_changed_leaves_none_behind(self) -> None:
        self.add_based("one", "p0")
        self.slots(1)
        self.done("base", "b")
        self.assertIn(e.DropPiece("b"), self.tell(e.Amended(e.OutputSpec("one", ("q0",)))))


class Asked(Story):
    def test_sound_begins_first_and_pieces_in_their_order(self) -> None:
        self.add("one", "p0", "p1", sound="s0")
        self.slots()
        self.assertEqual(list(self.running()), ["encode:p0", "sound:s0"])
        starts = [told for told in self.machine.story[-2][1] if isinstance(told, e.Start)]
        self.assertEqual([start.task.kind for start in starts], [SOUND.id])
        self.done(SOUND.id, "s0")
        self.assertEqual(set(self.running()), {"encode:p0", "encode:p1"})

    def test_what_is_in_the_stock_is_joined_at_once(self) -> None:
        self.add("one", "p0", "p1", sound="s0", kept=("p0", "p1", "s0"))
        self.slots(1)
        self.assertEqual(list(self.running()), ["join:one"])
        self.prove("one")
        self.tell(e.Sealed())
        self.assertEqual(self.machine.ended, "done")

    def test_a_second_output_of_that_name_is_refused(self) -> None:
        self.add("one", "p0")
        self.add("one", "p1")
        (refused,) = self.said
        assert isinstance(refused, e.Refuse)
        self.assertIn("already in this run", refused.sentence)

    def test_pausing_freezes_what_runs_and_begins_nothing(self) -> None:
        self.add("one", "p0", "p1", "p2")
        self.slots()
        verbs = [told.verb for told in self.tell(e.PauseAsked()) if isinstance(told, e.Control)]
        self.assertEqual(verbs, ["freeze", "freeze"])
        self.assertEqual(self.tell(e.PauseAsked()), [], "twice is once")
        self.done(ENCODE.id, "p0")
        self.assertEqual((list(self.running()), self.machine.waits_for), (["encode:p1"], ""))
        verbs = [told.verb for told in self.tell(e.ResumeAsked()) if isinstance(told, e.Control)]
        self.assertEqual(verbs, ["thaw"])
        self.assertEqual(set(self.running()), {"encode:p1", "encode:p2"})

    def test_a_plan_s_shares_are_kept_to_and_a_station_that_gives_no_slot_isn_t_waited_for(self) -> None:
        self.machine = Machine()
        shares = (e.TaskShare("film", True, "far", 3), e.TaskShare("film", True, "here", 1))
        self.tell(e.Guided(stations=("far", "here"), shares=shares))
        self.slots(1)
        self.slots(1, "far")
        self.add("film", "a", "b", "c", "d")
        where = {
            task.id.name: self.machine.stations[task.slot]
            for task in self.machine.tasks.values()
            if task.slot
        }
        self.assertEqual(sorted(where.values()), ["far", "here"])
        here = next(name for name, station in where.items() if station == "here")
        self.done("encode", here)
        self.assertEqual(len(self.running()), 1, "its share is used up, and the other station has its own")
        self.tell(e.StationLost("far"))
        for _ in range(3):
            (name,) = self.running()
            self.done("encode", name.partition(":")[2])
        self.assertEqual(list(self.running()), ["join:film"], "what the lost one was to have is done here")

    def test_the_last_files_of_a_plan_are_made_side_by_side_the_longest_pieces_first(self) -> None:
        self.machine = Machine()
        self.add("first", "f")
        self.add("one", "a-long", "a-short")
        self.add("two", "b-longer", "b-middle")
        parts = ("b-longer", "a-long", "b-middle", "a-short")
        self.tell(e.Guided(order=("first", "one", "two"), finale=("one", "two"), parts=parts))
        self.slots(1)
        self.done("encode", "f")
        self.prove("first")
        for name in parts[:3]:
            self.assertEqual(list(self.running()), [f"encode:{name}"])
            self.done("encode", name)
        self.assertEqual(list(self.running()), ["join:two"], "a step of what is whole goes before pieces")

    def test_the_first_in_order_gets_what_comes_free(self) -> None:
        for name in ("one", "two", "three"):
            self.add(name, f"{name}-a", f"{name}-b")
        self.slots(1)
        self.tell(e.OrderAsked(("three", "nobody", "three")))
        self.assertEqual(self.machine.order, ["three", "one", "two"])
        self.done(ENCODE.id, "one-a")
        self.assertEqual(list(self.running()), ["encode:three-a"])

    def test_a_held_output_waits_and_its_file_goes(self) -> None:
        self.add("one", "p0", kept=("p0",))
        self.slots(1)
        self.done(JOIN.id, "one")
        told = self.tell(e.HoldAsked(("one", "nobody"), True))
        self.assertIn(e.Discard("one", 1), told)
        self.assertTrue(any(isinstance(item, e.Control) and item.verb == "stop" for item in told))
        self.fails(CHECK.id, "one", "stopped")
        self.assertEqual((self.state("one"), self.running()), ("held", {}))
        self.tell(e.HoldAsked(("one",), False))
        self.assertEqual(list(self.running()), ["join:one"])

    def test_stopping_one_leaves_what_others_want(self) -> None:
        self.add("one", "shared", "mine")
        self.add("two", "shared")
        self.slots()
        stopped = [told.task.name for told in self.tell(e.StopAsked(("one",))) if isinstance(told, e.Control)]
        self.assertEqual(stopped, ["mine"])
        self.assertEqual(self.state("one"), "stopped")
        self.fails(ENCODE.id, "mine", "stopped")
        self.done(ENCODE.id, "shared")
        self.prove("two")

    def test_stopping_all_ends_once_nothing_runs(self) -> None:
        self.add("one", "p0")
        self.slots(1)
        self.tell(e.Sealed(), e.StopAsked())
        self.assertIsNone(self.machine.ended)
        self.assertIn(e.End("stopped"), self.fails(ENCODE.id, "p0", "stopped"))
        self.add("two", "p1")
        self.assertEqual((self.said, "two" in self.machine.outputs), ([], False), "it is over")

    def test_a_changed_output_keeps_what_it_still_wants(self) -> None:
        self.add("one", "p0", "p1")
        self.slots()
        told = self.tell(e.Amended(e.OutputSpec("one", ("p1", "p2"))))
        self.assertEqual([item.task.name for item in told if isinstance(item, e.Control)], ["p0"])
        self.assertIn("encode:p1", self.running())
        self.fails(ENCODE.id, "p0", "stopped")
        self.assertEqual(set(self.running()), {"encode:p1", "encode:p2"})
        for name in ("p1", "p2"):
            self.done(ENCODE.id, name)
        self.prove("one")
        (refused,) = self.tell(e.Amended(e.OutputSpec("one", ("p3",))))
        assert isinstance(refused, e.Refuse)
        self.assertIn("is proved and can't be changed", refused.sentence)


class Wrong(Story):
    def test_what_fails_once_is_tried_again_and_then_needs_somebody(self) -> None:
        self.add("one", "p0")
        self.slots(1)
        for _ in range(MOST_FAILURES):
            self.assertEqual(self.state("one"), "rendering")
            self.fails(ENCODE.id, "p0", "encode", "It broke.")
        self.assertEqual((self.state("one"), self.machine.outputs["one"].reason), ("needs you", "It broke."))
        self.tell(e.RetryAsked(("one",)))
        self.done(ENCODE.id, "p0")
        self.prove("one")

    def test_damaged_media_is_not_tried_twice(self) -> None:
        self.add("one", "p0")
        self.slots(1)
        self.fails(ENCODE.id, "p0", "media", "It is damaged.")
        self.assertEqual(self.state("one"), "needs you")

    def test_what_is_lost_is_tried_more_often_than_what_fails(self) -> None:
        self.add("one", "p0")
        self.slots(1)
        for _ in range(MOST_LOSSES - 1):
            self.fails(ENCODE.id, "p0", "lost")
        self.assertEqual(self.state("one"), "rendering")
        self.fails(ENCODE.id, "p0", "lost", "It went.")
        self.assertEqual(self.state("one"), "needs you")
        self.assertGreater(MOST_LOSSES, MOST_FAILURES)

    def test_a_lost_station_takes_its_slots_and_others_go_on(self) -> None:
        self.add("one", "p0", "p1", "p2")
        self.slots(1, "near")
        self.slots(1, "far")
        self.tell(e.StationLost("far"))
        self.assertEqual(list(self.machine.slots), ["near-0"])
        self.assertEqual(list(self.running()), ["encode:p0"])
        self.assertEqual(self.machine.tasks[e.TaskId(ENCODE.id, "p1")].losses, 1)
        for name in ("p0", "p1", "p2"):
            self.done(ENCODE.id, name)
        self.prove("one")

    def test_an_idle_slot_can_be_taken_back_and_a_busy_one_not(self) -> None:
        self.add("one", "p0")
        self.slots(2)
        self.tell(e.SlotWithdrawn("here-0"), e.SlotWithdrawn("here-1"), e.SlotWithdrawn("nowhere"))
        self.assertEqual(list(self.machine.slots), ["here-0"])

    def test_what_is_begun_on_a_slot_that_was_given_back_is_begun_elsewhere_and_not_for_ever(self) -> None:
        self.add("one", "p0", "p1")
        self.slots(1, "there")
        self.done(ENCODE.id, "p0")  # and p1 is begun on the slot that the station has just taken back
        self.tell(e.SlotWithdrawn("there-0"))
        self.fails(ENCODE.id, "p1", "stopped")
        self.assertEqual((self.machine.slots, self.running()), ({}, {}))
        self.slots(1, "here")
        self.assertEqual(list(self.running()), ["encode:p1"])

    def test_results_of_an_earlier_attempt_count_for_nothing(self) -> None:
        self.add("one", "p0")
        self.slots(1)
        first = self.running()["encode:p0"]
        self.fails(ENCODE.id, "p0", "lost")
        self.assertNotEqual(self.running()["encode:p0"], first)
        self.assertEqual(self.tell(e.Done(e.TaskId(ENCODE.id, "p0"), first)), [])
        self.assertEqual(self.state("one"), "rendering")

    def test_damaged_pieces_found_by_a_join_are_made_anew_and_no_others(self) -> None:
        self.add("one", "p0", "p1", kept=("p0", "p1"))
        self.slots(1)
        told = self.fails(JOIN.id, "one", "pieces", "p1 can't be opened.", "p1")
        self.assertIn(e.DropPiece("p1"), told)
        self.assertIn(e.Discard("one", 1), told)
        self.assertEqual((list(self.running()), self.state("one")), (["encode:p1"], "rendering"))
        self.done(ENCODE.id, "p1")
        self.prove("one")

    def test_a_disproved_file_is_joined_once_more_and_then_needs_somebody(self) -> None:
        self.add("one", "p0", kept=("p0",))
        self.slots(1)
        for attempt in range(MOST_FAILURES):
            self.done(JOIN.id, "one")
            told = self.fails(CHECK.id, "one", "disproved", "It has 24 frames.")
            self.assertIn(e.Discard("one", attempt * 2 + 1), told, "a file that isn't right doesn't stay")
        self.assertEqual(self.state("one"), "needs you")
        self.tell(e.Sealed())
        self.assertEqual(self.machine.ended, "needs you")

    def test_a_full_drive_is_waited_for_until_nobody_frees_it(self) -> None:
        for end, outcome in ((e.SpaceFreed(), None), (e.WaitingOver(), "needs you")):
            self.setUp()
            self.add("one", "p0")
            self.slots(1)
            self.tell(e.Sealed())
            self.fails(ENCODE.id, "p0", "space", "The drive is full.")
            self.assertEqual((self.machine.waits_for, self.machine.ended), ("space", None))
            self.tell(end)
            self.assertEqual((self.machine.ended, bool(self.running())), (outcome, outcome is None))

    def test_a_file_that_cannot_be_placed_is_made_again_when_its_drive_is_back(self) -> None:
        self.add("one", "p0", kept=("p0",))
        self.slots(1)
        self.done(JOIN.id, "one")
        self.assertIn(e.Place("one", 1), self.done(CHECK.id, "one"))
        self.tell(e.PlaceRefused("one", "The drive is gone.", away=True))
        self.assertEqual((self.state("one"), self.machine.waits_for), ("needs you", "drive"))
        self.tell(e.DriveReturned(("two",)))
        self.assertEqual(self.state("one"), "needs you", "another one's")
        self.tell(e.DriveReturned(("one",)))
        self.assertEqual(list(self.running()), ["join:one"])
        self.prove("one")

    def test_a_quality_found_wanting_before_the_join_makes_the_output_wait_for_its_pieces(self) -> None:
        self.add("one", "p0", kept=("p0",))
        self.slots(1)
        attempt = self.running()["join:one"]
        self.tell(
            e.Amended(e.OutputSpec("one", ("q0",))), e.Failed(e.TaskId(JOIN.id, "one"), attempt, "stopped")
        )
        self.assertEqual((list(self.running()), self.state("one")), (["encode:q0"], "rendering"))
        self.done(ENCODE.id, "q0")
        self.prove("one")


if __name__ == "__main__":
    unittest.main()
