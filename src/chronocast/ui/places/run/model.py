"""What *Run* and *Check* say, in plain Python.  Tested without Qt."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import NamedTuple

from chronocast.model.show import clock_text, counted, db_text, size_text, time_text, times_text
from chronocast.model.stages import HERE
from chronocast.run.view import PIECES, WAITS, Condition, OutputView, RunView, place_of, shown_name

GOING = ("waiting", "rendering", "joining", "checking", "placing")


class ProofTold(NamedTuple):
    """A check of a file: what was asked, what came out, how it was looked at."""

    name: str
    ok: bool
    expected: str
    found: str
    proof: str


class PictureTold(NamedTuple):
    """A picture beside its original: the file that has both, what it is, and of what."""

    file: str
    words: str
    title: str


def picture_told(output: OutputView) -> PictureTold | None:
    """The newest picture of an output while it is made, the poorest once it is; None where none was looked at."""
    over = output.state in ("proved", "needs you", "stopped")
    seen = output.poorest if over and output.poorest else output.picture
    if not seen:
        return None
    which = "poorest picture" if over else "newest picture"
    words = f"{which}, {seen['at']}, XPSNR {db_text(float(seen['xpsnr']))}"
    return PictureTold(str(seen["file"]), words, f"{output.title} · {output.recipe}")


class PieceRun(NamedTuple):
    """Neighbouring pieces of an output that stand alike: their share of it, how they are treated, how much of them is done.

    ``place`` is the station that makes or made them, or its device; "" for none yet.
    """

    share: float
    treatment: str
    done: float
    place: str = ""
    pieces: int = 1

    @property
    def elsewhere(self) -> bool:
        """Whether another station makes them."""
        return bool(self.place) and not self.place.startswith(HERE)


def piece_runs(view: RunView, output: OutputView) -> tuple[PieceRun, ...]:
    """The piece map of an output as it fills in."""
    under_way = {
        shown_name(task.partition(":")[2]): (told["count"] / max(1, told["total"]), place_of(told["slot"])[0])
        for task, told in view.tasks.items()
        if task.startswith(PIECES)
    }
    whole = sum(frames for _, frames, _ in output.map)
    found: list[PieceRun] = []
    for name, frames, treatment in output.map:
        done, place = under_way.get(name, (0.0, ""))
        if treatment == "kept" or name in view.pieces_done:
            done, place = 1.0, view.pieces_done.get(name, "")
        run = PieceRun(frames / max(1, whole), treatment, min(1.0, done), place)
        last = found[-1] if found else None
        if last and last[1:4] == run[1:4] and run.done in (0.0, 1.0):
            run = run._replace(share=last.share + run.share, pieces=last.pieces + 1)
            found.pop()
        found.append(run)
    return tuple(found)


def places_told(pieces: Sequence[PieceRun]) -> str:
    """Where the pieces of an output are made, in a few words; "" where all are made on this machine."""
    if not any(run.elsewhere for run in pieces):
        return ""
    counts: dict[str, int] = {}
    for run in pieces:
        if run.place:
            counts[run.place] = counts.get(run.place, 0) + run.pieces
    first, *others = sorted(counts.items(), key=lambda item: (not item[0].startswith(HERE), item[0]))
    told = [f"{counted(first[1], 'piece')} {_at(first[0])}", *(f"{n} {_at(place)}" for place, n in others)]
    return ", ".join(told)


def _at(place: str) -> str:
    return place if place.startswith(HERE) else f"at {place}"


class FanMoment(NamedTuple):
    """What was forecast of the finish at a moment of the run; all in seconds since it began."""

    at: float
    p10: float
    likely: float
    safe: float


@dataclass(frozen=True)
class RunRow:
    """One output on screen.

    ``time``, ``size`` and ``finish`` are what it is by now: what came, or what is forecast; ``promised`` what was forecast
    of each before anything was encoded, and stays.
    """

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
    checks: tuple[ProofTold, ...] = ()
    note: str = ""
    pieces: tuple[PieceRun, ...] = ()
    picture: PictureTold | None = None
    promised: tuple[str, str, str] = ("", "", "")
    failures: tuple[str, ...] = ()


@dataclass(frozen=True)
class RunModel:
    """A run on screen.

    ``condition`` is what it is doing, ``role`` the colour that goes with it; ``house`` what was said of its house last;
    ``ending`` once it is over: what was made, where, in how long, how large, against what was promised;
    ``can_go_on`` whether something of it is left that could be made after all.
    """

    rows: tuple[RunRow, ...]
    title: str
    condition: Condition
    role: str
    finished_name: str
    finished: str
    finished_more: str
    size: str
    size_more: str
    room: str
    room_more: str
    room_ok: bool
    done: str
    done_more: str
    share: float
    going: bool
    paused: bool
    lives: bool
    ended: bool
    fan: tuple[FanMoment, ...]
    fan_start: datetime
    needs: tuple[str, ...]
    sentence: str
    house: str = ""
    ending: str = ""
    can_go_on: bool = False

    @property
    def moves(self) -> bool:
        """Whether it works: only then is a time by the clock promised."""
        return self.condition in ("going", "early")


ROLES: dict[str, str] = {
    "none": "quiet",
    "going": "tide",
    "early": "lichen",
    "paused": "lichen",
    "full": "rust",
    "away": "rust",
    "no slot": "lichen",
    "no station": "lichen",
    "still": "rust",
    "silent": "rust",
    "interrupted": "rust",
    "ended": "tide",
}
STANDS: dict[str, tuple[str, str]] = {
    "none": ("—", "nothing has been rendered yet"),
    "paused": ("paused", "nothing moves and nothing is lost; Resume goes on"),
    "full": ("waits for room", "nothing moves until there is room on the drive; then it goes on by itself"),
    "away": ("waits for a drive", "nothing moves until the folder is there again; then it goes on by itself"),
    "no slot": ("waits its turn", "other work has every slot of this machine"),
    "no station": ("waits for its stations", "none of those that its files are kept to is there"),
    "interrupted": (
        "interrupted",
        "its runner is gone; what is finished is kept. Go on renders what is left",
    ),
}
"""What is said instead of a time by the clock when nothing moves."""


def _promise(output: OutputView, what: str) -> tuple[float, float] | None:
    value = output.forecast.get(what)
    return (float(value["likely"]), float(value["safe"])) if isinstance(value, dict) else None


def run_row(view: RunView, output: OutputView, at: datetime | None) -> RunRow:
    """One output as a row: promise and fact apart."""
    time, size, finish = "", "", ""
    # of the processor, where that was promised: what others take of the machine is not this file's work
    seconds, size_promise = _promise(output, "cpu_seconds"), _promise(output, "bytes")
    took = output.cpu_seconds
    if seconds is None:
        seconds, took = _promise(output, "seconds"), output.seconds
    if output.state == "proved":
        time = "made before" if output.again else time_text(took)
        size = size_text(output.bytes)
        finish = clock_text(datetime.fromtimestamp(output.ended).astimezone()) if output.ended else ""
    elif output.state in GOING:
        now = view.finish.get("work", {}).get(output.id, {})
        if seconds:  # what was spent so far, and what is still to come of it
            time = (
                f"{time_text(now['cpu_seconds'] + output.spent)} likely"
                if now
                else f"{time_text(seconds[0])} likely"
            )
        if size_promise:
            size = f"{size_text(now.get('bytes', size_promise[0]))} likely"
        band = view.finish.get("outputs", {}).get(output.id)
        if band and at is not None and output.state in GOING and view.moves:
            finish = clock_text(datetime.fromtimestamp(at.timestamp() + band["likely"]).astimezone())
    share = 1.0 if output.state == "proved" else output.frames_done / output.frames if output.frames else 0.0
    kept = output.kept / output.pieces if output.pieces else 0.0
    checks = tuple(
        ProofTold(c["name"], bool(c["ok"]), c["expected"], c["found"], c["proof"]) for c in output.checks
    )
    name = output.title or (Path(output.path).stem if output.path else output.id)
    return RunRow(
        output.id,
        name + (f" · {output.range}" if output.range else ""),
        output.recipe,
        output.extent,
        view.shown_state(output),
        min(1.0, share),
        min(kept, share),
        time,
        size,
        finish,
        output.reason,
        output.path,
        checks,
        (view.composed_told(output.id) or output.note) if output.state in GOING else "",
        piece_runs(view, output),
        picture_told(output),
        _promised(output, seconds, size_promise),
        failures_told(output),
    )


def failures_told(output: OutputView) -> tuple[str, ...]:
    """What failed of an output, the newest first: where, what it cost, why, what is done about it."""
    found = []
    for number, failure in enumerate(reversed(output.failures)):
        where = f" of {failure.at}" if failure.at else ""
        words = f"An attempt{where} failed after {time_text(failure.seconds)}: {failure.sentence}"
        if not number and output.state in GOING:
            words += " It is tried again."
        found.append(words)
    return tuple(found)


def _promised(
    output: OutputView, seconds: tuple[float, float] | None, size: tuple[float, float] | None
) -> tuple[str, str, str]:
    """What was promised of an output's work, size and finish when it came into the run."""
    finish = (output.forecast.get("finish") or {}).get("likely")
    if output.again:  # it is made: what was promised then was of another evening
        seconds, finish = None, None
    return (
        f"promised {time_text(seconds[0])}" if seconds else "",
        f"promised {size_text(size[0])}" if size else "",
        f"promised {clock_text(datetime.fromisoformat(finish))}" if isinstance(finish, str) else "",
    )


