"""What the lanes show of a forecast: every station's slots, in plain Python."""

from __future__ import annotations

import itertools

from chronocast.forecast.station import Helper, device_place
from chronocast.model.show import counted, percent
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook
from chronocast.ui.places.plan.lanes import Block, LaneData, LaneGroup


def lane_data(view: Outlook) -> LaneData:
    """What every slot does and when, by the forecast: a row for each, with one thing at a time."""
    last = {span.output: span.end for span in sorted(view.spans, key=lambda item: item.end)}
    outputs = {item.ready.output.id: item for item in view.outputs if not item.made}
    # below the processor's slots those of the devices that have something to do, and the house's other stations
    used = {span.station for span in view.spans}
    places = {name: count for name, count in view.station.places.items() if name in used | {view.station.id}}
    helpers = {helper.id: helper for helper in view.station.helpers}
    for name, helper in helpers.items():
        places[name] = helper.slots
        places |= {
            place: device.sessions
            for device in helper.devices
            if (place := device_place(name, device.family)) in used
        }
    first = dict(zip(places, itertools.accumulate(places.values(), initial=0), strict=False))
    blocks = tuple(
        Block(
            span.output,
            _title(outputs[span.output]),
            span.begin,
            span.end,
            max(span.end, outputs[span.output].finish.safe) if span.end == last[span.output] else span.end,
            outputs[span.output].kept_share,
            slot=first[span.station] + span.slot,
            finish=outputs[span.output].finish,
        )
        for span in view.spans
        if span.output in outputs and span.station in first
    )
    pieces = f"{view.slots} pieces at once" if view.slots > 1 else "one piece at a time"
    groups = [
        LaneGroup("This machine", pieces if view.calibrated else f"{pieces}, not measured yet", view.slots)
    ]
    for family, count in view.station.devices:
        if device_place(view.station.id, family) in places:
            groups.append(LaneGroup(family, f"{count} at once", count))
    for helper in helpers.values():
        groups.append(_helping(helper, view))
        for device in helper.devices:
            if device_place(helper.id, device.family) in places:
                told = f"{device.sessions} at once"
                groups.append(
                    LaneGroup(f"{helper.id} · {device.family}", told, device.sessions, helper.windows)
                )
    return LaneData(tuple(groups), view.at, blocks)


def _helping(helper: Helper, view: Outlook) -> LaneGroup:
    share = view.station.pace.encode / max(1e-9, helper.pace.encode * helper.load.stretch)
    told = f"{counted(helper.slots, 'slot')}, {percent(share)} of this pace"
    label = " · stand-in" if helper.stand_in else ""
    return LaneGroup(f"{helper.id}{label}", told, helper.slots, helper.windows)


def _title(item: OutputOutlook) -> str:
    ready = item.ready
    part = f"{ready.range_name}, {ready.extent.share_text} · " if ready.range_name else ""
    changed = " (changed)" if ready.recipe.changed else ""
    return f"{ready.source.title} · {part}{ready.recipe.name.split(',')[0]}{changed}"
