"""A run as anyone sees it: its journal's records folded to a picture of now.  Pure."""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, Literal, NamedTuple, Protocol

from chronocast.model.batch.batch import Batch
from chronocast.model.stages import BASE, COPY, ENCODE, HERE

SILENT_SECONDS = 8.0
"""A runner says that it lives every second; one that has said nothing for so long does not answer."""
MOST_STRETCHES = 2000
"""Of what slots have done so much is kept."""
STILL_SECONDS = 60.0
"""How long nothing may move before a person is told."""

Condition = Literal[
    "none",
    "going",
    "early",
    "paused",
    "full",
    "away",
    "no slot",
    "no station",
    "still",
    "silent",
    "interrupted",
    "ended",
]
"""What a run is doing.

*going*: it moves; *early*: what is left may not be begun yet; *paused*: somebody asked for that; *full*: it waits for room on a drive; *away*: for a drive or
folder that has gone; *no slot*: for other work on this machine; *no station*: for those that its files are kept to; *still*: nothing moves though it should; *silent*:
its runner lives and doesn't answer; *interrupted*: its runner is gone; *ended*.
"""


WAITING: dict[str, Condition] = {
    "space": "full",
    "drive": "away",
    "slot": "no slot",
    "time": "early",
    "station": "no station",
}


WAITS = {"space": "waits for room", "drive": "waits for its drive"}
"""What is said of an output that goes on by itself."""


class AnyRecord(Protocol):
    """A record of a run's journal."""

    @property
    def seq(self) -> int:
        """Its number."""

    @property
    def time(self) -> float:
        """When it was written, in seconds since 1970."""

    @property
    def kind(self) -> str:
        """What it tells of."""

    @property
    def body(self) -> dict[str, Any]:
        """What it tells."""


def shown_name(piece: str) -> str:
    """A piece's name, as short as tells it apart."""
    return piece[:12]


PIECES = (f"{ENCODE.id}:", f"{COPY.id}:")
"""What tasks that make pieces are called by."""


@dataclass
class OutputView:
    """One output of a run.

    ``map`` are its pieces in order: short name, frames, and *kept*, *copy* or *encode*; none where they
    are still to be found.  ``picture`` is the newest piece's poorest picture beside its original: *file*, *at* (timecode),
    *xpsnr* in dB; ``poorest`` the same of all pieces.  ``spent`` are the processor's seconds so far; ``waits_for`` is *space*
    or *drive* where it goes on by itself once that is there.
    """

    id: str
    state: str = "waiting"
    reason: str = ""
    path: str = ""
    title: str = ""
    range: str = ""
    extent: str = ""
    recipe: str = ""
    frames: int = 0
    frames_done: int = 0
    rate: Fraction = Fraction(25)
    pieces: int = 0
    kept: int = 0
    encoded: int = 0
    copied: int = 0
    bytes: int = 0
    seconds: float = 0.0
    cpu_seconds: float = 0.0
    spent: float = 0.0
    again: bool = False
    note: str = ""
    began: float = 0.0
    ended: float = 0.0
    checks: list[dict[str, Any]] = field(default_factory=list)
    map: list[tuple[str, int, str]] = field(default_factory=list)
    forecast: dict[str, Any] = field(default_factory=dict)
    picture: dict[str, Any] = field(default_factory=dict)
    poorest: dict[str, Any] = field(default_factory=dict)
    failures: list[Failure] = field(default_factory=list)
    waits_for: str = ""

    def as_json(self) -> dict[str, Any]:
        """As ``render`` and ``status`` answer it."""
        return {
            "id": self.id,
            "state": self.state,
            "reason": self.reason,
            "path": self.path,
            "bytes": self.bytes,
            "source": self.title,
            "range": self.range,
            "extent": self.extent,
            "recipe": self.recipe,
            "note": self.note,
            "seconds": round(self.seconds, 3),
            "cpu_seconds": round(self.cpu_seconds, 3),
            "frames": self.frames,
            "frames_done": self.frames if self.state == "proved" else self.frames_done,
            "made_before": self.again,
            "pieces": {
                "total": self.pieces,
                "kept": self.kept,
                "copied": self.copied,
                "encoded": self.encoded,
            },
            "checks": self.checks,
            "forecast": {
                key: self.forecast.get(key) for key in ("seconds", "cpu_seconds", "bytes", "finish")
            },
        }


