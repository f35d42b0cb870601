"""The forecast of a real batch, part by part: what it is the sum of, what is kept, made, held, and judged."""

from __future__ import annotations

import json
import tempfile
import unittest
from datetime import datetime, timedelta
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import numpy as np

from chronocast.forecast.learning.experience import Experience, PieceFact, learn_from
from chronocast.forecast.station import Load, Pace, Station
from chronocast.journal.documents import load_batch
from chronocast.journal.workspace import Workspace
from chronocast.media.files.footage import write_footage
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.columns import add_card, set_card
from chronocast.model.batch.edits import add_source, fill, hold, set_asked
from chronocast.model.cards.card import Limits, ReceiverCard
from chronocast.model.stages import CHECK, ENCODE, HERE, JOIN, SOUND
from chronocast.preparation.forecast.judging import card_problems, refusals
from chronocast.preparation.forecast.outlook import Outlook, outlook
from chronocast.preparation.forecast.outlook_json import as_json
from chronocast.preparation.forecast.output_outlook import together
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.ruler import rate_stops, ruled_files
from chronocast.preparation.today import prepared
from chronocast.ui.lanes.forecast_lanes import lane_data
from tests.runs import QUICK, RATED, small_batch

STATION = Station(HERE, Pace(calibrated=True), 2)


