"""What a plan could be otherwise: the wishes side by side, what would bring the finish forward, nights rehearsed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

import numpy as np

from chronocast.forecast.band import Band, band
from chronocast.model.batch.wishes import WISHES, Wish
from chronocast.model.show import clock_text, percent, time_text
from chronocast.model.stages import HERE
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.schedule.closing import closing_bound
from chronocast.schedule.placement import (
    Evening,
    in_best_order,
    place_evening,
    typical,
    typical_help,
)
from chronocast.schedule.pool import FAR
from chronocast.schedule.rehearsal import Happening, Hazard, Mishaps, Rehearsal, hazard_seen, rehearse

MORE_SECONDS = 2 * 3600.0
WORTH_SECONDS, WORTH_SHARE = 5.0, 0.01
"""What brings the finish forward by less isn't named."""
MORNING = (8, 30)
DAYS_AHEAD = 3
OWN = "this machine"
"""What the machine that has the run is called."""


@dataclass(frozen=True)
class WishAnswer:
    """What one wish gives.

    Parameters
    ----------
    wish
        Which.
    end
        When all is finished, in seconds from now.
    first
        When the first file is.
    in_time, wanted
        How many files are in time on average, of how many that are wanted by a moment.
    order
        The outputs in the order in which they are done.
    """

    wish: Wish
    end: Band
    first: Band
    in_time: float
    wanted: int
    order: tuple[str, ...]

    @property
    def told(self) -> str:
        """What it does, in words."""
        return WISHES[self.wish].does


def wishes_compared(view: Outlook) -> tuple[WishAnswer, ...]:
    """What each wish would give.

    Parameters
    ----------
    view
        The forecast of the batch.
    """
    found = []
    for wish in WISHES:
        plan = view.placement if wish == view.placement.wish else place_evening(view.evening, wish)
        if not plan.finishes:
            continue
        chances = plan.in_time(view.evening.wanted)
        first = np.min([item.end for item in plan.finishes], axis=0)
        found.append(
            WishAnswer(wish, band(plan.end), band(first), sum(chances.values()), len(chances), plan.order)
        )
    return tuple(found)


def soonest(view: Outlook) -> float:
    """Seconds from now before which nothing could be finished, whatever the plan.

    Parameters
    ----------
    view
        The forecast of the batch.
    """
    evening = view.evening
    return closing_bound(typical(evening.works), evening.slots, typical_help(evening.helping))


@dataclass(frozen=True)
class Lever:
    """What would bring the finish forward: in words, and by how many seconds (likely)."""

    words: str
    seconds: float

    @property
    def told(self) -> str:
        """In words, with the time."""
        return f"{self.words}: −{time_text(self.seconds)}"


def levers(view: Outlook) -> tuple[Lever, ...]:
    """What would bring the finish forward, in order of worth.

    Parameters
    ----------
    view
        The forecast of the batch.
    """
    evening = replace(
        view.evening,
        works=typical(view.evening.works),
        helping=typical_help(view.evening.helping),
        draws=1,
    )
    if not evening.works:
        return ()

    def end(of: Evening) -> float:
        return float(place_evening(of, view.placement.wish).end[0])

    usual = end(evening)
    found = []
    for words, other in _otherwise(view, evening):
        gain = usual - end(other)
        if gain > max(WORTH_SECONDS, WORTH_SHARE * usual):
            found.append(Lever(words, gain))
    if view.placement.wish != "finish":
        gain = usual - float(place_evening(evening, "finish").end[0])
        if gain > max(WORTH_SECONDS, WORTH_SHARE * usual):
            found.append(Lever("the order that ends soonest", gain))
    return tuple(sorted(found, key=lambda item: -item.seconds))


def _otherwise(view: Outlook, evening: Evening) -> Iterable[tuple[str, Evening]]:
    """What could be otherwise, in words, and the evening then."""
    for name in dict.fromkeys(item.name for item in evening.helping):
        mine = [item for item in evening.helping if item.name == name]
        if any(item.windows for item in mine):
            longer = [
                replace(item, windows=_longer(item.windows, MORE_SECONDS)) if item.name == name else item
                for item in evening.helping
            ]
            hours = (
                "two more hours of"
                if mine[0].windows and mine[0].windows[0][0] <= 0
                else "two hours earlier at"
            )
            yield f"{hours} {name}", replace(evening, helping=longer)
            always = [replace(i, windows=()) if i.name == name else i for i in evening.helping]
            yield f"{name} at every hour", replace(evening, helping=always)
        if any(item.booked for item in mine):
            free = [replace(i, booked=0.0) if i.name == name else i for i in evening.helping]
            yield f"{name} without others' work", replace(evening, helping=free)
    if view.station.load.stretch > 1.05:
        share = 1.0 / view.station.load.stretch
        works = [
            replace(
                work,
                stages=tuple(replace(stage, draws=stage.draws * share) for stage in work.stages),
            )
            for work in evening.works
        ]
        yield "nobody else at work on this machine", replace(evening, works=works)
    if any(work.stations for work in evening.works):
        works = [replace(work, stations=frozenset()) for work in evening.works]
        yield "any station for every file", replace(evening, works=works)
    if any(work.not_before for work in evening.works):
        works = [replace(work, not_before=0.0) for work in evening.works]
        yield "beginning at once", replace(evening, works=works)


