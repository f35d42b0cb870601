"""A night before it happens: the plan simulated with stations lost and people sitting down, many times over.

Nobody knows which station will be lost, so in every draw others are; what a
station had in hand is done again elsewhere, by the same rule of dispatch.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from chronocast.forecast.band import Band, Chance, band
from chronocast.model.house import Attendance
from chronocast.schedule.clock import Finish, Span, Traced, merged, of_draw, simulate
from chronocast.schedule.placement import Evening
from chronocast.schedule.pool import FAR, Draws, Surprise

HOURS_BETWEEN_LOSSES = 120.0
"""A station is lost once in so many hours of work, where nothing else is known (a restart, a cable, a full drive)."""
AWAY_SECONDS, AWAY_SD = 1200.0, 1.0
"""It comes back after so long in the middle; the spread of that (log)."""
LOSS_NOTICED, VISIT_NOTICED = 10.0, 120.0
"""So long after a loss what it had in hand begins elsewhere; after somebody sat down it is handed back."""
COMES, MORNING_SD, DAY_SECONDS = 0.8, 1800.0, 9 * 3600.0
"""How likely somebody comes on a working day, how far apart (one standard deviation), for how long."""
MOST_LOSSES = 4
"""More losses of one station in a night aren't drawn."""

Why = Literal["lost", "somebody"]


@dataclass(frozen=True)
class Happening:
    """What is to happen to a station, in every night: from when for how long (seconds from now), why."""

    station: str
    at: float
    seconds: float
    why: Why = "lost"


@dataclass(frozen=True)
class Hazard:
    """How often a station is lost, by chance.

    Parameters
    ----------
    station
        Its id.
    hours_between
        Once in so many hours.
    away
        It is back after so many seconds in the middle.
    """

    station: str
    hours_between: float = HOURS_BETWEEN_LOSSES
    away: float = AWAY_SECONDS


def hazard_seen(station: str, seen: Attendance) -> Hazard:
    """How often a station is lost, by what was seen of it, and by what is usual the less was seen.

    A rate with a gamma prior worth one loss; the mean of the log of the times away with one usual time among them.

    Parameters
    ----------
    station
        Its id.
    seen
        How it was there so far.
    """
    hours = HOURS_BETWEEN_LOSSES + seen.seconds / 3600
    logs = [np.log(AWAY_SECONDS), *(np.log(max(1.0, seconds)) for seconds in seen.away)]
    return Hazard(station, hours / (1 + seen.losses), float(np.exp(np.mean(logs))))


@dataclass(frozen=True)
class Night:
    """One night: when it ended, what happened, what each slot did.

    Parameters
    ----------
    number
        Which draw it was.
    end
        Seconds from now.
    happened
        What befell stations before that.
    spans
        What the slots did.
    late
        Outputs that were later than wanted.
    """

    number: int
    end: float
    happened: tuple[Happening, ...] = ()
    spans: tuple[Span, ...] = ()
    late: tuple[str, ...] = ()


@dataclass(frozen=True)
class HangsOn:
    """What the end hangs on: without a station's mishaps it would come so much sooner (seconds, on average)."""

    station: str
    seconds: float
    lost_in: float


@dataclass(frozen=True)
class Rehearsal:
    """What many nights came to.

    Parameters
    ----------
    nights
        How many were rehearsed.
    end, undisturbed
        When all is finished, in seconds from now; and if nothing befell anybody.
    in_time
        By which chance each output that is wanted by a moment is finished by then.
    all_in_time
        By which chance all of them are; None where nothing is wanted by any.
    last
        Outputs that end last, each with the share of nights in which it does.
    hangs_on
        Stations, the one whose mishaps cost most first.
    typical, bad
        The night in the middle, and the one that nine in ten are better than.
    """

    nights: int
    end: Band
    undisturbed: Band
    in_time: Mapping[str, float]
    all_in_time: float | None
    last: tuple[tuple[str, float], ...]
    hangs_on: tuple[HangsOn, ...]
    typical: Night
    bad: Night


def drawn_losses(hazards: Sequence[Hazard], until: float, chance: Chance) -> list[Surprise]:
    """Losses drawn for stations, as often as their hazards say.

    Parameters
    ----------
    hazards
        How often stations are lost.
    until
        Seconds from now after which nothing matters.
    chance
        Where the draws come from.
    """
    found = []
    for hazard in hazards:
        moment = np.zeros(chance.draws)
        for number in range(MOST_LOSSES):
            name = f"loss {number} of {hazard.station}"
            rare = -np.log(chance.uniform(name)) * hazard.hours_between * 3600
            lost = moment + rare
            away = hazard.away * np.exp(AWAY_SD * chance.normal("away " + name))
            moment = lost + away
            if not (lost < until).any():
                break
            found.append(Surprise(hazard.station, lost, moment, LOSS_NOTICED))
    return found


def drawn_visits(stations: Sequence[str], mornings: Sequence[float], chance: Chance) -> list[Surprise]:
    """People who sit down at stations on working days, most of them, about half an hour apart, and stay for the day.

    Parameters
    ----------
    stations
        Where somebody works who is given way to.
    mornings
        When working days begin, in seconds from now.
    chance
        Where the draws come from.
    """
    found = []
    for station in stations:
        for morning in mornings:
            name = f"{station} {morning // 3600:.0f}"
            comes = chance.uniform("comes " + name) < COMES
            begin = morning + MORNING_SD * chance.normal("morning " + name)
            end = begin + DAY_SECONDS
            found.append(
                Surprise(
                    station,
                    np.where(comes, np.maximum(0.0, begin), FAR),
                    np.where(comes, end, FAR),
                    VISIT_NOTICED,
                )
            )
    return found


