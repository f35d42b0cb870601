"""The other stations of this machine's house, as a forecast needs them."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Iterable

from chronocast import __version__
from chronocast.forecast.station import SUPPLIED_PACE, Helper, Load, Pace
from chronocast.media.piece.here import libraries_version
from chronocast.model.house import Booking, House, StationTold


def pace_of(told: StationTold) -> Pace:
    """A station's pace as it told it; the supplied one where it told none, or nonsense."""
    with contextlib.suppress(TypeError):
        pace = Pace(**told.pace, calibrated=True)
        if pace.encode > 0 and pace.write > 0:
            return pace
    return SUPPLIED_PACE


def helpers_of(house: House, apart_from_run: str = "", now: float | None = None) -> tuple[Helper, ...]:
    """The stations that would take this machine's work.

    Parameters
    ----------
    house
        What is known of the house.
    apart_from_run
        A run whose own bookings don't count.
    now
        Seconds since 1970.
    """
    moment = time.time() if now is None else now
    found = []
    for told in house.stations:
        if told.version != __version__ or told.libraries != libraries_version():
            continue
        others = _booked(told, house.bookings, apart_from_run)
        windows = _windows(told, moment)
        if windows is not None:
            found.append(
                Helper(
                    id=told.name,
                    pace=pace_of(told),
                    slots=told.slots,
                    load=Load(max(1.0, told.load)),
                    booked=others,
                    windows=windows,
                    stand_in=told.stand_in,
                )
            )
    return tuple(sorted(found, key=lambda item: (item.pace.encode * item.load.stretch, item.id)))


def _booked(told: StationTold, bookings: Iterable[Booking], apart_from: str) -> float:
    """Seconds for which each slot of a station is busy with other runs' work."""
    seconds = (b.seconds for b in bookings if b.station == told.name and b.run != apart_from)
    return sum(seconds) / told.slots


def _windows(told: StationTold, now: float) -> tuple[tuple[float, float], ...] | None:
    """When a station is open, in seconds from now; none for always, None for never that is known."""
    windows = [(max(0.0, span.begin - now), span.end - now) for span in told.spans if span.end > now]
    if told.open:
        return tuple(windows)
    if told.until > now:
        again = told.until - now
        if not windows:
            return ((again, 1e9),)
        return tuple((max(begin, again), end) for begin, end in windows if end > again)
    return None  # somebody is at it, and nobody knows for how long


def helping_told(helpers: Iterable[Helper]) -> str:
    """Who helps, in a few words; "" for nobody."""
    named = [f"{helper.id}, a stand-in" if helper.stand_in else helper.id for helper in helpers]
    return f"counting on {len(named)} more: {'; '.join(named)}" if named else ""
