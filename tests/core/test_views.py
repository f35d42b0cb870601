"""What is on screen, in plain Python: *Plan*, *Run* and *Check* say what is so."""

from __future__ import annotations

import tempfile
import time
import unittest
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from unittest import mock

from chronocast.demo.copy import demo_batch
from chronocast.journal.batches.runs import RunJournal
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.edits import fill, hold
from chronocast.model.batch.ranges import add_range
from chronocast.model.time.timing import FrameRange
from chronocast.run.view import RunView
from chronocast.run.view_kept import keep_view, read_view, view_of_text, view_text
from chronocast.ui.places.plan.headline import difference
from chronocast.ui.places.plan.model import arranged, plan_model
from chronocast.ui.places.run.model import places_told, run_model


@dataclass
class Said:
    """A journal's record."""

    seq: int
    time: float
    kind: str
    body: dict[str, Any] = field(default_factory=dict)


def band(value: float) -> dict[str, float]:
    return {"p10": value / 2, "likely": value, "safe": value * 2}


def story(times: list[float]) -> list[Said]:
    """A run of one output, told at the times given."""
    begin = datetime.fromtimestamp(times[0]).astimezone()
    finish = {
        key: (begin + timedelta(seconds=s)).isoformat()
        for key, s in (("p10", 5), ("likely", 10), ("safe", 20))
    }
    forecast = {
        "outputs": [{"id": "o", "seconds": band(8), "bytes": band(1e6), "finish": finish}],
        "total": {"finish": finish},
    }
    kinds: list[tuple[str, dict[str, Any]]] = [
        ("begin", {"batch": {"title": "Films", "outputs": [{"id": "o"}]}, "path": "/b"}),
        ("forecast", forecast),
        (
            "output ready",
            {
                "id": "o",
                "path": "/out/a.mp4",
                "title": "A",
                "range": "",
                "recipe": "R",
                "frames": 100,
                "rate": "25",
                "pieces": 2,
                "kept": 1,
            },
        ),
        ("output", {"id": "o", "state": "rendering", "reason": ""}),
        ("outlook", {"finish": finish, "bytes": band(1), "seconds": band(1)}),
        (
            "made",
            {
                "id": "o",
                "path": "/out/a.mp4",
                "bytes": 900_000,
                "seconds": 9.0,
                "cpu_seconds": 8.0,
                "checks": [
                    {"name": "frames", "ok": True, "expected": "100", "found": "100", "proof": "counted"}
                ],
            },
        ),
        ("output", {"id": "o", "state": "proved", "reason": ""}),
        ("ended", {"outcome": "done", "sentence": ""}),
    ]
    return [
        Said(n + 1, at, kind, body) for n, (at, (kind, body)) in enumerate(zip(times, kinds, strict=True))
    ]


