"""What goes wrong in mid-run: drives, sources, journals; and a journal cut after every record."""

from __future__ import annotations

import asyncio
import os
import shutil
import subprocess
import tempfile
import time
import unittest
from pathlib import Path

from sqlalchemy import create_engine, text

from chronocast.crew.local.crew import LocalCrew
from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import load_batch, save_batch
from chronocast.journal.places import data_folder
from chronocast.pieces.stock import Stock
from chronocast.run.client import begin_run
from chronocast.run.runner.runner import Runner
from tests.footage import clip
from tests.runs import HEAVY, QUICK, over, render, see, small_batch, wait


class Trouble(unittest.TestCase):
    number = 130

    def batch(self, clips: int = 1, frames: int = 110, **more: object) -> Path:
        self.first = Trouble.number
        Trouble.number += clips
        return small_batch(Path(tempfile.mkdtemp()) / "films", clips, frames, first=self.first, **more)  # type: ignore[arg-type]

    @unittest.skipUnless(os.geteuid() == 0, "a small drive can only be made by root")
    def test_a_full_drive_is_waited_for_and_the_run_goes_on_when_it_is_freed(self) -> None:
        drive = Path(tempfile.mkdtemp())
        if subprocess.run(
            ["mount", "-t", "tmpfs", "-o", "size=3m", "none", str(drive)], capture_output=True
        ).returncode:
            self.skipTest("a small drive can't be mounted here")
        self.addCleanup(subprocess.run, ["umount", "-l", str(drive)])
        path = self.batch(clips=2)
        batch = load_batch(path).model_copy(update={"folder": str(drive)})
        save_batch(batch, path)
        (drive / "filler").write_bytes(bytes(2_890_000))
        journal = begin_run(batch, path, {"space_wait_seconds": 60.0})
        view = wait(journal, lambda view: view.waits_for == "space")
        self.assertIn(
            "left free on purpose", next(o.reason for o in view.outputs.values() if o.state == "needs you")
        )
        (drive / "filler").unlink()
        view = wait(journal, over)
        self.assertEqual({o.state for o in view.outputs.values()}, {"proved"})
        for output in view.outputs.values():
            Path(output.path).unlink()
        (drive / "filler").write_bytes(bytes(2_890_000))
        view = render(batch, path)
        self.assertEqual(view.outcome, "needs you", "without a wait the run ends and says why")
        view = render(batch, path, any_room=True)
        self.assertEqual(view.outcome, "done", "what is left free on purpose may be used")

    def test_a_source_replaced_in_mid_run_never_ends_in_a_piece(self) -> None:
        path = self.batch(clips=2, frames=400, recipes=(HEAVY,), size=(256, 144))
        clip(path.parent / "other.mp4", 199, 450, width=256, height=144)
        journal = begin_run(load_batch(path), path)
        wait(journal, lambda view: bool(view.tasks))
        os.replace(path.parent / "other.mp4", path.parent / "clip 1.mp4")
        view = wait(journal, over)
        states = {output.id: output for output in view.outputs.values()}
        self.assertEqual(states["clip-0-heavy"].state, "proved")
        self.assertEqual(states["clip-1-heavy"].state, "needs you")
        self.assertIn("has changed", states["clip-1-heavy"].reason)

    def test_a_source_deleted_in_mid_run_is_named(self) -> None:
        path = self.batch(clips=2, frames=400, recipes=(HEAVY,), size=(256, 144))
        journal = begin_run(load_batch(path), path)
        wait(journal, lambda view: bool(view.tasks))
        (path.parent / "clip 1.mp4").unlink()
        view = wait(journal, over)
        self.assertEqual([o.state for o in view.outputs.values()], ["proved", "needs you"])
        self.assertIn("clip 1.mp4 is missing", list(view.outputs.values())[1].reason)

    def test_a_target_removed_in_mid_run_is_made_again(self) -> None:
        path = self.batch(clips=1, frames=400, recipes=(HEAVY,), size=(256, 144))
        journal = begin_run(load_batch(path), path)
        wait(journal, lambda view: bool(view.tasks))
        shutil.rmtree(path.parent / "out")
        self.assertEqual(wait(journal, over).outcome, "done")

    def test_a_damaged_journal_is_left_and_the_run_begins_anew(self) -> None:
        path = self.batch()
        first = begin_run(load_batch(path), path)
        wait(first, over)
        first.write_bytes(b"not a database" * 200)
        for extra in first.parent.glob(first.name + "-*"):
            extra.unlink(missing_ok=True)
        again = begin_run(load_batch(path), path)
        self.assertNotEqual(again, first)
        self.assertEqual(wait(again, over).outcome, "done")

    def test_a_damaged_piece_is_found_and_made_again(self) -> None:
        """One that is shorter than it was, and one of which a single byte is another."""
        path = self.batch()
        view = render(load_batch(path), path)
        output = next(iter(view.outputs.values()))
        before = Path(output.path).read_bytes()
        stock = Stock(data_folder() / "stock")
        for harm in (
            lambda data: data[:-700],
            lambda data: data[:1500] + bytes([data[1500] ^ 1]) + data[1501:],
        ):
            Path(output.path).unlink()
            newest = max(
                (k for k in stock.all() if "frames" in k.facts), key=lambda k: k.path.stat().st_mtime_ns
            )
            newest.path.write_bytes(harm(newest.path.read_bytes()))
            view = render(load_batch(path), path)
            self.assertEqual(view.outcome, "done", [o.reason for o in view.outputs.values()])
            self.assertEqual(Path(output.path).read_bytes(), before)
            self.assertTrue(stock.whole(newest.name))

    def test_a_journal_somebody_else_locks_for_a_while_only_delays_the_run(self) -> None:
        path = self.batch(clips=1, frames=230)
        journal = begin_run(load_batch(path), path)
        wait(journal, lambda view: bool(view.tasks))
        engine = create_engine(f"sqlite:///{journal}", connect_args={"isolation_level": None})
        with engine.connect() as connection:
            connection.execute(text("BEGIN EXCLUSIVE"))
            time.sleep(7)
            connection.execute(text("ROLLBACK"))
        engine.dispose()
        self.assertEqual(wait(journal, over).outcome, "done")

    def test_two_runs_of_one_batch_are_refused(self) -> None:
        path = self.batch(clips=1, frames=400, recipes=(HEAVY,), size=(256, 144))
        journal = begin_run(load_batch(path), path)
        wait(journal, lambda view: bool(view.tasks))
        with self.assertRaises(Exception) as caught:
            begin_run(load_batch(path), path)
        self.assertIn("being run already", str(caught.exception))
        self.assertEqual(wait(journal, over).outcome, "done")


