"""A batch of 1,000 sources by ten recipes: looked at, forecast, opened in the window, changed; and a run of 20,000 pieces."""

from __future__ import annotations

import json
import os
import resource
import struct
import subprocess
import sys
import time
from pathlib import Path
from statistics import median

from tests.footage import clip

from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import save_batch
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import FULL, Batch, Source
from chronocast.model.batch.edits import add_recipe, fill
from chronocast.model.garbage import collect_seldom
from chronocast.model.recipe.supplied import SUPPLIED
from chronocast.preparation.today import learned, outlook_now, prepared
from chronocast.run import events as e
from chronocast.run.machine import Machine
from chronocast.run.view_kept import keep_view, read_view

SOURCES, RECIPES, PIECES = 1000, 10, 20
WINDOW = """
import json, os, sys, time
begin = time.perf_counter()
from pathlib import Path
from PyQt6.QtCore import QEventLoop, QTimer
from chronocast.model.batch.batch import FULL
from chronocast.model.batch.edits import fill
from chronocast.model.garbage import collect_seldom
from chronocast.ui import theme
from chronocast.ui.app import make_app
from chronocast.ui.desk.session import Session
from chronocast.ui.heartbeat import Heartbeat
from chronocast.ui.window import Window
collect_seldom()
app = make_app(); theme.apply(app, theme.INK)
session = Session(Path(sys.argv[1])); window = Window(session, theme.INK); window.resize(1280, 800)
window.show(); app.processEvents(); window.grab()
told = {"answers": time.perf_counter() - begin}
heart = Heartbeat()
session.open()
def until(what, most=600):
    end = time.perf_counter() + most
    while not what() and time.perf_counter() < end:
        loop = QEventLoop(); QTimer.singleShot(10, loop.quit); loop.exec()
def took(do):
    at = time.perf_counter(); do(); app.processEvents(); return time.perf_counter() - at
until(lambda: session.desk.figures is not None or session.view is not None)
told["figures"] = time.perf_counter() - begin
until(lambda: session.view is not None)
told["forecast"] = time.perf_counter() - begin
until(lambda: session.desk.asked is not None and False, 8)
told["stall"], told["own"] = max(heart.gaps), max(heart.work)
told["often"] = heart.percentile(0.999)
batch = session.batch
changed = fill(batch, [(batch.sources[3].id, FULL, batch.recipes[2].id)], False)
seen = session.view
at = time.perf_counter()
told["redrawn"] = took(lambda: session.edit("clear", changed))
until(lambda: session.view is not seen)
told["forecast anew"] = time.perf_counter() - at
until(lambda: False, 3)
told["undo"] = took(session.undo)
until(lambda: False, 6)
at = time.perf_counter()
told["select all"] = took(window.plan_place.grid.table.selectAll)
until(lambda: len(window.plan_place.panel.detail.lines) > 1)
told["sums"] = time.perf_counter() - at
until(lambda: window.plan_place.ways)
told["ways"] = time.perf_counter() - at
until(lambda: False, 20)
heart.deleteLater()  # nobody's window has one
loop = QEventLoop(); QTimer.singleShot(40_000, loop.quit); cpu = time.process_time(); loop.exec()
told["idle"] = (time.process_time() - cpu) / 40
import psutil
told["rss"] = psutil.Process().memory_info().rss
print(json.dumps(told), flush=True)
os._exit(0)
"""


