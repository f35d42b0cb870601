"""What reuse saves: edits, unchanged runs, copied groups, resumed runs, names, and pieces against an unsplit encode."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator, Mapping
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from statistics import median
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import save_batch
from chronocast.journal.workspace import Workspace
from chronocast.media.files.footage import Format, write_footage
from chronocast.media.piece.encode import encode_piece
from chronocast.media.source.readers import Readers
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.plan import OutputPlan, plan_output
from chronocast.preparation.today import prepared
from chronocast.run.client import begin_run, last_run, stop_run
from chronocast.run.quiet import run_quietly
from chronocast.run.runner_lock import runner_lives
from chronocast.run.view import RunView
from chronocast.timeline.described import Placed, Timeline, Track
from chronocast.timeline.write import otio_text

RATE = Fraction(25)
CLIPS, CLIP_FRAMES = 20, 75
KILLS = 50


def quality(name: str, effort: str = "medium", **told: object) -> Recipe:
    """A recipe of H.264 at a constant quality, as large as its source."""
    picture = {
        "size": FrameSize(mode="source"),
        "rate_control": RateControl(mode="quality", quality=22),
        "effort": effort,
    }
    return Recipe(id=name, name=name, sound=None, picture=PictureRecipe.model_validate({**picture, **told}))


def pictures(
    seed: int, frames: int, width: int, height: int, scenes: tuple[int, ...] = (0,)
) -> Iterator[NDArray[np.uint8]]:
    """Drifting texture with grain; another texture from each scene on.  Yields height × width × 3."""
    found = np.random.default_rng(seed)
    ground, drift = np.zeros(0), (0, 0)
    for frame in range(frames):
        if frame in scenes or not ground.size:
            rough = found.integers(0, 255, (height // 16 + 40, width // 16 + 40, 3), np.uint8)
            ground = np.kron(rough, np.ones((16, 16, 1), np.uint8)).astype(np.int16)
            drift = (int(found.integers(1, 4)), int(found.integers(1, 4)))
        y, x = (frame * drift[0]) % 256, (frame * drift[1]) % 256
        grain = found.normal(0, 3, (height, width, 1))
        yield np.clip(ground[y : y + height, x : x + width] + grain, 0, 255).astype(np.uint8)


def film(
    path: Path,
    seed: int,
    frames: int,
    size: tuple[int, int] = (640, 360),
    scenes: tuple[int, ...] = (0,),
    told: Mapping[str, str] | None = None,
) -> Path:
    """A film on disk."""
    write_footage(
        str(path),
        pictures(seed, frames, *size, scenes),
        RATE,
        quality=20,
        form=Format(options={"preset": "veryfast", **(told or {})}),
    )
    return path


def sequence(path: Path, parts: list[tuple[Path, int, int]], size: tuple[int, int]) -> Path:
    """A timeline of parts of films: (film, first picture, pictures)."""
    at, placed = Fraction(0), []
    for source, first, frames in parts:
        seconds = frames / RATE
        placed.append(
            Placed(
                start=at, seconds=seconds, kind="media", name=source.stem, media=str(source),
                source_start=first / RATE, media_zero=Fraction(0),
            )
        )  # fmt: skip
        at += seconds
    track = Track(kind="picture", name="V1", placed=tuple(placed))
    path.write_text(
        otio_text(Timeline(path="", name=path.stem, rate=RATE, size=size, tracks=(track,)), path.parent)
    )
    return path


def asked(path: Path, source: Path, *recipes: Recipe) -> Batch:
    """A batch of one source by some recipes, saved."""
    batch = Batch(title=path.stem, folder=f"out {path.stem}")
    for recipe in recipes:
        batch = add_recipe(batch, recipe)
    batch = add_source(batch, source.name, source.stem, "sequence" if source.suffix == ".otio" else "clip")
    batch = fill(batch, [(batch.sources[0].id, FULL, recipe.id) for recipe in recipes])
    save_batch(batch, path)
    return batch


class Done(NamedTuple):
    """A run: seconds by the clock, processor seconds by kind of work, how many pieces were encoded, of how many pictures."""

    view: RunView
    wall: float
    cpu: dict[str, float]
    encoded: int
    pictures: int

    def seconds(self, *kinds: str) -> float:
        """Processor seconds of some kinds of work; of all, if none is named."""
        return sum(value for kind, value in self.cpu.items() if not kinds or kind in kinds)


def journal_of(path: Path) -> Path:
    """The journal of a batch's last run."""
    found = last_run(path)
    assert found is not None
    return found