class Failure(NamedTuple):
    """An attempt that failed: why, where in the source (timecode, "" for the whole), and the seconds that it cost."""

    sentence: str
    at: str
    seconds: float


class Stretch(NamedTuple):
    """What one slot did: for which output, what, from when to when (seconds since 1970), and whether it came to something.

    ``place`` is the station, or its device.
    """

    output: str
    kind: str
    place: str
    slot: int
    begin: float
    end: float
    good: bool = True


def place_of(slot: str) -> tuple[str, int]:
    """The place that a slot belongs to, and its number there.

    >>> place_of("here-1"), place_of("Plover/here-0"), place_of("Curlew/here-stand-in device-1")
    (('here', 1), ('Plover', 0), ('Curlew · stand-in device', 1))
    """
    station, found, rest = slot.partition("/")
    if not found:
        station, rest = HERE, slot
    device, _, number = rest.removeprefix(f"{HERE}-").rpartition("-")
    return (f"{station} · {device}" if device else station), int(number) if number.isdigit() else 0


@dataclass
class RunView:
    """A run: outputs in the operator's order, what is going on, how it ended; ``house`` is what was said of it last.

    ``stand_ins`` are stations that only stand in for workstations; ``pieces_done`` says where each piece was made.
    """

    batch: dict[str, Any] = field(default_factory=dict)
    path: str = ""
    began: float = 0.0
    ended: float = 0.0
    outcome: str = ""
    sentence: str = ""
    outputs: dict[str, OutputView] = field(default_factory=dict)
    forecast: dict[str, Any] = field(default_factory=dict)
    fan: list[tuple[float, dict[str, str]]] = field(default_factory=list)
    tasks: dict[str, Any] = field(default_factory=dict)
    finish: dict[str, Any] = field(default_factory=dict)
    paused: bool = False
    waits_for: str = ""
    lives: bool = False
    last: int = 0
    time: float = 0.0
    asked_order: list[str] = field(default_factory=list)
    pieces_done: dict[str, str] = field(default_factory=dict)
    troubles: list[str] = field(default_factory=list)
    worked: list[Stretch] = field(default_factory=list)
    lanes: dict[str, Any] = field(default_factory=dict)
    _begun: dict[tuple[str, int], tuple[str, float, str]] = field(default_factory=dict)
    house: str = ""
    stand_ins: set[str] = field(default_factory=set)
    encoded_frames: int = 0
    encoded_media_seconds: float = 0.0
    idle_seconds: float = 0.0
    idle_since: float = 0.0
    _rates: dict[str, Fraction] = field(default_factory=dict)
    silent_seconds: float = 0.0
    still_seconds: float = 0.0

    def fold(self, records: Iterable[AnyRecord]) -> RunView:
        """Take in records, each once."""
        for record in records:
            if record.seq > self.last:
                self.last, self.time = record.seq, record.time
                if (take := _TAKE.get(record.kind)) is not None:
                    take(self, record)
        return self

    def see(
        self, now: Mapping[str, tuple[float, dict[str, Any]]], lives: bool, at: float | None = None
    ) -> RunView:
        """Take in what is going on now.

        ``silent_seconds`` becomes how long its runner has said nothing at all,
        ``still_seconds`` how long nothing has moved though something should;
        ``at`` is the time now, in seconds.

        Parameters
        ----------
        now
            What the runner says of now, by name, each with when it was said.
        lives
            Whether a runner holds the journal.
        at
            The time now, in seconds since 1970.
        """
        self.lives = lives
        at = time.time() if at is None else at
        going = lives and not self.outcome
        self.silent_seconds = max(0.0, at - now["runner"][0]) if going and "runner" in now else 0.0
        body = now.get("tasks", (0.0, {}))[1] if lives and not self.outcome else {}
        self.tasks = body.get("tasks", {})
        self.paused = bool(body.get("paused"))
        self.waits_for = str(body.get("waits_for", ""))
        self.finish = now["finish"][1] if going and "finish" in now else {}
        self.lanes = now["lanes"][1] if going and "lanes" in now else {}
        moved = float(body.get("moved") or at)
        expects = going and not self.paused and self.waits_for not in ("space", "drive", "resume", *WAITING)
        self.still_seconds = max(0.0, at - moved, self.silent_seconds) if expects else self.silent_seconds
        waiting = body.get("waiting", {})
        for output in self.outputs.values():
            output.waits_for = str(waiting.get(output.id, ""))
        for name, count in body.get("outputs", {}).items():
            if name in self.outputs:
                self.outputs[name].frames_done = int(count)
        return self

    def composed_told(self, output: str) -> str:
        """What is being composed for an output's pieces before they are encoded, in a few words; "" for nothing."""
        bases = [
            told
            for task, told in self.tasks.items()
            if task.startswith(f"{BASE.id}:") and told["output"] == output
        ]
        if not bases:
            return ""
        done, whole = sum(told["count"] for told in bases), sum(told["total"] for told in bases)
        return f"composing once: {done} of {whole} pictures"

    @property
    def order(self) -> list[str]:
        """Outputs in the order that is worked by."""
        first = [name for name in self.asked_order if name in self.outputs]
        return first + [name for name in self.outputs if name not in first]

    @property
    def frames(self) -> int:
        """Of all outputs."""
        return sum(output.frames for output in self.outputs.values())

    @property
    def frames_done(self) -> int:
        """Of all outputs, those that are finished or under way."""
        return sum(
            output.frames if output.state == "proved" else output.frames_done
            for output in self.outputs.values()
        )

    def active_seconds(self, now: float) -> float:
        """How long it has worked: pauses and the time it had no runner are no work."""
        if not self.began:
            return 0.0
        end = self.ended or now
        idle = self.idle_seconds
        if self.idle_since:
            idle += max(0.0, end - self.idle_since)
        elif not self.lives and not self.ended and self.time:
            end = self.time
        return max(0.0, end - self.began - idle)

    @property
    def frames_in_hand(self) -> int:
        """Frames of pieces that are being encoded."""
        return sum(int(task.get("count", 0)) for name, task in self.tasks.items() if name.startswith(PIECES))

    @property
    def condition(self) -> Condition:
        """What moves: see ``Condition``."""
        if self.outcome:
            return "ended"
        if not self.lives:
            return "interrupted" if self.began else "none"
        if self.silent_seconds > SILENT_SECONDS:
            return "silent"
        if self.paused:
            return "paused"
        if waits := WAITING.get(self.waits_for):
            return waits
        return "still" if self.still_seconds > STILL_SECONDS else "going"

    @property
    def moves(self) -> bool:
        """Whether a time by the clock can be promised."""
        return self.condition in ("going", "early")

    def lacks(self, batch: Batch) -> list[str]:
        """Outputs that a batch asks for but that are not in this run, or were changed since it began."""
        before = {output["id"]: output for output in self.batch.get("outputs", ())}
        recipes = {recipe["id"]: recipe for recipe in self.batch.get("recipes", ())}
        found = []
        for output in batch.outputs:
            recipe = batch.recipe(output.recipe)
            same = before.get(output.id) == output.model_dump(mode="json")
            same = same and recipe is not None and recipes.get(recipe.id) == recipe.model_dump(mode="json")
            if output.held or same:
                continue
            known = self.outputs.get(output.id)
            if known is None or known.state not in ("proved", "stopped", "placing"):
                found.append(output.id)
        return found

    def moved(self, output: str, step: int) -> list[str]:
        """The order of its outputs with one of them so many places further; nothing if it isn't in the run."""
        order = list(self.order)
        if output not in order:
            return []
        at = order.index(output)
        order.insert(max(0, min(len(order) - 1, at + step)), order.pop(at))
        return order

    def put_before(self, output: str, before: str) -> list[str]:
        """The order of its outputs with one right before another, or last; nothing if one of them isn't in the run.

        Parameters
        ----------
        output, before
            Ids; "" for last.
        """
        order = [name for name in self.order if name != output]
        if len(order) == len(self.order) or (before and before not in order):
            return []
        order.insert(order.index(before) if before else len(order), output)
        return order

    def output(self, identifier: str) -> OutputView:
        """An output, made known if it was not."""
        return self.outputs.setdefault(identifier, OutputView(identifier))

    def shown_state(self, output: OutputView) -> str:
        """The state a person is told: *paused* lies over what would go on."""
        if output.state in ("waiting", "rendering", "joining", "checking", "placing"):
            if self.condition == "paused":
                return "paused"
            if self.condition == "interrupted":
                return "interrupted"
        return WAITS.get(output.waits_for, output.state) if output.state == "needs you" else output.state

    def as_json(self) -> dict[str, Any]:
        """As ``status`` answers it."""
        return {
            "version": 1,
            "run": self.path,
            "began": self.began,
            "ended": self.ended or None,
            "outcome": self.outcome or None,
            "sentence": self.sentence,
            "lives": self.lives,
            "paused": self.paused,
            "waits_for": self.waits_for,
            "condition": self.condition,
            "still_seconds": round(self.still_seconds, 1),
            "troubles": self.troubles,
            "house": self.house,
            "frames": self.frames,
            "frames_done": self.frames_done,
            "finish": self.finish.get("finish") if self.moves else None,
            "outputs": [self.outputs[name].as_json() for name in self.order],
        }