class FinishTold(NamedTuple):
    """What the head says of the finish: what it is called, the time or the state, more of it, a colour's role."""

    name: str
    finished: str
    more: str
    role: str


def _finish_told(view: RunView, rows: Sequence[RunRow], active: float, now: float) -> FinishTold:
    """When it will be finished, or why nothing can be promised."""
    needs = [row for row in rows if row.state == "needs you"]
    role = ROLES[view.condition]
    name, finished, more = "will be finished", "…", "the first forecast is being made"
    told = view.finish.get("finish")
    if view.condition == "ended":
        name, finished = "finished", clock_text(datetime.fromtimestamp(view.ended).astimezone())
        words = {
            "done": "every file proved",
            "needs you": f"{len(needs)} need you" if needs else "it needs you",
            "stopped": "stopped; what was finished is kept",
        }
        role = {"done": "tide", "needs you": "rust"}.get(view.outcome, "quiet")
        more = f"{words.get(view.outcome, view.outcome)} · {time_text(active)} of work"
        promised = view.forecast.get("total", {}).get("finish", {}).get("likely")
        if promised and view.outcome == "done":
            more += f" · promised {clock_text(datetime.fromisoformat(promised))}"
        if view.sentence:
            more = view.sentence
    elif view.condition == "silent":
        name = "the run"
        finished = "no answer"
        more = f"its runner has said nothing for {time_text(view.silent_seconds)}; Stop ends it for certain, what is finished is kept"
    elif view.condition == "still":
        name = "the run"
        finished = "stands still"
        more = f"nothing has moved for {time_text(view.still_seconds)}; Stop ends it for certain, what is finished is kept"
    elif view.condition in STANDS:
        name, (finished, more) = "the run", STANDS[view.condition]
        reason = next((row.reason for row in rows if row.state in ("needs you", *WAITS.values())), "")
        if view.condition in ("full", "away") and reason:
            more = reason
    elif told:
        likely, safe = datetime.fromisoformat(told["likely"]), datetime.fromisoformat(told["safe"])
        finished = clock_text(likely)
        more = f"safe by {clock_text(safe)} · {time_text(max(0.0, likely.timestamp() - now))} to go"
        if view.condition == "early":
            more += " · what is left may not be begun yet"
    return FinishTold(name, finished, more, role)


