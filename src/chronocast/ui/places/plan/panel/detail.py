"""What the panel says of one output, in plain Python."""

from __future__ import annotations

from dataclasses import dataclass

from chronocast.forecast.inverse import send_seconds
from chronocast.model.batch.batch import Output
from chronocast.model.recipe.wording import label_of, say, sound_words
from chronocast.model.show import clock_text, db_text, rate_bits_text, size_text, time_text, times_text
from chronocast.model.time.timing import rate_text
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook, poorest_shot
from chronocast.preparation.forecast.treatments import bases_told, treatments, why_encoded
from chronocast.preparation.output.differences import differences_from_source
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.ui.places.plan.panel.plot_model import Point


@dataclass(frozen=True)
class Detail:
    """What the panel says of one output."""

    title: str
    path: str
    lines: tuple[tuple[str, str], ...]
    stages: tuple[tuple[str, float], ...]
    basis: str
    points: tuple[Point, ...]


def detail(view: Outlook, output: str) -> Detail | None:
    """The forecast of one output: numbers, what the time is spent on, and its siblings beside it."""
    item = view.output(output)
    if item is None:
        return None
    ready, plan = item.ready, item.ready.plan
    length = plan.seconds
    lines: tuple[tuple[str, str], ...] = (
        ("range", f"{ready.range_name}: {ready.extent.text}" if ready.range_name else ready.extent.text),
        ("time", _time_told(item, length)),
        ("size", f"{size_text(item.bytes.likely)} likely, {size_text(item.bytes.safe)} safe"),
        *_sent(view, item),
        *_looks(item),
        *_differences(ready),
        ("rate", _rate_told(item, length)),
        ("picture", _picture_told(ready)),
        ("sound", _sound_told(ready)),
        *(("pieces" if n == 0 else "", told) for n, told in enumerate(treatments(item)) if plan.settings),
        *((("encoded in", item.ready.route.told),) if item.ready.route.told else ()),
        *((("", based),) if (based := bases_told(item)) else ()),
        *_why_encoded(item),
        ("known from", item.basis + ("" if view.calibrated else "; this machine is not measured yet")),
    )
    judged = next((one for one in view.judged if one.output == output), None) if ready.cards else None
    if judged is not None:
        told = [f"{card.name}: {v.told}" for card, v in judged.broken] or [
            f"{card.name}: " + next((v.told for v in verdicts if v.use is not None), "everything fits")
            for card, verdicts in judged.cards
        ]
        lines += tuple(("receiver", words) for words in told[:3])
    if own := own_words(ready.output):
        lines += (("exceptions", own),)
    points = tuple(
        Point(o.ready.recipe.title, o.seconds, o.bytes, o is item)
        for o in view.of_range(ready.output.source, ready.output.range)
    )
    stages = tuple((stage.kind.id, stage.seconds.likely) for stage in item.stages)
    return Detail(f"{ready.title} · {ready.recipe.title}", str(ready.path), lines, stages, item.basis, points)


def _rate_told(item: OutputOutlook, length: float) -> str:
    """Of the whole file, and what of it the sound takes where there is a picture as well."""
    told = f"{rate_bits_text(item.bytes.likely * 8 / length)} in all"
    if item.ready.plan.settings is None:
        return told
    return f"{told}, sound {item.sound_bytes / max(1.0, item.bytes.likely):.0%}"


def _picture_told(ready: OutputReady) -> str:
    plan = ready.plan
    if plan.settings is None:
        return "none, sound only"
    return f"{plan.width}×{plan.height}, {rate_text(plan.rate)} frames a second, {plan.frames} frames"


def _sound_told(ready: OutputReady) -> str:
    sound = ready.recipe.sound
    if sound is None:
        return "none: the recipe leaves it out" if ready.source.cut.sound else "none"
    if ready.plan.sound is None:
        return "none: the source has none"
    if ready.plan.sound.copies:
        return f"copied as it is: {sound_words(sound)}"
    return sound_words(sound)


def _time_told(item: OutputOutlook, length: float) -> str:
    """Its work, and that against real time: how long a second of film takes on one slot."""
    if item.made:
        return "made already"
    told = f"{time_text(item.seconds.likely)} likely, {time_text(item.seconds.safe)} safe"
    return (
        f"{told}, {times_text(length / item.seconds.likely)} real time"
        if item.seconds.likely > 0.05
        else told
    )


def _sent(view: Outlook, item: OutputOutlook) -> tuple[tuple[str, str], ...]:
    """When its file is across the line that files are sent by."""
    if item.sent is None or view.line is None:
        return ()
    likely, safe = (clock_text(view.time_after(value)) for value in (item.sent.likely, item.sent.safe))
    takes = time_text(send_seconds(item.bytes.likely, view.line))
    return (("sent", f"{likely} likely, safe by {safe}; {takes} across {rate_bits_text(view.line)}"),)


def _why_encoded(item: OutputOutlook) -> tuple[tuple[str, str], ...]:
    """Why pictures that could be copied aren't."""
    why = why_encoded(item)
    return (("encoded", f"since {why}"),) if why else ()


def _looks(item: OutputOutlook) -> tuple[tuple[str, str], ...]:
    """How like the original it looks, and where the poorest shot is."""
    if item.looks is None:
        return ()
    worst = item.looks.worst
    return (
        ("looks", f"poorest shot {db_text(worst.likely)}, safe {db_text(worst.safe)} XPSNR"),
        ("", f"at {poorest_shot(item)}; all of it {db_text(item.looks.mean.likely)}"),
    )


def _differences(ready: OutputReady) -> tuple[tuple[str, str], ...]:
    """In what a file is not as its source, a line each; only the first line has the name."""
    told = [item.sentence for item in differences_from_source(ready)]
    if not told:
        return (("≠ source", "nothing is lost"),)
    if len(told) > MOST_DIFFERENCES:
        more = len(told) - MOST_DIFFERENCES + 1
        told = [*told[: MOST_DIFFERENCES - 1], f"and {more} more, in the sheet of its source"]
    return tuple(("≠ source" if number == 0 else "", words) for number, words in enumerate(told))


MOST_DIFFERENCES = 5


def own_words(output: Output) -> str:
    """An output's exceptions in words."""
    return ", ".join(f"{label_of(name)} {say(name, value)}" for name, value in output.own.items())