def make_batch(folder: Path) -> Path:
    """The batch: copies of one small clip that differ in a few bytes, each asked for by every recipe."""
    (folder / "clips").mkdir(parents=True)
    seed = folder / "seed.mp4"
    clip(seed, 1, 75, width=320, height=180)
    data = seed.read_bytes()
    for number in range(SOURCES):
        mark = struct.pack(">I4sQQ", 24, b"free", number, number * 7919)
        (folder / "clips" / f"clip {number:04d}.mp4").write_bytes(data + mark)
    batch = Batch(title="Thousands", folder="out")
    found = [r for r in SUPPLIED if r.picture and r.picture.codec in ("h264", "hevc")][:RECIPES]
    for recipe in found:
        batch = add_recipe(batch, recipe)
    base = found[0]
    assert base.picture is not None
    for number in range(RECIPES - len(found)):
        rate = base.picture.rate_control.model_copy(update={"target_bits_per_second": 10**6 + 10**5 * number})
        picture = base.picture.model_copy(update={"rate_control": rate})
        more = {"id": f"more-{number}", "name": f"More {number}", "picture": picture}
        batch = add_recipe(batch, base.model_copy(update=more))
    sources = tuple(
        Source(id=f"clip-{n:04d}", path=f"clips/clip {n:04d}.mp4", name=f"Clip {n:04d}", kind="clip")
        for n in range(SOURCES)
    )
    batch = batch.model_copy(update={"sources": sources})
    batch = fill(batch, [(source.id, FULL, recipe.id) for source in sources for recipe in batch.recipes])
    save_batch(batch, folder / "thousands.batch.json")
    return folder / "thousands.batch.json"


def in_core(path: Path) -> list[tuple[str, str, str]]:
    """Looking, preparing and forecasting, in one process without a window."""
    from chronocast.journal.documents import load_batch

    workspace, batch = Workspace(), load_batch(path)
    clock = [time.perf_counter()]

    def passed() -> float:
        clock.append(time.perf_counter())
        return clock[-1] - clock[-2]

    prospect = prepared(batch.model_copy(update={"outputs": ()}), path, workspace)
    looked = passed()
    prospect = prepared(batch, path, workspace)
    planned = passed()
    known = learned(workspace, {item.film for item in prospect.outputs})
    outlook_now(prospect, workspace, known)
    first = passed()
    rows = []
    for number in range(3):
        changed = fill(batch, [(batch.sources[number].id, FULL, batch.recipes[2].id)], False)
        passed()
        prospect = prepared(changed, path, workspace, before=prospect)
        again = passed()
        outlook_now(prospect, workspace, known)
        rows.append((again, passed()))
    again, anew = (median(column) for column in zip(*rows, strict=True))
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
    return [
        ("1,000 new clips looked at", f"{looked:.1f} s", "what the drive takes"),
        ("10,000 outputs planned, forecast at first", f"{planned:.1f} s, {first:.1f} s", ""),
        ("after an edit: planned, forecast", f"{again:.2f} s, {anew:.2f} s", "0.2 s together"),
        ("memory of that", f"{memory:.0f} MB", "< 600 MB"),
    ]


def in_window(path: Path) -> list[tuple[str, str, str]]:
    """The same in the window, in a process of its own."""
    done = subprocess.run(
        [sys.executable, "-c", WINDOW, str(path)], capture_output=True, text=True, env=dict(os.environ)
    )
    told = json.loads(done.stdout.splitlines()[-1])
    return [
        ("the window answers", f"{told['answers']:.2f} s", "1.5 s"),
        (
            "what its first files take is shown, its forecast",
            f"{told['figures']:.1f} s, {told['forecast']:.1f} s",
            "",
        ),
        (
            "the longest stall until then, of that the window's own work",
            f"{told['stall']:.2f} s, {told['own']:.2f} s",
            "0.1 s",
        ),
        ("999 of 1,000 times it answers within", f"{told['often'] * 1000:.0f} ms", "50 ms"),
        ("a cell cleared and redrawn", f"{told['redrawn'] * 1000:.0f} ms", "50 ms"),
        ("the forecast without it shown", f"{told['forecast anew']:.2f} s", "0.2 s"),
        (
            "undo; select all",
            f"{told['undo'] * 1000:.0f} ms; {told['select all'] * 1000:.0f} ms",
            "100 ms",
        ),
        (
            "all 10,000 chosen: added up; other ways to make all of them, at first",
            f"{told['sums']:.2f} s; {told['ways']:.1f} s",
            "",
        ),
        ("idle, share of a core", f"{told['idle']:.1%}", "1 %"),
        ("the window's memory", f"{told['rss'] / 1e6:.0f} MB", "< 600 MB"),
    ]