def certain(happenings: Sequence[Happening], draws: int) -> list[Surprise]:
    """What is to happen in every night.

    Parameters
    ----------
    happenings
        What, to whom.
    draws
        How many nights.
    """
    one = np.ones(draws)
    return [
        Surprise(
            item.station,
            item.at * one,
            (item.at + item.seconds) * one,
            LOSS_NOTICED if item.why == "lost" else VISIT_NOTICED,
        )
        for item in happenings
    ]


@dataclass(frozen=True)
class Mishaps:
    """What may befall stations in a night.

    Parameters
    ----------
    hazards
        How often stations are lost by chance.
    happenings
        What is to happen in every night.
    visited, mornings
        Where somebody works who is given way to, and when working days begin (seconds from now).
    """

    hazards: tuple[Hazard, ...] = ()
    happenings: tuple[Happening, ...] = ()
    visited: tuple[str, ...] = ()
    mornings: tuple[float, ...] = ()


def rehearse(evening: Evening, mishaps: Mishaps, chance: Chance | None = None) -> Rehearsal:
    """Rehearse many nights of a plan.

    Parameters
    ----------
    evening
        The work, in the order of its plan, and who does it.
    mishaps
        What may befall whom.
    chance
        Where losses are drawn from.
    """
    chance = chance or Chance(evening.draws)
    usual = _simulated(evening, ())
    ends = _last(usual, evening.draws)
    until = float(np.quantile(np.minimum(ends, FAR / 2), 0.95)) * 2 + 3600
    surprises = [
        *drawn_losses(mishaps.hazards, until, chance),
        *drawn_visits(mishaps.visited, mishaps.mornings, chance),
        *certain(mishaps.happenings, evening.draws),
    ]
    found = _simulated(evening, surprises) if surprises else usual
    end = _last(found, evening.draws)
    late = np.array(
        [item.end > evening.wanted[item.output] for item in found if item.output in evening.wanted]
    )
    order = np.argsort(end, kind="stable")
    return Rehearsal(
        nights=evening.draws,
        end=band(end),
        undisturbed=band(ends),
        in_time={
            item.output: float(np.mean(item.end <= evening.wanted[item.output]))
            for item in found
            if item.output in evening.wanted
        },
        all_in_time=float(np.mean(~late.any(axis=0))) if len(late) else None,
        last=_last_ones(found),
        hangs_on=_hangs_on(evening, surprises, end),
        typical=_night(evening, surprises, found, int(order[len(order) // 2])),
        bad=_night(evening, surprises, found, int(order[min(len(order) - 1, int(len(order) * 0.9))])),
    )


def _simulated(evening: Evening, surprises: Sequence[Surprise]) -> list[Finish]:
    return simulate(
        evening.works,
        evening.slots,
        evening.draws,
        helping=evening.helping,
        surprises=surprises,
        guide=evening.guide,
    )


def _last(finishes: Sequence[Finish], draws: int) -> Draws:
    found: Draws = np.max([item.end for item in finishes], axis=0) if finishes else np.zeros(draws)
    return found


def _last_ones(finishes: Sequence[Finish]) -> tuple[tuple[str, float], ...]:
    """Which outputs end last, in which share of nights."""
    if not finishes:
        return ()
    which = np.argmax([item.end for item in finishes], axis=0)
    counts = Counter(finishes[int(number)].output for number in which)
    return tuple((output, count / len(which)) for output, count in counts.most_common(3))


def _hangs_on(evening: Evening, surprises: Sequence[Surprise], end: Draws) -> tuple[HangsOn, ...]:
    """How much sooner the end would come without the mishaps of one station or another."""
    found = []
    for station in dict.fromkeys(item.station for item in surprises):
        mine = [item for item in surprises if item.station == station]
        lost_in = np.any([item.lost < end for item in mine], axis=0)
        if not lost_in.any():
            continue
        others = [item for item in surprises if item.station != station]
        without = _last(_simulated(evening, others), evening.draws)
        found.append(HangsOn(station, float(np.mean(end - without)), float(np.mean(lost_in))))
    return tuple(sorted(found, key=lambda item: -item.seconds))


def _night(evening: Evening, surprises: Sequence[Surprise], finishes: Sequence[Finish], number: int) -> Night:
    """One of the nights, with what the slots did."""
    alone, there = of_draw(evening.works, evening.helping, number)
    one = [
        replace(item, lost=item.lost[number : number + 1], back=item.back[number : number + 1])
        for item in surprises
    ]
    traced = Traced()
    simulate(alone, evening.slots, 1, traced=traced, helping=there, surprises=one, guide=evening.guide)
    end = max((float(item.end[number]) for item in finishes), default=0.0)
    happened = [
        Happening(
            item.station,
            float(item.lost[0]),
            float(item.back[0] - item.lost[0]),
            "somebody" if item.noticed == VISIT_NOTICED else "lost",
        )
        for item in one
        if item.lost[0] < end
    ]
    late = tuple(
        item.output
        for item in finishes
        if item.output in evening.wanted and item.end[number] > evening.wanted[item.output]
    )
    spans = tuple(merged(traced.spans))
    return Night(number, end, tuple(sorted(happened, key=lambda item: item.at)), spans, late)
