"""The other stations of this machine's house, as a forecast needs them."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Iterable, Mapping, Sequence
from math import isfinite

from chronocast import __version__
from chronocast.forecast.station import SUPPLIED_PACE, Helper, HelpingDevice, Load, Pace, SharedDrive
from chronocast.media.piece.here import libraries_version
from chronocast.model.device import TriedEncoder
from chronocast.model.house import WEIGHTS, Booking, House, Rank, Root, StationTold


def pace_of(told: StationTold) -> Pace:
    """A station's pace as it told it; the supplied one where it told none, or nonsense."""
    with contextlib.suppress(TypeError):
        pace = Pace(**told.pace, calibrated=True)
        if pace.encode > 0 and pace.write > 0 and all(map(isfinite, told.pace.values())):
            return pace
    return SUPPLIED_PACE


def helpers_of(
    house: House,
    apart_from_run: str = "",
    now: float | None = None,
    *,
    devices: Sequence[TriedEncoder] = (),
    drives: Sequence[SharedDrive] = (),
    roots: Sequence[Root] = (),
    rank: Rank = "as others",
) -> tuple[Helper, ...]:
    """The stations that would take this machine's work.

    Parameters
    ----------
    house
        What is known of the house.
    apart_from_run
        A run whose own bookings don't count, or a batch's key: those of its runs don't.
    now
        Seconds since 1970.
    devices
        Hardware encoders that this machine can use, the house's included.
    drives
        What the shared folders carry.
    roots
        What this machine shares.
    rank
        How the run stands among other operators'.
    """
    names = {root.path: root.name for root in roots}
    moment = time.time() if now is None else now
    found = []
    for told in alike(house):
        others = _booked(told, house.bookings, apart_from_run, rank)
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
                    devices=_helping_devices(told, devices),
                    manner=told.manner,
                    reach=tuple(
                        (drive.path, max(1.0, drive.read / speed.read))
                        for drive in drives
                        if (speed := told.mounts.get(names.get(drive.path, "")))
                    ),
                )
            )
    return tuple(sorted(found, key=lambda item: (item.pace.encode * item.load.stretch, item.id)))


def shared_drives(house: House, roots: Sequence[Root]) -> tuple[SharedDrive, ...]:
    """What the shared folders carry, as the stations have measured; none that nobody has.

    Parameters
    ----------
    house
        What is known of the house.
    roots
        What this machine shares.
    """
    found = []
    for root in roots:
        speeds = [told.mounts[root.name] for told in house.stations if root.name in told.mounts]
        if speeds:
            read, write = max(s.read for s in speeds), max(s.write for s in speeds)
            found.append(SharedDrive(root.path, read, write))
    return tuple(found)


def alike(house: House) -> list[StationTold]:
    """The stations that encode as this machine does."""
    return [
        told
        for told in house.stations
        if told.version == __version__ and told.libraries == libraries_version()
    ]


def with_house_devices(
    own: Sequence[TriedEncoder], house: House, resting: Mapping[str, str]
) -> tuple[TriedEncoder, ...]:
    """Hardware encoders that a run of this machine can use: its own; where it has none of a kind, the house's.

    Another driver makes other bits, so of each family only stations with one driver count: this machine's, else the
    one with most sessions.

    Parameters
    ----------
    own
        This machine's, as they were tried.
    house
        What is known of the house.
    resting
        Families that are left alone for a while, with why.
    """
    there = [(told.name, tried) for told in alike(house) for tried in told.devices if tried.works]
    found = {tried.encoder: tried for tried in own}
    for family in dict.fromkeys(tried.family for _, tried in there):
        if family in resting or any(tried.family == family and tried.works for tried in own):
            continue
        sessions: dict[str, dict[str, int]] = {}
        for name, tried in there:
            if tried.family == family:
                sessions.setdefault(tried.driver, {})[name] = tried.sessions
        driver = max(sessions, key=lambda key: (sum(sessions[key].values()), key))
        for _, tried in there:
            if (tried.family, tried.driver) == (family, driver) and not (
                tried.encoder in found and found[tried.encoder].works
            ):
                named = " and ".join(sessions[driver])
                total = sum(sessions[driver].values())
                found[tried.encoder] = tried.model_copy(update={"at": named, "sessions": total})
    return tuple(found.values())


def _helping_devices(told: StationTold, devices: Sequence[TriedEncoder]) -> tuple[HelpingDevice, ...]:
    """A station's devices that make the same bits as those that are counted on."""
    found: dict[str, HelpingDevice] = {}
    counted_on = {(tried.encoder, tried.device): tried for tried in devices if tried.works}
    for tried in told.devices:
        like = counted_on.get((tried.encoder, tried.device))
        if like is not None and tried.works:
            slower = tried.seconds_a_megapixel / max(1e-9, like.seconds_a_megapixel)
            found.setdefault(tried.family, HelpingDevice(tried.family, tried.sessions, slower))
    return tuple(found.values())


def _booked(told: StationTold, bookings: Iterable[Booking], apart_from: str, rank: Rank) -> float:
    """Seconds for which each slot of a station is busy with other runs' work, as far as that comes before this one's."""
    seconds = (
        booking.seconds * min(1.0, WEIGHTS[booking.rank] / WEIGHTS[rank])
        for booking in bookings
        if booking.station == told.name and apart_from not in (booking.run, booking.run.partition(" ")[0])
    )
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
