"""The runner's parts alone, on a real small batch: its folders, the jobs it words, what it learns."""

from __future__ import annotations

import tempfile
import unittest
from fractions import Fraction
from pathlib import Path
from unittest import mock

from chronocast.crew.contract import AttemptFailed, Finished
from chronocast.deliver.place import FolderGone
from chronocast.forecast.learning.experience import learn_from
from chronocast.forecast.work import stage_belief
from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import load_batch
from chronocast.journal.workspace import Workspace
from chronocast.media.errors import DamagedPicture
from chronocast.model.messages.jobs import CheckJob, JoinJob, PieceJob, SoundJob
from chronocast.model.stages import CHECK, ENCODE, JOIN, SOUND, STAGES
from chronocast.pieces.stock import Stock
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.station.drives import NoRoom, drive_of
from chronocast.preparation.today import prepared
from chronocast.run import events as e
from chronocast.run.runner.folders import Folders, media_of
from chronocast.run.runner.hand.in_hand import Attempt, InHand
from chronocast.run.runner.jobs import Jobs
from chronocast.run.runner.lessons import damaged_parts, does_not_fit, learn, remember_damage
from chronocast.run.runner.results import Results
from tests.runs import QUICK, small_batch


class Parts(unittest.TestCase):
    ready: OutputReady

    @classmethod
    def setUpClass(cls) -> None:
        cls.path = small_batch(Path(tempfile.mkdtemp()) / "films", 1, 450, (QUICK,), first=160)
        cls.ready = prepared(load_batch(cls.path), cls.path, Workspace()).outputs[0]

    def setUp(self) -> None:
        place = Path(tempfile.mkdtemp())
        self.workspace = Workspace(place / "data", place / "state", place / "config")
        self.stock, self.in_hand, self.folders = self.workspace.stock, InHand(), Folders(self.path)
        self.jobs = Jobs(self.in_hand, self.stock, self.folders)
        self.in_hand.ready[self.ready.output.id] = self.ready
        self.jobs.know(self.ready)

    def keep(self, stock: Stock, name: str, size: int = 100, **facts: object) -> None:
        """A part in the stock."""
        temporary = stock.temporary(name, "test")
        temporary.parent.mkdir(parents=True, exist_ok=True)
        temporary.write_bytes(b"x" * size)
        stock.keep(temporary, name, {"bytes": size, **facts})

    # Folders

    def test_attempts_write_beside_the_file_under_names_of_their_own(self) -> None:
        one, two = self.folders.temporary(self.ready, 1), self.folders.temporary(self.ready, 2)
        self.assertNotEqual(one, two)
        self.assertEqual(one.parent, self.ready.path.parent)
        self.assertTrue(one.name.startswith(f".{self.ready.path.name}."))
        other = Folders(self.path.with_name("another.batch.json"))
        self.assertNotEqual(other.temporary(self.ready, 1), one, "nor those of another batch")

    def test_a_folder_that_went_with_its_drive_is_told_and_is_back_when_it_is(self) -> None:
        self.folders.remember(self.ready)
        self.assertEqual(self.folders.gone(self.ready), "")
        self.assertTrue(self.folders.is_back(self.ready))
        self.assertTrue(self.folders.drive_of(self.ready))
        with mock.patch(
            "chronocast.run.runner.folders.make_folder", side_effect=FolderGone("The drive is gone.")
        ):
            self.assertEqual(self.folders.gone(self.ready), "The drive is gone.")
        self.assertIn(self.ready.source.path, media_of(self.ready))
        media = self.ready.source.path
        away = media.rename(media.with_suffix(".away"))
        self.assertFalse(self.folders.is_back(self.ready))
        away.rename(media)

    # Jobs

    def test_every_kind_of_work_is_worded(self) -> None:
        plan, name = self.ready.plan, self.ready.output.id
        assert plan.sound is not None
        for piece in plan.pieces:
            self.keep(self.stock, piece.name, digest="d")
        self.keep(self.stock, plan.sound.name, silent=True, onset=0.5)
        pieces = [self.jobs.job(e.TaskId(ENCODE.id, piece.name), 7) for piece in plan.pieces]
        self.assertTrue(all(isinstance(job, PieceJob) for job in pieces))
        self.assertEqual(len({job.target for job in pieces}), len(pieces))
        self.assertIsInstance(self.jobs.job(e.TaskId(SOUND.id, plan.sound.name), 8), SoundJob)
        join = self.jobs.job(e.TaskId(JOIN.id, name), 9)
        assert isinstance(join, JoinJob)
        self.assertEqual(sum(frames for _, frames in join.pieces), plan.frames)
        self.assertEqual(Fraction(join.rate), plan.rate)
        check = self.jobs.job(e.TaskId(CHECK.id, name), 10, joined=9)
        assert isinstance(check, CheckJob)
        self.assertEqual(check.target, join.target, "what was joined is checked")
        self.assertEqual((check.expected["frames"], check.expected["onset"]), (plan.frames, 0.5))
        self.assertTrue(check.expected["sound_is_silent"])
        self.assertEqual(set(self.jobs._make), set(STAGES))

    def test_what_is_in_the_stock_is_said_and_what_is_not_is_wanted(self) -> None:
        first = self.ready.plan.pieces[0].name
        self.keep(self.stock, first)
        spec, kept = self.jobs.spec(self.ready, held=True)
        self.assertEqual((kept, spec.held), ({first}, True))
        self.assertEqual(spec.pieces, tuple(piece.name for piece in self.ready.plan.pieces))

    def test_a_join_without_room_says_how_much_is_missing(self) -> None:
        usage = mock.Mock(total=10**9, used=10**9 - 10, free=10)
        with mock.patch("chronocast.preparation.station.drives.shutil.disk_usage", return_value=usage):
            with self.assertRaises(NoRoom) as refused:
                self.jobs.job(e.TaskId(JOIN.id, self.ready.output.id), 1)
        self.assertIn("10 B are free", str(refused.exception))

    # What is learned

    def test_a_piece_teaches_what_it_took(self) -> None:
        piece = self.ready.plan.pieces[0]
        task = e.TaskId(ENCODE.id, piece.name)
        ledger = self.workspace.open_ledger()
        event = Finished(str(task), 1, {"bytes": 4321}, 2.0, 1.5, 0)
        name = self.ready.output.id
        started = Attempt(task, "slot", 0.0, name, "far")
        learn(self.in_hand, ledger, self.workspace, task, event, started=started)
        (fact,) = ledger.pieces()
        check, slow = e.TaskId(CHECK.id, name), Finished(f"check {name}", 2, {"bytes": 9999}, 80.0, 40.0, 0)
        learn(self.in_hand, ledger, self.workspace, check, slow, started=started._replace(task=check))
        taught = learn_from(ledger.pieces()).stations["far"]
        ledger.close()
        self.assertGreater(
            stage_belief(CHECK, taught).mean, 0.1, "checks take longer than the calibration says"
        )
        self.assertEqual(stage_belief(JOIN, taught).mean, 0.0)
        self.assertEqual(
            (fact.bytes, fact.frames, fact.cpu_seconds, fact.wall_seconds), (4321, piece.frames, 1.5, 2.0)
        )
        self.assertEqual((fact.family, fact.film), (self.ready.family, self.ready.film))
        self.assertGreater(fact.target, 0)
        self.assertEqual(fact.station, "far", "for the station it was made on")

    def test_a_slow_drive_is_learned_by_the_clock_and_for_itself_alone(self) -> None:
        """A join waits for its drive: the processor has next to nothing to do."""
        name, ledger = self.ready.output.id, self.workspace.open_ledger()
        join = e.TaskId(JOIN.id, name)
        for attempt in range(3):
            event = Finished(str(join), attempt, {"bytes": 9999}, 60.0, 0.1, 0)
            started = Attempt(join, "slot", 0.0, name, "here")
            learn(self.in_hand, ledger, self.workspace, join, event, started=started)
        taught = learn_from(ledger.pieces()).stations["here"]
        ledger.close()
        drive = drive_of(self.ready.path.parent)
        self.assertGreater(stage_belief(JOIN, taught, drive).mean, 2.0)
        self.assertEqual(stage_belief(JOIN, taught, "/media/other").mean, 0.0)

    def test_a_piece_of_other_parameter_sets_is_refused_at_once(self) -> None:
        one, two = self.ready.plan.pieces[:2]
        self.assertEqual(
            does_not_fit(self.ready, self.stock, one.name, "a"), "", "nothing to compare it with"
        )
        self.keep(self.stock, one.name, sets="a")
        self.assertEqual(does_not_fit(self.ready, self.stock, two.name, "a"), "")
        self.assertIn("can't be joined", does_not_fit(self.ready, self.stock, two.name, "b"))

    def test_only_the_parts_that_are_no_good_are_made_again(self) -> None:
        plan = self.ready.plan
        assert plan.sound is not None
        for piece in plan.pieces:
            self.keep(self.stock, piece.name)
        self.keep(self.stock, plan.sound.name)
        spoilt = plan.pieces[1].name
        self.stock.path(spoilt).write_bytes(b"short")
        self.assertEqual(damaged_parts(self.ready, self.stock), (spoilt,))
        self.stock.path(spoilt).write_bytes(b"x" * 100)
        self.assertEqual(
            damaged_parts(self.ready, self.stock), tuple(p.name for p in plan.pieces), "which isn't known"
        )

    def test_damage_is_kept_and_told_by_its_timecode(self) -> None:
        path = str(next(iter(self.ready.source.facts)))
        told = remember_damage(self.workspace, self.ready, [DamagedPicture(path, 30, "torn")], "otherwise")
        self.assertIn("is damaged at 00:00:01:05 (torn)", told)
        self.assertEqual(
            remember_damage(self.workspace, None, [DamagedPicture(path, 30, "torn")], "otherwise"),
            "otherwise",
        )
        (damage,) = self.workspace.facts.clip(path).damage
        self.assertEqual((damage.first, damage.sentence), (30, "torn"))


