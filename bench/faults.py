"""A house through kills, freezes, cuts and slow lines: each seed another evening; the files must come out as without.

Stations lie in network namespaces of their own where this machine allows
that; else their lines aren't cut or slowed, and it says so.
"""

from __future__ import annotations

import hashlib
import os
import random
import shutil
import signal
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import suppress
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from tests.footage import counters

from chronocast.crew.house.observer import look_once
from chronocast.demo.counter import draw
from chronocast.demo.house import StandIn, StandInHouse
from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import save_batch, save_json
from chronocast.journal.places import config_folder
from chronocast.journal.workspace import Workspace
from chronocast.media.files.footage import write_footage
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe
from chronocast.run.client import begin_run, with_house
from chronocast.run.runner_lock import runner_lives
from chronocast.run.view import RunView
from chronocast.run.view_kept import read_view

SEEDS = int(os.environ.get("CHRONOCAST_BENCH_SEEDS", "20"))
RATE = Fraction(25)
CLIPS, FRAMES = 4, 450
MOST_SECONDS = 240.0
NAMES = ("Plover", "Curlew", "Dunlin")
HUB = "10.77.0.1"
RECIPE = Recipe(
    id="even",
    name="Quality 18",
    picture=PictureRecipe(
        effort="medium", size=FrameSize(mode="source"), rate_control=RateControl(mode="quality", quality=18)
    ),
    sound=None,
)


class Net:
    """Network namespaces, one a station, on a bridge; ``ok`` is whether this machine allows them."""

    def __init__(self) -> None:
        self.ok = os.geteuid() == 0 and shutil.which("ip") is not None and self._make()

    @staticmethod
    def ip(*words: str) -> bool:
        return subprocess.run(["ip", *words], capture_output=True).returncode == 0

    def _make(self) -> bool:
        self.end()
        if not (
            self.ip("link", "add", "ccbr", "type", "bridge")
            and self.ip("addr", "add", f"{HUB}/24", "dev", "ccbr")
        ):
            return False
        self.ip("link", "set", "ccbr", "up")
        for number, name in enumerate(NAMES):
            space, near, far = f"cc-{name}", f"ccv{number}", f"ccw{number}"
            made = (
                self.ip("netns", "add", space)
                and self.ip("link", "add", near, "type", "veth", "peer", "name", far)
                and self.ip("link", "set", far, "netns", space)
                and self.ip("link", "set", near, "master", "ccbr")
                and self.ip("link", "set", near, "up")
                and self.ip("-n", space, "addr", "add", f"10.77.0.{number + 2}/24", "dev", far)
                and self.ip("-n", space, "link", "set", far, "up")
                and self.ip("-n", space, "link", "set", "lo", "up")
            )
            if not made:
                return False
        return True

    def cut(self, name: str, on: bool) -> None:
        """Cut a station's line, or mend it."""
        self.ip("link", "set", f"ccv{NAMES.index(name)}", "down" if on else "up")

    def slow(self, name: str, on: bool) -> None:
        """Make a station's line a slow one of 128 kbit/s, or mend it."""
        device = ["dev", f"ccv{NAMES.index(name)}", "root"]
        words = ["add", *device, "tbf", "rate", "128kbit", "burst", "16kbit", "latency", "800ms"]
        subprocess.run(["tc", "qdisc", *(words if on else ["del", *device])], capture_output=True)

    def end(self) -> None:
        """Take them away."""
        for name in NAMES:
            self.ip("netns", "del", f"cc-{name}")
        self.ip("link", "del", "ccbr")


