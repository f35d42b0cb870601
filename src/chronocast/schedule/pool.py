"""Slots that take the same work, of one station or of several, each with its time in every draw.

A task goes to the slot that would finish it first.  This is the one rule of
dispatch: the forecast asks it for every draw at once, a plan for the typical
draw, a rehearsal for nights in which stations are lost.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.station import station_of
from chronocast.model.stages import HERE

Draws = NDArray[np.float64]
Numbers = NDArray[np.intp]
FAR = 1e12
"""Seconds that no forecast reaches."""


@dataclass(frozen=True)
class Help:
    """Slots of another station that take the same work.

    Parameters
    ----------
    station
        Its id, with its device where they are that one's sessions.
    slots
        How many.
    slower
        How many times as long everything takes there, shape (draws,).
    booked
        Seconds that each of them is busy with others' work.
    windows
        When it is open, (begin, end) in seconds from now, in order; none for always.
    place
        Whose work they take, as the work's stages name it.
    reach
        How many times as slow shared drives are from there.
    """

    station: str
    slots: int
    slower: Draws
    booked: float = 0.0
    windows: tuple[tuple[float, float], ...] = ()
    place: str = HERE
    reach: Mapping[str, float] = field(default_factory=dict)

    @property
    def name(self) -> str:
        """The station's, without its device."""
        return station_of(self.station)


@dataclass(frozen=True)
class Surprise:
    """A station is lost for a while, in some draws; what it has in hand then is done again elsewhere.

    With this machine (``HERE``) the run itself is lost: nobody works for it until that is back.

    Parameters
    ----------
    station
        Its id.
    lost, back
        When it goes and comes back, in seconds from now, shape (draws,); ``FAR`` where it doesn't.
    noticed
        So many seconds later what it had in hand begins elsewhere.
    """

    station: str
    lost: Draws
    back: Draws
    noticed: float = 0.0


@dataclass(frozen=True)
class Taken:
    """What became of a task: its begin and end, the number of the station, shape (draws,) each."""

    begin: Draws
    end: Draws
    station: Numbers
    slot: Numbers


