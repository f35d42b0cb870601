"""What *House* says of the stations, in plain Python."""

from __future__ import annotations

import time
from datetime import datetime
from typing import NamedTuple

from chronocast.model.house import House, StationAway, StationTold
from chronocast.model.recipe.formats.codecs import PICTURE
from chronocast.model.show import clock_text, counted, size_text, time_text

MANNERS = {
    "always": "always",
    "gently": "gives way to whoever sits down",
    "idle": "only while nobody is at it",
}


class StationRow(NamedTuple):
    """A station in a row: its name, what it does now, how much it can do, with what hardware, and when.

    ``state`` is *works*, *idle*, *shut* or *away*.
    """

    name: str
    state: str
    now: str
    pace: str
    hardware: str
    hours: str


def station_rows(house: House) -> tuple[StationRow, ...]:
    """Every station of a house, in the order of their names; then those that went away."""
    return (*(_row(told, house) for told in house.stations), *(_row_away(gone) for gone in house.away))


def _row_away(gone: StationAway) -> StationRow:
    now = f"away: heard of last at {clock_text(datetime.fromtimestamp(gone.since).astimezone())}"
    return StationRow(station_name(gone), "away", now, "", "", "")


def station_name(station: StationTold | StationAway) -> str:
    """What a station is called where it shows: a stand-in is labelled."""
    return f"{station.name} · stand-in" if station.stand_in else station.name


def _row(told: StationTold, house: House) -> StationRow:
    state = "works" if told.doing else "idle"
    now = "idle"
    if told.doing:
        who = ", ".join(sorted({item.who for item in told.doing if item.who}))
        now = f"{len(told.doing)} of {counted(told.slots, 'slot')}" + (f", for {who}" if who else "")
    if not told.open:
        again = f", {time_text(told.until - house.known_at)} more" if told.until > house.known_at else ""
        state, now = "shut", f"{told.why_shut}{again}"
    waiting = sum(item.seconds for item in house.bookings if item.station == told.name)
    if waiting >= 1:
        now += f"; {time_text(waiting / told.slots)} placed on it"
    encode = told.pace.get("encode", 0.0)
    pace = (
        f"{counted(told.slots, 'slot')}, {1 / encode:.0f} Mpx a second each" if encode > 0 else "not measured"
    )
    pace += "".join(f"; {name} {speed.read / 1e6:.0f} MB/s" for name, speed in told.mounts.items())
    if told.copied:
        pace += f"; {size_text(told.copied)} of sources copied"
    codecs: dict[str, list[str]] = {}
    for tried in told.devices:
        if tried.works:
            codecs.setdefault(tried.device, []).append(PICTURE[tried.codec].name)
    hardware = "; ".join(f"{device}: {', '.join(names)}" for device, names in codecs.items())
    return StationRow(
        station_name(told),
        state,
        now,
        pace,
        hardware or "none",
        MANNERS[told.manner] + _hours(told),
    )


def _hours(told: StationTold) -> str:
    if not told.spans:
        return ""
    first = told.spans[0]
    opens = first.begin > time.time()
    moment = clock_text(datetime.fromtimestamp(first.begin if opens else first.end).astimezone())
    return f"; opens {moment}" if opens else f"; until {moment}"


def house_told(house: House) -> str:
    """The house in a sentence."""
    if not house.hub:
        return "This machine belongs to no house: it renders alone. Stations of one would share its work."
    if house.trouble:
        return f"{house.trouble} This machine goes on alone."
    if not house.known_at:
        return f"Listening to the hub at {house.hub}."
    if not house.stations:
        return f"No station has joined the house of {house.hub} yet."
    able = [told for told in house.stations if told.open]
    slots = counted(sum(told.slots for told in able), "slot")
    return f"{len(able)} of {counted(len(house.stations), 'station')} take work now: {slots} beside this machine's own."