def run(batch: Batch, path: Path) -> Done:
    """Run a batch to its end."""
    begin = time.perf_counter()
    view = run_quietly(batch, path)
    wall = time.perf_counter() - begin
    states = {output.state for output in view.outputs.values()}
    if states != {"proved"}:
        raise SystemExit(f"not proved: {[o.reason for o in view.outputs.values()]}")
    cpu: dict[str, float] = {}
    encoded = pictures = 0
    with RunJournal(journal_of(path)) as journal:
        for record in journal.records():
            if record.kind == "finished":
                kind = record.body["task"].partition(":")[0]
                cpu[kind] = cpu.get(kind, 0.0) + record.body["cpu_seconds"]
                if kind == "encode":
                    encoded, pictures = encoded + 1, pictures + record.body["result"]["frames"]
    return Done(view, wall, cpu, encoded, pictures)


def edited(folder: Path) -> tuple[str, str, str]:
    """One of 20 clips changed: processor seconds of the second run's pieces against the first's, and that clip's share."""
    size = (640, 360)
    films = [film(folder / f"clip {n}.mp4", n, CLIP_FRAMES + 10) for n in range(5)]
    parts = [(films[n % 5], n % 3, CLIP_FRAMES) for n in range(CLIPS)]
    cut, path = folder / "evening.otio", folder / "evening.batch.json"
    sequence(cut, parts, size)
    first = run(asked(path, cut, quality("edit")), path)
    parts[7] = (film(folder / "other.mp4", 99, CLIP_FRAMES), 0, CLIP_FRAMES)
    sequence(cut, parts, size)
    again = folder / "again.batch.json"
    second = run(asked(again, cut, quality("edit")), again)
    different = (
        len({(str(source), at) for source, at, _ in parts}) - 1
    )  # the same shots are encoded once, in both
    share = second.seconds("encode") / first.seconds("encode")
    return (
        "1 of 20 clips changed: encoding against all of it, its share of different frames",
        f"{share:.1%}, {1 / different:.1%} ({second.encoded} of {first.encoded} pieces)",
        "at most 5 % more",
    )


TURNS = 5
"""So often a join and a copy are timed, one after the other."""


def unchanged(folder: Path) -> list[tuple[str, str, str]]:
    """Nothing changed: seconds by the clock of a run's join against a plain copy of its file, both flushed to the drive.

    Turn by turn, and the middle of them: a drive flushes a few megabytes now in 5 ms and now in 20.
    """
    mezzanine = Recipe(
        id="same",
        name="same",
        container="mov",
        sound=None,
        picture=PictureRecipe(codec="prores", grade="hq", size=FrameSize(mode="source")),
    )
    source, rows = film(folder / "master.mp4", 50, 600, (1280, 720)), []
    for words, recipe in (("small", quality("same", "fast")), ("large", mezzanine)):
        path = folder / f"unchanged {words}.batch.json"
        first = run(asked(path, source, recipe), path)
        (made,) = (Path(output.path) for output in first.view.outputs.values())
        found, copies = [], []
        for number in range(TURNS):
            again = folder / f"unchanged {words} {number}.batch.json"
            second = run(asked(again, source, recipe), again)
            assert second.encoded == 0, "nothing is encoded"
            with RunJournal(journal_of(again)) as journal:
                done = [record.body for record in journal.records() if record.kind == "finished"]
            found += [body["wall_seconds"] for body in done if body["task"].startswith("join:")]
            begin = time.perf_counter()
            with open(made, "rb") as read, open(folder / "copy", "wb") as write:
                while block := read.read(1 << 20):
                    write.write(block)
                os.fsync(write.fileno())
            copies.append(time.perf_counter() - begin)
        size, ratios = made.stat().st_size / 1e6, [a / b for a, b in zip(found, copies, strict=True)]
        rows.append(
            (
                f"nothing changed: the join against a plain copy of the same {words} file ({size:.0f} MB)",
                f"{median(ratios):.1f} × ({min(ratios):.1f} to {max(ratios):.1f}; {median(found):.3f} s, {median(copies):.3f} s)",
                "at most 3 ×",
            )
        )
        print(*rows[-1], sep=" | ", flush=True)
    return rows