def _begin(view: RunView, record: AnyRecord) -> None:
    view.batch, view.path, view.began = record.body["batch"], record.body["path"], record.time
    sources, recipes = (
        {item["id"]: item for item in view.batch.get(kind, ())} for kind in ("sources", "recipes")
    )
    for output in view.batch["outputs"]:
        known = view.output(output["id"])
        # what can't be prepared is told by its names, too
        known.title = sources.get(output.get("source"), {}).get("name", "")
        known.recipe = recipes.get(output.get("recipe"), {}).get("name", "")


def _forecast(view: RunView, record: AnyRecord) -> None:
    view.forecast = record.body
    view.stand_ins |= {told["name"] for told in record.body.get("stations", ()) if told.get("stand_in")}
    for item in record.body["outputs"]:
        view.output(item["id"]).forecast = item


def _ready(view: RunView, record: AnyRecord) -> None:
    output, body = view.output(record.body["id"]), record.body
    output.path, output.title, output.range = body["path"], body["title"], body["range"]
    output.extent = body.get("extent", "")
    output.recipe, output.frames, output.rate = body["recipe"], body["frames"], Fraction(body["rate"])
    output.pieces, output.kept = body["pieces"], body["kept"]
    output.map = [(str(name), int(frames), str(kind)) for name, frames, kind in body.get("map", ())]


