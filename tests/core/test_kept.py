"""What is kept beside the batches: whatever became of it, nothing stops, and nothing false is taken at its word."""

from __future__ import annotations

import copy
import json
import random
import tempfile
import time
import unittest
from datetime import datetime
from pathlib import Path
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.journal.documents import load_json, save_json, sealed, unsealed
from chronocast.journal.station.house import HouseStore
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import FULL, Batch, read_batch, write_batch
from chronocast.model.batch.edits import add_source, fill
from chronocast.model.errors import ModelError
from chronocast.model.house import Attendance, MountSpeed
from chronocast.model.time.moments import parse_moment
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.preparation.today import prepared
from chronocast.ui.desk.desk import new_batch
from tests.footage import clip
from tests.fuzz import spoil_tree

JSON: st.SearchStrategy[object] = st.recursive(
    st.none() | st.booleans() | st.floats() | st.integers(-(10**20), 10**20) | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
    max_leaves=6,
)
OBJECT = st.dictionaries(st.text(max_size=2), JSON, max_size=4)


class Sealed(unittest.TestCase):
    @given(OBJECT.filter(bool), st.integers(0, 10**6), st.characters())
    def test_what_was_changed_in_it_is_seen(self, value: dict[str, object], at: int, other: str) -> None:
        text = sealed(json.dumps(value))
        self.assertEqual(json.dumps(json.loads(unsealed(text))), json.dumps(value))
        self.assertIn("sum", json.loads(text), "it is JSON as it stands")
        at %= len(text)
        changed = text[:at] + other + text[at + 1 :]
        if changed == text:
            return
        try:
            found = json.loads(unsealed(changed))
        except ValueError:
            return
        self.assertEqual(len(found), len(value) + 1, "the seal itself was broken: it has a field too many")

    def test_what_was_never_sealed_is_read(self) -> None:
        self.assertEqual(json.loads(unsealed('{"a": 1}')), {"a": 1})

    def test_a_file_nested_too_deep_is_no_file(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "deep.json"
            path.write_text("[" * 200_000)
            self.assertEqual(load_json(path), {})


class Planning(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        batch = new_batch()
        for number in (1, 2):
            clip(self.folder / f"tank {number}.mp4", number, 24)
            batch = add_source(batch, f"tank {number}.mp4", f"Tank {number}", "clip")
        cells = [(source.id, FULL, batch.recipes[0].id) for source in batch.sources]
        self.batch = fill(batch, cells, True)
        self.plan()

    def plan(self) -> Prospect:
        """By a process that was just begun."""
        return prepared(self.batch, self.folder / "tanks.batch.json", Workspace(self.folder / "data"))

    def told(self) -> list[object]:
        return [(item.path, item.plan) for item in self.plan().outputs]

    def test_facts_that_were_spoilt_are_found_anew(self) -> None:
        right, dice = self.told(), random.Random(4)
        places = sorted((self.folder / "data" / "facts").glob("*.json"))
        self.assertEqual(len(places), 2)
        for _ in range(40):
            place = dice.choice(places)
            before = json.loads(place.read_text())
            place.write_text(json.dumps(spoil_tree(copy.deepcopy(before), dice)))
            self.assertEqual(self.told(), right, place.read_text()[:2000])

    def test_a_mistake_about_one_source_leaves_the_others(self) -> None:
        from chronocast.preparation.output import prepare as module

        ready_source = module.ready_source

        def mistaken(source: object, *rest: object) -> object:
            if getattr(source, "name", "") == "Tank 1":
                raise TypeError("a mistake of ours")
            return ready_source(source, *rest)  # type: ignore[arg-type]

        with mock.patch.object(module, "ready_source", mistaken), self.assertLogs(module.log, "ERROR"):
            found = self.plan()
        self.assertEqual([item.source.source.name for item in found.outputs], ["Tank 2"])
        (problem,) = [item for item in found.problems if item.source]
        self.assertEqual((problem.where, problem.source), ("Tank 1", self.batch.sources[0].id))
        self.assertIn("TypeError: a mistake of ours", problem.told)

    def test_a_mistake_about_one_output_leaves_the_others(self) -> None:
        first, second = self.plan().outputs

        def mistaken(have: SourceReady, *_: object) -> object:
            return second.plan if have.source.id == second.output.source else 1 / 0

        with (
            mock.patch.object(SourceReady, "plan", mistaken),
            self.assertLogs("chronocast", "ERROR"),
        ):
            found = self.plan()
        self.assertEqual([item.output for item in found.outputs], [second.output])
        self.assertIn("ZeroDivisionError", found.refused[first.output.id].sentence)


class Station(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.state = Path(held.name)
        self.store = HouseStore(self.state / "config", self.state)

    @settings(max_examples=60)
    @given(st.dictionaries(st.sampled_from(["read", "write", "when", "x"]), JSON), JSON)
    def test_what_makes_no_sense_of_mounts_and_stations_is_left_out(
        self, spoilt: object, more: object
    ) -> None:
        good = {"read": 1e8, "write": 2e8, "when": time.time()}
        save_json(self.state / "mounts.json", {"bad": spoilt, "good": good, "other": more})
        self.assertEqual(self.store.mounts()["good"], MountSpeed(read=1e8, write=2e8))
        save_json(self.state / "attendance.json", {"bad": spoilt, "north": {"seconds": 5.0}, "other": more})
        self.assertEqual(self.store.attendance()["north"], Attendance(seconds=5.0))

    @settings(max_examples=60)
    @given(OBJECT, st.sampled_from(["stations", "known_at", "hub", "bookings", "away"]), JSON)
    def test_a_word_of_the_house_that_makes_no_sense_is_none(
        self, spoilt: dict[str, object], name: str, value: object
    ) -> None:
        save_json(self.state / "house.json", {**spoilt, name: value})
        self.assertIsInstance(self.store.heard().hub, str)


class Moments(unittest.TestCase):
    def test_a_moment_that_has_no_place_in_every_zone_is_refused(self) -> None:
        plain = json.loads(write_batch(Batch()))
        for field in ("wanted", "not_before"):
            for moment in ("0001-01-01T00:00:00", "9999-12-31T23:59:59-14:00", "1970-12-31T00:00:00Z"):
                with self.assertRaises(ModelError) as refused:
                    read_batch(json.dumps({**plain, field: moment}))
                self.assertIn("1971", refused.exception.sentence)
            read_batch(json.dumps({**plain, field: "2027-03-28T02:30:00+05:45"}))
        now = datetime.now().astimezone()
        for typed in ("0001-01-01T00:00", "9999-12-31", "in 9999999 d"):
            with self.assertRaises(ModelError):
                parse_moment(typed, now)


if __name__ == "__main__":
    unittest.main()