def run_model(view: RunView, now: float) -> RunModel:
    """A run as *Run* shows it; ``now`` is the time in seconds."""
    at = datetime.fromisoformat(view.finish["at"]) if view.finish.get("at") else None
    rows = tuple(run_row(view, view.outputs[name], at) for name in view.order)
    proved = [output for output in view.outputs.values() if output.state == "proved"]
    needs = tuple(f"{row.title} · {row.recipe}: {row.reason}" for row in rows if row.state == "needs you")
    going = view.lives and not view.outcome
    active = view.active_seconds(now)
    name, finished, more, role = _finish_told(view, rows, active, now)
    made = sum(o.bytes for o in proved)
    total = view.finish.get("bytes") or view.forecast.get("total", {}).get("bytes")
    if view.condition == "ended":
        size, size_more = size_text(made), f"in {len(proved)} file{'s' if len(proved) != 1 else ''}"
        if (promise := view.forecast.get("total", {}).get("bytes")) and len(proved) == len(rows):
            size_more = f"{size_text(promise['likely'])} promised, safe {size_text(promise['safe'])}"
    elif total:
        size, size_more = (
            size_text(total["likely"]),
            f"safe {size_text(total['safe'])} · {size_text(made)} made",
        )
    else:
        size, size_more = "…", ""
    room, room_more, room_ok = _room(view)
    frames = view.encoded_frames + view.frames_in_hand
    rate = view.encoded_media_seconds / view.encoded_frames if view.encoded_frames else 0.04
    done_more = "proved"
    if view.condition in ("going", "ended") and active > 2 and frames:
        done_more += (
            f" · {times_text(frames * rate / active)} real time, {frames / active:.0f} frames a second"
        )
    fan = []
    for moment, band in view.fan[-400:]:
        low, mid, high = (
            datetime.fromisoformat(band[key]).timestamp() - view.began for key in ("p10", "likely", "safe")
        )
        fan.append(FanMoment(moment - view.began, low, mid, high))
    done = f"{len(proved)} of {len(rows)}"
    sentence = (
        f"{done} outputs proved. {name[0].upper()}{name[1:]}: {finished}, {more}. Size {size}, {size_more}."
        if view.began
        else "Nothing has been rendered yet."
    )
    return RunModel(
        rows,
        str(view.batch.get("title", "")),
        view.condition,
        role,
        name,
        finished,
        more,
        size,
        size_more,
        room,
        room_more,
        room_ok,
        done,
        done_more,
        view.frames_done / view.frames if view.frames else 0.0,
        going,
        view.paused,
        view.lives,
        bool(view.outcome),
        tuple(fan),
        datetime.fromtimestamp(view.began or now).astimezone(),
        needs,
        sentence,
        view.house if going else "",
        ending_told(view) if view.condition == "ended" else "",
        view.outcome in ("stopped", "needs you"),
    )


