"""The stock: what goes first when it is to be smaller, what never goes, and damage found by its sums."""

from __future__ import annotations

import json
import tempfile
import unittest
from hashlib import blake2b
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from chronocast.journal.workspace import Workspace
from chronocast.pieces.stock import Entry, Stock
from chronocast.pieces.tidying import DAY, choose_to_go, worth
from chronocast.preparation.stock_keeping import (
    carry_out_tidying,
    damaged_pieces,
    plan_tidying,
    stock_known,
    tidying_told,
)

NOW = 1_000_000_000.0


def entry(name: str, size: int = 100, seconds: float = 10.0, days: float = 0.0) -> Entry:
    return Entry(name, size, seconds, NOW - 90 * DAY, NOW - days * DAY)


entries = st.lists(
    st.builds(
        Entry,
        st.uuids().map(str),
        st.integers(1, 10**9),
        st.floats(0, 1e4),
        st.just(0.0),
        st.floats(0, NOW),
    ),
    max_size=20,
    unique_by=lambda item: item.name,
)


class Tidying(unittest.TestCase):
    def test_what_is_worth_least_for_its_room_goes_first(self) -> None:
        slow, large, old = entry("slow", 100, 90), entry("large", 900, 10), entry("old", 100, 90, days=60)
        self.assertAlmostEqual(worth(old, NOW), worth(slow, NOW) / 4)
        plan = choose_to_go([slow, old, large], set(), NOW, most_bytes=1000)
        self.assertEqual([item.name for item in plan.go], ["large"])
        plan = choose_to_go([slow, old, large], {"large"}, NOW, most_bytes=1000)
        self.assertEqual(([item.name for item in plan.go], plan.needed, plan.short), (["old"], 1, 0))
        self.assertEqual(plan.seconds, 90)

    def test_only_what_was_not_used_for_long_goes_where_that_is_asked(self) -> None:
        new, old = entry("new", days=3), entry("old", days=40)
        self.assertEqual([e.name for e in choose_to_go([new, old], set(), NOW, unused_days=30).go], ["old"])
        self.assertEqual(choose_to_go([new, old], set(), NOW, most_bytes=100, unused_days=50).go, ())
        self.assertEqual(choose_to_go([new, old], set(), NOW).go, ())

    @given(entries, st.data())
    def test_nothing_that_is_waited_for_goes_and_no_more_than_has_to(
        self, known: list[Entry], data: st.DataObject
    ) -> None:
        needed = {item.name for item in known if data.draw(st.booleans())}
        most = data.draw(st.integers(0, 2 * 10**9))
        plan = choose_to_go(known, needed, NOW, most_bytes=most)
        self.assertFalse({item.name for item in plan.go} & needed)
        left = sum(item.bytes for item in known) - plan.bytes
        self.assertEqual(plan.short > 0, left > most)
        if plan.go:
            self.assertGreater(left + plan.go[-1].bytes, most, "the last one had to go")


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        folder = Path(tempfile.mkdtemp())
        self.space = Workspace(folder / "data", folder / "state", folder / "config")
        self.batch = folder / "b.batch.json"
        self.batch.write_text("{}")

    def put(self, name: str, size: int = 1000, seconds: float = 5.0) -> None:
        part = self.space.stock.temporary(name, "1")
        part.write_bytes(bytes(size))
        self.space.stock.keep(part, name, {"bytes": size, "cpu_seconds": seconds, "label": f"Film {name}"})

    def test_what_outputs_wait_for_stays_until_its_batch_is_gone(self) -> None:
        for name in ("aa11", "bb22", "cc33"):
            self.put(name)
        self.space.needs.note(self.batch, {"aa11"})
        self.space.needs.note(self.batch, {"aa11", "bb22"})
        plan = plan_tidying(self.space, most_bytes=0)
        self.assertEqual([item.name for item in plan.go], ["cc33"])
        self.assertIn("2 pieces that outputs wait for stay", tidying_told(plan))
        self.assertIn("2.00 kB more would have to go", tidying_told(plan))
        self.assertEqual(carry_out_tidying(self.space, plan), 1000)
        self.assertIn("all of it is waited for", stock_known(self.space).told)
        self.batch.unlink()
        plan = plan_tidying(self.space, most_bytes=0)
        self.space.needs.note(self.batch, {"bb22"})  # wanted again while it was asked whether to
        self.batch.write_text("{}")
        self.assertEqual(carry_out_tidying(self.space, plan), 1000)
        self.assertEqual([item.name for item in stock_known(self.space).entries], ["bb22"])

    def test_a_byte_that_changed_is_found_and_a_piece_from_before_there_were_sums_is_taken(self) -> None:
        for name in ("aa11", "bb22"):
            self.put(name)
        path = self.space.stock.path("bb22")
        path.write_bytes(b"x" + path.read_bytes()[1:])
        self.assertEqual([item.label for item in damaged_pieces(self.space)], ["Film bb22"])
        self.space.stock.path("aa11").with_suffix(".json").write_text('{"bytes": 1000}')
        self.assertTrue(self.space.stock.whole("aa11"))
        older = blake2b(self.space.stock.path("aa11").read_bytes(), digest_size=16).hexdigest()
        for digits, whole in ((older, True), (older[::-1], False)):
            notes = {"bytes": 1000, "sum": digits}
            self.space.stock.path("aa11").with_suffix(".json").write_text(json.dumps(notes))
            self.assertIs(self.space.stock.whole("aa11"), whole)
        self.assertFalse(self.space.stock.whole("nothing"))
        self.space.stock.discard("bb22")
        self.assertEqual(list(self.space.stock.folder.glob("bb/*")), [])

    def test_a_stock_that_is_not_there_is_empty(self) -> None:
        self.assertEqual(stock_known(self.space).told, "the stock is empty")
        self.assertEqual(tidying_told(plan_tidying(self.space, most_bytes=0)), "Nothing has to go.")
        self.assertEqual(list(Stock(Path("/nowhere/at/all")).entries()), [])