class Run(unittest.TestCase):
    def test_promise_and_fact_stand_side_by_side(self) -> None:
        now = time.time()
        view = RunView().fold(story([now + n for n in range(8)]))
        shown = run_model(view, now + 9)
        self.assertEqual(
            (shown.rows[0].state, shown.rows[0].time, shown.rows[0].size),
            ("proved", "9 s", "900 kB"),
        )
        self.assertEqual(shown.rows[0].promised[:2], ("promised 8 s", "promised 1.00 MB"))
        self.assertIn("1 file proved · in /out · 7 s, promised 10 s · 900 kB", shown.ending)
        self.assertEqual((shown.done, shown.share, shown.ended), ("1 of 1", 1.0, True))
        self.assertIn("every file proved", shown.finished_more)
        self.assertTrue(shown.rows[0].checks)

    def test_the_piece_map_says_which_station_made_what(self) -> None:
        records = story([time.time() + n for n in range(8)])[:4]
        records[2].body["map"] = [
            ("aa", 25, "encode"),
            ("bb", 25, "encode"),
            ("cc", 25, "encode"),
            ("dd", 25, "kept"),
        ]
        for number, (piece, slot) in enumerate(
            (("aa", "Plover/here-0"), ("bb", "Plover/here-1"), ("cc", "here-0"))
        ):
            body = {"task": f"encode:{piece}", "attempt": number}
            records += [
                Said(5 + 2 * number, records[-1].time, "started", {**body, "slot": slot, "output": "o"}),
                Said(6 + 2 * number, records[-1].time + 1, "finished", {**body, "output": "", "result": {}}),
            ]
        under_way = {"tasks": {"encode:cc": {"count": 5, "total": 25, "slot": "here-0", "output": "o"}}}
        view = RunView().fold(records[:-1]).see({"tasks": (time.time(), under_way)}, lives=True)
        (row,) = run_model(view, time.time()).rows
        self.assertEqual(
            [(run.place, run.pieces, run.done) for run in row.pieces],
            [("Plover", 2, 1.0), ("here", 1, 0.2), ("", 1, 1.0)],
        )
        self.assertEqual(places_told(row.pieces), "1 piece here, 2 at Plover")
        self.assertEqual(places_told(row.pieces[1:]), "", "nothing to say where all are made here")

    def test_a_failure_says_where_what_it_cost_and_what_is_done_about_it(self) -> None:
        now = time.time()
        records = story([now + n for n in range(8)])[:4]
        attempt = {"task": "encode:abc", "attempt": 1}
        records += [
            Said(5, now + 4, "started", {**attempt, "slot": "here-0", "output": "o"}),
            Said(
                6,
                now + 9,
                "failed",
                {
                    **attempt,
                    "fault": "encode",
                    "sentence": "The encoder gave up.",
                    "at": "10:00:08:00 to 10:00:15:24",
                },
            ),
            Said(7, now + 9, "started", {**attempt, "attempt": 2, "slot": "here-0", "output": "o"}),
            Said(
                8, now + 10, "failed", {**attempt, "attempt": 2, "fault": "stopped", "sentence": "", "at": ""}
            ),
        ]
        (row,) = run_model(RunView().fold(records).see({}, lives=True), now + 11).rows
        self.assertEqual(
            row.failures,
            (
                "An attempt of 10:00:08:00 to 10:00:15:24 failed after 5 s: The encoder gave up. It is tried again.",
            ),
        )

    def test_what_goes_on_by_itself_doesn_t_say_that_it_needs_somebody(self) -> None:
        now = time.time()
        records = [*story([now + n for n in range(8)])[:4]]
        records.append(
            Said(5, now + 5, "output", {"id": "o", "state": "needs you", "reason": "The drive is full."})
        )
        for waiting, state in (
            ({"o": "space"}, "waits for room"),
            ({"o": "drive"}, "waits for its drive"),
            ({}, "needs you"),
        ):
            body = {"waits_for": "space" if waiting else "", "waiting": waiting}
            view = RunView().fold(records).see({"tasks": (now + 6, body)}, lives=True)
            model = run_model(view, now + 6)
            self.assertEqual((model.rows[0].state, model.rows[0].reason), (state, "The drive is full."))
            self.assertEqual(bool(model.needs), not waiting)

    def test_each_record_counts_once(self) -> None:
        records = story([time.time() + n for n in range(8)])
        self.assertEqual(RunView().fold(records).fold(records).as_json(), RunView().fold(records).as_json())

    def test_a_clock_that_jumps_back_confuses_nobody(self) -> None:
        now = time.time()
        for times in (
            [now, now - 86400, now - 86400, now - 86300, now, now, now - 3600, now - 3600],
            [now + n for n in range(7)] + [now - 1e6],
        ):
            for count in range(1, 9):
                view = RunView().fold(story(times)[:count])
                shown = run_model(view, now - 5000)
                self.assertEqual(len(shown.rows), 1)
                self.assertNotIn("-", shown.done_more)
                self.assertTrue(shown.sentence)

    def test_a_run_whose_runner_went_away_says_so(self) -> None:
        now = time.time()
        view = RunView().fold(story([now + n for n in range(8)])[:4]).see({}, lives=False)
        self.assertEqual(run_model(view, now + 4).finished, "interrupted")

    def test_when_nothing_moves_no_time_is_promised_and_each_way_of_it_has_its_word(self) -> None:
        now = time.time()
        ways: dict[str, dict[str, Any]] = {
            "paused": {"paused": True},
            "full": {"waits_for": "space"},
            "away": {"waits_for": "drive"},
            "no slot": {"waits_for": "slot"},
            "silent": {"silent_seconds": 400.0},
            "still": {"still_seconds": 500.0},
            "interrupted": {"lives": False},
        }
        said = set()
        at, later = (datetime.fromtimestamp(now + more).astimezone().isoformat() for more in (0, 90))
        promise = {"at": at, "finish": {"likely": later, "safe": later}, "outputs": {"o": {"likely": 90.0}}}
        for condition, state in ways.items():
            view = RunView().fold(story([now + n for n in range(8)])[:5])
            view.finish = promise
            for name, value in {"lives": True, **state}.items():
                setattr(view, name, value)
            shown = run_model(view, now + 5)
            with self.subTest(condition):
                self.assertEqual(shown.condition, condition)
                for words in (shown.finished, shown.finished_more, *(row.finish for row in shown.rows)):
                    self.assertNotRegex(words, r"\d\d:\d\d|\d to go|real time")
                self.assertNotIn("real time", shown.done_more)
                self.assertNotEqual(shown.role, "tide")
                said.add(shown.finished)
        self.assertEqual(len(said), len(ways))
        going = RunView().fold(story([now + n for n in range(8)])[:5])
        going.lives, going.finish = True, promise
        self.assertRegex(run_model(going, now + 5).finished, r"\d\d:\d\d")


