"""What the line above the lanes says, in plain Python."""

from __future__ import annotations

from dataclasses import dataclass, field

from chronocast.model.batch.wishes import WISHES, Wish
from chronocast.model.show import clock_text, time_text
from chronocast.preparation.asked.plans import PlanAnswers
from chronocast.preparation.forecast.outlook import Outlook

NAMED = 2


@dataclass(frozen=True)
class PlanTold:
    """What each wish gives in a few words, in fewer, and in more; what would help, in short and whole."""

    wishes: dict[Wish, str] = field(
        default_factory=lambda: {wish: told.name for wish, told in WISHES.items()}
    )
    fewer: dict[Wish, str] = field(default_factory=dict)
    more: dict[Wish, str] = field(default_factory=dict)
    help: str = ""
    help_more: str = ""


def plan_told(view: Outlook | None, answers: PlanAnswers | None) -> PlanTold:
    """The line's words.

    Parameters
    ----------
    view
        The forecast.
    answers
        What is known of other plans; None while that is worked out.
    """
    if view is None or answers is None:
        return PlanTold()
    found = PlanTold()
    now = next((one for one in answers.wishes if one.wish == view.placement.wish), None)
    for one in answers.wishes:
        clock = clock_text(view.time_after(one.end.likely))
        words = found.fewer[one.wish] = f"{WISHES[one.wish].name}  {clock}"
        if now is not None and one is not now and abs(one.end.likely - now.end.likely) >= 1:
            sign = "−" if one.end.likely < now.end.likely else "+"
            words += f" ({sign}{time_text(abs(one.end.likely - now.end.likely))})"
        if one.wanted:
            words += f", {one.in_time:.0f} of {one.wanted} in time"
        found.wishes[one.wish] = words
        found.more[one.wish] = (
            f"{WISHES[one.wish].does[0].upper()}{WISHES[one.wish].does[1:]}. All finished {clock}, safe "
            f"{clock_text(view.time_after(one.end.safe))}; the first {clock_text(view.time_after(one.first.likely))}."
        )
    levers = [lever.told for lever in answers.levers]
    more = (
        f"Would bring it forward: {'; '.join(levers)}."
        if levers
        else "Nothing known here would bring it forward."
    )
    if answers.bound is not None:
        more += f" No plan could end before {clock_text(view.time_after(answers.bound))}."
    short = f"  would help: {' · '.join(levers[:NAMED])}" if levers else ""
    return PlanTold(found.wishes, found.fewer, found.more, short, more)
