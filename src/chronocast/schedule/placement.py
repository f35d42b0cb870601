"""What is done where and in which order: a plan by the operator's wish, and when everything is finished by it.

The linear programme says which stations are of use for what; a few orders are
tried on the typical draw by the rule of dispatch, and the best by the wish is
simulated in every draw.  The plan guides a run; the run stays free to follow
what really happens, and a new plan comes every few seconds.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np

from chronocast.forecast.band import AT_ONCE, Chance
from chronocast.forecast.learning.experience import Experience, StationSeen
from chronocast.forecast.stage import Work
from chronocast.forecast.station import Station, device_place
from chronocast.model.batch.wishes import Wish
from chronocast.model.pauses import pause
from chronocast.schedule.bound import Bound, lower_bound
from chronocast.schedule.clock import (
    Finish,
    Guide,
    Share,
    Span,
    Traced,
    merged,
    simulate,
    traced_draw,
    typical_draw,
)
from chronocast.schedule.convoys import in_convoys
from chronocast.schedule.pool import FAR, Draws, Help

HELP_SD = 0.12
"""Error of another station's pace against this one's (one standard deviation of the log)."""
MOST_TRIED = 3000
"""With more tasks than that, one order is tried and no other."""
FINALES = (2, 3, 4, 6, 8, 12)
"""So many of the last outputs are tried side by side."""
ORDERS_WITH_FINALE, FEW_TASKS = 2, 600
"""So many orders are tried with them; one where there are more tasks than that."""
AS_EARLY = 1.005
"""Of plans that end as early as that, the one is taken whose outputs are finished earlier on the whole."""


@dataclass(frozen=True)
class Placement:
    """A plan, and when everything is finished by it.

    Parameters
    ----------
    wish
        What it is made by.
    order
        The outputs in the order in which they are done.
    finishes
        When each output begins and ends, as the work was given.
    spans
        What the slots do in a typical draw.
    shares
        How many tasks of each output each station gets.
    guide
        What it adds to the order.
    """

    wish: Wish
    order: tuple[str, ...]
    finishes: tuple[Finish, ...]
    spans: tuple[Span, ...] = ()
    shares: tuple[Share, ...] = ()
    guide: Guide = field(default_factory=Guide)

    @property
    def end(self) -> Draws:
        """When the last output ends, shape (draws,)."""
        last: Draws = np.max([item.end for item in self.finishes], axis=0) if self.finishes else np.zeros(1)
        return last

    def in_time(self, wanted: Mapping[str, float]) -> dict[str, float]:
        """By which chance each output that is wanted by a moment is finished by then.

        Parameters
        ----------
        wanted
            Seconds from now, by output.
        """
        return {
            item.output: float(np.mean(item.end <= wanted[item.output]))
            for item in self.finishes
            if item.output in wanted
        }


@dataclass(frozen=True)
class Evening:
    """All that a plan is made of.

    Parameters
    ----------
    works
        What is left to do.
    slots
        How many tasks each place of the station does at once.
    draws
        How many are simulated.
    helping
        Slots of other stations.
    wanted
        When outputs are wanted, in seconds from now.
    guide
        Which stations are used for what, of those that could be.
    """

    works: Sequence[Work]
    slots: Mapping[str, int]
    draws: int
    helping: Sequence[Help] = ()
    wanted: Mapping[str, float] = field(default_factory=dict)
    guide: Guide | None = None


NO_PLACEMENT = Placement("order", (), ())
NO_EVENING = Evening((), {}, 1)


def help_of(station: Station, learned: Experience, chance: Chance) -> tuple[Help, ...]:
    """What the other stations of a house do for this one.

    Parameters
    ----------
    station
        This one, with its helpers.
    learned
        How much slower than their paces stations were lately.
    chance
        Where the draws come from.
    """
    found = []
    own = learned.stations.get(station.id, StationSeen()).state
    for item in station.helpers:
        drift = learned.stations.get(item.id, StationSeen()).state - own
        slower = (
            item.pace.encode
            / station.pace.encode
            * np.exp(drift + HELP_SD * chance.normal("pace of " + item.id))
        )
        share = item.load.draws(chance) / station.load.draws(chance)
        reach = dict(item.reach)
        found.append(Help(item.id, item.slots, slower * share, item.booked, item.windows, station.id, reach))
        for device in item.devices:
            error = np.exp(HELP_SD * chance.normal(f"pace of {device_place(item.id, device.family)}"))
            found.append(
                Help(
                    device_place(item.id, device.family),
                    device.sessions,
                    device.slower * error,
                    windows=item.windows,
                    place=device_place(station.id, device.family),
                    reach=reach,
                )
            )
    return tuple(found)


def typical(works: Sequence[Work]) -> list[Work]:
    """Work with one draw alone: what each task is likely to take."""
    found: list[Work] = []
    for begin in range(0, len(works), AT_ONCE):
        pause()
        some = works[begin : begin + AT_ONCE]
        if not (draws := [stage.draws for work in some for stage in work.stages]):
            found += some
            continue
        ends = np.cumsum([len(rows) for rows in draws])[:-1]
        likely = iter(np.split(np.median(np.concatenate(draws), axis=1, keepdims=True), ends))
        found += [
            replace(work, stages=tuple(replace(stage, draws=next(likely)) for stage in work.stages))
            for work in some
        ]
    return found


def typical_help(helping: Sequence[Help]) -> list[Help]:
    """Help with one draw alone."""
    return [replace(item, slower=np.array([np.median(item.slower)])) for item in helping]


def place_works(
    works: Sequence[Work],
    slots: Mapping[str, int],
    draws: int,
    helping: Sequence[Help] = (),
    *,
    wish: Wish = "order",
    wanted: Mapping[str, float] | None = None,
) -> Placement:
    """A plan by a wish, and when everything is finished by it.

    Parameters
    ----------
    works
        What is left to do, in the operator's order.
    slots
        How many tasks each place of the station does at once.
    draws
        How many are simulated.
    helping
        Slots of other stations.
    wish
        What the order is to be good for.
    wanted
        When outputs are wanted, in seconds from now.
    """
    return place_evening(Evening(works, slots, draws, helping, wanted or {}), wish)


def evening_of(
    works: Sequence[Work],
    station: Station,
    learned: Experience,
    chance: Chance,
    wanted: Mapping[str, float] | None = None,
) -> Evening:
    """Work on a station and those that help it.

    Parameters
    ----------
    works
        What is left to do, in the operator's order.
    station
        Where it is done.
    learned
        What the ledger has taught.
    chance
        Where the draws come from.
    wanted
        When outputs are wanted, in seconds from now.
    """
    helping = help_of(station, learned, chance)
    return Evening(works, station.places, chance.draws, helping, wanted or {})


def place_evening(evening: Evening, wish: Wish = "order") -> Placement:
    """A plan by a wish, and when everything is finished by it.

    Parameters
    ----------
    evening
        The work and who does it.
    wish
        What the order is to be good for.
    """
    planned = in_best_order(evening, wish)
    convoys = {convoy.work.output: convoy for convoy in in_convoys(planned.works)}
    works, traced = [convoy.work for convoy in convoys.values()], Traced()
    found = simulate(
        works, planned.slots, planned.draws, helping=planned.helping, guide=planned.guide, traced=traced
    )
    if planned.draws > 1 and works:
        traced = traced_draw(works, planned.slots, planned.helping, typical_draw(found), planned.guide)
    by_output = {one.output: one for item in found for one in convoys[item.output].finishes(item)}
    return Placement(
        wish,
        tuple(work.output for work in planned.works),
        tuple(by_output[work.output] for work in evening.works),
        tuple(one for span in merged(traced.spans) for one in convoys[span.output].spans(span)),
        tuple(one for share in traced.shares for one in convoys[share.output].shares(share)),
        planned.guide or Guide(),
    )


def _by_length(works: Sequence[Work]) -> list[str]:
    """The parts of outputs that are made side by side, base pieces first, then the longest first."""
    found = [
        (not stage.kind.first, -float(mean), name)
        for work in works
        for stage in work.stages
        if stage.kind.of == "part"
        for name, mean in zip(stage.names, stage.draws.mean(axis=1), strict=True)
    ]
    return [name for *_, name in sorted(found, key=lambda part: part[:2])]


def in_best_order(evening: Evening, wish: Wish) -> Evening:
    """An evening with its work in the best order by a wish.

    Parameters
    ----------
    evening
        The work in the operator's order, and who does it.
    wish
        What the order is to be good for.
    """
    if wish == "order" or not evening.works:
        return evening
    order, guide = _best(evening, wish)
    return replace(evening, works=[evening.works[number] for number in order], guide=guide)


def _best(evening: Evening, wish: Wish) -> tuple[list[int], Guide | None]:
    """The best order of those that are tried, and what the stations are used for by it."""
    works, slots, wanted = evening.works, evening.slots, evening.wanted
    alone, there = typical(works), typical_help(evening.helping)
    bound = lower_bound(alone, slots, there)
    guide = _guide(bound)
    tails = [_tail(work) for work in alone]
    choosy = [len(work.stations) or len(there) + 1 for work in works]
    whole = list(range(len(works)))
    tries = [
        (sorted(whole, key=lambda n: (choosy[n], -tails[n])), guide),
        (whole, guide),
        (sorted(whole, key=lambda n: (choosy[n], tails[n])), guide),
        (whole, None),
    ]
    if wish == "in time":
        speed = sum(slots.values()) + sum(float(item.slots / item.slower[0]) for item in there)
        due = [wanted.get(work.output, FAR) for work in works]
        amounts = [float(work.seconds(1)[0]) / max(1e-9, speed) for work in alone]
        tries = [(_in_time(due, amounts), None), (sorted(whole, key=lambda n: due[n]), None), (whole, None)]
    tasks = sum(len(stage.names) for work in works for stage in work.stages)
    if tasks > MOST_TRIED:
        tries = tries[:1]
    if len(tries) == 1:
        return tries[0]

    def tried(order: list[int], how: Guide | None) -> _Try:
        found = simulate([alone[n] for n in order], slots, 1, helping=there, guide=how)
        ends = [float(item.end[0]) for item in found]
        late = sum(end > wanted.get(item.output, FAR) for item, end in zip(found, ends, strict=True))
        return _Try(order, how, max(ends), sum(ends) / len(ends), late)

    results = [tried(order, how) for order, how in tries]
    if wish == "in time":
        best = min(results, key=lambda one: (one.late, one.end))
    else:
        orders = ORDERS_WITH_FINALE if tasks <= FEW_TASKS else 1
        likely = sorted(results, key=lambda one: (one.end, one.late))[:orders]
        results += [
            tried(one.order, _with_finale(one.guide, one.order, alone, size))
            for one in likely
            for size in FINALES
            if size <= len(works)
        ]
        earliest = min(one.end for one in results)
        best = min(
            (one for one in results if one.end <= earliest * AS_EARLY), key=lambda one: (one.mean, one.end)
        )
    return best.order, best.guide


class _Try(NamedTuple):
    """An order and a guide, and what came of them: the end, the mean end of an output, how many are late."""

    order: list[int]
    guide: Guide | None
    end: float
    mean: float
    late: int


def _with_finale(guide: Guide | None, order: Sequence[int], works: Sequence[Work], size: int) -> Guide:
    """A guide by which so many of the last outputs are made side by side."""
    last = [works[n] for n in order if works[n].stages and not works[n].not_before][-size:]
    finale = tuple(work.output for work in last)
    return replace(guide or Guide(), finale=finale, parts=tuple(_by_length(last)))


def _guide(bound: Bound) -> Guide | None:
    """Which stations the best plan uses for what; None where it says nothing."""
    uses = {one: stations for one, stations in bound.uses.items() if stations}
    return Guide(uses) if uses else None


def _tail(work: Work) -> float:
    """How long an output takes at least, however many slots there are: its longest part, and its steps."""
    parts = [float(stage.draws.max()) for stage in work.stages if stage.kind.of == "part" and stage.names]
    steps = (float(stage.draws.sum()) for stage in work.stages if stage.kind.of == "output")
    return max(parts, default=0.0) + sum(steps)


def _in_time(due: Sequence[float], amounts: Sequence[float]) -> list[int]:
    """An order in which as many as can be are in time, by one after the other: of what would be late the largest go last.

    Moore's rule (1968) for one machine with due dates.
    """
    kept: list[int] = []
    late: list[int] = []
    now = 0.0
    for number in sorted(range(len(due)), key=lambda n: due[n]):
        kept.append(number)
        now += amounts[number]
        if now > due[number]:
            largest = max(kept, key=lambda n: amounts[n])
            kept.remove(largest)
            late.append(largest)
            now -= amounts[largest]
    return kept + sorted(late, key=lambda n: due[n])
