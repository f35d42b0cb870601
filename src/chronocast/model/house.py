"""What is known of a house: its stations, what each grants and when, what runs have placed on them."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Literal

from pydantic import Field, field_validator

from chronocast.model.calendar import Calendar, OpenSpan
from chronocast.model.device import TriedEncoder
from chronocast.model.frozen import FrozenModel

NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9 ._-]{0,39}")
"""What a station, or a root, may be called: it stands in certificates, in messages and on screens."""
MOST_SLOTS = 256

Manner = Literal["always", "gently", "idle"]
"""When a station works: whenever it is open; then too, but giving way to whoever sits down; only while nobody is at it."""


Rank = Literal["before others", "as others", "after others"]
"""How a run stands among those of other operators where they want the same slots."""
WEIGHTS: dict[Rank, float] = {"before others": 4.0, "as others": 1.0, "after others": 0.25}
"""So many times as much of a station's time a run has, against one that stands as the others do."""


def named(text: str) -> str:
    """The text, if it can be a name.

    Raises
    ------
    ValueError
        It can't.
    """
    if not NAME.fullmatch(text):
        raise ValueError(
            "a name has up to 40 letters, digits, spaces, dots, dashes or underscores, and begins with a letter or digit"
        )
    return text


class Root(FrozenModel):
    """A folder that stations share, by a name that all of them know; each has it at a path of its own."""

    name: str
    path: str

    @field_validator("name")
    @classmethod
    def _named(cls, text: str) -> str:
        return named(text)

    @field_validator("path")
    @classmethod
    def _whole(cls, text: str) -> str:
        if not text.startswith("/") or "\0" in text or ".." in text.split("/"):
            raise ValueError("a root's path begins with / and has no .. in it")
        return text.rstrip("/") or "/"


def within(path: str, folders: Iterable[str]) -> bool:
    """Whether a path lies in one of some folders.

    >>> within("/mnt/footage/a.mov", ["/mnt/foot", "/mnt/footage"]), within("/mnt/footage", ["/mnt/footage"])
    (True, False)
    """
    return any(path.startswith(f"{folder.rstrip('/')}/") for folder in folders)


class Belonging(FrozenModel):
    """How a machine belongs to a house: as what, where the hub is, what is shared, and how it works for others.

    Parameters
    ----------
    name
        What the machine is called in the house.
    hub
        The hub's address, ``tls://host:port``; "" while it belongs to none.
    roots
        Folders that are shared, by name.
    slots
        How many tasks it does at once for the house; None for as many as it does by itself.
    manner
        When it works.
    calendar
        At which hours.
    """

    name: str = ""
    hub: str = ""
    roots: tuple[Root, ...] = ()
    slots: int | None = Field(default=None, ge=1, le=MOST_SLOTS)
    manner: Manner = "gently"
    calendar: Calendar = Calendar()


class Doing(FrozenModel):
    """What a slot of a station has in hand, and for whom."""

    task: str
    run: str
    who: str = ""


class MountSpeed(FrozenModel):
    """How fast a shared folder is from a station, in bytes a second each way."""

    read: float = Field(gt=0)
    write: float = Field(gt=0)


class Attendance(FrozenModel):
    """How a station was there while runs of this machine counted on it.

    Parameters
    ----------
    seconds
        How long in all.
    losses
        How often it went away.
    away
        Seconds after which it came back, the newest last; what never did in its run isn't in it.
    """

    seconds: float = Field(default=0.0, ge=0)
    losses: int = Field(default=0, ge=0)
    away: tuple[float, ...] = ()


class StationTold(FrozenModel):
    """What a station says of itself to the house.

    Parameters
    ----------
    name
        Its name.
    version, libraries
        Of Chronocast, and of the libraries that encode: pieces of others would be called otherwise.
    slots
        How many tasks it does at once.
    pace
        Its pace, by the names of ``forecast.station.Pace``; empty while it wasn't measured.
    devices
        Its hardware encoders as they were tried.
    roots
        Names of the shared folders that it has.
    mounts
        How fast shared folders are from it, by their names.
    copied
        Bytes of sources that were copied to it.
    manner
        When it works.
    load
        How much longer work takes now by the clock than by the processor.
    open
        Whether it takes work now; ``why_shut`` says why not.
    until
        When that is expected to change, seconds since 1970; 0 where nobody knows.
    spans
        When it is open by its calendar in the days that come; none for always.
    doing
        What it has in hand.
    stand_in
        Whether it only stands in for a workstation.
    """

    name: str
    version: str
    libraries: str = ""
    slots: int = Field(ge=1, le=MOST_SLOTS)
    pace: dict[str, float] = Field(default_factory=dict)
    devices: tuple[TriedEncoder, ...] = ()
    roots: tuple[str, ...] = ()
    mounts: dict[str, MountSpeed] = Field(default_factory=dict)
    copied: int = Field(default=0, ge=0)
    manner: Manner = "gently"
    load: float = 1.0
    open: bool = True
    why_shut: str = ""
    until: float = 0.0
    spans: tuple[OpenSpan, ...] = ()
    doing: tuple[Doing, ...] = ()
    stand_in: bool = False

    @field_validator("name")
    @classmethod
    def _named(cls, text: str) -> str:
        return named(text)


class Booking(FrozenModel):
    """What a run has placed on a station: so many seconds of one slot's work are still to do.

    ``seconds`` is by that station's pace; ``who`` whose run it is, ``title`` the batch's.
    """

    run: str
    station: str
    seconds: float = Field(ge=0)
    who: str = ""
    title: str = ""
    rank: Rank = "as others"


class StationAway(FrozenModel):
    """A station that was there and is no more: since when (seconds since 1970)."""

    name: str
    since: float
    stand_in: bool = False


class House(FrozenModel):
    """What is known of a house at a moment (seconds since 1970); ``trouble`` is why nothing is, in a sentence."""

    hub: str = ""
    known_at: float = 0.0
    stations: tuple[StationTold, ...] = ()
    away: tuple[StationAway, ...] = ()
    bookings: tuple[Booking, ...] = ()
    trouble: str = ""
