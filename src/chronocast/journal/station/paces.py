"""The paces of stations: kept once measured, the supplied one until then."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

from chronocast.forecast.station import SUPPLIED_PACE, Pace
from chronocast.journal.documents import load_json, save_json
from chronocast.model.stages import HERE

VERSION = 3
"""2: by the processor's seconds, what others took of the machine apart.  3: by station."""


class PaceStore:
    """``PaceStore(path)``: one small file with every station's measured pace."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def of(self, station: str = HERE) -> Pace:
        """A station's measured pace, or the supplied one."""
        value = dict(self._read().get(station, {}))
        for label in ("measured", "machine"):
            value.pop(label, None)
        try:
            pace = Pace(**value)
            return pace if pace.encode > 0 and pace.write > 0 else SUPPLIED_PACE
        except TypeError:
            return SUPPLIED_PACE

    def told(self, station: str = HERE) -> dict[str, str]:
        """When a station's pace was measured (ISO 8601), and what kind of machine it is."""
        value = self._read().get(station, {})
        return {label: str(value[label]) for label in ("measured", "machine") if label in value}

    def keep(self, pace: Pace, *, measured: str, machine: str, station: str = HERE) -> None:
        """Keep a measured pace.

        Parameters
        ----------
        pace
            What was measured.
        measured
            When, ISO 8601.
        machine
            What kind of machine it is, for people who read the file.
        station
            Whose it is.
        """
        stations = self._read()
        stations[station] = {"measured": measured, "machine": machine, **asdict(pace)}
        save_json(self.path, {"version": VERSION, "stations": stations})

    def _read(self) -> dict[str, dict[str, Any]]:
        value = load_json(self.path)
        version = value.pop("version", None)
        if version == 2:
            return {HERE: value}
        stations = value.get("stations") if version == VERSION else None
        return stations if isinstance(stations, dict) else {}