class Plan(unittest.TestCase):
    def test_a_plan_without_a_forecast_is_already_a_plan(self) -> None:
        plan = plan_model(demo_batch(), None, None)
        self.assertEqual((len(plan.rows), len(plan.columns), plan.headline.begin), (21, 4, 24))
        self.assertTrue(plan.cell(0, 0).waiting)
        self.assertFalse(plan.cell(1, 2).filled)
        self.assertEqual(plan.place(plan.cell(2, 1).output), (2, 1))

    def test_many_ranges_are_folded_until_they_are_asked_for(self) -> None:
        batch = demo_batch()
        source = batch.sources[4].id
        for n in range(14):
            batch, part = add_range(batch, source, f"Pick {n}", FrameRange(n * 10, n * 10 + 9))
            batch = fill(batch, [(source, part, "web-720")])
        plan = plan_model(batch, None, None, None, {(source, 10, 19): "The last picture is black."})
        note = next(row for row in plan.rows if row.title == "Pick 1")
        self.assertEqual((note.notes, note.facts), (1, "The last picture is black."))
        folded, open_ = arranged(plan), arranged(plan, turned=frozenset({source}))
        self.assertEqual(
            [row.facts[:16] for row in folded.rows if row.source == source], ["14 ranges folded"]
        )
        self.assertEqual(len(open_.rows), len(plan.rows))
        for shown in (folded, open_):
            for (row, column), cell in shown.cells.items():
                output = batch.output(cell.output)
                assert output
                where = (shown.rows[row].source, shown.rows[row].part, shown.columns[column].recipe)
                self.assertEqual(where, (output.source, output.range, output.recipe))

    def test_held_outputs_are_not_begun(self) -> None:
        batch = demo_batch()
        plan = plan_model(hold(batch, [batch.outputs[0].id], True), None, None)
        self.assertEqual(plan.headline.begin, 23)
        self.assertTrue(plan.cell(0, 0).held)

    def test_an_empty_batch_says_that_nothing_is_asked_for(self) -> None:
        self.assertIn("Nothing is asked for", plan_model(Batch(), None, None).headline.sentence)

    def test_differences_are_signed_and_small_ones_left_out(self) -> None:
        self.assertEqual(
            (difference(-840, "seconds"), difference(220e6, "bytes"), difference(0.3, "seconds")),
            ("−14:00 min", "+220 MB", ""),
        )


