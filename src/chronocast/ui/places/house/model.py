"""What *House* shows, in plain Python: this machine's pace by kind of work, and forecast against fact."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import exp
from statistics import median
from typing import TYPE_CHECKING, Literal, NamedTuple

from chronocast.forecast.learning.calibration import calibration_of
from chronocast.forecast.learning.conformal import Outcome
from chronocast.forecast.learning.experience import StationSeen
from chronocast.forecast.work import BASE_READING, COMPOSING
from chronocast.model.device import TriedDecoder, TriedEncoder
from chronocast.model.recipe.formats.codecs import PICTURE
from chronocast.model.recipe.routes import DEPTHS
from chronocast.model.show import counted, db_text, percent, size_text, time_text, times_text

if TYPE_CHECKING:  # what it brings in takes long to import
    from chronocast.preparation.station_known import StationKnown

Quantity = Literal["bytes", "cpu_seconds", "looks"]
QUANTITIES: Mapping[Quantity, str] = {
    "bytes": "size",
    "cpu_seconds": "processor time",
    "looks": "poorest shot",
}
SOME = 8
"""So many pieces have to be seen before their pace is said without a doubt."""


class PaceRow(NamedTuple):
    """One kind of work: its words, how often it was seen, how fast it goes."""

    work: str
    done: str
    pace: str


class DeviceRow(NamedTuple):
    """One kind of device: its name, and what it takes or why it can't be used; whether it can be."""

    device: str
    told: str
    works: bool


@dataclass(frozen=True)
class HouseModel:
    """What *House* shows.

    Parameters
    ----------
    facts
        Of this machine, a name and its words each.
    paces
        By kind of work, what was done most first.
    outcomes
        Of the newest files, the newest first, by quantity.
    devices
        Hardware encoders as they were tried, by kind of device, those that work first.
    """

    facts: tuple[tuple[str, str], ...]
    paces: tuple[PaceRow, ...]
    outcomes: Mapping[Quantity, Sequence[Outcome]]
    devices: tuple[DeviceRow, ...] = ()

    def told(self, quantity: Quantity) -> str:
        """How forecasts of a quantity have held, in a sentence."""
        found = calibration_of(self.outcomes.get(quantity, ()))
        if not found.files or found.held is None or found.fact_over_likely is None:
            return "Nothing is finished yet of which it was forecast and measured."
        files = counted(found.files, "file")
        held = f"the fact lay between P10 and safe in {percent(found.held)} of them, 80 % is meant"
        if quantity == "looks":
            return f"{files}: {held}"
        return (
            f"{files}: in the middle the fact is {found.fact_over_likely:.2f} × what was likely; {held}; "
            f"bands are made {found.width_factor:.2f} × as wide since"
        )


def shown(quantity: Quantity, value: float) -> str:
    """A value of a quantity in its unit."""
    if quantity == "bytes":
        return size_text(value)
    return time_text(value) if quantity == "cpu_seconds" else db_text(value)


def outcome_told(quantity: Quantity, one: Outcome) -> str:
    """One file in words."""
    band = f"likely {shown(quantity, one.likely)} ({shown(quantity, one.p10)} to {shown(quantity, one.safe)})"
    return f"{one.name}: {band}, came out at {shown(quantity, one.fact)}"


def pace_words(pace: str) -> str:
    """A pace by its name, in words: ``H.264 by libx264, medium effort``."""
    if pace.startswith("stage "):
        return pace.removeprefix("stage ")
    encoder, _, rest = pace.partition(" ")
    effort = rest.split(" ")[0]
    codec = next((item.name for item in PICTURE.values() if encoder in item.encoders), "")
    told = f"{codec} by {encoder}" if codec else encoder
    return f"{told}, {effort} effort" if effort in ("fast", "slow") else told