def in_run() -> list[tuple[str, str, str]]:
    """The state machine of a run, with nothing around it."""
    machine, running, took = Machine(), list[tuple[e.TaskId, int]](), list[float]()

    def step(event: e.Event) -> None:
        begin = time.perf_counter()
        said = machine.step(event)
        took.append(time.perf_counter() - begin)
        for item in said:
            if isinstance(item, e.Start):
                running.append((item.task, item.attempt))
            elif isinstance(item, e.Place):
                step(e.Placed(item.output))

    for number in range(2):
        step(e.SlotGranted(f"here-{number}", "here", ""))
    begin = time.perf_counter()
    for number in range(SOURCES):
        pieces = tuple(f"{number}-{piece}" for piece in range(PIECES))
        step(e.Added(e.OutputSpec(f"output {number}", pieces, f"sound {number}", False), frozenset(), False))
    step(e.Sealed())
    added = time.perf_counter() - begin
    took.clear()
    while running:
        step(e.Done(*running.pop(0)))
    assert machine.ended == "done"
    took.sort()
    return [
        ("1,000 outputs of 20,000 pieces added to a run", f"{added:.2f} s", "0.5 s"),
        (
            "an event of that run: in the middle, the slowest of 100",
            f"{median(took) * 1000:.2f} ms, {took[int(len(took) * 0.99)] * 1000:.2f} ms",
            "2 ms",
        ),
    ]


def in_journal(folder: Path) -> list[tuple[str, str, str]]:
    """What a run of 20,000 pieces comes to, by its records and as its journal keeps it."""
    band = {"p10": 1.0, "likely": 1.0, "safe": 1.0}
    finish = dict.fromkeys(band, "2026-01-01T00:00:00+00:00")
    outputs = [f"output {number}" for number in range(SOURCES)]
    with RunJournal(folder / "long.run") as journal, journal.together():
        begin = {"batch": {"outputs": [{"id": name} for name in outputs]}, "path": "/batch"}
        journal.append("begin", begin)
        told = [
            {"id": name, "seconds": band, "cpu_seconds": band, "bytes": band, "finish": finish}
            for name in outputs
        ]
        journal.append("forecast", {"outputs": told, "total": {"finish": finish}})
        for name in outputs:
            pieces = [f"{name} {piece}" for piece in range(PIECES)]
            ready = {"path": f"/out/{name}.mp4", "title": name, "range": "", "recipe": "R", "frames": 4000}
            counts = {"rate": "25", "pieces": PIECES, "kept": 0, "map": [(p, 200, "encode") for p in pieces]}
            journal.append("output ready", {"id": name, **ready, **counts})
            for piece in pieces:
                task = {"task": f"encode:{piece}", "attempt": 1, "output": name}
                journal.append("started", {**task, "slot": "here-0"})
                journal.append("finished", {**task, "cpu_seconds": 3.0, "result": {"frames": 200}})
            check = [
                {"name": f"{n}", "ok": True, "expected": "", "found": "", "proof": ""} for n in range(12)
            ]
            made = {"path": f"/out/{name}.mp4", "bytes": 1, "seconds": 1.0, "cpu_seconds": 1.0}
            journal.append("made", {"id": name, **made, "checks": check})
            journal.append("output", {"id": name, "state": "proved", "reason": ""})
    took = []
    with RunJournal(folder / "long.run") as journal:
        for kept in (False, True):
            if kept:
                keep_view(journal)
            times = []
            for _ in range(5):
                at = time.perf_counter()
                read_view(journal, False)
                times.append(time.perf_counter() - at)
            took.append(min(times))
    return [
        (
            "what such a run comes to, read: all its records, as its journal keeps it",
            f"{took[0]:.2f} s, {took[1] * 1000:.0f} ms",
            "50 ms",
        )
    ]


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Once each: what is meant are seconds and tenths of them, not how they spread."""
    collect_seldom()
    rows = [*in_run(), *in_journal(folder)]
    path = make_batch(folder / "films")
    return [*in_core(path), *in_window(path), *rows]