class RealBatch(unittest.TestCase):
    batch: Batch
    prospect: Prospect
    workspace: Workspace

    @classmethod
    def setUpClass(cls) -> None:
        cls.path = small_batch(Path(tempfile.mkdtemp()) / "films", 2, 60, (QUICK, RATED), first=150)
        cls.batch, cls.workspace = load_batch(cls.path), Workspace()
        cls.prospect = prepared(cls.batch, cls.path, cls.workspace)

    def view(
        self,
        station: Station = STATION,
        learned: Experience | None = None,
        made: dict[str, int] | None = None,
        batch: Batch | None = None,
    ) -> Outlook:
        prospect = self.prospect if batch is None else prepared(batch, self.path, self.workspace)
        return outlook(prospect, self.workspace.stock, station, learned, made)

    def test_an_output_is_the_sum_of_its_stages_in_their_order(self) -> None:
        for item in self.view().outputs:
            self.assertEqual([stage.kind for stage in item.stages], [ENCODE, SOUND, JOIN, CHECK])
            self.assertEqual({stage.station for stage in item.stages}, {HERE})
            total = sum(stage.seconds.likely for stage in item.stages)
            self.assertAlmostEqual(item.seconds.likely / total, 1, 1)
            self.assertGreater(item.finish.likely, item.begin.likely)
            self.assertEqual((item.pieces_kept, item.kept_share, item.made), (0, 0.0, False))

    def test_all_together_are_the_sum_whose_errors_are_shared(self) -> None:
        view = self.view()
        seconds, size = together(view.outputs)
        self.assertAlmostEqual(seconds.likely / view.seconds.likely, 1, 3)
        self.assertAlmostEqual(size.safe / view.bytes.safe, 1, 3)
        apart = np.sqrt(sum((item.bytes.safe - item.bytes.p10) ** 2 for item in view.outputs))
        self.assertGreater(view.bytes.safe - view.bytes.p10, 1.02 * apart, "not as if each erred alone")
        self.assertEqual(together([])[0].safe, 0)

    def test_the_part_of_a_film_in_which_much_moves_is_expected_to_take_longest(self) -> None:
        still = np.full((90, 160, 3), 90, np.uint8)
        noise = np.random.default_rng(4)
        pictures = [still] * 200 + [noise.integers(0, 255, (90, 160, 3), np.uint8) for _ in range(200)]
        folder = self.path.parent
        write_footage(str(folder / "shoal.mp4"), iter(pictures), Fraction(25), quality=30)
        batch = fill(add_source(self.batch, "shoal.mp4", "Shoal", "clip"), [("shoal", FULL, "quick")])
        view = self.view(batch=batch)
        (work,) = (work for work in view.evening.works if work.output == batch.outputs[-1].id)
        seconds = {
            name: float(np.median(drawn))
            for stage in work.stages
            if stage.kind is ENCODE
            for name, drawn in zip(stage.names, stage.draws, strict=True)
        }
        first, *_, last = [seconds[piece.name] for piece in view.outputs[-1].ready.plan.pieces]
        self.assertGreater(last, 1.3 * first)

    def test_over_a_line_each_file_is_sent_when_it_is_proved_and_the_line_is_free(self) -> None:
        self.assertIsNone(self.view().sent)
        quick, slow = (self.view(batch=set_asked(self.batch, line=line)) for line in (1e9, 2e5))
        assert quick.sent is not None and slow.sent is not None
        self.assertLess(quick.sent.likely, quick.finish.likely + 1, "hardly later than it is finished")
        sending = quick.bytes.likely * 8 / 2e5
        self.assertGreater(slow.sent.likely, sending)
        self.assertLess(
            slow.sent.likely, slow.finish.likely + sending, "the first goes while others are made"
        )
        told = as_json(slow)
        last = max(item["sent"]["likely"] for item in told["outputs"])
        self.assertEqual(last, told["total"]["sent"]["likely"])
        rows = lane_data(slow)
        self.assertEqual(rows.groups[-1].name, "The line")
        blocks = [block for block in rows.blocks if block.slot == rows.slots - 1]
        self.assertEqual(len(blocks), len(slow.outputs))
        self.assertTrue(all(one.end <= two.begin for one, two in pairwise(blocks)))

    def test_what_is_made_takes_nothing_and_is_finished_now(self) -> None:
        before = self.view()
        first = before.outputs[0].ready.output.id
        view = self.view(made={first: 12_345})
        done = view.outputs[0]
        self.assertEqual((done.made, done.stages, done.finish.safe, done.seconds.safe), (True, (), 0, 0))
        self.assertEqual((done.bytes.p10, done.bytes.safe), (12_345, 12_345))
        for now, then in zip(view.outputs[1:], before.outputs[1:], strict=True):
            self.assertAlmostEqual(now.seconds.safe, then.seconds.safe)
            self.assertAlmostEqual(now.bytes.safe, then.bytes.safe)
        self.assertEqual((view.fan[0].safe, len(view.fan)), (0, len(view.outputs)))
        self.assertGreater(view.saved_seconds, 0)
        self.assertLess(view.room[0].needs.likely, before.room[0].needs.likely)

    def test_what_is_held_is_not_in_it(self) -> None:
        names = [output.id for output in self.batch.outputs]
        self.assertEqual(self.view(batch=hold(self.batch, names, True)).outputs, ())
        self.assertEqual(len(self.view(batch=hold(self.batch, names[:1], True)).outputs), len(names) - 1)

    def test_a_faster_station_more_slots_and_a_quieter_hour_finish_earlier(self) -> None:
        usual = self.view().finish.likely
        self.assertLess(self.view(Station(HERE, Pace(encode=0.01, calibrated=True), 2)).finish.likely, usual)
        self.assertLess(usual, self.view(Station(HERE, Pace(calibrated=True), 1)).finish.likely)
        busy = Station(HERE, Pace(calibrated=True), 2, Load(3.0))
        self.assertGreater(self.view(busy).finish.likely, 2 * usual)
        self.assertEqual(self.view(busy).bytes, self.view().bytes)

    def test_experience_of_its_own_film_narrows_its_size(self) -> None:
        ready = next(item for item in self.prospect.outputs if item.recipe.id == "quick")
        facts = [
            PieceFact(
                "another recipe",
                ready.pace,
                ready.film,
                *(60, 10**7, 2.4, 50_000, 100_000, 1.0, 1.0),
                kind=ready.size_prior.kind,
                window=item.window,
            )
            for item in ready.content
        ]
        blind, wise = (
            self.view().output(ready.output.id),
            self.view(learned=learn_from(facts)).output(ready.output.id),
        )
        assert blind and wise
        self.assertLess(wise.bytes.safe / wise.bytes.p10, blind.bytes.safe / blind.bytes.p10)
        self.assertIn("made by other recipes", wise.basis)

    def test_its_answer_is_json_with_units_and_times(self) -> None:
        view = self.view()
        told = json.loads(json.dumps(as_json(view)))
        item = told["outputs"][0]
        self.assertEqual([stage["kind"] for stage in item["stages"]], ["encode", "sound", "join", "check"])
        self.assertEqual(Fraction(item["rate"]), 25)
        pieces = {"total": 1, "kept": 0, "copied": 0, "encode": 1, "based": 0}
        self.assertEqual({key: item["pieces"][key] for key in pieces}, pieces)
        self.assertEqual((item["pieces"]["saved_seconds"], item["pieces"]["bases_save_seconds"]), (0.0, 0.0))
        finish = datetime.fromisoformat(told["total"]["finish"]["likely"])
        self.assertLess(abs(finish - view.time_after(view.finish.likely)), timedelta(seconds=1))
        self.assertEqual(told["room"][0]["fits"], view.room[0].fits)

    def test_cards_judge_it_and_stop_the_ruler(self) -> None:
        card = ReceiverCard(id="line", name="Line", limits=Limits(bytes_most=1_000, bits_most=300_000))
        names = [output.id for output in self.batch.outputs]
        view = self.view(batch=set_card(add_card(self.batch, card), names, "line", True))
        self.assertEqual({item.output for item in view.judged}, set(names))
        self.assertEqual(set(refusals(view.judged)), set(names))
        self.assertEqual(
            len([problem for problem in card_problems(view.judged) if problem.blocks]), len(names)
        )
        rated = [item for item in view.outputs if item.ready.recipe.id == "rated"]
        ruled = ruled_files(RATED, None, rated, view.judged)
        self.assertEqual((ruled.target, ruled.files), (400_000, 2))
        stops = {stop.words: stop for stop in rate_stops(rated, view.judged)}
        self.assertEqual(stops["Line: 300 kb/s"].bits, 300_000)
        size = stops["Line: 1.00 kB"]
        self.assertTrue(size.broken and size.ceiling)
        self.assertAlmostEqual(size.bits, 1_000 * 8 / rated[0].ready.plan.seconds)


if __name__ == "__main__":
    unittest.main()
