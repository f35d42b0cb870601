"""``forecast``: the outlook of a batch as a table."""

from __future__ import annotations

import contextlib
import sys
from pathlib import Path

from chronocast.cli.answers import workspace
from chronocast.model.batch.batch import Batch
from chronocast.model.errors import ChronocastError
from chronocast.model.paths import shown
from chronocast.model.show import clock_text, size_text, time_text
from chronocast.preparation.outlook import Outlook
from chronocast.preparation.output.differences import differences_from_source
from chronocast.preparation.today import outlook_now, prepared


def forecast_batch(batch: Batch, path: Path) -> Outlook:
    """The outlook of a batch as things stand."""
    return outlook_now(prepared(batch, path, workspace()), workspace())


def print_forecast(batch: Batch, view: Outlook) -> None:
    """Lines for people: one an output, then the whole."""
    for item in view.outputs:
        ready = item.ready
        span = f"{time_text(item.seconds.likely)} ({time_text(item.seconds.safe)})"
        size = f"{size_text(item.bytes.likely)} ({size_text(item.bytes.safe)})"
        kept = (
            f"{item.pieces_kept}/{item.pieces_total} kept"
            if item.pieces_kept
            else f"{item.pieces_total} piece{'s' if item.pieces_total != 1 else ''}"
        )
        sys.stdout.write(
            f"{shown(ready.path.name)[:64]:64}  {span:>18}  {size:>20}  {kept:12}  {ready.extent.text}\n"
        )
        if told := differences_from_source(ready):
            sys.stdout.write(f"    ≠ source: {'; '.join(item.sentence for item in told)}\n")
    sys.stdout.write("\n")
    likely, safe = view.time_after(view.finish.likely), view.time_after(view.finish.safe)
    with contextlib.suppress(ChronocastError):
        sys.stdout.write(
            f"finished  {clock_text(likely)}, safe by {clock_text(safe)}  (in {time_text(view.finish.likely)}, safe {time_text(view.finish.safe)})\n"
        )
    sys.stdout.write(f"size      {size_text(view.bytes.likely)}, safe {size_text(view.bytes.safe)}\n")
    for room in view.room:
        sys.stdout.write(f"room      {room.told}\n")
    if not view.calibrated:
        sys.stdout.write(
            "          This machine's pace is not measured yet, so times are wide. Measure it with: chronocast calibrate\n"
        )
    for problem in view.problems:
        sys.stdout.write(f"{'!' if problem.blocks else '·'} {problem.told}\n")