def ending_told(view: RunView) -> str:
    """What a run came to, in a line: what was made, where, in how long, how large, against what was promised."""
    outputs = list(view.outputs.values())
    made = [output for output in outputs if output.state == "proved"]
    if not made:
        return "Nothing was made."
    places = {str(Path(output.path).parent) for output in made}
    where = places.pop() if len(places) == 1 else f"{len(places) + 1} folders"
    again = sum(output.again for output in made)
    parts = [
        f"{counted(len(made), 'file')} proved" + (f", {again} of them made before" if again else ""),
        f"in {where}",
    ]
    took, told = view.active_seconds(view.ended), view.forecast.get("total", {})
    finish = told.get("finish", {}).get("likely")
    promised = datetime.fromisoformat(finish).timestamp() - view.began if finish else 0.0
    parts.append(time_text(took) + (f", promised {time_text(promised)}" if promised else ""))
    size = size_text(sum(output.bytes for output in made))
    whole = len(made) == len(outputs) and told.get("bytes")
    parts.append(size + (f", promised {size_text(told['bytes']['likely'])}" if whole else ""))
    if left := len(outputs) - len(made):
        parts.append(f"{left} not made")
    return " · ".join(parts)


def _room(view: RunView) -> tuple[str, str, bool]:
    """Whether what is still to be written fits, by the last look at the drives."""
    rooms = view.finish.get("room") or view.forecast.get("room") or []
    if view.condition == "ended" or not rooms:
        return "—", "", True
    if view.condition == "full":
        tight = min(rooms, key=lambda room: room["free"] - room["needs"]["safe"])
        return "full", f"{size_text(tight['needs']['safe'])} needed, {size_text(tight['free'])} free", False
    worst = min(rooms, key=lambda room: room["free"] - room.get("reserve", 0) - room["needs"]["safe"])
    words = {"fits": "fits", "tight": "tight", "short": "too small", "read-only": "read-only"}
    usable = max(0, worst["free"] - worst.get("reserve", 0))
    fit = str(worst.get("fit", "fits" if worst["fits"] else "short"))
    return (
        words[fit],
        f"{size_text(worst['needs']['safe'])} needed, {size_text(usable)} can be used",
        fit == "fits",
    )