def _longer(windows: Sequence[tuple[float, float]], seconds: float) -> tuple[tuple[float, float], ...]:
    """Hours that begin so much earlier where it is shut now, and end so much later where it is open."""
    found: list[tuple[float, float]] = []
    for begin, end in windows:
        longer = (begin, end + seconds) if begin <= 0 else (max(0.0, begin - seconds), end)
        if found and longer[0] <= found[-1][1]:
            found[-1] = (found[-1][0], max(found[-1][1], longer[1]))
        else:
            found.append(longer)
    return tuple(found)


@dataclass(frozen=True)
class PlanAnswers:
    """What is known of other plans.

    Parameters
    ----------
    wishes
        What each gives.
    levers
        What would bring the finish forward, the best first.
    bound
        Seconds from now before which nothing could be finished; None where nothing can at all.
    """

    wishes: tuple[WishAnswer, ...] = ()
    levers: tuple[Lever, ...] = ()
    bound: float | None = None


def plan_answers(view: Outlook) -> PlanAnswers:
    """What is known of other plans.

    Parameters
    ----------
    view
        The forecast of the batch.
    """
    if not view.evening.works:
        return PlanAnswers()
    bound = soonest(view)
    return PlanAnswers(wishes_compared(view), levers(view), bound if bound < FAR else None)


def called(station: str) -> str:
    """What a station is called in a sentence."""
    return OWN if station == HERE else station


def usual_mishaps(view: Outlook, happenings: Sequence[Happening] = ()) -> Mishaps:
    """What may befall the stations of a forecast: losses by chance, people on working days where they are given way to.

    Parameters
    ----------
    view
        The forecast.
    happenings
        What is to happen in every night besides.
    """
    helpers = view.station.helpers
    return Mishaps(
        (Hazard(HERE), *(hazard_seen(helper.id, helper.attendance) for helper in helpers)),
        tuple(happenings),
        tuple(helper.id for helper in helpers if helper.manner != "always"),
        working_mornings(view.at),
    )


def working_mornings(now: datetime) -> tuple[float, ...]:
    """When the working days that come begin, in seconds from now.

    Parameters
    ----------
    now
        The present moment, with a zone.
    """
    found = []
    for ahead in range(DAYS_AHEAD + 1):
        day = now + timedelta(days=ahead)
        morning = day.replace(hour=MORNING[0], minute=MORNING[1], second=0, microsecond=0)
        if morning > now and morning.weekday() < 5:
            found.append((morning - now).total_seconds())
    return tuple(found)


def rehearsed(view: Outlook, mishaps: Mishaps) -> Rehearsal:
    """Nights of a batch rehearsed, in the order of its plan.

    Parameters
    ----------
    view
        The forecast.
    mishaps
        What may befall whom.
    """
    return rehearse(in_best_order(view.evening, view.placement.wish), mishaps)


def rehearsal_told(found: Rehearsal, view: Outlook) -> list[str]:
    """What a rehearsal came to, in sentences.

    Parameters
    ----------
    found
        The rehearsal.
    view
        The forecast that was rehearsed.
    """

    def clock(seconds: float) -> str:
        return clock_text(view.time_after(seconds))

    told = [
        f"In {found.nights} nights it ends {clock(found.end.likely)} in the middle, by {clock(found.end.safe)} in nine "
        f"of ten; if nothing happens {clock(found.undisturbed.likely)} and {clock(found.undisturbed.safe)}."
    ]
    if found.all_in_time is not None:
        told.append(f"Everything is in time in {percent(found.all_in_time)} of them.")
    for item in found.hangs_on[:3]:
        if item.seconds >= 1:
            told.append(
                f"{called(item.station)} costs {time_text(item.seconds)} on average; something befalls it in "
                f"{percent(item.lost_in)} of the nights."
            )
    if found.last and found.last[0][1] > 0.5 and len(view.outputs) > 1:
        output = view.output(found.last[0][0])
        name = output.ready.path.name if output else found.last[0][0]
        told.append(f"{name} is the last in {percent(found.last[0][1])} of them.")
    return told