def house_model(known: StationKnown) -> HouseModel:
    """What *House* shows of this machine, by what is known of it."""
    station, experience, outcomes, measured = known[:4]
    pace, seen = station.pace, experience.stations.get(station.id, StationSeen())
    facts = [
        ("machine", measured.get("machine") or "this one"),
        ("slots", f"{counted(station.slots, 'piece')} at once"),
        (
            "measured",
            (measured.get("measured") or "")[:16].replace("T", " ") or "not yet: times are wide until it is",
        ),
        ("others take", _load(station.load.stretch)),
        ("just now", _state(seen)),
    ]
    if pace.calibrated:
        facts.append(("drive", f"{size_text(pace.write)} a second"))
    rows = []
    for name, item in sorted(seen.paces.items(), key=lambda entry: -len(entry[1].seconds)):
        middle = exp(median(item.seconds))
        told = f"{1 / middle:.3g} Mpx a second"
        if name.startswith("stage "):
            told = f"{times_text(middle)} reckoned"
        elif name in (COMPOSING, BASE_READING):
            told = f"{times_text(middle / pace.encode)} reckoned"
        doubt = "" if len(item.seconds) >= SOME else ", few seen"
        rows.append(PaceRow(pace_words(name), counted(len(item.seconds), "time"), told + doubt))
    files: dict[Quantity, Sequence[Outcome]] = {name: outcomes.get(name, ()) for name in QUANTITIES}
    return HouseModel(tuple(facts), tuple(rows), files, device_rows(known.devices, known.decoders))


def device_rows(
    devices: Sequence[TriedEncoder], decoders: Sequence[TriedDecoder] = ()
) -> tuple[DeviceRow, ...]:
    """Hardware encoders in a row for each kind of device; ways to decode in one row."""
    by_family: dict[str, list[TriedEncoder]] = {}
    for tried in devices:
        by_family.setdefault(tried.family, []).append(tried)
    rows = []
    for family, found in by_family.items():
        able = [tried for tried in found if tried.works]
        if not able:
            rows.append(DeviceRow(family, "; ".join(dict.fromkeys(tried.why_not for tried in found)), False))
            continue
        width, height = max(tried.largest for tried in able)
        codecs = ", ".join(f"{PICTURE[t.codec].name} {_depths(t)}" for t in able)
        sessions = counted(max(tried.sessions for tried in able), "session")
        rows.append(DeviceRow(able[0].device, f"{codecs}; frames up to {width}×{height}; {sessions}", True))
    if decoders:
        by_words: dict[str, list[str]] = {}
        for decoder in decoders:
            by_words.setdefault(decoder.told, []).append(decoder.family)
        told = "; ".join(f"{', '.join(families)}: {words}" for words, families in by_words.items())
        rows.append(DeviceRow("decoding", told, any(not decoder.why_not for decoder in decoders)))
    return tuple(sorted(rows, key=lambda row: not row.works))


def _depths(tried: TriedEncoder) -> str:
    """The bits a sample that it took: ``8, 10 bit``."""
    return ", ".join(str(depth) for depth in sorted({DEPTHS.get(name, 8) for name in tried.formats})) + " bit"


def _load(stretch: float) -> str:
    return "nothing to speak of" if stretch < 1.05 else f"so much that work takes {stretch:.1f} × as long"


def _state(seen: StationSeen) -> str:
    if not seen.recent:
        return "no work was done lately"
    slower = exp(seen.state) - 1
    if abs(slower) < 0.02:
        return "at its usual pace"
    return f"{percent(abs(slower))} {'slower' if slower > 0 else 'faster'} than usual"


def outcomes_csv(model: HouseModel, quantity: Quantity) -> str:
    """Forecast against fact as comma-separated values, a line for each file, in plain units."""
    text = io.StringIO()
    table = csv.writer(text)
    unit = {"bytes": "bytes", "cpu_seconds": "seconds", "looks": "dB"}[quantity]
    table.writerow(["file", *(f"{name} {unit}" for name in ("p10", "likely", "safe", "fact"))])
    for one in model.outcomes.get(quantity, ()):
        table.writerow([one.name, *(round(value, 3) for value in one[:4])])
    return text.getvalue()