class Taken(unittest.IsolatedAsyncioTestCase):
    """What the crew says, as the machine is told it."""

    def setUp(self) -> None:
        place = Path(tempfile.mkdtemp())
        workspace = Workspace(place / "data", place / "state", place / "config")
        self.in_hand, self.journal = InHand(), RunJournal(place / "a.run")
        self.addCleanup(self.journal.close)
        self.results = Results(self.in_hand, Folders(place / "a.batch.json"), self.journal, workspace, None)
        self.task = e.TaskId(CHECK.id, "one")
        self.in_hand.attempts[(str(self.task), 3)] = Attempt(self.task, "slot", 0.0, "one")

    def finished(self, *checks: dict[str, object]) -> Finished:
        return Finished(str(self.task), 3, {"checks": list(checks), "bytes": 1}, 2.0, 1.0, 0)

    async def test_a_check_that_proves_is_done_and_counted(self) -> None:
        told = await self.results.take(self.finished({"name": "frames", "ok": True}))
        self.assertEqual(told, e.Done(self.task, 3))
        self.assertEqual((self.results.wall_seconds["one"], self.results.cpu_seconds["one"]), (2.0, 1.0))
        self.assertEqual(len(self.results.checks["one"]), 1)
        self.assertIsNone(
            await self.results.take(self.finished()), "an attempt that isn't in hand is nobody's"
        )

    async def test_a_check_that_disproves_fails_with_what_was_found(self) -> None:
        wrong = {"name": "frames", "ok": False, "found": "24", "expected": "25"}
        told = await self.results.take(self.finished({"name": "size", "ok": True}, wrong))
        assert isinstance(told, e.Failed)
        self.assertEqual((told.fault, told.attempt), ("disproved", 3))
        self.assertIn("frames is 24, not 25", told.sentence)

    async def test_an_attempt_ended_for_standing_still_says_so(self) -> None:
        self.in_hand.ended_still.add((str(self.task), 3))
        told = await self.results.take(AttemptFailed(str(self.task), 3, "lost", "It went."))
        assert isinstance(told, e.Failed)
        self.assertEqual(told.fault, "encode")
        self.assertIn("Nothing moved for 3 minutes", told.sentence)

    async def test_a_fault_nobody_knows_is_an_encoder_s(self) -> None:
        told = await self.results.take(AttemptFailed(str(self.task), 3, "odd", "What?"))
        assert isinstance(told, e.Failed)
        self.assertEqual((told.fault, told.sentence), ("encode", "What?"))

    async def test_a_piece_that_filled_the_drive_wants_more_room_before_it_is_tried_again(self) -> None:
        """Else one that is larger than what is free is begun for ever."""
        piece, before = e.TaskId("encode", "piece"), self.results.in_hand.piece_room
        self.results.in_hand.attempts[(str(piece), 9)] = Attempt(piece, "slot", 0.0, self.task.name)
        await self.results.take(AttemptFailed(str(piece), 9, "space", "The drive is full."))
        self.assertEqual(self.results.in_hand.piece_room, 2 * before)


if __name__ == "__main__":
    unittest.main()