if __name__ == "__main__":
    unittest.main()


def long_story() -> list[Said]:
    """A run with all that can happen: it fails, is paused, taken up, added to, helped."""
    said = story([float(n) for n in range(1_700_000_000, 1_700_000_008)])
    told: list[tuple[str, dict[str, Any]]] = [
        ("started", {"task": "encode:abcdefabcdefab", "attempt": 1, "slot": "Plover/here-0", "output": "o"}),
        ("started", {"task": "encode:bcdefabcdefabc", "attempt": 2, "slot": "here-1", "output": "o"}),
        ("failed", {"task": "encode:bcdefabcdefabc", "attempt": 2, "fault": "media", "sentence": "It broke.", "at": "10:00:00:00"}),
        ("request", {"kind": "pause", "body": {}}),
        ("request", {"kind": "resume", "body": {}}),
        (
            "finished",
            {
                "task": "encode:abcdefabcdefab",
                "attempt": 1,
                "output": "o",
                "cpu_seconds": 3.5,
                "result": {"frames": 50},
                "picture": {"file": "a.jpg", "at": "10:00:01:00", "xpsnr": 38.5, "poorest": "b.jpg"},
            },
        ),
        ("house", {"sentence": "Plover is there."}),
        ("trouble", {"sentence": "A drive is slow."}),
        ("round", {"id": "o", "round": 2, "sentence": "Quality 22."}),
        ("started", {"task": "encode:cdefabcdefabcd", "attempt": 3, "slot": "here-0", "output": "o"}),
        ("request", {"kind": "order", "body": {"outputs": ["o"]}}),
        ("taken up", {"gone_seconds": 3.0}),
    ]  # fmt: skip
    last = said[-1]
    middle = [Said(last.seq + n, last.time + n, kind, body) for n, (kind, body) in enumerate(told)]
    end = Said(middle[-1].seq + 1, middle[-1].time + 1, last.kind, last.body)
    return [*said[:-1], *middle, end]


class Kept(unittest.TestCase):
    def test_a_view_that_was_kept_goes_on_as_if_all_had_been_read(self) -> None:
        records = long_story()
        whole = RunView().fold(records)
        self.assertTrue(whole.worked and whole.outputs["o"].failures and whole.outputs["o"].poorest)
        for cut in range(len(records) + 1):
            kept = view_of_text(view_text(RunView().fold(records[:cut])))
            self.assertEqual(kept, RunView().fold(records[:cut]), cut)
            self.assertEqual(kept.fold(records), whole, cut)

    def test_a_journal_keeps_it_where_it_is_worth_it_and_what_cannot_be_read_is_left(self) -> None:
        with RunJournal(Path(tempfile.mkdtemp()) / "a.run") as journal:
            with journal.together():
                for said in long_story()[:-1]:
                    journal.append(said.kind, said.body, said.time)
            plain = read_view(journal, False)
            self.assertFalse(keep_view(journal), "a short run is read at once")
            with mock.patch("chronocast.run.view_kept.WORTH", 10):
                self.assertTrue(keep_view(journal))
            self.assertEqual(read_view(journal, False), plain)
            with mock.patch.object(journal, "records", return_value=[]) as asked:
                self.assertEqual(read_view(journal, False).outputs, plain.outputs)
            asked.assert_called_once_with(plain.last)
            for bad in ("{}", "no JSON", "[1]", '{"outputs": [{"id": "o"}]}'):
                journal.keep_folded(1, plain.last, bad)
                self.assertEqual(read_view(journal, False), plain, bad)
            journal.keep_folded(1, plain.last + 5, view_text(RunView()))
            self.assertEqual(read_view(journal, False), plain, "it tells of records that aren't there")