class Evening:
    """A run of the batch in a house, with what befalls it."""

    def __init__(self, house: StandInHouse, net: Net, films: list[Path], seed: int) -> None:
        self.house, self.net, self.films, self.seed = house, net, films, seed
        self.chance = random.Random(seed)
        self.did: Counter[str] = Counter()
        self.later: list[tuple[float, Callable[[], None]]] = []
        self.observer: subprocess.Popen[bytes] | None = None

    def batch(self) -> tuple[Batch, Path]:
        """The batch, in a folder of its own."""
        made = add_recipe(Batch(title=f"Evening {self.seed}", folder="out"), RECIPE)
        for film in self.films:
            made = add_source(made, f"../{film.name}", film.stem, "clip")
        made = fill(made, [(source.id, FULL, RECIPE.id) for source in made.sources])
        path = self.house.shared / f"evening {self.seed}" / "evening.batch.json"
        path.parent.mkdir()
        save_batch(made, path)
        return made, path

    def run(self, faults: int) -> tuple[RunView, float]:
        """From beginning to end, with so many faults; how it went and how long it took."""
        shutil.rmtree(self.house.shared / "kept" / "stock", ignore_errors=True)
        batch, path = self.batch()
        begin = time.monotonic()
        journal = begin_run(batch, path, with_house(Workspace().house))
        due = begin + 1 + 2 * self.chance.random()
        while True:
            now = time.monotonic()
            for at, undo in list(self.later):
                if now >= at:
                    self.later.remove((at, undo))
                    undo()
            with RunJournal(journal) as opened:
                view = read_view(opened, runner_lives(journal))
                if faults and now >= due and not view.outcome:
                    self.befall(opened, batch, path)
                    faults, due = faults - 1, now + 1 + 3 * self.chance.random()
            if (view.outcome and not view.lives) or now - begin > MOST_SECONDS:
                break
            time.sleep(0.2)
        took = time.monotonic() - begin
        for _, undo in self.later:
            undo()
        self.later.clear()
        return view, took

    def soon(self, seconds: float, undo: Callable[[], None]) -> None:
        """Mend it after so many seconds."""
        self.later.append((time.monotonic() + seconds, undo))

    def befall(self, journal: RunJournal, batch: Batch, path: Path) -> None:
        """One thing goes wrong."""
        name = self.chance.choice(NAMES)
        kinds = [
            "station killed",
            "station frozen",
            "hub killed",
            "hub frozen",
            "runner killed",
            "desktop killed",
        ]
        kinds += ["line cut", "line slow"] if self.net.ok else []
        kind = self.chance.choice(kinds)
        self.did[kind] += 1
        processes, long = self.house.processes, 2 + 25 * self.chance.random() ** 2
        if kind == "station killed":
            processes[name].kill()
            processes[name].wait()
            self.soon(long / 2, lambda: self.station_again(name))
        elif kind in ("station frozen", "hub frozen"):
            process = processes[name if kind.startswith("station") else "hub"]
            process.send_signal(signal.SIGSTOP)
            self.soon(long, lambda: process.send_signal(signal.SIGCONT))
        elif kind == "hub killed":
            processes["hub"].kill()
            processes["hub"].wait()
            self.soon(long / 3, self.hub_again)
        elif kind == "runner killed":
            with suppress(KeyError, ProcessLookupError):
                os.kill(int(journal.now()["runner"][1]["pid"]), signal.SIGKILL)
            self.soon(1.0, lambda: self.again(batch, path))
        elif kind == "desktop killed":
            if self.observer is not None:
                self.observer.kill()
                self.observer.wait()
            words = [sys.executable, "-m", "chronocast.crew.house.observer", str(os.getpid())]
            self.observer = subprocess.Popen(words)
        elif kind == "line cut":
            self.net.cut(name, True)
            self.soon(long, lambda: self.net.cut(name, False))
        else:
            self.net.slow(name, True)
            self.soon(long, lambda: self.net.slow(name, False))

    def hub_again(self) -> None:
        """Start the hub, unless it was started meanwhile."""
        if self.house.processes["hub"].poll() is not None:
            self.house.start_hub()

    def station_again(self, name: str) -> None:
        """Start a station, unless it was started meanwhile."""
        if self.house.processes[name].poll() is not None:
            self.house.start(name)

    @staticmethod
    def again(batch: Batch, path: Path) -> None:
        """Take the run up again; nothing, where that isn't needed any more."""
        with suppress(Exception):
            begin_run(batch, path, with_house(Workspace().house))


