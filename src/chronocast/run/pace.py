"""This machine's pace: kept once measured, the supplied one until then."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

from chronocast.forecast.work import SUPPLIED_PACE, Pace
from chronocast.journal.documents import load_json, save_json
from chronocast.journal.places import data_folder

VERSION = 1


def pace_path() -> Path:
    """Where the pace is kept."""
    return data_folder() / "pace.json"


def load_pace() -> Pace:
    """The measured pace, or the supplied one."""
    value = load_json(pace_path())
    if value.pop("version", None) != VERSION:
        return SUPPLIED_PACE
    value.pop("measured", None)
    value.pop("machine", None)
    try:
        pace = Pace(**value)
        return pace if pace.encode > 0 and pace.write > 0 else SUPPLIED_PACE
    except TypeError:
        return SUPPLIED_PACE


def save_pace(pace: Pace, measured: str, machine: str) -> None:
    """Keep a measured pace."""
    save_json(pace_path(), {"version": VERSION, "measured": measured, "machine": machine, **asdict(pace)})
