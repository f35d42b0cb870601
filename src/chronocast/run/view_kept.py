"""A run's view as its journal keeps it, so that a run of ten thousands of pieces is seen without reading all of it."""

from __future__ import annotations

import logging
from dataclasses import fields
from fractions import Fraction
from functools import cache
from typing import Any

from pydantic_core import from_json, to_json

from chronocast.journal.batches.runs import RunJournal
from chronocast.run.view import Failure, OutputView, RunView, Stretch

log = logging.getLogger(__name__)

VERSION = 2
"""Of the way in which it is written: a view of another one is folded anew from the records."""
WORTH = 2000
"""So many new records are worth keeping what they come to."""

_NOW = ("tasks", "finish", "paused", "waits_for", "lives", "lanes", "silent_seconds", "still_seconds")
"""What is seen of now, and not told by records."""


def keep_view(journal: RunJournal) -> bool:
    """Keep what a run's records come to, where many have come since; whether it was done."""
    if journal.last_number() - journal.folded_up_to(VERSION) < WORTH:
        return False
    view = folded_view(journal)
    view.fold(journal.records(view.last))
    journal.keep_folded(VERSION, view.last, view_text(view))
    return True


def read_view(journal: RunJournal, lives: bool) -> RunView:
    """A run's view from its journal."""
    view = folded_view(journal)
    return view.fold(journal.records(view.last)).see(journal.now(), lives)


def folded_view(journal: RunJournal) -> RunView:
    """A run's view as it was kept last, to be folded on from there; an empty one where none was, or it can't be read."""
    if not 0 < journal.folded_up_to(VERSION) <= journal.last_number():
        return RunView()
    try:
        return view_of_text(journal.folded(VERSION))
    except (ValueError, TypeError, KeyError):
        log.warning("what %s comes to is read from its records: what was kept of it can't be", journal.path)
        return RunView()


def view_text(view: RunView) -> str:
    """A view as JSON, all but what is seen of now."""
    told = {field.name: getattr(view, field.name) for field in fields(view) if field.name not in _NOW}
    promised = _promised(view.forecast)
    told["outputs"] = [_output_told(output, promised) for output in view.outputs.values()]
    told["_begun"] = [[*key, *value] for key, value in told["_begun"].items()]
    told["_rates"] = {name: str(rate) for name, rate in told["_rates"].items()}
    told["stand_ins"] = sorted(told["stand_ins"])
    return to_json(told).decode()


def _output_told(output: OutputView, promised: dict[str, Any]) -> dict[str, Any]:
    """What an output has become: what is as it was at first is left out."""
    first = vars(OutputView(output.id))
    told = {name: value for name, value in vars(output).items() if value != first[name]}
    told |= {"id": output.id, "rate": str(output.rate)}
    told.pop("waits_for", None)
    if output.map:
        told["map"] = list(zip(*output.map, strict=True))  # three lists are read sooner than thousands
    if output.forecast == promised.get(output.id):
        told["forecast"] = None  # it is in the run's own forecast
    return told


def view_of_text(text: str) -> RunView:
    """The view that was written so."""
    told: dict[str, Any] = from_json(text)
    promised = _promised(told["forecast"])
    told["outputs"] = {item["id"]: _output(item, promised) for item in told["outputs"]}
    told["_begun"] = {
        (task, attempt): (slot, since, output) for task, attempt, slot, since, output in told["_begun"]
    }
    told["_rates"] = {name: _rate(rate) for name, rate in told["_rates"].items()}
    told["stand_ins"] = set(told["stand_ins"])
    told["fan"] = [(at, finish) for at, finish in told["fan"]]
    told["worked"] = [Stretch(*item) for item in told["worked"]]
    return RunView(**told)


def _promised(forecast: dict[str, Any]) -> dict[str, Any]:
    """What was promised of each output."""
    return {item["id"]: item for item in forecast.get("outputs", ())}


@cache
def _rate(text: str) -> Fraction:
    return Fraction(text)


def _output(told: dict[str, Any], promised: dict[str, Any]) -> OutputView:
    if "forecast" in told and told["forecast"] is None:
        told["forecast"] = promised[told["id"]]
    told["rate"] = _rate(told["rate"])
    if "map" in told:
        told["map"] = list(zip(*told["map"], strict=True))
    if "failures" in told:
        told["failures"] = [Failure(*item) for item in told["failures"]]
    return OutputView(**told)
