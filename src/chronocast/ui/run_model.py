"""What *Run* and *Check* say, in plain Python.  Tested without Qt."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from chronocast.model.show import clock_text, size_text, time_text
from chronocast.run.view import OutputView, RunView

GOING = ("waiting", "rendering", "joining", "checking", "placing")


@dataclass(frozen=True)
class RunRow:
    """One output on screen."""

    id: str
    title: str
    recipe: str
    extent: str
    state: str
    share: float
    kept_share: float
    time: str
    size: str
    finish: str
    reason: str
    path: str
    checks: tuple[tuple[str, bool, str, str, str], ...] = ()
    note: str = ""


@dataclass(frozen=True)
class RunModel:
    """A run on screen."""

    rows: tuple[RunRow, ...]
    title: str
    finished: str
    finished_more: str
    done: str
    done_more: str
    speed: str
    speed_more: str
    share: float
    going: bool
    paused: bool
    lives: bool
    ended: bool
    fan: tuple[tuple[float, float, float, float], ...]
    fan_start: datetime
    needs: tuple[str, ...]
    sentence: str


def _promise(output: OutputView, what: str) -> tuple[float, float] | None:
    value = output.forecast.get(what)
    return (float(value["likely"]), float(value["safe"])) if isinstance(value, dict) else None


def run_row(view: RunView, output: OutputView, at: datetime | None) -> RunRow:
    """One output as a row: promise and fact side by side."""
    time, size, finish = "", "", ""
    seconds, size_promise = _promise(output, "seconds"), _promise(output, "bytes")
    if output.state == "proved":
        time = "made before" if output.again else time_text(output.seconds)
        size = size_text(output.bytes)
        if seconds and not output.again:
            time += f" of {time_text(seconds[0])}"
        if size_promise and not output.again:
            size += f" of {size_text(size_promise[0])}"
        finish = clock_text(datetime.fromtimestamp(output.ended).astimezone()) if output.ended else ""
    else:
        if seconds:
            time = time_text(seconds[0])
        if size_promise:
            size = size_text(size_promise[0])
        band = view.finish.get("outputs", {}).get(output.id)
        if band and at is not None and output.state in GOING:
            finish = clock_text(datetime.fromtimestamp(at.timestamp() + band["likely"]).astimezone())
    share = 1.0 if output.state == "proved" else output.frames_done / output.frames if output.frames else 0.0
    kept = output.kept / output.pieces if output.pieces else 0.0
    checks = tuple((c["name"], bool(c["ok"]), c["expected"], c["found"], c["proof"]) for c in output.checks)
    name = output.title or (Path(output.path).stem if output.path else output.id)
    return RunRow(
        output.id, name + (f" · {output.range}" if output.range else ""), output.recipe, output.extent, view.shown_state(output),
        min(1.0, share), min(kept, share), time, size, finish, output.reason, output.path, checks,
        output.note if output.state in GOING else "",
    )  # fmt: skip


def run_model(view: RunView, now: float) -> RunModel:
    """A run as *Run* shows it; ``now`` is the time in seconds."""
    at = datetime.fromisoformat(view.finish["at"]) if view.finish.get("at") else None
    rows = tuple(run_row(view, view.outputs[name], at) for name in view.order)
    proved = [output for output in view.outputs.values() if output.state == "proved"]
    needs = tuple(f"{row.title} · {row.recipe}: {row.reason}" for row in rows if row.state == "needs you")
    going = view.lives and not view.outcome
    finished, more = "…", "the first forecast is being made"
    told = view.finish.get("finish")
    if view.outcome:
        finished = clock_text(datetime.fromtimestamp(view.ended).astimezone())
        words = {
            "done": "every file proved",
            "needs you": f"{len(needs)} need you",
            "stopped": "stopped; what was finished is kept",
        }
        more = f"{words.get(view.outcome, view.outcome)} · after {time_text(view.ended - view.began)}"
        promised = view.forecast.get("total", {}).get("finish", {}).get("likely")
        if promised and view.outcome == "done":
            more += f" · promised {clock_text(datetime.fromisoformat(promised))}"
    elif not view.lives and view.began:
        finished, more = "down", "the runner went away; finished pieces are kept"
    elif view.paused:
        finished, more = "paused", "nothing is lost"
    elif told:
        likely, safe = datetime.fromisoformat(told["likely"]), datetime.fromisoformat(told["safe"])
        finished = clock_text(likely)
        more = f"safe by {clock_text(safe)} · {time_text(max(0.0, likely.timestamp() - now))} to go"
    elapsed = (view.ended or now) - view.began if view.began else 0.0
    encoded = sum(o.frames for o in view.outputs.values() if o.state == "proved" and not o.again)
    encoded += sum(o.frames_done for o in view.outputs.values() if o.state not in ("proved",))
    media = sum(
        (o.frames if o.state == "proved" and not o.again else o.frames_done) / float(o.rate)
        for o in view.outputs.values()
    )
    speed = f"{media / elapsed:.2g} ×" if elapsed > 2 and media else "…"
    speed_more = (
        f"real time · {encoded / elapsed:.0f} frames a second" if elapsed > 2 and media else "real time"
    )
    size = sum(o.bytes for o in proved)
    fan = []
    for moment, band in view.fan[-400:]:
        low, mid, high = (
            datetime.fromisoformat(band[key]).timestamp() - view.began for key in ("p10", "likely", "safe")
        )
        fan.append((moment - view.began, low, mid, high))
    share = view.frames_done / view.frames if view.frames else 0.0
    done = f"{len(proved)} of {len(rows)}"
    sentence = (
        f"{done} outputs proved. {finished}, {more}." if view.began else "Nothing has been rendered yet."
    )
    return RunModel(
        rows, str(view.batch.get("title", "")), finished, more, done, f"proved · {size_text(size)}" if size else "proved", speed,
        speed_more, share, going, view.paused, view.lives, bool(view.outcome), tuple(fan),
        datetime.fromtimestamp(view.began or now).astimezone(), needs, sentence,
    )  # fmt: skip
