"""When a station may work: hours of the week, days on which it may not, days on which it may all day."""

from __future__ import annotations

import re
from datetime import date, datetime, time, timedelta

from pydantic import Field, field_validator

from chronocast.model.frozen import FrozenModel

DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
CLOCK = re.compile(r"([01]\d|2[0-3]):[0-5]\d|24:00")
AHEAD_DAYS = 14
"""So far ahead a station says when it is open."""


class OpenHours(FrozenModel):
    """Hours of some days of the week; those that end no later than they begin go on into the next day.

    Parameters
    ----------
    days
        0 is Monday.
    begin, end
        ``HH:MM`` by the station's clock.
    """

    days: tuple[int, ...] = tuple(range(7))
    begin: str = "00:00"
    end: str = "24:00"

    @field_validator("days")
    @classmethod
    def _of_the_week(cls, days: tuple[int, ...]) -> tuple[int, ...]:
        if not days or any(not 0 <= day <= 6 for day in days):
            raise ValueError("days are 0 (Monday) to 6 (Sunday), one at least")
        return tuple(sorted(set(days)))

    @field_validator("begin", "end")
    @classmethod
    def _of_the_clock(cls, text: str) -> str:
        if not CLOCK.fullmatch(text):
            raise ValueError("hours are like 07:30, up to 24:00")
        return text

    @property
    def told(self) -> str:
        """As people say it."""
        return f"{days_told(self.days)} {self.begin}–{self.end}"


class Calendar(FrozenModel):
    """When a station is open: at no hours in particular, always.

    Parameters
    ----------
    hours
        Of the week; none for always.
    shut
        Dates on which it isn't open, whatever the hours say.
    all_day
        Dates on which it is open from midnight to midnight.
    """

    hours: tuple[OpenHours, ...] = Field(default=(), max_length=50)
    shut: tuple[date, ...] = Field(default=(), max_length=500)
    all_day: tuple[date, ...] = Field(default=(), max_length=500)

    @property
    def told(self) -> str:
        """As people say it."""
        hours = ", ".join(item.told for item in self.hours) or "always"
        extra = [f"not on {len(self.shut)} dates"] if self.shut else []
        extra += [f"all day on {len(self.all_day)} dates"] if self.all_day else []
        return ", ".join([hours, *extra])


class OpenSpan(FrozenModel):
    """A stretch in which a station is open, seconds since 1970."""

    begin: float
    end: float


def days_told(days: tuple[int, ...]) -> str:
    """Days of the week as people say them.

    >>> days_told((0, 1, 2, 3, 4)), days_told((5,)), days_told((0, 2))
    ('Mon–Fri', 'Sat', 'Mon, Wed')
    """
    if len(days) == 7:
        return "daily"
    if len(days) > 2 and days == tuple(range(days[0], days[-1] + 1)):
        return f"{DAYS[days[0]]}–{DAYS[days[-1]]}"
    return ", ".join(DAYS[day] for day in days)


def _at(day: date, clock: str) -> datetime:
    if clock == "24:00":
        return datetime.combine(day + timedelta(days=1), time())
    hour, minute = clock.split(":")
    return datetime.combine(day, time(int(hour), int(minute)))


def open_spans(calendar: Calendar, now: datetime, days: int = AHEAD_DAYS) -> tuple[OpenSpan, ...]:
    """When a station is open in the days that come, in order; what touches is one.

    Parameters
    ----------
    calendar
        Its calendar.
    now
        With the station's time zone, or without for the machine's own.
    days
        How far ahead.
    """
    found: list[tuple[float, float]] = []
    zone = now.tzinfo

    def moment(day: date, clock: str) -> float:
        return _at(day, clock).replace(tzinfo=zone).timestamp()

    for ahead in range(-1, days + 1):
        day = (now + timedelta(days=ahead)).date()
        if day in calendar.all_day or (not calendar.hours and day not in calendar.shut):
            pairs = [("00:00", "24:00")]
        elif day in calendar.shut:
            pairs = []
        else:
            pairs = [(item.begin, item.end) for item in calendar.hours if day.weekday() in item.days]
        for opens, shuts in pairs:
            found.append((moment(day, opens), moment(day + timedelta(days=shuts <= opens), shuts)))
    merged: list[tuple[float, float]] = []
    for begin, end in sorted(found):
        if merged and begin <= merged[-1][1]:
            merged[-1] = (merged[-1][0], max(merged[-1][1], end))
        else:
            merged.append((begin, end))
    first = now.timestamp()
    return tuple(OpenSpan(begin=begin, end=end) for begin, end in merged if end > first)