def counted_film(path: Path, number: int) -> Path:
    """A film with a counter in every picture."""

    def pictures() -> Iterator[NDArray[np.uint8]]:
        chance = np.random.default_rng(number)
        ground = chance.integers(40, 200, (144, 512, 3), dtype=np.uint8)
        for frame in range(FRAMES):
            picture = np.ascontiguousarray(np.roll(ground, frame * 2, axis=1)[:, :256])
            draw(picture, number, frame)
            yield picture

    write_footage(str(path), pictures(), RATE, quality=18)
    return path


def sums(view: RunView) -> list[str]:
    """What the files are, byte by byte."""
    return [
        hashlib.sha256(Path(output.path).read_bytes()).hexdigest() if Path(output.path).is_file() else "none"
        for output in view.outputs.values()
    ]


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """An undisturbed evening, and as many disturbed ones as there are seeds."""
    net = Net()
    house = StandInHouse(
        folder / "house",
        tuple(StandIn(name, 1.0 + 0.4 * number) for number, name in enumerate(NAMES)),
        HUB if net.ok else "127.0.0.1",
        (lambda name: ["ip", "netns", "exec", f"cc-{name}"] if name in NAMES else [])
        if net.ok
        else (lambda _: []),
    )
    house.shared.mkdir(parents=True)
    (house.shared / "kept").mkdir()
    save_json(config_folder() / "settings.json", {"kept_in": str(house.shared / "kept")})
    films = [counted_film(house.shared / f"film {n}.mp4", n + 1) for n in range(CLIPS)]
    try:
        house.begin()
        house.let_in(Workspace(), "desk", "desktop")
        end = time.monotonic() + 60
        while len(look_once(Workspace()).stations) < len(NAMES) and time.monotonic() < end:
            time.sleep(0.5)
        calm, usual = Evening(house, net, films, -1).run(0)
        wanted = sums(calm)
        for number, output in enumerate(calm.outputs.values()):
            shown = counters(Path(output.path))
            assert shown == [(number + 1, n) for n in range(FRAMES)], "the calm evening went wrong"
        did: Counter[str] = Counter()
        whole, slower, wrong = 0, [], []
        for seed in range(SEEDS):
            evening = Evening(house, net, films, seed)
            view, took = evening.run(2 + seed % 4)
            did += evening.did
            same = sums(view) == wanted and all(o.state == "proved" for o in view.outputs.values())
            whole += same
            slower.append(took / usual)
            told = ", ".join(f"{kind} {n} ×" if n > 1 else kind for kind, n in sorted(evening.did.items()))
            print(f"seed {seed}: {'the same files' if same else 'WRONG'}, {took:.0f} s | {told}", flush=True)
            if not same:
                wrong.append(seed)
                for output in view.outputs.values():
                    print("   ", output.state, output.reason, output.path, flush=True)
                print("   ", view.outcome, view.sentence, view.troubles, flush=True)
            if evening.observer is not None:
                evening.observer.kill()
    finally:
        house.end()
        net.end()
    lines = "" if net.ok else " (no network namespaces here: lines were neither cut nor slowed)"
    faults = ", ".join(f"{kind} {count}" for kind, count in sorted(did.items()))
    return [
        (
            f"evenings with {min(2, SEEDS)} to 5 faults whose files are those of an undisturbed one, byte by byte{lines}",
            f"{whole} of {SEEDS}{f', wrong: {wrong}' if wrong else ''}",
            "all",
        ),
        ("what befell them", faults, ""),
        (
            "how much longer they took, the middle and the longest",
            f"{sorted(slower)[len(slower) // 2]:.1f} ×, {max(slower):.1f} ×",
            "",
        ),
    ]
