"""Numbers as people read them.  Units are always said; decimal and binary are never mixed."""

from __future__ import annotations

from datetime import datetime


def times_text(ratio: float) -> str:
    """How many times one thing is another: ``0.12 ×``, ``12 ×``, ``2,413 ×``.

    >>> times_text(0.1234), times_text(1.0), times_text(2413.2)
    ('0.12 ×', '1 ×', '2,413 ×')
    """
    return f"{ratio:.2g} ×" if ratio < 99.5 else f"{ratio:,.0f} ×"


def size_text(value: float) -> str:
    """Bytes in decimal units: ``437 MB``, ``1.86 GB``.

    >>> size_text(1_860_000_000)
    '1.86 GB'
    """
    for unit, scale in (("TB", 1e12), ("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if abs(value) >= scale * 0.9995:
            number = value / scale
            return (
                f"{number:.0f} {unit}"
                if number >= 99.5
                else f"{number:.1f} {unit}"
                if number >= 9.95
                else f"{number:.2f} {unit}"
            )
    return f"{value:.0f} B"


def time_text(seconds: float) -> str:
    """A length of time, with its unit: ``42 s``, ``7:56 min``, ``1:10 h``.

    >>> time_text(476), time_text(4202)
    ('7:56 min', '1:10 h')
    """
    whole = max(0, round(seconds))
    if whole < 60:
        return f"{whole} s"
    if whole < 3600:
        return f"{whole // 60}:{whole % 60:02d} min"
    minutes = round(whole / 60)
    return f"{minutes // 60}:{minutes % 60:02d} h"


def percent(share: float) -> str:
    """A share as people say it; never 0 or 100 for what is neither.

    >>> percent(0.874), percent(0.999), percent(1.0)
    ('87 %', '99 %', '100 %')
    """
    whole = round(share * 100)
    if 0 < share < 1:
        whole = min(99, max(1, whole))
    return f"{whole} %"


def counted(count: int, thing: str, several: str = "") -> str:
    """A number of things: ``1 file``, ``3 files``.

    Parameters
    ----------
    count
        How many.
    thing
        What one is called.
    several
        What several are called, where an s isn't enough.

    >>> counted(1, "file"), counted(3, "file"), counted(2, "proxy", "proxies")
    ('1 file', '3 files', '2 proxies')
    """
    return f"{count} {thing if count == 1 else several or thing + 's'}"


def rate_bits_text(bits_per_second: float) -> str:
    """A bit rate as people say it: ``3 Mb/s``, ``1.05 Mb/s``, ``700 kb/s``."""
    if bits_per_second >= 999_500:
        places = 2 if bits_per_second < 9_995_000 else 1
        return f"{bits_per_second / 1e6:.{places}f}".rstrip("0").rstrip(".") + " Mb/s"
    return f"{bits_per_second / 1e3:.0f} kb/s"


def clock_text(moment: datetime, now: datetime | None = None) -> str:
    """A time by the clock; with the day where it isn't today's."""
    now = now or datetime.now().astimezone()
    days = (moment.date() - now.date()).days
    text = moment.strftime("%H:%M")
    return text if days == 0 else f"{text} tomorrow" if days == 1 else moment.strftime("%a %d %b %H:%M")


def db_text(value: float) -> str:
    """A level in dB.

    >>> db_text(41.26)
    '41.3 dB'
    """
    return f"{value:.1f} dB"
