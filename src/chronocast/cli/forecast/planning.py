"""``forecast --plan`` and ``--rehearse``: the wishes side by side, what would help, the night before it happens."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from datetime import datetime

from chronocast.model.answers import Answer
from chronocast.model.batch.wishes import WISHES
from chronocast.model.errors import ModelError
from chronocast.model.show import clock_text, time_text
from chronocast.model.stages import HERE
from chronocast.model.time.moments import parse_moment
from chronocast.preparation.asked.plans import (
    OWN,
    Lever,
    WishAnswer,
    called,
    levers,
    rehearsal_told,
    rehearsed,
    soonest,
    usual_mishaps,
    wishes_compared,
)
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.schedule.pool import FAR
from chronocast.schedule.rehearsal import Happening, Night, Rehearsal, Why

USUAL_LENGTH = "30 min"


def read_happening(text: str, why: Why, view: Outlook) -> Happening:
    """What is to happen to a station, from ``Plover@02:00+30m``.

    Parameters
    ----------
    text
        The station, when, for how long; half an hour if not said.
    why
        Whether it is lost, or somebody sits down at it.
    view
        The forecast that is rehearsed.

    Raises
    ------
    ModelError
        It makes no sense, or no such station helps.
    """
    station, found, rest = text.partition("@")
    when, _, length = rest.partition("+")
    if not found or not when.strip():
        raise ModelError(f"“{text[:60]}” says nothing.", "Type it as Plover@02:00+30m.")
    names = [helper.id for helper in view.station.helpers]
    known = {name.casefold(): name for name in names}
    if why == "lost":
        known |= dict.fromkeys((OWN, view.station.name.casefold() or OWN), HERE)
    if station.strip().casefold() not in known:
        there = f"There are {', '.join([OWN, *names])}." if names else f"There is only “{OWN}”."
        raise ModelError(f"“{station.strip()[:40]}” is no station that helps. {there}")
    moment = parse_moment(when, view.at)
    seconds = (parse_moment(f"in {length or USUAL_LENGTH}", view.at) - view.at).total_seconds()
    at = max(0.0, (moment - view.at).total_seconds())
    return Happening(known[station.strip().casefold()], at, seconds, why)


def rehearse_batch(view: Outlook, lost: Sequence[str], visits: Sequence[str]) -> Rehearsal:
    """Rehearse the nights of a forecast.

    Parameters
    ----------
    view
        The forecast.
    lost, visits
        What is to happen in every night, as it was typed.

    Raises
    ------
    ModelError
        What was typed makes no sense.
    """
    happenings = [read_happening(text, "lost", view) for text in lost]
    happenings += [read_happening(text, "somebody", view) for text in visits]
    return rehearsed(view, usual_mishaps(view, happenings))


def print_plan(view: Outlook) -> None:
    """The wishes side by side, and what would bring the finish forward."""
    put = sys.stdout.write
    if not view.evening.works:
        put("  Nothing is left to make, so there is nothing to plan.\n")
        return
    for answer in wishes_compared(view):
        mark = "→" if answer.wish == view.placement.wish else " "
        in_time = f", {answer.in_time:.1f} of {answer.wanted} in time" if answer.wanted else ""
        put(
            f"{mark} {WISHES[answer.wish].name:13} all {_clock(view, answer.end.likely)} "
            f"(safe {_clock(view, answer.end.safe)}), the first {_clock(view, answer.first.likely)}{in_time}\n"
        )
    if finale := view.placement.guide.finale:
        names = ", ".join(item.ready.path.name for name in finale if (item := view.output(name)))
        put(f"  Made side by side at the end, so that slots don't stand idle: {names}.\n")
    bound = soonest(view)
    if bound < FAR:
        put(f"  No plan could end before {_clock(view, bound)}.\n")
    found = levers(view)
    for lever in found:
        put(f"  {lever.told}\n")
    if not found:
        put("  Nothing that is known here would bring it forward.\n")


def _clock(view: Outlook, seconds: float) -> str:
    return clock_text(view.time_after(seconds))


def plan_json(view: Outlook) -> Answer:
    """The same as an answer."""
    return {
        "wish": view.placement.wish,
        "order": list(view.placement.order),
        "side_by_side": list(view.placement.guide.finale),
        "wishes": [_wish_json(view, answer) for answer in wishes_compared(view)],
        "no_sooner_than": _iso(view, soonest(view)),
        "would_help": [_lever_json(lever) for lever in levers(view)],
        "shares": [
            {"output": share.output, "of": share.of, "station": share.station, "tasks": share.tasks}
            for share in view.placement.shares
        ],
    }


def _wish_json(view: Outlook, answer: WishAnswer) -> Answer:
    return {
        "wish": answer.wish,
        "finish": {"likely": _iso(view, answer.end.likely), "safe": _iso(view, answer.end.safe)},
        "first": {"likely": _iso(view, answer.first.likely), "safe": _iso(view, answer.first.safe)},
        "in_time": round(answer.in_time, 2),
        "wanted": answer.wanted,
        "order": list(answer.order),
    }


def _lever_json(lever: Lever) -> Answer:
    return {"what": lever.words, "seconds": round(lever.seconds, 1)}


def _iso(view: Outlook, seconds: float) -> str | None:
    return view.time_after(seconds).isoformat(timespec="seconds") if seconds < FAR else None


def print_rehearsal(found: Rehearsal, view: Outlook) -> None:
    """What a rehearsal came to, and one bad night."""
    put = sys.stdout.write
    if not view.evening.works:
        put("Nothing is left to make, so there is nothing to rehearse.\n")
        return
    for line in rehearsal_told(found, view):
        put(f"{line}\n")
    for name, night in (("A night in the middle", found.typical), ("A bad one", found.bad)):
        put(f"{name} ends {_clock(view, night.end)}\n")
        for line in night_told(night, view.at, view):
            put(f"  {line}\n")


def night_told(night: Night, at: datetime, view: Outlook) -> list[str]:
    """What befell whom in a night, line by line.

    Parameters
    ----------
    night
        The night.
    at
        When it begins.
    view
        The forecast that was rehearsed.
    """
    told = []
    for item in night.happened:
        what = "is lost" if item.why == "lost" else "has somebody sit down at it"
        told.append(f"{_clock(view, item.at)} {called(item.station)} {what}, for {time_text(item.seconds)}")
    late = [output.ready.path.name for name in night.late if (output := view.output(name))]
    if late:
        told.append(f"late: {', '.join(late[:5])}{f' and {len(late) - 5} more' if len(late) > 5 else ''}")
    return told


def rehearsal_json(found: Rehearsal, view: Outlook) -> Answer:
    """A rehearsal as an answer."""
    return {
        "nights": found.nights,
        "finish": {key: _iso(view, value) for key, value in found.end.as_json().items()},
        "undisturbed": {key: _iso(view, value) for key, value in found.undisturbed.as_json().items()},
        "in_time": {output: round(chance, 3) for output, chance in found.in_time.items()},
        "all_in_time": None if found.all_in_time is None else round(found.all_in_time, 3),
        "last": [{"output": output, "share": round(share, 3)} for output, share in found.last],
        "hangs_on": [
            {"station": called(item.station), "seconds": round(item.seconds, 1), "in": round(item.lost_in, 3)}
            for item in found.hangs_on
        ],
        "typical": _night_json(found.typical, view),
        "bad": _night_json(found.bad, view),
    }


def _night_json(night: Night, view: Outlook) -> Answer:
    return {
        "end": _iso(view, night.end),
        "happened": [
            {
                "station": called(item.station),
                "at": _iso(view, item.at),
                "seconds": round(min(item.seconds, 1e9), 1),
                "what": item.why,
            }
            for item in night.happened
        ],
        "late": list(night.late),
        "lanes": [
            {
                "output": span.output,
                "station": span.station,
                "slot": span.slot,
                "begin": _iso(view, span.begin),
                "end": _iso(view, span.end),
            }
            for span in night.spans
        ],
    }
