"""What the lanes show of a forecast, or of a rehearsed night: every station's slots, in plain Python."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import NamedTuple
from weakref import ref

import numpy as np

from chronocast.forecast.inverse import chance_of, send_seconds
from chronocast.forecast.station import Helper, device_place
from chronocast.model.batch.batch import Batch
from chronocast.model.show import clock_text, counted, percent, rate_bits_text
from chronocast.model.stages import HERE
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook
from chronocast.schedule.clock import Span
from chronocast.schedule.placement import Placement
from chronocast.schedule.rehearsal import Night
from chronocast.ui.lanes.data import Block, Flag, LaneData, LaneGroup, Mishap

MOST_FLAGS = 40
LINE = "line"
"""Where files are sent, among the places that work is done at."""


def lane_data(view: Outlook, batch: Batch | None = None) -> LaneData:
    """What every slot does and when, by the forecast: a row for each, with one thing at a time.

    Parameters
    ----------
    view
        The forecast.
    batch
        What it is of: when its files are wanted.
    """
    groups, blocks, order = _of_view(view)
    held = held_back(batch) if batch is not None else ()
    if away := {block.output for block in held}:  # also while the forecast is still that of a moment ago
        blocks = tuple(block for block in blocks if block.output not in away)
        order = tuple(name for name in order if name not in away)
    flags = _flags(view, batch) if batch is not None else ()
    for known in tuple(_shown):  # the very same again, where an edit changed nothing of it
        if known.groups is groups and (known.blocks, known.flags, known.held) == (blocks, flags, held):
            return known
    data = LaneData(groups, view.at, blocks, flags=flags, order=order, held=held)
    _shown[:] = [data, *_shown[:1]]
    return data


class _OfView(NamedTuple):
    """What lanes show of a forecast alone: the stations, what they do, and the outputs in the order of the plan."""

    groups: tuple[LaneGroup, ...]
    blocks: tuple[Block, ...]
    order: tuple[str, ...]


_views: list[tuple[ref[Outlook], ref[Placement], _OfView]] = []
"""What was worked out last: the forecast's own thread does so before the window asks.  It keeps no forecast alive."""


_shown: list[LaneData] = []


def _of_view(view: Outlook) -> _OfView:
    for of, by, known in tuple(_views):
        if of() is view or (not view.settled and by() is view.placement):
            return known
    groups, first = _groups(view, view.spans)
    there = (name for name in view.placement.order if (item := view.output(name)) and not item.made)
    found = _OfView(groups, _blocks(view, view.spans, first), tuple(there))
    _views[:] = [(ref(view), ref(view.placement), found), *_views[:1]]
    return found


def held_back(batch: Batch) -> tuple[Block, ...]:
    """What is held back of a batch."""
    sources = {source.id: source.name for source in batch.sources}
    recipes = {recipe.id: recipe.name for recipe in batch.recipes}
    return tuple(
        Block(output.id, f"{sources[output.source]} · {recipes[output.recipe]}", 0.0, 0.0, 0.0, state="held")
        for output in batch.outputs
        if output.held
    )


def night_lanes(view: Outlook, night: Night, now: float, batch: Batch | None = None) -> LaneData:
    """A rehearsed night as lanes, up to a moment of it.

    Parameters
    ----------
    view
        The forecast that was rehearsed.
    night
        The night.
    now
        Seconds from its beginning.
    batch
        When its files are wanted.
    """
    groups, first = _groups(view, night.spans)
    rows = {
        name: (begin, group.slots)
        for begin, group, name in zip(
            itertools.accumulate((group.slots for group in groups), initial=0),
            groups,
            first,
            strict=False,
        )
    }
    mishaps = []
    for item in night.happened:
        begin, count = rows.get(item.station, (0, 0))
        words = "lost" if item.why == "lost" else "somebody is at it"
        if item.station == HERE:  # and with it the run
            begin, count, words = (
                0,
                sum(group.slots for group in groups),
                "this machine is lost, the run waits",
            )
        if count:
            end = min(item.at + item.seconds, night.end * 2 + 3600)
            mishaps.append(Mishap(item.at, end, begin, count, words))
    flags = _flags(view, batch) if batch is not None else ()
    late = set(night.late)
    flags = tuple(
        replace(flag, chance=0.0 if (set(flag.outputs) & late or (not flag.outputs and late)) else 1.0)
        for flag in flags
    )
    return LaneData(
        groups,
        view.at,
        _blocks(view, night.spans, first),
        now,
        flags=flags,
        mishaps=tuple(mishaps),
        night=True,
    )