class Cut(unittest.TestCase):
    def test_a_journal_cut_after_a_record_of_any_kind_recovers_to_the_same_file(self) -> None:
        path = small_batch(
            Path(tempfile.mkdtemp()) / "films",
            clips=1,
            frames=230,
            recipes=(QUICK,),
            size=(128, 72),
            first=180,
        )
        journal = begin_run(load_batch(path), path)
        view = wait(journal, over)
        output = next(iter(view.outputs.values()))
        final = Path(output.path)
        whole = final.read_bytes()
        opened = RunJournal(journal)
        records = opened.records()
        opened.close()
        stock = Stock(data_folder() / "stock")
        self.assertGreater(len(records), 15)
        kinds = [record.kind for record in records[:-1]]
        # after the first and the last of each kind; an outlook says only what is expected
        firsts = {kinds.index(kind) + 1 for kind in kinds if kind != "outlook"}
        lasts = {len(kinds) - kinds[::-1].index(kind) for kind in kinds if kind != "outlook"}
        for place in sorted(firsts | lasts):
            copy = journal.with_name(f"cut-{place}.run")
            shutil.copy(journal, copy)
            engine = create_engine(f"sqlite:///{copy}")
            with engine.begin() as connection:
                connection.execute(text(f"DELETE FROM record WHERE seq > {records[place - 1].seq}"))
                connection.execute(text("DELETE FROM now"))
            engine.dispose()
            # the disk as it was then: what was finished later is not there yet
            if not any(r.kind == "made" for r in records[:place]):
                final.unlink(missing_ok=True)
            for record in records[place:]:
                if record.kind == "finished" and record.body["task"].startswith(("encode:", "sound:")):
                    stock.discard(record.body["task"].split(":")[1])
            cut = RunJournal(copy)
            crew = LocalCrew(copy.with_suffix(".slots"), 2)
            outcome = asyncio.run(Runner(cut, crew).run())
            cut.close()
            self.assertEqual(outcome, "done", records[place - 1])
            self.assertEqual(final.read_bytes(), whole, records[place - 1])
            self.assertEqual(next(iter(see(copy).outputs.values())).state, "proved")


if __name__ == "__main__":
    unittest.main()
