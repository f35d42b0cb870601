"""What the panel says of several outputs together, in plain Python."""

from __future__ import annotations

from chronocast.forecast.inverse import send_seconds
from chronocast.model.batch.batch import Batch
from chronocast.model.show import (
    clock_text,
    counted,
    db_text,
    rate_bits_text,
    size_text,
    time_text,
    times_text,
)
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook, poorest_shot
from chronocast.preparation.forecast.several import Several
from chronocast.ui.places.plan.panel.detail import Detail
from chronocast.ui.places.plan.panel.plot_model import Point

AT_ONCE = 500
"""So many outputs are added up while the window waits; more, beside it."""


def adding_up(count: int) -> Detail:
    """What is said until so many outputs are added up."""
    return Detail(f"{counted(count, 'file')} chosen", "", (("", "being added up…"),), (), "", ())


def detail_of_several(batch: Batch, view: Outlook, several: Several) -> Detail:
    """The forecast of several outputs: what they come to, which is the largest, the last, the poorest.

    Parameters
    ----------
    batch
        What is asked to be kept.
    view
        The forecast.
    several
        The outputs, added up.
    """
    totals, words = several.totals, counted(several.files, "file")
    lines = (
        ("time", _time(several)),
        ("finished", _finished(several, view)),
        ("size", f"{size_text(totals.bytes.likely)} likely, {size_text(totals.bytes.safe)} safe"),
        ("", _shares(several)),
        *_over(several, batch),
        ("largest", f"{size_text(several.largest.bytes.likely)}: {_name(several.largest)}"),
        *_sent(several, view),
        *_looks(several),
        ("pieces", _pieces(several)),
        *((("left out", f"{several.left_out} that have no forecast"),) if several.left_out else ()),
    )
    point = Point(words, totals.seconds, totals.bytes, mine=True)
    return Detail(f"{words} chosen", "", lines, tuple(several.stages.items()), "", (point,))


def _name(item: OutputOutlook) -> str:
    return f"{item.ready.title} · {item.ready.recipe.title}"


def _time(several: Several) -> str:
    """Their work, of those that are still to be made."""
    if several.made == several.files:
        return "made already"
    seconds = several.totals.seconds
    told = f"{time_text(seconds.likely)} of work likely, {time_text(seconds.safe)} safe"
    return f"{told}; {several.made} made already" if several.made else told


def _finished(several: Several, view: Outlook) -> str:
    """When the last of them is finished."""
    if several.made == several.files:
        return "all of them"
    likely, safe = (clock_text(view.time_after(s)) for s in (several.finish, several.finish_safe))
    told = f"{likely} likely, safe by {safe}"
    return told if view.settled else f"about {told}"


def _shares(several: Several) -> str:
    """What of all bytes sound takes, and what they are against those of the sources."""
    likely = max(1.0, several.totals.bytes.likely)
    told = f"sound {several.sound_bytes / likely:.0%}"
    return (
        f"{told}; {times_text(likely / several.source_bytes)} the sources" if several.source_bytes else told
    )


def _over(several: Several, batch: Batch) -> tuple[tuple[str, str], ...]:
    """How many may be larger than a file is to be."""
    if not batch.size_limit:
        return ()
    limit = size_text(batch.size_limit)
    over = f"{counted(several.over, 'file')} may be over {limit}"
    return (("limit", over if several.over else f"all keep below {limit}"),)


def _sent(several: Several, view: Outlook) -> tuple[tuple[str, str], ...]:
    """When the last of them is across the line that files are sent by."""
    if view.line is None or several.sent is None:
        return ()
    takes = time_text(send_seconds(several.totals.bytes.likely, view.line))
    when = clock_text(view.time_after(several.sent))
    return (("sent", f"{when} likely; {takes} across {rate_bits_text(view.line)}"),)


def _looks(several: Several) -> tuple[tuple[str, str], ...]:
    """The poorest shot of any, and whose it is."""
    poorest = several.poorest
    if poorest is None or poorest.looks is None:
        return ()
    worst = poorest.looks.worst
    return (
        ("looks", f"poorest shot {db_text(worst.likely)}, safe {db_text(worst.safe)} XPSNR"),
        ("", f"at {poorest_shot(poorest)} of {_name(poorest)}"),
    )


def _pieces(several: Several) -> str:
    """How many are kept, copied, and to be encoded."""
    pairs = ((several.kept, "kept"), (several.copied, "copied"))
    told = [f"{count} {words}" for count, words in pairs if count]
    left = several.pieces - several.kept - several.copied
    return ", ".join([*told, f"{left} to be encoded"] if left or not told else told)
