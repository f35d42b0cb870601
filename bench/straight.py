"""One film end to end, proof included, against the straight way: one process, one loop, all threads, no proof.

Where the system has a program of the libraries' own, it is timed as well.
Both ways decode the same film and encode it with the very settings of the
plan.  Every pair begins with an empty stock; the film has been looked at.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator, Sequence
from itertools import islice, pairwise
from pathlib import Path
from statistics import median

import av
import numpy as np
from numpy.typing import NDArray

from bench.encodes import batch_of, recipe, use_home
from chronocast.demo.clips import RATE, SCENES
from chronocast.demo.copy import copy_demo
from chronocast.journal.batches.runs import RunJournal, latest_run
from chronocast.journal.workspace import Workspace
from chronocast.media.files.footage import Format, write_footage
from chronocast.model.recipe.recipe import Recipe
from chronocast.preparation.today import prepared

SIZE, SECONDS, PAIRS = (1280, 720), 25, 3
RECIPES: tuple[tuple[Recipe, str], ...] = (
    (recipe("h.264", "h264", SIZE, "mp4", mode="quality", quality=21), "1.0 ×"),
    (recipe("hevc", "hevc", SIZE, "mp4", mode="quality", quality=24, effort="fast"), "1.0 ×"),
    (recipe("prores", "prores", SIZE, grade="standard"), "0.85 ×"),
    (recipe("ffv1", "ffv1", SIZE, "mkv"), "0.85 ×"),
)
CLI = (sys.executable, "-m", "chronocast")
PLAIN = """
import json, sys, time
import av
said = json.loads(sys.argv[1])
source, made = av.open(said["source"]), av.open(said["target"], "w")
video = source.streams.video[0]
video.thread_type = "AUTO"
stream = made.add_stream(said["encoder"], rate=video.average_rate)
stream.width, stream.height, stream.pix_fmt = said["width"], said["height"], said["pixel_format"]
context = stream.codec_context
context.thread_count, context.gop_size = said["threads"], said["key_frame_frames"]
if said["bits_per_second"]:
    context.bit_rate = said["bits_per_second"]
context.options = said["options"]
for frame in source.decode(video):
    if frame.format.name != said["pixel_format"] or (frame.width, frame.height) != (said["width"], said["height"]):
        frame = frame.reformat(said["width"], said["height"], said["pixel_format"])
    frame.pict_type = 0
    made.mux(stream.encode(frame))
made.mux(stream.encode(None))
made.close()
"""
"""The straight way."""


def film_of(folder: Path, footage: Path, seconds: int, first: int = 0) -> Path:
    """A film of so many seconds out of the demo's clips, one after another."""
    path = folder / f"film {first}.mp4"

    def pictures() -> Iterator[NDArray[np.uint8]]:
        left = int(seconds * RATE)
        for scene in (*SCENES[first:5], *SCENES[:first]):
            with av.open(str(footage / scene.file)) as clip:
                for picture in islice(clip.decode(video=0), min(left, scene.frames)):
                    yield np.asarray(picture.reformat(*SIZE, format="rgb24").to_ndarray(), np.uint8)
            left -= min(left, scene.frames)

    write_footage(str(path), pictures(), RATE, quality=18, form=Format(options={"preset": "fast"}))
    return path


class Desk:
    """Outputs of some films by some recipes, with nothing made yet at each turn."""

    def __init__(self, folder: Path, films: Sequence[Path], recipes: Sequence[Recipe]) -> None:
        self.folder, self.home = folder, folder / "home"
        folder.mkdir()
        use_home(self.home)
        self.path = folder / "straight.json"
        self.batch = batch_of(films, recipes, self.path)
        self.outputs = prepared(self.batch, self.path, Workspace()).outputs
        subprocess.run([*CLI, "forecast", str(self.path)], check=True, capture_output=True)
        self.looked_at = folder / "looked at"
        shutil.copytree(self.home, self.looked_at)

    def render(self) -> float:
        """Everything rendered, placed and proved by the command line: seconds of the clock."""
        shutil.rmtree(self.home, ignore_errors=True)
        shutil.rmtree(self.folder / "out", ignore_errors=True)
        shutil.copytree(self.looked_at, self.home)
        self.begun, begin = time.time(), time.perf_counter()
        subprocess.run([*CLI, "render", str(self.path)], check=True, capture_output=True)
        return time.perf_counter() - begin

    def spent(self) -> dict[str, float]:
        """Where the last turn's seconds went, in order."""
        journal = latest_run(self.home / "state", self.path)
        assert journal is not None
        with RunJournal(journal) as opened:
            records = opened.records()
        starts = [r.time for r in records if r.kind == "started" and r.body["task"].startswith("encode:")]
        ends = [(r.body["task"].partition(":")[0], r.time) for r in records if r.kind == "finished"]
        last = {kind: max(at for k, at in ends if k == kind) for kind in dict.fromkeys(k for k, _ in ends)}
        at = [self.begun, min(starts), last["encode"], last["join"], last["check"], records[-1].time]
        names = ("start", "encoding", "joining", "proof", "ending")
        return {name: later - earlier for name, (earlier, later) in zip(names, pairwise(at), strict=True)}

    def straight(self, plain: bool = True) -> float:
        """The same outputs one after another by the plain loop, or by the system's own program."""
        taken = 0.0
        for item in self.outputs:
            job = item.plan.pieces[0]
            target = self.folder / f"plain{item.path.suffix}"
            source = item.plan.pieces[0].media[0].path
            asked = job.settings.model_dump() | {
                "source": source,
                "target": str(target),
                "width": job.width,
                "height": job.height,
                "threads": os.cpu_count(),
            }
            begin = time.perf_counter()
            if plain:
                subprocess.run(
                    [sys.executable, "-c", PLAIN, json.dumps(asked)], check=True, capture_output=True
                )
            else:
                options = [
                    word for name, value in job.settings.options.items() for word in (f"-{name}", value)
                ]
                subprocess.run(
                    ["ffmpeg", "-y", "-i", source, "-an", "-c:v", job.settings.encoder, *options, "-g",
                     str(job.settings.key_frame_frames), "-pix_fmt", job.settings.pixel_format, str(target)],
                    check=True,
                    capture_output=True,
                )  # fmt: skip
            taken += time.perf_counter() - begin
            self.plain_bytes = target.stat().st_size
        return taken

    @property
    def made_bytes(self) -> int:
        """Of the first file that was rendered."""
        return self.outputs[0].path.stat().st_size


