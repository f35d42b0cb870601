"""A trial on real media, what it teaches, and other ways to make an output."""

from __future__ import annotations

import itertools
import tempfile
import unittest
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np

from chronocast.crew.local.probing import carry_out_probes
from chronocast.crew.local.trial import at_floor, hold_trial
from chronocast.forecast.band import exact
from chronocast.forecast.picture.looks import Measured, lowest
from chronocast.journal.documents import load_batch
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.edits import set_asked
from chronocast.model.errors import ModelError
from chronocast.preparation.asked.answers import asked_of
from chronocast.preparation.asked.backwards import rate_across_by, rate_for_size
from chronocast.preparation.asked.candidates import candidates
from chronocast.preparation.asked.many_ways import many_ways
from chronocast.preparation.asked.probes import choose_probes
from chronocast.preparation.asked.trial import moments_of, variants_of
from chronocast.preparation.forecast.output_outlook import OutputOutlook
from chronocast.preparation.today import circumstances, outlook_now, prepared
from tests.runs import QUICK, RATED, small_batch


class Trials(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(tempfile.mkdtemp())
        cls.path = small_batch(cls.folder / "films", 1, 260, (QUICK, RATED), first=40)
        cls.space = Workspace(cls.folder / "data", cls.folder / "state", cls.folder / "config")
        cls.batch = load_batch(cls.path)
        cls.prospect = prepared(cls.batch, cls.path, cls.space)
        cls.quick, cls.rated = cls.prospect.outputs

    def test_a_trial_measures_teaches_and_answers(self) -> None:
        before = outlook_now(self.prospect, self.space).outputs
        went: list[tuple[int, int]] = []
        told = hold_trial(
            self.quick,
            self.space,
            Path(tempfile.mkdtemp()),
            at=100,
            seconds=0.8,
            floor=20.0,
            progress=lambda *n: went.append(n),
        )
        moments = {item.moment.words for item in told.trial.tried}
        self.assertIn("chosen", moments)
        for moment in moments:
            mine = [item for item in told.trial.tried if item.moment.words == moment]
            order = sorted(mine, key=lambda item: item.variant.asked)
            for better, worse in itertools.pairwise(order):
                self.assertGreater(better.bytes, worse.bytes)
                self.assertGreaterEqual(better.ssim, worse.ssim)
            for item in mine:
                self.assertTrue(item.picture.exists() and item.original.exists())
        self.assertEqual(went[-1][0], went[-1][1])
        self.assertIsNotNone(told.whole)
        self.assertIsNone(at_floor(self.quick, told.trial, 99.0, self.space).lowest)
        after = outlook_now(self.prospect, self.space).outputs
        self.assertNotEqual(after[1].bytes, before[1].bytes, "the other recipe's, too: it is the same film")
        self.assertLess(
            after[0].bytes.safe / after[0].bytes.p10, 0.9 * before[0].bytes.safe / before[0].bytes.p10
        )

    def test_what_cannot_be_tried_is_refused_and_a_short_output_is_tried_whole(self) -> None:
        with self.assertRaisesRegex(ModelError, "outside"):
            moments_of(self.quick, at=260)
        with self.assertRaisesRegex(ModelError, "no picture|no rate"):
            variants_of(
                replace(self.quick, recipe=self.quick.recipe.model_copy(update={"picture": None})).recipe
            )
        for moment in moments_of(self.quick, at=259, seconds=900):
            self.assertEqual((moment.part.start, moment.part.stop), (0, 260))
        for moment in moments_of(self.quick, at=0, seconds=0.0001):
            self.assertEqual(len(moment.part), 1)

    def test_the_least_that_keeps_a_floor_lies_between_what_was_measured(self) -> None:
        found = [Measured(20, 4e6, 44.0), Measured(32, 1e6, 36.0), Measured(26, 2e6, 40.0)]
        self.assertEqual(lowest(found, 36.0), found[1])
        self.assertIsNone(lowest(found, 44.1))
        self.assertIsNone(lowest([], 1.0))
        between = lowest(found, 42.0)
        assert between is not None
        self.assertAlmostEqual(between.asked, 23.0)
        self.assertTrue(2e6 < between.bits < 4e6)
        dented = [*found, Measured(22, 3e6, 39.0)]  # likeness never falls with rate
        self.assertLessEqual((lowest(dented, 40.0) or found[0]).bits, 2e6)

    def test_ways_are_compared_with_the_same_draws_and_none_is_better_than_those_that_stand(self) -> None:
        now = circumstances(self.prospect, self.space)
        for ready in (self.quick, self.rated):
            found = candidates(ready, now.stock, now.station, now.learned)
            self.assertTrue(found[0].present)
            self.assertFalse(any(way.present for way in found[1:]))
            self.assertEqual(found, candidates(ready, now.stock, now.station, now.learned))
            standing = [way for way in found if not way.dominated]
            self.assertTrue(standing)
            for one in standing:
                for other in standing:
                    better = (
                        other.seconds.likely < one.seconds.likely * 0.9
                        and other.bytes.likely < one.bytes.likely * 0.9
                        and (other.looks or 0) < (one.looks or 0) - 1
                    )
                    self.assertFalse(better, (one.words, other.words))
        effort = {
            way.words: way.seconds.likely
            for way in candidates(self.rated, now.stock, now.station, now.learned)
        }
        self.assertGreater(effort["slow effort"], effort[""])

    def as_made(self, item: OutputOutlook) -> OutputOutlook:
        """An output's forecast once it is made: nothing of it is unsure."""
        assert item.draws is not None
        draws = np.array([np.zeros(item.draws.shape[1]), np.full(item.draws.shape[1], item.bytes.likely)])
        return replace(item, made=True, bytes=exact(item.bytes.likely), seconds=exact(0.0), draws=draws)

    def test_several_files_by_other_ways_come_to_what_each_of_them_does(self) -> None:
        now, view = circumstances(self.prospect, self.space), outlook_now(self.prospect, self.space)
        names = [item.ready.output.id for item in view.outputs]
        together = many_ways(names, names[1], view, now, limit=1)
        self.assertEqual(together[0].words, "")
        self.assertAlmostEqual(together[0].bytes.likely / view.bytes.likely, 1, delta=1e-3)
        self.assertAlmostEqual(together[0].seconds.likely / view.seconds.likely, 1, delta=1e-3)
        each = [candidates(ready, now.stock, now.station, now.learned) for ready in self.prospect.outputs]
        slow = next(way for way in together if way.words == "slow effort")
        alone = [next(way for way in ways if way.words == "slow effort") for ways in each]
        self.assertEqual((slow.files, slow.of, slow.over), (2, 2, 2))
        self.assertAlmostEqual(slow.seconds.likely / sum(w.seconds.likely for w in alone), 1, delta=0.1)
        self.assertAlmostEqual(slow.bytes.likely / sum(w.bytes.likely for w in alone), 1, delta=0.1)
        self.assertLess(slow.bytes.p10, slow.bytes.likely)
        self.assertLess(slow.bytes.likely, slow.bytes.safe)
        rate = next(way for way in together if way.words.endswith("b/s"))
        self.assertEqual((rate.files, rate.of), (1, 2), "only one of them is made at a rate")
        self.assertIn("for 1 of 2 files", rate.besides)
        made = replace(view, outputs=tuple(self.as_made(item) for item in view.outputs))
        now_made, *ways = many_ways(names, names[1], made, now)
        self.assertEqual(now_made.seconds.likely, 0)
        for way in ways:
            self.assertLess(
                1.1, way.seconds.safe / way.seconds.likely, f"{way.words}: it isn't known that well"
            )
            alone = slow if way.words == slow.words else rate
            if way.files < way.of:  # what can't be made so is made already
                self.assertLess(way.seconds.likely, 0.9 * alone.seconds.likely + 1)
        self.assertEqual(many_ways([], names[0], view, now), ())
        self.assertEqual(many_ways(names, "nothing", view, now), ())

    def test_a_rate_that_is_said_to_keep_a_limit_keeps_it_and_a_line_takes_its_time(self) -> None:
        now = circumstances(self.prospect, self.space)
        for limit in (60_000, 300_000, 5_000_000):
            told = rate_for_size(self.rated, limit, now)
            if told.bits is not None:
                self.assertLessEqual(told.bytes.safe, limit)
                self.assertGreaterEqual(told.room, 0)
        self.assertIsNone(rate_for_size(self.rated, 100, now).bits)
        slow, fast = (rate_across_by(self.rated, line, 60.0, now) for line in (50_000, 5_000_000))
        assert fast.bits is not None and fast.seconds is not None
        self.assertLess(slow.bits or 0, fast.bits)
        self.assertLessEqual(fast.seconds.safe, 60.0)

    def test_what_a_batch_is_asked_to_keep_is_answered_in_words_and_numbers(self) -> None:
        now = circumstances(self.prospect, self.space)
        view = outlook_now(self.prospect, self.space)
        for hours, chance in ((5, 1.0), (-5, 0.0)):
            wanted = datetime.now().astimezone() + timedelta(hours=hours)
            asked = set_asked(self.batch, wanted=wanted, size_limit=1_000, line=8_000_000)
            told = asked_of(asked, self.prospect, view, now)
            assert told.deadline is not None
            self.assertEqual((told.deadline.chance, told.across), (chance, chance))
            assert told.sent is not None and told.sending is not None
            self.assertGreater(
                told.sent.likely, told.sending.likely, "of a line that the forecast didn't know, too"
            )
            self.assertEqual(len(told.too_large), 2)
            self.assertIn("may be larger than 1.00 kB", told.lines[0])
            answer = told.as_json()
            self.assertEqual(set(answer), {"limit", "line", "wanted"})
        nothing = asked_of(self.batch, self.prospect, view, now)
        self.assertEqual((nothing.lines, nothing.short, nothing.as_json()), ([], [], {}))

    def test_probes_are_pieces_of_the_plan_within_a_budget_and_are_kept(self) -> None:
        folder = Path(tempfile.mkdtemp())
        path = small_batch(folder / "films", 2, 500, (QUICK, RATED), first=60)
        space = Workspace(folder / "data", folder / "state", folder / "config")
        prospect = prepared(load_batch(path), path, space)
        before = outlook_now(prospect, space)
        self.assertEqual(choose_probes(before, space.stock, 0.0), [])
        few, many = (choose_probes(before, space.stock, budget) for budget in (0.6, 1e6))
        self.assertLess(sum(probe.seconds for probe in few), 0.6 * before.slots + 1e-9)
        self.assertLess(len(few), len(many))
        names = [probe.piece.name for probe in many]
        self.assertEqual(len(names), len(set(names)))
        films = {probe.ready.film for probe in many}
        self.assertEqual(len(films), 2, "both films are in doubt")
        first = [probe for probe in many if probe.ready is many[0].ready][:1]
        self.assertEqual(carry_out_probes(first, space), 1)
        after = outlook_now(prospect, space)
        probed = first[0].ready.output.id
        now, then = after.output(probed), before.output(probed)
        assert now and then
        self.assertEqual((now.pieces_kept, then.pieces_kept), (1, 0))
        self.assertLess(now.bytes.safe - now.bytes.p10, then.bytes.safe - then.bytes.p10)
        self.assertNotIn(first[0].piece.name, {p.piece.name for p in choose_probes(after, space.stock, 1e6)})


if __name__ == "__main__":
    unittest.main()