class Pool:
    """``Pool(place, count, draws, helping, surprises)``.

    Parameters
    ----------
    place
        The station whose work it takes, or its device.
    count
        How many slots that has itself.
    draws
        How many are simulated.
    helping
        Slots of other stations that take the same work.
    surprises
        Stations that are lost for a while.
    """

    def __init__(
        self,
        place: str,
        count: int,
        draws: int,
        helping: Sequence[Help] = (),
        surprises: Iterable[Surprise] = (),
    ) -> None:
        own = max(0 if helping else 1, count)
        sides = [Help(place, own, np.ones(1))] if own else []
        self.own = len(sides)
        self.sides = [*sides, *(item for item in helping if item.slots)]
        self.rows = np.arange(draws)
        most = max((side.slots for side in self.sides), default=0)
        self.free = np.full((most, draws, len(self.sides)), FAR)
        self.slower = np.ones((draws, len(self.sides))) if len(self.sides) > self.own else None
        for number, side in enumerate(self.sides):
            self.free[: side.slots, :, number] = side.booked
            if self.slower is not None:
                self.slower[:, number] = side.slower
        self.typical = 0.0
        self._least: Draws | None = None
        self.timed = any(side.windows for side in self.sides)
        if self.timed:
            shape = (len(self.sides), max(len(side.windows) for side in self.sides) + 1)
            self.opens, self.shuts = np.full(shape, FAR), np.full(shape, FAR)
            for number, side in enumerate(self.sides):
                for window, (begin, end) in enumerate(side.windows or ((0.0, FAR),)):
                    self.opens[number, window], self.shuts[number, window] = begin, end
            for number, side in enumerate(self.sides):
                for slot in range(side.slots):
                    self.free[slot, :, number] = self._opened(
                        np.full(draws, number), self.free[slot, :, number]
                    )
        self.first = self.free.min(axis=0) if most else np.full((draws, 0), FAR)
        found = {
            number: [item for item in surprises if item.station in (side.name, HERE)]
            for number, side in enumerate(self.sides)
        }
        self.surprises: Mapping[int, list[Surprise]] = {n: items for n, items in found.items() if items}
        self._allowed: dict[tuple[frozenset[str], bool], Numbers | None] = {}

    def allowed(self, stations: frozenset[str], here: bool) -> Numbers | None:
        """The numbers of the stations that can do a task; None for all of them.

        Parameters
        ----------
        stations
            The only ones that may; none for all.
        here
            Whether only the station's own slots can.
        """
        key = (stations, here)
        if key not in self._allowed:
            sides = self.sides[: self.own] if here else self.sides
            found = [n for n, side in enumerate(sides) if not stations or side.name in stations]
            self._allowed[key] = None if len(found) == len(self.sides) else np.array(found, np.intp)
        return self._allowed[key]

    def frontier(self, only: Numbers | None = None) -> float:
        """When the next slot of some stations comes free, in seconds from now, on average over the draws.

        Parameters
        ----------
        only
            The stations' numbers; all, if None.
        """
        first = self.first if only is None else self.first[:, only]
        return float(first.min(axis=1).mean()) if first.shape[1] else FAR

    def take(
        self,
        seconds: Draws,
        ready: Draws | None = None,
        only: Numbers | None = None,
        carried: tuple[str, float] = ("", 0.0),
    ) -> Taken:
        """Give a task the slot that would finish it first.

        Parameters
        ----------
        seconds
            It takes so long on the station itself, shape (draws,).
        ready
            When it can begin, shape (draws,); at once, if None.
        only
            The numbers of the stations that can do it; all, if None.
        carried
            The shared drive it reads and writes, and the seconds it would have that for itself.
        """
        self._least = self._reached(*carried)
        taken = self._first(seconds, ready, only)
        if self.surprises:
            taken = self._despite_losses(taken, seconds, ready, only)
        if len(self.sides):
            self._free_at(taken.station, taken.slot, self.rows, taken.end)
        return taken

    def _reached(self, drive: str, seconds: float) -> Draws | None:
        """How long a task takes at each station at least, for what it reads and writes; None where that is no matter."""
        if not drive or seconds <= 0:
            return None
        return seconds * np.array([side.reach.get(drive, 1.0) for side in self.sides])

    def _free_at(self, stations: Numbers, slots: Numbers, rows: Numbers, moment: Draws) -> None:
        """Have slots come free at a moment, within their station's hours."""
        if self.timed:
            moment = self._opened(stations, moment)
        self.free[slots, rows, stations] = moment
        self.first[rows, stations] = self.free[:, rows, stations].min(axis=0)

    def _opened(self, stations: Numbers, moment: Draws) -> Draws:
        """The first moment from then on at which stations are open."""
        number = (self.shuts[stations] <= moment[:, None]).sum(axis=1)
        number = np.minimum(number, self.shuts.shape[1] - 1)
        found: Draws = np.maximum(moment, self.opens[stations, number])
        return found

    def _first(self, seconds: Draws, ready: Draws | None, only: Numbers | None) -> Taken:
        """The slot that would finish a task first, not taken yet."""
        rows = self.rows
        free = self.first if only is None else self.first[:, only]
        if not free.shape[1]:
            far, none = np.full(len(rows), FAR), np.zeros(len(rows), np.intp)
            return Taken(far, far.copy(), none, none)
        begin = free if ready is None else np.maximum(free, ready[:, None])
        took = seconds[:, None]
        if self.slower is not None:
            took = took * (self.slower if only is None else self.slower[:, only])
        if self._least is not None:
            took = np.maximum(took, self._least if only is None else self._least[only])
        end = begin + took
        number = end.argmin(axis=1)
        station = number if only is None else only[number]
        found_begin, found_end = begin[rows, number], end[rows, number]
        if self.timed:
            window = (self.shuts[station] <= found_begin[:, None]).sum(axis=1)
            window = np.minimum(window, self.shuts.shape[1] - 1)
            late = (found_end > self.shuts[station, window]) | (found_begin < self.opens[station, window])
            if late.any():
                self._within_hours((found_begin, found_end, station), late.nonzero()[0], seconds, ready, only)
        return Taken(found_begin, found_end, station, self._slot(station, found_begin, ready is not None))

    def _slot(self, station: Numbers, begin: Draws, waited: bool) -> Numbers:
        """Of a station's slots that are free by then the one that came free last: the others stay for other tasks."""
        free = self.free[:, self.rows, station]
        if not waited:
            slot: Numbers = free.argmin(axis=0)
        else:
            slot = np.where(free <= begin, free, -1.0).argmax(axis=0)
        return slot

    def _within_hours(
        self,
        found: tuple[Draws, Draws, Numbers],
        late: Numbers,
        seconds: Draws,
        ready: Draws | None,
        only: Numbers | None,
    ) -> None:
        """Find stations for a task, in the draws in which it wouldn't end before the chosen one shuts.

        A station doesn't begin what it couldn't end.  A slot that comes free too late for even a short task waits for
        its station's next hours, so that it isn't looked at again for every task.

        Parameters
        ----------
        found
            Begins, ends and stations, which are changed.
        late
            The draws.
        seconds, ready, only
            As in ``take``.
        """
        stations = np.arange(len(self.sides)) if only is None else only
        slower = 1.0 if self.slower is None else self.slower[np.ix_(late, stations)]
        at = self.first[np.ix_(late, stations)]
        if ready is not None:
            at = np.maximum(at, ready[late][:, None])
        took = seconds[late][:, None] * slower
        begin = np.full_like(at, FAR)
        for window in reversed(range(self.opens.shape[1])):
            first = np.maximum(at, self.opens[stations, window])
            begin = np.where(first + took <= self.shuts[stations, window], first, begin)
        end = np.minimum(begin + took, FAR)
        number, rows = end.argmin(axis=1), np.arange(len(late))
        begins, ends, chosen = found
        self._send_home(chosen[late], late)
        begins[late], ends[late], chosen[late] = begin[rows, number], end[rows, number], stations[number]

    def _send_home(self, stations: Numbers, rows: Numbers) -> None:
        """Have slots that come free just before their station shuts wait for its next hours."""
        slots = self.free[:, rows, stations].argmin(axis=0)
        free = self.free[slots, rows, stations]
        window = np.minimum((self.shuts[stations] <= free[:, None]).sum(axis=1), self.shuts.shape[1] - 1)
        closes = self.shuts[stations, window]
        short = np.full(len(rows), self.typical)
        if self.slower is not None:
            short = short * self.slower[rows, stations]
        home = closes - free < short
        if home.any():
            self._free_at(stations[home], slots[home], rows[home], closes[home])

    def later(self, taken: Taken, end: Draws) -> None:
        """Have slots that were taken come free later than thought.

        Parameters
        ----------
        taken
            What took them.
        end
            When they come free, shape (draws,).
        """
        if self.sides:
            self._free_at(taken.station, taken.slot, self.rows, end)

    def _despite_losses(
        self, taken: Taken, seconds: Draws, ready: Draws | None, only: Numbers | None
    ) -> Taken:
        """A task whose station is lost in the middle is done again: elsewhere, or there when it is back."""
        begin, end, station = taken.begin.copy(), taken.end.copy(), taken.station.copy()
        slot = taken.slot.copy()
        can_begin = np.zeros(len(self.rows)) if ready is None else ready.copy()
        for _ in range(64):
            hit = np.zeros(len(self.rows), bool)
            for number, found in self.surprises.items():
                for item in found:
                    here = (station == number) & (end > item.lost) & (begin < item.back)
                    if not here.any():
                        continue
                    # a slot that stood idle when its station was lost loses nothing but the time until it is back
                    worked = here & (begin < item.lost)
                    can_begin[worked] = np.maximum(can_begin, item.lost + item.noticed)[worked]
                    rows = here.nonzero()[0]
                    self._free_at(station[rows], slot[rows], rows, item.back[rows])
                    hit |= here
            if not hit.any():
                break
            again = self._first(seconds, can_begin, only)
            begin[hit], end[hit] = again.begin[hit], again.end[hit]
            station[hit], slot[hit] = again.station[hit], again.slot[hit]
        return Taken(begin, end, station, slot)
