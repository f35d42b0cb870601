"""What the panel says of several outputs together, in plain Python."""

from __future__ import annotations

from collections.abc import Sequence

from chronocast.forecast.inverse import send_seconds
from chronocast.model.batch.batch import Batch
from chronocast.model.show import clock_text, counted, db_text, rate_bits_text, size_text, time_text
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook, Totals, poorest_shot, together
from chronocast.ui.places.plan.panel.detail import Detail
from chronocast.ui.places.plan.panel.plot_model import Point


def detail_of_several(batch: Batch, view: Outlook, outputs: Sequence[str]) -> Detail | None:
    """The forecast of several outputs: what they come to, which is the largest, the last, the poorest.

    Parameters
    ----------
    batch
        What is asked to be kept.
    view
        The forecast.
    outputs
        Their ids; those that aren't in it are left out.
    """
    items = [item for name in outputs if (item := view.output(name)) is not None]
    if len(items) < 2:
        return None
    totals, words = together(items), counted(len(items), "file")
    largest = max(items, key=lambda item: item.bytes.likely)
    lines = (
        ("time", _time(items, totals)),
        ("finished", _finished(items, view)),
        ("size", f"{size_text(totals.bytes.likely)} likely, {size_text(totals.bytes.safe)} safe"),
        *_over(items, batch),
        ("largest", f"{size_text(largest.bytes.likely)}: {_name(largest)}"),
        *_sent(view, items, totals),
        *_looks(items),
        ("pieces", _pieces(items)),
        *(
            (("left out", f"{len(outputs) - len(items)} that have no forecast"),)
            if len(items) < len(outputs)
            else ()
        ),
    )
    point = Point(words, totals.seconds, totals.bytes, mine=True)
    return Detail(f"{words} chosen", "", lines, _stages(items), "", (point,))


def _name(item: OutputOutlook) -> str:
    return f"{item.ready.title} · {item.ready.recipe.title}"


def _time(items: Sequence[OutputOutlook], totals: Totals) -> str:
    """Their work, of those that are still to be made."""
    made = sum(item.made for item in items)
    if made == len(items):
        return "made already"
    told = f"{time_text(totals.seconds.likely)} of work likely, {time_text(totals.seconds.safe)} safe"
    return f"{told}; {made} made already" if made else told


def _finished(items: Sequence[OutputOutlook], view: Outlook) -> str:
    """When the last of them is finished."""
    left = [item for item in items if not item.made]
    if not left:
        return "all of them"
    likely, safe = (max(getattr(item.finish, what) for item in left) for what in ("likely", "safe"))
    told = f"{clock_text(view.time_after(likely))} likely, safe by {clock_text(view.time_after(safe))}"
    return told if view.settled else f"about {told}"


def _over(items: Sequence[OutputOutlook], batch: Batch) -> tuple[tuple[str, str], ...]:
    """How many may be larger than a file is to be."""
    if not batch.size_limit:
        return ()
    over = sum(item.bytes.safe > batch.size_limit for item in items)
    limit = size_text(batch.size_limit)
    return (("limit", f"{counted(over, 'file')} may be over {limit}" if over else f"all keep below {limit}"),)


def _sent(view: Outlook, items: Sequence[OutputOutlook], totals: Totals) -> tuple[tuple[str, str], ...]:
    """When the last of them is across the line that files are sent by."""
    sent = [item.sent.likely for item in items if item.sent is not None]
    if view.line is None or not sent:
        return ()
    takes = time_text(send_seconds(totals.bytes.likely, view.line))
    when = clock_text(view.time_after(max(sent)))
    return (("sent", f"{when} likely; {takes} across {rate_bits_text(view.line)}"),)


def _looks(items: Sequence[OutputOutlook]) -> tuple[tuple[str, str], ...]:
    """The poorest shot of any, and whose it is."""
    told = [item for item in items if item.looks is not None]
    if not told:
        return ()
    poorest = min(told, key=lambda item: item.looks.worst.likely if item.looks else 0.0)
    assert poorest.looks is not None
    worst = poorest.looks.worst
    return (
        ("looks", f"poorest shot {db_text(worst.likely)}, safe {db_text(worst.safe)} XPSNR"),
        ("", f"at {poorest_shot(poorest)} of {_name(poorest)}"),
    )


def _pieces(items: Sequence[OutputOutlook]) -> str:
    """How many are kept, copied, and to be encoded."""
    total = sum(item.pieces_total for item in items)
    kept, copied = sum(item.pieces_kept for item in items), sum(len(item.copied_names) for item in items)
    told = [f"{count} {words}" for count, words in ((kept, "kept"), (copied, "copied")) if count]
    left = total - kept - copied
    return ", ".join([*told, f"{left} to be encoded"] if left or not told else told)


def _stages(items: Sequence[OutputOutlook]) -> tuple[tuple[str, float], ...]:
    """What the time of all goes on."""
    found: dict[str, float] = {}
    for item in items:
        for stage in item.stages:
            found[stage.kind.id] = found.get(stage.kind.id, 0.0) + stage.seconds.likely
    return tuple(found.items())
