"""Moments as documents hold them, and as people type them: a time by the clock, a day and a time, so long from now."""

from __future__ import annotations

import re
from datetime import datetime, timedelta
from typing import Annotated

from pydantic import AfterValidator

from chronocast.model.errors import ModelError

YEARS = range(1971, 3000)
"""Beyond them a moment has no place in every zone, or a sum of it none in the calendar."""


def _of_our_time(moment: datetime) -> datetime:
    if moment.year not in YEARS:
        raise ValueError(f"a moment lies between the years {YEARS[0]} and {YEARS[-1]}")
    return moment


Moment = Annotated[datetime, AfterValidator(_of_our_time)]
"""A moment of a document."""

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_CLOCK = re.compile(r"^(?:(?P<day>[a-z]{3,9})\s+)?(?P<hour>\d{1,2})(?:[:.h](?P<minute>\d{2}))?\s*$")
_LATER = re.compile(r"^(?:in|\+)\s*(?P<count>\d{1,4}(?:[.,]\d)?)\s*(?P<unit>min|m|h|d|s)[a-z]*$")


def parse_moment(text: str, now: datetime) -> datetime:
    """A moment from ``18:30``, ``tomorrow 9:00``, ``fri 17:00``, ``in 2 h`` or ``2026-11-27T09:00``.

    A time by the clock means the next one: today's, or tomorrow's where
    today's has passed.

    Parameters
    ----------
    text
        What was typed.
    now
        The present moment, with its time zone.

    Raises
    ------
    ModelError
        It is no moment, or none that the calendar has.
    """
    typed = " ".join(text.strip().lower().split())
    try:
        if found := _LATER.match(typed):
            unit = {"s": "seconds", "m": "minutes", "h": "hours", "d": "days"}[found["unit"][0]]
            return _of_our_time(now + timedelta(**{unit: float(found["count"].replace(",", "."))}))
        if found := _CLOCK.match(typed):
            return _by_the_clock(found["day"] or "", int(found["hour"]), int(found["minute"] or 0), now)
        moment = _of_our_time(datetime.fromisoformat(text.strip()))
        return moment if moment.tzinfo else moment.replace(tzinfo=now.tzinfo)
    except (ValueError, OverflowError, KeyError):
        raise ModelError(
            f"“{text[:40]}” is no time.", "Type it as 18:30, tomorrow 9:00, fri 17:00 or in 2 h."
        ) from None


def _by_the_clock(day: str, hour: int, minute: int, now: datetime) -> datetime:
    moment = now.replace(hour=hour, minute=minute, second=0, microsecond=0)
    if day == "today":
        return moment
    if day == "tomorrow":
        return moment + timedelta(days=1)
    if day:
        if day[:3] not in DAYS:
            raise ValueError(day)
        moment += timedelta(days=(DAYS.index(day[:3]) - now.weekday()) % 7)
        return moment if moment > now else moment + timedelta(days=7)
    return moment if moment > now else moment + timedelta(days=1)