def paired(desk: Desk, pairs: int, plain: bool = True) -> tuple[list[float], list[dict[str, float]]]:
    """Ratios of the straight way's seconds to ours, turn by turn, and where ours went."""
    found, spent = [], []
    for number in range(pairs):
        first = number % 2 == 0  # neither is always the one that comes second
        straight = desk.straight(plain) if first else 0.0
        ours = desk.render()
        spent.append(desk.spent())
        found.append((straight or desk.straight(plain)) / ours)
    return found, spent


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Four codecs one by one; eight outputs at once, of four films by two recipes."""
    rows = []
    footage = copy_demo(folder).parent / "footage"
    (folder / "short").mkdir()
    film = film_of(folder, footage, SECONDS)
    for item, aim in RECIPES:
        desk = Desk(folder / item.name, [film], [item])
        desk.render()  # what this machine can do is known by then, as it is to everybody who renders
        found, spent = paired(desk, PAIRS)
        rows.append(told(f"{item.name}: the straight way's time against ours, end to end", found, aim))
        where = ", ".join(f"{name} {median(turn[name] for turn in spent):.1f}" for name in spent[0])
        rows.append((f"{item.name}: our seconds", where, "told as it is"))
        more = desk.made_bytes / desk.plain_bytes - 1
        rows.append((f"{item.name}: bytes against the straight way's", f"{more:+.1%}", "+1.5 %"))
        if shutil.which("ffmpeg"):
            rows.append(told(f"{item.name}: the system's own program", paired(desk, PAIRS, False)[0], aim))
    short = [film_of(folder / "short", footage, 8, number) for number in range(4)]
    two = [RECIPES[0][0], RECIPES[2][0]]
    found, _ = paired(Desk(folder / "eight", short, two), 3)
    rows.append(told("eight outputs against one after another", found, "1.3 ×"))
    rows.append(composed_once(folder, hard_film(folder, footage, 24)))
    return rows


def hard_film(folder: Path, footage: Path, seconds: int) -> Path:
    """A film that is hard to read: HEVC of 10 bits and 1440 lines, out of the demo's clips."""
    path = folder / "hard.mp4"

    def pictures() -> Iterator[NDArray[np.uint8]]:
        with av.open(str(film_of(folder / "short", footage, seconds, 4))) as clip:
            for picture in clip.decode(video=0):
                yield np.asarray(picture.reformat(2560, 1440, format="rgb24").to_ndarray(), np.uint8)

    told = {"preset": "ultrafast", "x265-params": "log-level=none"}
    write_footage(str(path), pictures(), RATE, quality=22, form=Format("libx265", "yuv420p10le", told))
    return path


def composed_once(folder: Path, film: Path) -> tuple[str, str, str]:
    """Two files of one range of a film that is hard to read: read for each, against as the forecast decides."""
    desks = []
    for bases in ("never", "pays"):
        two = [
            recipe(f"{bases}-{quality}", "h264", SIZE, "mp4", mode="quality", quality=quality, effort="fast")
            for quality in (20, 26)
        ]
        asked = [
            item.model_copy(update={"picture": item.picture.model_copy(update={"bases": bases})})
            for item in two
            if item.picture is not None
        ]
        desks.append(Desk(folder / f"hard {bases}", [film], asked))
    found = []
    for _ in range(PAIRS):
        took = []
        for desk in desks:
            use_home(desk.home)
            took.append(desk.render())
        found.append(took[0] / took[1])
    return told(
        "two files of one film that is hard to read: read twice against once", found, "> 1 × where it pays"
    )


def told(what: str, found: Sequence[float], aim: str) -> tuple[str, str, str]:
    """A row: the middle of some ratios, the least and the greatest."""
    return what, f"{median(found):.2f} × ({min(found):.2f} to {max(found):.2f})", aim