def copied(folder: Path) -> list[tuple[str, str, str]]:
    """Three cuts of a long-GOP film copied against encoded: processor seconds, the check and without it."""
    rows = []
    for words, params in (("closed groups", "open-gop=0"), ("open groups", "open-gop=1")):
        source = film(folder / f"{words}.mp4", 60, 1900, (960, 540), told={"g": "50", "x264-params": params})
        cut = sequence(folder / f"{words}.otio", [(source, n, 500) for n in (33, 700, 1310)], (960, 540))
        path = folder / f"{words}.batch.json"
        smart = run(asked(path, cut, quality("copy", copies="alike")), path)
        plain_path = folder / f"{words} plain.batch.json"
        plain = run(asked(plain_path, cut, quality("encode")), plain_path)
        work = plain.seconds("encode") / smart.seconds("encode", "copy")
        copying = plain.seconds("encode") / max(1e-3, smart.seconds("copy"))
        whole = plain.seconds() / smart.seconds()
        output = next(iter(smart.view.outputs.values()))
        rows.append(
            (
                f"three cuts of a film of {words} copied: faster than encoding by (copying alone; with what is around "
                "cuts; all of the run, join and check too)",
                f"{copying:.0f} ×; {work:.1f} ×; {whole:.1f} × ({output.copied} runs copied, {smart.encoded} pieces encoded)",
                "20 × copying",
            )
        )
        print(*rows[-1], sep=" | ", flush=True)
    return rows


def named(folder: Path) -> tuple[str, str, str]:
    """20,000 pieces named and looked for in the stock."""
    source = film(folder / "long.mp4", 70, 250)
    path = folder / "named.batch.json"
    ready = prepared(asked(path, source, quality("names")), path, Workspace()).outputs[0]
    film_cut = ready.source.cut
    layer = film_cut.picture[0].layers[0]
    spans = tuple(
        film_cut.picture[0].model_copy(
            update={
                "start": n * 50,
                "frames": 50,
                "layers": (layer.model_copy(update={"start": Fraction(n % 200)}),),
            }
        )
        for n in range(20_000)
    )
    cut = film_cut.model_copy(update={"picture": spans, "frames": 50 * len(spans)})
    stock = Workspace().stock
    begin = time.perf_counter()
    plan = plan_output(cut, FrameRange(0, cut.frames), ready.recipe, facts=ready.source.facts)
    named_after = time.perf_counter() - begin
    begin = time.perf_counter()
    kept = sum(stock.size(piece.name) is not None for piece in plan.pieces)
    matched = time.perf_counter() - begin
    return (
        f"{len(plan.pieces):,} pieces planned and named, and looked for in the stock",
        f"{named_after:.1f} s, {matched:.2f} s ({kept} kept)",
        "under 1 s",
    )


RESUMED, STOPPED_AT = 1600, (0.25, 0.3, 0.35, 0.4)


def resumed(folder: Path) -> tuple[str, str, str]:
    """Runs stopped in the middle and taken up again: pictures that are encoded in the second part against all."""
    source, found = film(folder / "resumed.mp4", 80, RESUMED), []
    for at in STOPPED_AT:
        path = folder / f"stopped at {at}.batch.json"
        batch = asked(
            path, source, quality("resumed", key_frame_seconds=2 + at)
        )  # nothing of the others is kept
        journal = begin_run(batch, path)
        view = RunView()
        with RunJournal(journal) as opened:
            while view.frames_done < view.frames * at or not view.frames:
                view.fold(opened.records(view.last)).see(opened.now(), runner_lives(journal))
                time.sleep(0.05)
        stop_run(journal)
        found.append(run(batch, path).pictures / RESUMED)
    told = ", ".join(f"{at:.0%}" for at in STOPPED_AT)
    return (
        f"a run stopped at {told} of its pictures, taken up: encoded again against all",
        ", ".join(f"{share:.0%}" for share in found),
        "at most 76 % after a quarter",
    )


