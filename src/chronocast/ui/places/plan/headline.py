"""The headline of *Plan*: when, how big, whether it fits, what is spared."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from chronocast.forecast.band import Band
from chronocast.forecast.inverse import chance_of
from chronocast.model.batch.batch import Batch
from chronocast.model.show import clock_text, counted, percent, size_text, time_text, times_text
from chronocast.preparation.forecast.first_figures import FirstFigures
from chronocast.preparation.forecast.outlook import Outlook


@dataclass(frozen=True)
class Headline:
    """The three answers, and what is saved."""

    finished: str = "…"
    finished_more: str = ""
    size: str = "…"
    size_more: str = ""
    room: str = "…"
    room_more: str = ""
    room_ok: bool = True
    role: str = "tide"
    refused: int = 0
    saved: str = ""
    saved_more: str = ""
    fan: tuple[Band, ...] = ()
    begin: int = 0
    sentence: str = ""
    size_ok: bool = True


def difference(value: float, kind: str) -> str:
    """A change as people say it: ``−14 min``, ``+220 MB``; nothing where it is too small to matter."""
    sign = "+" if value > 0 else "−"
    if kind == "seconds":
        return f"{sign}{time_text(abs(value))}" if abs(value) >= 1 else ""
    return f"{sign}{size_text(abs(value))}" if abs(value) >= 100_000 else ""


def _in_time(wanted: datetime, view: Outlook) -> tuple[str, str]:
    """How likely all is finished when it is wanted, in words, and the colour that says so."""
    moment = wanted if wanted.tzinfo else wanted.replace(tzinfo=view.at.tzinfo)
    chance = chance_of(view.draws.finish, (moment - view.at).total_seconds())
    told = f" · wanted {clock_text(moment.astimezone())}, in time: {percent(chance)}"
    return told, "rust" if chance < 0.5 else "ember" if chance < 0.9 else "tide"


def _besides(view: Outlook, now: datetime) -> str:
    """With how many other stations it is reckoned, and when all is across the line; "" where there is neither."""
    helpers = len(view.station.helpers)
    told = f" · with {counted(helpers, 'station')}" if helpers else ""
    if view.sent is not None:
        told += f" · sent by {clock_text(view.time_after(view.sent.likely), now)}"
    return told


def headline_so_far(batch: Batch, figures: FirstFigures) -> Headline:
    """What is known of a large batch before its first forecast: nothing yet of when, and of how big what was looked at."""
    totals = [column.totals for column in figures.columns.values()]
    seconds = sum(total.seconds.likely for total in totals)
    told = f"{figures.looked_at:,} of {figures.of:,} files looked at"
    size = size_text(sum(total.bytes.likely for total in totals))
    return Headline(
        finished_more=f"not planned yet · {time_text(seconds)} of work so far",
        size=size,
        size_more=f"so far · {told}",
        room_more="known with the plan",
        role="quiet",
        begin=sum(not output.held for output in batch.outputs),
        sentence=f"The forecast is being made: {told}, {size} and {time_text(seconds)} of work so far.",
    )


def headline_of(batch: Batch, view: Outlook | None, before: Outlook | None) -> Headline:
    """What a batch comes to, in a line; ``before`` is the forecast before the last edit."""
    waiting = [output for output in batch.outputs if not output.held]
    if not batch.outputs:
        return Headline(
            "—",
            "nothing is asked for yet",
            "—",
            "",
            "—",
            sentence="Nothing is asked for yet.",
        )
    if view is None:
        return Headline(begin=len(waiting), sentence="The forecast is being made.")
    todo = [item for item in view.outputs if not item.made]
    now = datetime.now().astimezone()
    likely, safe = view.time_after(view.finish.likely), view.time_after(view.finish.safe)
    changed = before is not None and before.outputs != view.outputs
    time_change = (
        difference(view.finish.likely - before.finish.likely, "seconds") if changed and before else ""
    )
    size_change = difference(view.bytes.likely - before.bytes.likely, "bytes") if changed and before else ""
    held = len(batch.outputs) - len(waiting)
    refused = len(waiting) - len(view.outputs) - len(view.waiting)
    role = "tide"
    if todo:
        finished = clock_text(likely, now)
        more = f"safe by {clock_text(safe, now)} · in {time_text(view.finish.likely)}{_besides(view, now)}"
    elif view.outputs:
        finished = "all made" if not held and not refused else f"{len(view.outputs)} made"
        more = "every file is proved" if not held and not refused else "every other file is proved"
    elif refused:
        finished, more, role = "can't be made", "see what stands in the way", "rust"
    else:
        finished, more = "held", "nothing else is asked for"
    asides = {"held": held, "wait for their stations": len(view.waiting)}
    more += "".join(f" · {count} {words}" for words, count in asides.items() if count)
    if refused and (todo or view.outputs):
        more, role = f"{more} · {refused} can't be made", "rust"
    if batch.wanted is not None and todo:
        told, chance_role = _in_time(batch.wanted, view)
        more, role = more + told, chance_role if role == "tide" else role
    if not view.settled and todo:
        more = f"about: the plan is being worked out{more and f' · {more}'}"
    share = f" · {times_text(view.bytes.likely / view.source_bytes)} the sources" if view.source_bytes else ""
    size_more = f"safe {size_text(view.bytes.safe)}{share}"
    over = sum(item.bytes.safe > batch.size_limit for item in todo) if batch.size_limit else 0
    if over and batch.size_limit:
        size_more = f"{counted(over, 'file')} may be over {size_text(batch.size_limit)}"
    room = min(view.room, key=lambda r: (r.writable, r.usable - r.needs.safe), default=None)
    if room is None:
        verdict, room_more, ok = "unknown", "the drive can't be read", False
    else:
        verdict = {"fits": "fits", "tight": "tight", "short": "too small", "read-only": "read-only"}[room.fit]
        ok = room.fits
        room_more = (
            f"{size_text(room.needs.safe)} needed, {size_text(room.usable)} can be used"
            + (f", full {clock_text(view.time_after(out.after.likely))}" if (out := room.runs_out) else "")
            if room.writable
            else f"{room.drive} can't be written: {room.why_not}"
        )
    reused = view.kept_share + view.copied_share
    saved = f"{reused:.0%}" if reused >= 0.005 else "0 %"
    words = "kept or copied" if view.copied_share else "kept"
    saved_more = f"{words} · −{time_text(view.saved_seconds)}" if view.saved_seconds >= 1 else words
    if reused < 0.005:
        saved_more = "nothing kept yet"
    sentence = f"Finished {finished}, {more}. Size {size_text(view.bytes.likely)}, {size_more}. Room: {verdict}, {room_more}. Saved {saved}, {saved_more}."
    return Headline(
        finished,
        more + (f" · {time_change}" if time_change else ""),
        size_text(view.bytes.likely),
        size_more + (f" · {size_change}" if size_change else ""),
        verdict,
        room_more,
        ok,
        role,
        refused,
        saved.replace("%", " %").replace("  ", " "),
        saved_more,
        view.fan,
        len(todo),
        sentence,
        size_ok=not over,
    )
