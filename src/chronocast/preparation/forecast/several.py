"""The forecast of several outputs together: what they come to, which is the largest, the last, the poorest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook, Totals, together


@dataclass(frozen=True)
class Several:
    """Several outputs together.

    Parameters
    ----------
    files, left_out
        How many have a forecast, and how many none.
    made
        How many are made already.
    totals
        Seconds of work and bytes.
    sound_bytes, source_bytes
        What their sound takes, and all media of their sources, each once.
    finish, finish_safe
        Seconds from now until the last is finished, likely and safe.
    largest
        The one with the most likely bytes.
    poorest
        The one with the poorest shot; None where nothing is known of how any looks.
    over
        How many may be larger than a file is to be.
    sent
        Seconds from now until the last is across the line; None where none is named.
    pieces, kept, copied
        How many pieces they have, and how many of them are in the stock, or copied.
    stages
        Likely seconds of each kind of work.
    """

    files: int
    left_out: int
    made: int
    totals: Totals
    sound_bytes: float
    source_bytes: int
    finish: float
    finish_safe: float
    largest: OutputOutlook
    poorest: OutputOutlook | None
    over: int
    sent: float | None
    pieces: int
    kept: int
    copied: int
    stages: Mapping[str, float]


def several_outputs(view: Outlook, outputs: Sequence[str], limit: float | None = None) -> Several | None:
    """What several outputs come to together; None where fewer than two have a forecast.

    Parameters
    ----------
    view
        The forecast.
    outputs
        Their ids.
    limit
        Bytes that a file is to have at most.
    """
    items = [item for name in outputs if (item := view.output(name)) is not None]
    if len(items) < 2:
        return None
    left = [item for item in items if not item.made]
    seen = [(item.looks.worst.likely, n) for n, item in enumerate(items) if item.looks is not None]
    media = {path: clip.bytes for item in items for path, clip in item.ready.source.facts.items()}
    stages: dict[str, float] = {}
    for item in items:
        for stage in item.stages:
            stages[stage.kind.id] = stages.get(stage.kind.id, 0.0) + stage.seconds.likely
    return Several(
        len(items),
        len(outputs) - len(items),
        len(items) - len(left),
        together(items),
        sum(item.sound_bytes for item in items),
        sum(media.values()),
        max((item.finish.likely for item in left), default=0.0),
        max((item.finish.safe for item in left), default=0.0),
        max(items, key=lambda item: item.bytes.likely),
        items[min(seen)[1]] if seen else None,
        sum(item.bytes.safe > limit for item in items) if limit else 0,
        max((item.sent.likely for item in items if item.sent is not None), default=None),
        sum(item.pieces_total for item in items),
        sum(item.pieces_kept for item in items),
        sum(len(item.copied_names) for item in items),
        stages,
    )