def _groups(view: Outlook, spans: Sequence[Span]) -> tuple[tuple[LaneGroup, ...], dict[str, int]]:
    """The stations with their rows, and the first row of each place.

    Below the processor's slots those of the devices that have something to do, and the house's other stations.
    """
    station, used = view.station, {span.station for span in spans}
    pieces = f"{view.slots} pieces at once" if view.slots > 1 else "one piece at a time"
    own = station.name if station.helpers else ""
    groups = {
        station.id: LaneGroup(
            "This machine",
            pieces if view.calibrated else f"{pieces}, not measured yet",
            view.slots,
            station=own,
        )
    }
    for family, count in station.devices:
        place = device_place(station.id, family)
        if place in used and count:
            groups[place] = LaneGroup(family, f"{count} at once", count, station=own)
    for helper in station.helpers:
        groups[helper.id] = _helping(helper, view)
        for device in helper.devices:
            place = device_place(helper.id, device.family)
            if place in used:
                told = f"{device.sessions} at once"
                name = f"{helper.id} · {device.family}"
                groups[place] = LaneGroup(name, told, device.sessions, helper.windows, station=helper.id)
    if view.line and spans is view.spans:
        groups[LINE] = LaneGroup("The line", f"{rate_bits_text(view.line)}, one file at a time")
    counts = [group.slots for group in groups.values()]
    first = dict(zip(groups, itertools.accumulate(counts, initial=0), strict=False))
    return tuple(groups.values()), first


def _helping(helper: Helper, view: Outlook) -> LaneGroup:
    share = view.station.pace.encode / max(1e-9, helper.pace.encode * helper.load.stretch)
    told = f"{counted(helper.slots, 'slot')}, {percent(share)} of this pace"
    label = " · stand-in" if helper.stand_in else ""
    return LaneGroup(
        f"{helper.id}{label}",
        told,
        helper.slots,
        helper.windows,
        station=helper.id,
        booked=helper.booked,
    )


def _blocks(view: Outlook, spans: Sequence[Span], first: Mapping[str, int]) -> tuple[Block, ...]:
    last = {span.output: span.end for span in sorted(spans, key=lambda item: item.end)}
    outputs = {item.ready.output.id: item for item in view.outputs if not item.made}
    night = spans is not view.spans
    found = tuple(
        Block(
            span.output,
            _title(outputs[span.output]),
            span.begin,
            span.end,
            max(span.end, outputs[span.output].finish.safe)
            if span.end == last[span.output] and not night
            else span.end,
            outputs[span.output].kept_share,
            slot=first[span.station] + span.slot,
            finish=outputs[span.output].finish,
        )
        for span in spans
        if span.output in outputs and span.station in first
    )
    return found + _sends(view, first[LINE]) if LINE in first else found


def _sends(view: Outlook, row: int) -> tuple[Block, ...]:
    """What the line that files are sent by does: one after another, as they are proved."""
    assert view.line is not None
    sent = [(item, item.sent) for item in view.outputs if item.sent is not None]
    found, free = [], 0.0
    for item, across in sorted(sent, key=lambda one: one[1].likely):
        begin = max(free, across.likely - send_seconds(item.bytes.likely, view.line))
        title, free = f"{_title(item)}, sent", across.likely
        found.append(Block(item.ready.output.id, title, begin, free, across.safe, slot=row, finish=across))
    return tuple(found)


def _flags(view: Outlook, batch: Batch) -> tuple[Flag, ...]:
    """When files are wanted, and how likely they are finished by then."""
    if batch.wanted is None and all(output.wanted is None for output in batch.outputs):
        return ()
    ends = {item.output: item.end for item in view.placement.finishes}
    wanted: dict[float, list[str]] = {}
    for output in batch.outputs:
        item = view.output(output.id)
        if output.wanted is not None and item is not None and not item.made and output.id in ends:
            moment = batch.wanted_at(output)
            assert moment is not None
            wanted.setdefault((moment - view.at).total_seconds(), []).append(output.id)
    found = []
    if batch.wanted is not None and ends:
        at = (batch.wanted.astimezone() - view.at).total_seconds()
        chance = chance_of(view.draws.finish, at)  # as the headline has it
        found.append(
            Flag(at, f"wanted {clock_text(view.time_after(at))} · in time {percent(chance)}", chance)
        )
    for at, names in sorted(wanted.items())[:MOST_FLAGS]:
        chance = chance_of(np.max([ends[name] for name in names], axis=0), at)
        item = view.output(names[0])
        title = _title(item) if item and len(names) == 1 else counted(len(names), "file")
        words = f"{title} wanted {clock_text(view.time_after(at))} · in time {percent(chance)}"
        found.append(Flag(at, words, chance, tuple(names)))
    return tuple(found)


def _title(item: OutputOutlook) -> str:
    ready = item.ready
    part = f"{ready.range_name}, {ready.extent.share_text} · " if ready.range_name else ""
    changed = " (changed)" if ready.recipe.changed else ""
    return f"{ready.source.title} · {part}{ready.recipe.name.split(',')[0]}{changed}"
