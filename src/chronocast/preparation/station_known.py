"""What is known of this machine as a station: its pace, what work on it has taught, forecast against fact."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from chronocast.forecast.learning.conformal import Outcome
from chronocast.forecast.learning.experience import Experience
from chronocast.forecast.station import Load, Station
from chronocast.journal.workspace import Workspace
from chronocast.model.device import TriedDecoder, TriedEncoder
from chronocast.preparation.station.devices import all_as_tried, devices_known
from chronocast.preparation.station.this import this_station
from chronocast.preparation.today import learned


class StationKnown(NamedTuple):
    """What is known of a station.

    Parameters
    ----------
    station
        Its pace, its slots, what others take of it.
    experience
        What the ledger has taught.
    outcomes
        Forecast against fact of the newest files, by quantity.
    measured
        When its pace was *measured* (ISO 8601), and what *machine* it is.
    devices
        Hardware encoders as they were tried.
    devices_as_tried
        Whether all of them were, with the libraries and drivers that are here now.
    decoders
        Ways to decode in hardware, as they were tried.
    """

    station: Station
    experience: Experience
    outcomes: Mapping[str, Sequence[Outcome]]
    measured: Mapping[str, str]
    devices: tuple[TriedEncoder, ...] = ()
    devices_as_tried: bool = False
    decoders: tuple[TriedDecoder, ...] = ()


def station_known(workspace: Workspace, load: Load | None = None) -> StationKnown:
    """What is known of this machine.

    Parameters
    ----------
    workspace
        What is kept of all batches.
    load
        What others take of it now.
    """
    outcomes: Mapping[str, Sequence[Outcome]] = {}
    if workspace.has_ledger:
        with workspace.ledger() as ledger:
            outcomes = ledger.outcomes()
    return StationKnown(
        this_station(workspace, load=load),
        learned(workspace),
        outcomes,
        workspace.paces.told(),
        devices_known(workspace),
        all_as_tried(workspace),
        workspace.devices.decoders(),
    )