def _output(view: RunView, record: AnyRecord) -> None:
    output = view.output(record.body["id"])
    if record.body["state"] == "rendering" and not output.began:
        output.began = record.time
    output.state, output.reason = record.body["state"], record.body["reason"]
    if output.state in ("proved", "stopped"):
        output.ended = record.time


def _started(view: RunView, record: AnyRecord) -> None:
    body = record.body
    view._begun[body["task"], body["attempt"]] = (body["slot"], record.time, body.get("output", ""))


def _worked(view: RunView, record: AnyRecord, good: bool) -> Stretch | None:
    """An attempt ended: what its slot did."""
    begun = view._begun.pop((record.body["task"], record.body["attempt"]), None)
    if begun is not None:
        slot, since, output = begun
        kind = record.body["task"].partition(":")[0]
        view.worked.append(
            Stretch(record.body.get("output") or output, kind, *place_of(slot), since, record.time, good)
        )
        del view.worked[:-MOST_STRETCHES]
        return view.worked[-1]
    return None


NO_FAULT = ("stopped", "space", "away", "elsewhere")
"""Faults that nothing has failed by: somebody asked for it, or it waits."""


def _failed(view: RunView, record: AnyRecord) -> None:
    worked, body = _worked(view, record, good=False), record.body
    if worked is not None and worked.output and body.get("fault") not in NO_FAULT:
        told = Failure(str(body.get("sentence", "")), str(body.get("at", "")), worked.end - worked.begin)
        view.output(worked.output).failures.append(told)


