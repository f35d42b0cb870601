"""The forecast as the command line answers it: seconds, bytes, ISO 8601."""

from __future__ import annotations

from chronocast.forecast.band import Band
from chronocast.forecast.station import device_place
from chronocast.model.answers import Answer
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import LooksOutlook, OutputOutlook
from chronocast.preparation.output.differences import differences_from_source

MOST_SPANS = 2000
"""More stretches of work can't be told apart on a screen."""


def as_json(view: Outlook) -> Answer:
    """A forecast as an answer."""
    return {
        "version": 1,
        "outputs": [_output(view, item) for item in view.outputs],
        "total": total_json(view),
        "room": room_json(view),
        "problems": [
            {
                "where": problem.where,
                "source": problem.source or None,
                "output": problem.output or None,
                "sentence": problem.sentence,
                "remedy": problem.remedy,
                "blocks": problem.blocks,
            }
            for problem in view.problems
        ],
        "slots": view.slots,
        "calibrated": view.calibrated,
        "stations": [
            {
                "name": helper.id,
                "slots": helper.slots,
                "booked_seconds": round(helper.booked, 1),
                "stand_in": helper.stand_in,
            }
            for helper in view.station.helpers
        ],
    }


def _output(view: Outlook, item: OutputOutlook) -> Answer:
    ready = item.ready
    return {
        "id": ready.output.id,
        "source": ready.output.source,
        "range": ready.output.range,
        "extent": {
            "kind": ready.extent.kind,
            "frames": ready.extent.frames,
            "of": ready.extent.whole,
            "told": ready.extent.text,
        },
        "recipe": ready.output.recipe,
        "path": str(ready.path),
        "frames": ready.plan.frames,
        "seconds": item.seconds.as_json(),
        "cpu_seconds": item.cpu_seconds.as_json(),
        "bytes": _whole(item.bytes),
        "widened": {"bytes": view.widths.bytes, "cpu_seconds": view.widths.seconds},
        "finish": _moment(view, item.finish),
        "sent": _moment(view, item.sent) if item.sent else None,
        "stages": [
            {"kind": stage.kind.id, "station": stage.station, "seconds": stage.seconds.as_json()}
            for stage in item.stages
        ],
        "pieces": {
            "total": item.pieces_total,
            "kept": item.pieces_kept,
            "copied": len(item.copied_names),
            "encode": item.pieces_total - item.pieces_kept - len(item.copied_names),
            "bases_save_seconds": round(item.bases_save, 1),
            "based": len(ready.base_of.keys() - item.kept_names) if not item.made else 0,
            "saved_seconds": round(item.saved_seconds, 1),
        },
        "route": {
            "encoder": ready.plan.settings.encoder if ready.plan.settings else "",
            "device": ready.route.device.device if ready.route.device else "",
            "stand_in": bool(ready.route.device and ready.route.device.stand_in),
            "why": ready.route.told,
        },
        "width": ready.plan.width,
        "height": ready.plan.height,
        "rate": str(ready.plan.rate),
        "differences": [
            {"what": d.what, "sentence": d.sentence, "loss": d.loss} for d in differences_from_source(ready)
        ],
        "sound_bytes": round(item.sound_bytes),
        "looks": looks_json(item.looks),
        "basis": item.basis,
        "made": item.made,
    }


def looks_json(looks: LooksOutlook | None) -> Answer | None:
    """How like the original something looks; None where nothing is said."""
    if looks is None:
        return None
    return {
        "xpsnr": looks.mean.as_json(),
        "worst": looks.worst.as_json(),
        "poorest_piece": looks.poorest,
        "measured_pieces": looks.measured,
    }


def lanes_json(view: Outlook) -> Answer:
    """The plan as lanes: each place with its slots, and what they do (output, place, slot, begin, end in seconds)."""
    station = view.station
    places = {**station.places}
    for helper in station.helpers:
        places[helper.id] = helper.slots
        for device in helper.devices:
            places[device_place(helper.id, device.family)] = device.sessions
    return {
        "at": view.at.isoformat(),
        "places": [[place, slots] for place, slots in places.items()],
        "windows": {helper.id: [list(w) for w in helper.windows] for helper in station.helpers},
        "spans": [
            [span.output, span.station, span.slot, round(span.begin, 2), round(span.end, 2)]
            for span in view.spans[:MOST_SPANS]
        ],
    }


def total_json(view: Outlook) -> Answer:
    """All outputs together."""
    return {
        "seconds": view.seconds.as_json(),
        "bytes": _whole(view.bytes),
        "finish": _moment(view, view.finish),
        "sent": _moment(view, view.sent) if view.sent else None,
    }


def room_json(view: Outlook) -> list[Answer]:
    """Every drive involved."""
    return [
        {
            "drive": room.drive,
            "free": room.free,
            "reserve": room.reserve,
            "writable": room.writable,
            "for": room.purpose,
            "fits": room.fits,
            "fit": room.fit,
            "told": view.room_told(room),
            "runs_out": None
            if room.runs_out is None
            else {
                "chance": round(room.runs_out.chance, 3),
                "at": _moment(view, room.runs_out.after),
                "output": room.runs_out.output,
            },
            "needs": {"likely": round(room.needs.likely), "safe": round(room.needs.safe)},
        }
        for room in view.room
    ]


def _moment(view: Outlook, value: Band) -> dict[str, str]:
    return {
        key: view.time_after(seconds).isoformat(timespec="seconds")
        for key, seconds in (("p10", value.p10), ("likely", value.likely), ("safe", value.safe))
    }


def _whole(value: Band) -> dict[str, int]:
    return {"p10": round(value.p10), "likely": round(value.likely), "safe": round(value.safe)}
