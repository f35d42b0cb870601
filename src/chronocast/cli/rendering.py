"""``render`` and ``status``: follow a run's journal."""

from __future__ import annotations

import contextlib
import json
import sys
import time
from datetime import datetime
from pathlib import Path
from typing import Any

from chronocast.journal.batches.runs import RunJournal
from chronocast.model.show import clock_text, size_text, time_text
from chronocast.run.client import RunError, stop_run
from chronocast.run.runner_lock import runner_lives
from chronocast.run.view import OutputView, RunView
from chronocast.run.view_kept import read_view

LOOK_SECONDS, LOOK_SHARE = (0.02, 0.2), 0.01
"""How long it is waited before it is looked again what has happened: a hundredth of the time so far, within these."""
EXIT = {"done": 0, "needs you": 1, "stopped": 130}


def view_of(journal: Path) -> RunView:
    """A run as it is now."""
    with RunJournal(journal) as opened:
        return read_view(opened, runner_lives(journal))


def follow(journal: Path, as_json: bool) -> int:
    """Show a run until it ends; the exit status.  Ctrl-C stops the run."""
    view, line = RunView(), ProgressLine(enabled=not as_json and sys.stderr.isatty())
    asked, begun = False, time.monotonic()
    silent_since = begun
    with RunJournal(journal) as opened:
        while True:
            try:
                fresh = opened.records(view.last)
                lives = runner_lives(journal)
                view.fold(fresh).see(opened.now(), lives)
                for record in fresh:
                    _tell(record.kind, record.body, record.time, view=view, as_json=as_json, line=line)
                if view.outcome:
                    break
                if lives:
                    silent_since = time.monotonic()
                    line.show(view)
                elif time.monotonic() - silent_since > 5:
                    line.clear()
                    sys.stderr.write(
                        "The runner ended unexpectedly. Begin again with the same command; finished pieces are kept.\n"
                    )
                    return 1
                soonest, latest = LOOK_SECONDS
                time.sleep(min(latest, max(soonest, LOOK_SHARE * (time.monotonic() - begun))))
            except KeyboardInterrupt:
                if asked:
                    return 130
                asked = True
                line.clear()
                sys.stderr.write("Stopping; finished pieces are kept…\n")
                with contextlib.suppress(RunError):
                    stop_run(journal)
    line.clear()
    if as_json:
        _json(
            {
                "event": "ended",
                "outcome": view.outcome,
                "sentence": view.sentence,
                "outputs": [output.as_json() for output in view.outputs.values()],
            }
        )
    else:
        print_status(view)
    return EXIT.get(view.outcome, 1)


def _json(value: dict[str, Any]) -> None:
    sys.stdout.write(json.dumps(value, ensure_ascii=False) + "\n")
    sys.stdout.flush()


def _tell(
    kind: str, body: dict[str, Any], at: float, *, view: RunView, as_json: bool, line: ProgressLine
) -> None:
    stamp = datetime.fromtimestamp(at).astimezone().isoformat(timespec="milliseconds")
    if as_json:
        if kind not in ("begin", "ended"):
            _json({"event": kind, "time": stamp, **body})
        return
    if kind in ("house", "station"):
        line.clear()
        sys.stderr.write(f"{body['sentence']}\n")
        return
    shown = ("proved", "needs you") if line.enabled else ("rendering", "proved", "needs you")
    if kind == "output" and body["state"] in shown:
        line.clear()
        output = view.outputs[body["id"]]
        sys.stdout.write(
            f"{body['state']:10} {_name(output)}{'  ' + body['reason'] if body['reason'] else ''}\n"
        )
        sys.stdout.flush()


def _name(output: OutputView) -> str:
    named = " · ".join(part for part in (output.title, output.recipe) if part)
    return Path(output.path).name if output.path else named or output.id


class ProgressLine:
    """One line on a terminal, overwritten."""

    def __init__(self, enabled: bool) -> None:
        self.enabled, self._shown = enabled, False

    def show(self, view: RunView) -> None:
        """Share done, speed, what is being made, when it will be finished."""
        if not self.enabled or not view.frames:
            return
        share = view.frames_done / view.frames
        bar = "━" * round(share * 24) + "─" * (24 - round(share * 24))
        finish = view.finish.get("finish", {}).get("likely")
        when = f"finished {clock_text(datetime.fromisoformat(finish))}" if finish and view.moves else "…"
        doing = ", ".join(
            sorted(
                {_name(view.outputs[t["output"]]) for t in view.tasks.values() if t["output"] in view.outputs}
            )
        )
        state = doing if view.condition == "going" else CONDITIONS.get(view.condition, view.condition)
        sys.stderr.write(f"\r\033[K{bar} {share:4.0%}  {when}  {state[:60]}")
        sys.stderr.flush()
        self._shown = True

    def clear(self) -> None:
        """Take the line away."""
        if self._shown:
            sys.stderr.write("\r\033[K")
            sys.stderr.flush()
            self._shown = False


def print_status(view: RunView) -> None:
    """Lines for people: an output each, promise against fact, then the whole."""
    for output in view.outputs.values():
        fact = ""
        if output.state == "proved":
            promised = output.forecast.get("bytes") or {}
            of_it = (
                f" (forecast {size_text(promised['likely'])}, safe {size_text(promised['safe'])})"
                if promised
                else ""
            )
            passed = sum(1 for check in output.checks if check["ok"])
            fact = f"{size_text(output.bytes)}{of_it} · {time_text(output.seconds)} of work · {passed} of {len(output.checks)} checks"
        elif output.frames:
            fact = f"{output.frames_done / output.frames:.0%}"
        part = output.extent if output.extent and not output.extent.startswith("full") else ""
        told = " · ".join(filter(None, (part, fact, output.reason)))
        sys.stdout.write(f"{view.shown_state(output):10} {_name(output):58} {told}\n")
    if view.outcome:
        words = {"done": "Finished", "needs you": "Finished, but something needs you", "stopped": "Stopped"}
        sys.stdout.write(
            f"{words.get(view.outcome, view.outcome)} after {time_text(view.ended - view.began)}. {view.sentence}\n"
        )
    elif view.condition != "going":
        sys.stdout.write(f"{status_sentence(view)}\n")
    if view.house and not view.outcome:
        sys.stdout.write(f"! {view.house}\n")
    for trouble in view.troubles[-3:]:
        sys.stdout.write(f"! {trouble}\n")


def status_sentence(view: RunView) -> str:
    """What a run that doesn't move is doing, and what can be done."""
    if view.condition == "silent":
        return (
            f"Its runner lives but has said nothing for {time_text(view.silent_seconds)}. "
            "End it for certain with: chronocast stop; what is finished is kept."
        )
    if view.condition == "still":
        return (
            f"Nothing has moved for {time_text(view.still_seconds)}. "
            "End it for certain with: chronocast stop; what is finished is kept."
        )
    return f"{CONDITIONS[view.condition]}."


CONDITIONS = {
    "none": "Nothing has been rendered yet",
    "early": "Waiting until it may begin",
    "paused": "Paused: nothing moves and nothing is lost",
    "full": "Waiting for room on the drive",
    "away": "Waiting for a drive or folder that is gone",
    "no slot": "Waiting: other work has every slot of this machine",
    "no station": "Waiting: none of the stations that its files are kept to is there",
    "interrupted": "Interrupted: its runner is gone; go on with: chronocast resume",
    "still": "Nothing moves",
    "silent": "Its runner doesn't answer",
}