def _finished(view: RunView, record: AnyRecord) -> None:
    worked = _worked(view, record, good=True)
    if record.body["output"]:
        view.output(record.body["output"]).spent += float(record.body.get("cpu_seconds", 0.0))
    if record.body["task"].startswith(PIECES):
        view.pieces_done[shown_name(record.body["task"].partition(":")[2])] = worked.place if worked else ""
    if record.body["task"].startswith(PIECES) and record.body["output"]:
        output = view.output(record.body["output"])
        if record.body["result"].get("copied"):
            output.copied += 1
            return
        output.encoded += 1
        if picture := record.body.get("picture"):
            output.picture = picture
            if picture.get("poorest"):
                output.poorest = {**picture, "file": picture["poorest"]}
        frames = int(record.body["result"].get("frames", 0))
        view.encoded_frames += frames
        view.encoded_media_seconds += frames / float(output.rate)
    if record.body["task"].startswith("check:"):
        view.output(record.body["task"][6:]).checks = record.body["result"]["checks"]


def _made(view: RunView, record: AnyRecord) -> None:
    output, body = view.output(record.body["id"]), record.body
    output.path, output.bytes, output.seconds = body["path"], body["bytes"], body["seconds"]
    output.cpu_seconds, output.checks, output.again = (
        body["cpu_seconds"],
        body["checks"],
        bool(body.get("again")),
    )
    if output.again and body.get("forecast"):  # what was promised when it was made, not what is known since
        output.forecast = {**output.forecast, **{k: v for k, v in body["forecast"].items() if v}}


def _round(view: RunView, record: AnyRecord) -> None:
    output, body = view.output(record.body["id"]), record.body
    output.note = f"round {body['round']}: {body['sentence']}" if body["round"] else str(body["sentence"])


def _taken_up(view: RunView, record: AnyRecord) -> None:
    view._begun.clear()  # its former runner's attempts are nobody's any more
    view.idle_seconds += max(0.0, float(record.body.get("gone_seconds", 0.0)))


def _trouble(view: RunView, record: AnyRecord) -> None:
    view.troubles.append(str(record.body["sentence"]))


def _request(view: RunView, record: AnyRecord) -> None:
    kind, body = record.body["kind"], record.body["body"]
    if kind == "pause" and not view.idle_since:
        view.idle_since = record.time
    elif kind in ("resume", "stop") and view.idle_since:
        view.idle_seconds += record.time - view.idle_since
        view.idle_since = 0.0
    if kind == "order":
        view.asked_order = list(body["outputs"])
    elif kind == "add":
        view.batch = body["batch"]


def _outlook(view: RunView, record: AnyRecord) -> None:
    view.fan.append((record.time, record.body["finish"]))
    view.stand_ins.update(record.body.get("stand_ins", ()))


def _ended(view: RunView, record: AnyRecord) -> None:
    view.outcome, view.ended, view.sentence = (
        record.body["outcome"],
        record.time,
        record.body.get("sentence", ""),
    )
    if view.sentence:
        for output in view.outputs.values():
            if output.state == "waiting":
                output.state, output.reason = (
                    "needs you" if view.outcome != "stopped" else "stopped",
                    view.sentence,
                )


def _house(view: RunView, record: AnyRecord) -> None:
    view.house = str(record.body["sentence"])


_TAKE = {
    "begin": _begin,
    "forecast": _forecast,
    "output ready": _ready,
    "output": _output,
    "finished": _finished,
    "started": _started,
    "failed": _failed,
    "made": _made,
    "outlook": _outlook,
    "round": _round,
    "ended": _ended,
    "request": _request,
    "trouble": _trouble,
    "taken up": _taken_up,
    "house": _house,
    "station": _house,
}