def unsplit(folder: Path) -> tuple[str, str, str]:
    """Bytes of pieces against one encode of the whole, cut at scenes and by the clock."""
    found = np.random.default_rng(5)
    scenes, at = [0], 0
    while at < 1400:
        at += int(found.integers(60, 190))
        scenes.append(at)
    source = film(folder / "scenes.mp4", 90, 1500, scenes=tuple(scenes))
    path = folder / "scenes.batch.json"
    ready = prepared(asked(path, source, quality("split", "fast")), path, Workspace()).outputs[0]
    blind = {name: replace(facts, scenes=(), groups=None) for name, facts in ready.source.facts.items()}
    part = FrameRange(0, ready.source.cut.frames)
    plans = [
        plan_output(ready.source.cut, part, ready.recipe, facts=facts)
        for facts in (ready.source.facts, blind)
    ]
    whole = plans[0].pieces[0].model_copy(update={"spans": ready.source.cut.picture_in(part)})
    with Readers() as readers:
        one = sum(encode_piece(whole.model_copy(update={"target": str(folder / "one.mp4")}), readers).packets)
        sizes = [_bytes(plan, folder, readers) for plan in plans]
    return (
        "bytes of pieces against one encode of the whole: cut at scenes, by the clock alone",
        f"{sizes[0] / one - 1:+.2%}, {sizes[1] / one - 1:+.2%} ({len(plans[0].pieces)} and {len(plans[1].pieces)} pieces)",
        "within +1.5 %",
    )


def _bytes(plan: OutputPlan, folder: Path, readers: Readers) -> int:
    made = (
        encode_piece(piece.model_copy(update={"target": str(folder / "piece.mp4")}), readers)
        for piece in plan.pieces
    )
    return sum(sum(each.packets) for each in made)


def killed(folder: Path) -> tuple[str, str, str]:
    """A writer of the stock killed again and again: how often what is found afterwards isn't whole."""
    code = (
        "import os, sys\nfrom pathlib import Path\nfrom chronocast.pieces.stock import Stock\n"
        "stock = Stock(Path(sys.argv[1])); n = int(sys.argv[2]) * 100000\n"
        "print('begun', flush=True)\n"
        "while True:\n"
        "    n += 1; name = f'{n:040x}'; at = stock.temporary(name, 'k'); at.parent.mkdir(parents=True, exist_ok=True)\n"
        "    at.write_bytes(os.urandom(200_000)); stock.keep(at, name, {'frames': 1})\n"
    )
    place, found = folder / "stock", np.random.default_rng(3)
    for number in range(KILLS):
        child = subprocess.Popen(
            [sys.executable, "-c", code, str(place), str(number)], stdout=subprocess.PIPE
        )
        assert child.stdout
        child.stdout.readline()
        time.sleep(float(found.uniform(0.0, 0.15)))
        child.send_signal(signal.SIGKILL)
        child.wait()
    from chronocast.pieces.stock import Stock

    stock = Stock(place)
    entries = list(stock.entries())
    broken = sum(not stock.whole(entry.name) for entry in entries)
    return (
        f"a writer of the stock killed {KILLS} times: kept pieces that aren't whole",
        f"{broken} of {len(entries)}",
        "0",
    )


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """All of them, each told as it comes."""
    rows: list[tuple[str, str, str]] = []
    for one in (named, killed, unsplit, edited, resumed, unchanged, copied):
        found = one(folder)
        rows += found if isinstance(found, list) else [found]
        if not isinstance(found, list):
            print(*rows[-1], sep=" | ", flush=True)
    return rows
