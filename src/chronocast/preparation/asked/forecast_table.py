"""A forecast as a table that other programs read: comma-separated values, a line for each output."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from chronocast.preparation.asked.candidates import Candidate
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import LooksOutlook

HEAD = (
    "output", "file", "frames", "seconds p10", "seconds likely", "seconds safe",
    "bytes p10", "bytes likely", "bytes safe",
    "xpsnr likely", "xpsnr of the poorest shot likely", "xpsnr of the poorest shot safe",
    "finish likely", "finish safe", "pieces", "kept", "copied", "known from",
)  # fmt: skip


def as_csv(view: Outlook) -> str:
    """Every output: seconds of work, bytes, finish by the clock (ISO 8601), what its size rests on."""
    text = io.StringIO()
    table = csv.writer(text)
    table.writerow(HEAD)
    for item in view.outputs:
        work, size = item.seconds, item.bytes
        table.writerow(
            [
                item.ready.output.id,
                item.ready.path.name,
                item.ready.plan.frames,
                *(round(value, 3) for value in (work.p10, work.likely, work.safe)),
                *(round(value) for value in (size.p10, size.likely, size.safe)),
                *_looks(item.looks),
                view.time_after(item.finish.likely).isoformat(timespec="seconds"),
                view.time_after(item.finish.safe).isoformat(timespec="seconds"),
                item.pieces_total,
                item.pieces_kept,
                len(item.copied_names),
                item.basis,
            ]
        )
    return text.getvalue()


def _looks(looks: LooksOutlook | None) -> tuple[float | str, ...]:
    """Three columns: XPSNR in dB; empty where nothing is said."""
    if looks is None:
        return "", "", ""
    return round(looks.mean.likely, 2), round(looks.worst.likely, 2), round(looks.worst.safe, 2)


def ways_csv(ways: Sequence[Candidate]) -> str:
    """Ways to make one output: seconds, bytes, the quality they look like, whether another one beats them."""
    text = io.StringIO()
    table = csv.writer(text)
    table.writerow(["way", *HEAD[3:12], "beaten"])
    for way in ways:
        work, size = way.seconds, way.bytes
        table.writerow(
            [
                way.words or "as it is now",
                *(round(value, 3) for value in (work.p10, work.likely, work.safe)),
                *(round(value) for value in (size.p10, size.likely, size.safe)),
                *_looks(way.xpsnr),
                "yes" if way.dominated else "no",
            ]
        )
    return text.getvalue()
