"""What the lanes show of a run: what every slot has done, does, and will do, in plain Python."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping
from dataclasses import replace
from datetime import datetime

from chronocast.forecast.band import Band, exact
from chronocast.model.show import counted
from chronocast.model.stages import HERE
from chronocast.run.view import RunView, place_of
from chronocast.ui.lanes.data import Block, BlockState, LaneData, LaneGroup


def run_lanes(view: RunView, now: float) -> LaneData | None:
    """The lanes of a run; None of one that has done nothing yet.

    Parameters
    ----------
    view
        The run.
    now
        Seconds since 1970.
    """
    if not view.began or not (view.worked or view.lanes):
        return None
    places = _places(view)
    first = dict(zip(places, itertools.accumulate(places.values(), initial=0), strict=False))
    end = view.ended or now
    blocks = [*_past(view, first), *_present(view, first, now), *_future(view, first, now)]
    at = datetime.fromisoformat(view.lanes["at"]).timestamp() if view.lanes else end
    windows = {
        name: tuple((b + at - view.began, e + at - view.began) for b, e in found)
        for name, found in view.lanes.get("windows", {}).items()
    }
    groups = tuple(
        LaneGroup(
            _name(place, view.stand_ins),
            "" if " · " in place else counted(count, "slot"),
            count,
            _with_past(windows.get(place.partition(" · ")[0], ()), at - view.began),
        )
        for place, count in places.items()
    )
    return LaneData(
        groups,
        datetime.fromtimestamp(view.began).astimezone(),
        tuple(blocks),
        max(0.0, end - view.began),
        now_words="ended" if view.ended else "now",
        order=tuple(view.order),
    )


def _with_past(
    windows: tuple[tuple[float, float], ...], known_from: float
) -> tuple[tuple[float, float], ...]:
    """Hours with what lies before the forecast that tells them: of that nothing is known, so nothing is drawn."""
    if not windows:
        return ()
    if windows[0][0] <= known_from + 1:
        return ((0.0, windows[0][1]), *windows[1:])
    return ((0.0, known_from), *windows)


def _name(place: str, stand_ins: set[str]) -> str:
    station, found, device = place.partition(" · ")
    name = "This machine" if station == HERE else f"{station} · stand-in" if station in stand_ins else station
    return (device if station == HERE else f"{station} · {device}") if found else name


def _places(view: RunView) -> dict[str, int]:
    """Each place with how many rows it has: those of the plan, and those where anything was done."""
    told = {str(place): int(slots) for place, slots in view.lanes.get("places", [[HERE, 1]])}
    seen: dict[str, int] = {}
    for stretch in view.worked:
        seen[stretch.place] = max(seen.get(stretch.place, 0), stretch.slot + 1)
    for task in view.tasks.values():
        place, slot = place_of(str(task.get("slot", "")))
        seen[place] = max(seen.get(place, 0), slot + 1)
    planned = {str(span[1]) for span in view.lanes.get("spans", [])}
    used = {HERE, *seen, *planned, *(place for place in told if " · " not in place)}
    places = {place: max(told.get(place, 0), seen.get(place, 0)) for place in [*told, *seen] if place in used}
    return {place: count for place, count in places.items() if count}


def _block(view: RunView, output: str, row: int, stretch: tuple[float, float], state: BlockState) -> Block:
    known = view.outputs.get(output)
    title = f"{known.title} · {known.recipe.partition(',')[0]}" if known else ""
    begin, end = (moment - view.began for moment in stretch)
    return Block(output, title, begin, end, end, slot=row, finish=exact(end), state=state)


def _past(view: RunView, first: Mapping[str, int]) -> Iterable[Block]:
    """Neighbouring stretches of one output on one slot are one block."""
    rows: dict[int, list[Block]] = {}
    for one in view.worked:
        if one.place not in first:
            continue
        row = first[one.place] + one.slot
        block = _block(view, one.output, row, (one.begin, one.end), "done" if one.good else "lost")
        done = rows.setdefault(row, [])
        last = done[-1] if done else None
        if last and (last.output, last.state) == (block.output, block.state) and block.begin - last.end < 0.7:
            done[-1] = replace(last, end=block.end, safe=block.end, finish=block.finish)
        else:
            done.append(block)
    return itertools.chain.from_iterable(rows.values())


def _present(view: RunView, first: Mapping[str, int], now: float) -> Iterable[Block]:
    for task in view.tasks.values():
        place, slot = place_of(str(task.get("slot", "")))
        if place in first:
            stretch = (float(task.get("since", now)), now)
            yield _block(view, str(task.get("output", "")), first[place] + slot, stretch, "doing")


def _future(view: RunView, first: Mapping[str, int], now: float) -> Iterable[Block]:
    """What is still to come by the plan, from now on; the last stretch of an output has its finish."""
    if not view.lanes:
        return
    at = datetime.fromisoformat(view.lanes["at"]).timestamp()
    bands = view.finish.get("outputs", {})
    ends: dict[str, float] = {}
    for output, _, _, _, end in view.lanes["spans"]:
        ends[output] = max(ends.get(output, 0.0), end)
    for output, place, slot, begin, end in view.lanes["spans"]:
        known = view.outputs.get(output)
        if place not in first or at + end <= now or (known and known.state in ("proved", "stopped")):
            continue
        block = _block(view, output, first[place] + slot, (max(now, at + begin), at + end), "planned")
        band = bands.get(output)
        if band and end == ends[output]:
            finish = Band(*(float(band[key]) + at - view.began for key in ("p10", "likely", "safe")))
            block = replace(block, safe=max(block.end, finish.safe), finish=finish)
        yield block
