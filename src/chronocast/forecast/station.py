"""What a forecast must know of a station: its pace, its slots, what others take of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from math import log

import numpy as np

from chronocast.forecast.band import Chance, Draws
from chronocast.model.house import Attendance
from chronocast.model.stages import HERE

BUSY_LOAD = 0.25
"""A pace that was measured while others took more than this of the processor says less."""


@dataclass(frozen=True)
class Pace:
    """How fast a station works, each slot, with all slots busy and nobody else at work on it.

    Parameters
    ----------
    encode
        Seconds a million pixels of work by x264 at medium effort and the usual bits, decoding and composing included.
    decode
        Seconds a million pixels of checking.
    sound
        Seconds a second of sound.
    packet
        Seconds a packet when joining.
    write
        Bytes a second of the drive.
    start
        Seconds a task costs before it begins.
    calibrated
        Whether it was measured; else it is the supplied one.
    load
        How much longer things took by the clock than by the processor while it was measured.
    """

    encode: float = 0.08
    decode: float = 0.009
    sound: float = 0.1
    packet: float = 0.0002
    write: float = 150e6
    start: float = 0.03
    calibrated: bool = False
    load: float = 0.0

    @property
    def busy(self) -> bool:
        """Whether it was measured while others were at work: then it says less."""
        return self.load > BUSY_LOAD


SUPPLIED_PACE = Pace()


@dataclass(frozen=True)
class Load:
    """What others take of a station now: ``stretch`` is how much longer work takes by the clock; 1 is nobody else."""

    stretch: float = 1.0

    def draws(self, chance: Chance) -> Draws:
        """Draws of the stretch, shape (draws,): others come and go, so the more they take the less is sure."""
        sd = 0.10 + 0.5 * log(max(1.0, self.stretch))
        found: Draws = np.maximum(1.0, self.stretch * np.exp(sd * chance.normal("load") - sd * sd / 2))
        return found


@dataclass(frozen=True)
class SharedDrive:
    """A folder that the stations of a house share: where it is here, and what it carries, in bytes a second each way.

    That is what the quickest station has of it; all divide it.
    """

    path: str
    read: float
    write: float


@dataclass(frozen=True)
class HelpingDevice:
    """A device of another station: its family, how many encodes it does at once, how much slower than forecast."""

    family: str
    sessions: int
    slower: float = 1.0


@dataclass(frozen=True)
class Helper:
    """Another station of the house, as a forecast needs it.

    Parameters
    ----------
    id
        Its name.
    pace
        Its pace, each slot.
    slots
        How many tasks it does at once.
    load
        What others take of it now.
    booked
        Seconds that each of its slots is busy with other runs' work.
    windows
        When it is open, (begin, end) in seconds from now, in order; none for always.
    stand_in
        Whether it only stands in for a workstation.
    devices
        Its devices that take this machine's work.
    manner
        When it works: *always*, *gently* (it gives way to whoever sits down) or *idle*.
    reach
        Shared drives, each with how many times as slow it is from there as for the quickest station.
    attendance
        How it was there while runs counted on it.
    """

    id: str
    pace: Pace = SUPPLIED_PACE
    slots: int = 1
    load: Load = field(default_factory=Load)
    booked: float = 0.0
    windows: tuple[tuple[float, float], ...] = ()
    stand_in: bool = False
    devices: tuple[HelpingDevice, ...] = ()
    manner: str = "always"
    reach: tuple[tuple[str, float], ...] = ()
    attendance: Attendance = field(default_factory=Attendance)


@dataclass(frozen=True)
class Station:
    """``Station(id, pace, slots, load, devices, helpers, shared)``.

    ``slots`` is how many tasks it does at once; ``devices`` are kinds of device, with how many encodes each does
    besides; ``helpers`` are other stations of its house that take its work as well, where it lies in a folder that is
    ``shared``; ``name`` is what it is called in its house, ``drives`` what the
    shared folders carry.
    """

    id: str = HERE
    pace: Pace = SUPPLIED_PACE
    slots: int = 1
    load: Load = field(default_factory=Load)
    devices: tuple[tuple[str, int], ...] = ()
    helpers: tuple[Helper, ...] = ()
    shared: tuple[str, ...] = ()
    name: str = ""
    drives: tuple[SharedDrive, ...] = ()

    @property
    def places(self) -> dict[str, int]:
        """Where work is done, and how much at once: the processor's slots, and each device's sessions."""
        sessions = {device_place(self.id, device): count for device, count in self.devices if count}
        return {self.id: self.slots, **sessions}


def station_of(place: str) -> str:
    """The station of a place, which is its processor's slots or a device's sessions."""
    return place.partition(" · ")[0]


def device_place(station: str, device: str) -> str:
    """What the sessions of a station's device are called."""
    return f"{station} · {device}" if device else station
