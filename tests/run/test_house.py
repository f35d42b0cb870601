"""A house of real processes over TLS: one batch over several stations, and what befalls them in the middle of it."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import tempfile
import time
import unittest
from pathlib import Path

from chronocast.crew.house.observer import look_once
from chronocast.demo.house import StandIn, StandInHouse
from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import load_batch, save_json
from chronocast.journal.places import config_folder
from chronocast.journal.workspace import Workspace
from chronocast.model.house import House as HouseKnown
from chronocast.model.house import Root
from chronocast.preparation.station.this import this_station
from chronocast.preparation.today import outlook_now, prepared
from chronocast.run.client import begin_run, with_house
from chronocast.run.view import RunView
from tests.footage import counters
from tests.runs import HEAVY, over, see, small_batch, wait

FRAMES = 450
"""Three pieces a clip."""


class WithPathsOfItsOwn(StandInHouse):
    """A house in which Curlew has the shared folder at another path."""

    def let_in(self, space: Workspace, name: str, kind: str, like: StandIn | None = None) -> None:
        super().let_in(space, name, kind, like)
        if name == "Curlew":
            elsewhere = self.folder / "mnt"
            elsewhere.symlink_to(self.shared)
            own = space.house.belonging()
            roots = (Root(name="exhibition", path=str(elsewhere)),)
            space.house.keep_belonging(own.model_copy(update={"roots": roots}))


class House(unittest.TestCase):
    """This process's own folders are the desk's; two stations stand in for workstations."""

    house: StandInHouse
    number = 60

    @classmethod
    def setUpClass(cls) -> None:
        cls.house = WithPathsOfItsOwn(Path(tempfile.mkdtemp()), (StandIn("Plover"), StandIn("Curlew", 1.5)))
        kept = cls.house.shared / "kept"
        kept.mkdir(parents=True)
        save_json(config_folder() / "settings.json", {"kept_in": str(kept)})
        cls.house.begin()
        cls.house.let_in(Workspace(), "desk", "desktop")
        cls.there("Plover", "Curlew")

    @classmethod
    def tearDownClass(cls) -> None:
        cls.house.end()
        Workspace().house.forget()

    @classmethod
    def there(cls, *names: str) -> None:
        """Wait until stations are known to the hub."""
        end = time.monotonic() + 60
        while time.monotonic() < end:
            found = look_once(Workspace())
            if set(names) <= {told.name for told in found.stations}:
                Workspace().house.keep_heard(found)
                return
            time.sleep(0.3)
        raise AssertionError(f"{names} never came: {found}")

    def begin(self, clips: int = 2) -> Path:
        self.first = House.number  # no clip of another test: its pieces would be there already
        House.number += clips
        folder = self.house.shared / f"films {self.first}"
        self.path = small_batch(
            folder, clips, FRAMES, (HEAVY,), size=(256, 144), first=self.first, sound=False
        )
        return begin_run(load_batch(self.path), self.path, with_house(Workspace().house))

    def proved(self, journal: Path) -> RunView:
        """The run ends with every file proved and every picture in it."""
        view = wait(journal, over)
        for number, output in enumerate(view.outputs.values()):
            self.assertEqual(output.state, "proved", output.reason)
            whole = [(number + self.first, n) for n in range(FRAMES)]
            self.assertTrue(counters(Path(output.path)) == whole, f"{output.path} shows other pictures")
        return view

    def stations_of(self, journal: Path) -> set[str]:
        """Where pieces of a run were made."""
        opened = RunJournal(journal)
        try:
            started = (r.body["slot"] for r in opened.records() if r.kind == "started")
            return {slot.partition("/")[0] if "/" in slot else "here" for slot in started}
        finally:
            opened.close()

    def at_work(self, name: str) -> bool:
        """Whether a station has something in hand of a run."""
        log = self.house.folder / name / "state" / "children.log"
        lines = [json.loads(line) for line in log.read_text().splitlines()] if log.exists() else []
        begun = sum(line["what"] == "start" for line in lines)
        return begun > sum(line["what"] in ("done", "failed") for line in lines)

    def until_at_work(self, journal: Path, name: str) -> None:
        wait(journal, lambda view: over(view) or any(t["station"] == name for t in view.tasks.values()))

    def test_1_one_batch_is_made_by_all_of_them(self) -> None:
        station = this_station(Workspace())
        self.assertEqual({helper.id for helper in station.helpers}, {"Plover", "Curlew"})
        Workspace().house.keep_heard(HouseKnown())  # nobody has listened for a while
        journal = self.begin(2)
        self.proved(journal)
        with RunJournal(journal) as opened:
            promised = next(r.body for r in opened.records() if r.kind == "forecast")
        self.assertEqual({told["name"] for told in promised["stations"]}, {"Plover", "Curlew"})
        self.assertEqual(self.stations_of(journal), {"here", "Plover", "Curlew"})
        known = Workspace().house.heard()
        self.assertTrue(all(told.stand_in for told in known.stations), "labelled stand-ins")

    def test_2_a_station_that_is_killed_costs_what_it_had_in_hand(self) -> None:
        journal = self.begin(4)
        plover = self.house.processes["Plover"]
        self.addCleanup(self.back, "Plover")
        while not self.holds_still(journal, "Plover", plover):
            self.assertFalse(over(see(journal)), "Plover had nothing to do at all")
        plover.kill()
        view = self.proved(journal)
        self.assertIn("Plover went away", view.house)
        self.assertEqual(view.stand_ins, {"Plover", "Curlew"}, "labelled as such, there or not")
        self.assertEqual([gone.name for gone in look_once(Workspace()).away], ["Plover"])

    def back(self, name: str) -> None:
        """Have a station that was killed come back, whatever became of the test."""
        self.house.start(name)
        self.there(name)

    def holds_still(self, journal: Path, name: str, station: subprocess.Popen[bytes]) -> bool:
        """Freeze a station with something in hand: whether it still has that when all it had said is surely heard."""

        def in_hand() -> set[tuple[str, int]]:
            tasks = see(journal).tasks.items()
            return {(task, told["attempt"]) for task, told in tasks if told["station"] == name}

        self.until_at_work(journal, name)
        station.send_signal(signal.SIGSTOP)
        time.sleep(1)
        held = in_hand()
        for _ in range(6):
            time.sleep(0.5)
            held &= in_hand()
        if not held:
            station.send_signal(signal.SIGCONT)
        return bool(held)

    def test_3_a_hub_that_is_killed_and_comes_back_loses_nothing(self) -> None:
        journal = self.begin(2)
        self.until_at_work(journal, "Curlew")
        self.house.processes["hub"].kill()
        self.house.processes["hub"].wait()
        time.sleep(1)
        self.house.start_hub()
        self.proved(journal)
        self.there("Plover", "Curlew")

    def test_4_a_runner_that_is_killed_is_begun_again_and_its_stations_with_it(self) -> None:
        journal = self.begin(2)
        self.until_at_work(journal, "Curlew")
        opened = RunJournal(journal)
        os.kill(int(opened.now()["runner"][1]["pid"]), signal.SIGKILL)
        opened.close()
        time.sleep(0.5)
        self.assertEqual(begin_run(load_batch(self.path), self.path, with_house(Workspace().house)), journal)
        self.proved(journal)

    def test_5_a_station_that_freezes_is_given_up_and_can_spoil_nothing_when_it_wakes(self) -> None:
        journal = self.begin(2)
        self.until_at_work(journal, "Plover")
        self.house.processes["Plover"].send_signal(signal.SIGSTOP)
        view = self.proved(journal)
        self.house.processes["Plover"].send_signal(signal.SIGCONT)
        time.sleep(2)
        for number, output in enumerate(view.outputs.values()):
            self.assertEqual(len(counters(Path(output.path))), FRAMES, number)
        self.there("Plover")

    def test_6_somebody_sits_down_and_the_station_gives_way(self) -> None:
        told = self.house.folder / "Plover" / "state" / "yield.json"
        told.write_text(json.dumps({"until": time.time() + 3600}))
        try:
            end = time.monotonic() + 20
            while time.monotonic() < end:
                self.there("Plover")
                plover = next(t for t in Workspace().house.heard().stations if t.name == "Plover")
                if not plover.open:
                    break
                time.sleep(0.3)
            self.assertEqual(plover.why_shut, "it was told to give way")
            journal = self.begin(2)
            self.proved(journal)
            self.assertNotIn("Plover", self.stations_of(journal))
        finally:
            told.unlink()

    def test_7_what_lies_outside_the_shared_folders_is_made_here(self) -> None:
        House.number += 1
        self.first = House.number
        self.path = small_batch(
            Path(tempfile.mkdtemp()) / "films",
            1,
            FRAMES,
            (HEAVY,),
            size=(256, 144),
            first=self.first,
            sound=False,
        )
        seen = outlook_now(prepared(load_batch(self.path), self.path, Workspace()), Workspace())
        self.assertTrue(seen.station.helpers)
        self.assertEqual({span.station for span in seen.spans}, {"here"}, "the forecast knows it")
        journal = begin_run(load_batch(self.path), self.path, with_house(Workspace().house))
        self.proved(journal)
        opened = RunJournal(journal)
        refused = [r.body["sentence"] for r in opened.records() if r.kind == "failed"]
        opened.close()
        self.assertTrue(all("lies in no folder that this house shares" in told for told in refused), refused)
        finished = self.stations_of(journal)
        self.assertIn("here", finished)


if __name__ == "__main__":
    unittest.main()
