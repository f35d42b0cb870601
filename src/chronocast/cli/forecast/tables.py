"""``forecast``: the outlook of a batch as a table."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Callable
from fnmatch import fnmatchcase
from pathlib import Path
from typing import NamedTuple

from chronocast.cli.answers import workspace
from chronocast.crew.local.device_trials import devices_tried
from chronocast.crew.local.probing import carry_out_probes
from chronocast.model.answers import Answer
from chronocast.model.batch.batch import Batch
from chronocast.model.errors import ChronocastError, ModelError
from chronocast.model.paths import shown
from chronocast.model.show import clock_text, counted, db_text, size_text, time_text
from chronocast.preparation.ahead import AheadPlan, plan_ahead
from chronocast.preparation.asked.about_output import OutputAnswers, answers_about
from chronocast.preparation.asked.answers import Asked, asked_of
from chronocast.preparation.asked.candidates import Candidate
from chronocast.preparation.asked.many_ways import WayOfMany, many_ways
from chronocast.preparation.asked.probes import choose_probes
from chronocast.preparation.asked.routes import RouteCompared, compare_routes, route_probes
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.outlook_json import looks_json
from chronocast.preparation.forecast.output_outlook import poorest_shot
from chronocast.preparation.forecast.treatments import bases_told, why_encoded
from chronocast.preparation.output.differences import differences_from_source
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.station.helpers import helping_told
from chronocast.preparation.today import circumstances, made_lately, outlook_now, prepared


class Forecast(NamedTuple):
    """A batch made ready, its outlook, and the answers to what it is asked to keep."""

    prospect: Prospect
    view: Outlook
    asked: Asked


def forecast_batch(batch: Batch, path: Path) -> Forecast:
    """The outlook of a batch as things stand."""
    prospect = prepared(batch, path, workspace())
    now = circumstances(prospect, workspace())
    view = outlook_now(prospect, workspace(), now.learned)
    return Forecast(prospect, view, asked_of(batch, prospect, view, now))


class Probed(NamedTuple):
    """The outlook before and after some pieces were encoded ahead, and how many these were."""

    before: Outlook
    after: Outlook
    pieces: int


def _told(words: str) -> Callable[[int, int], None]:
    """Say on standard error how far something is."""

    def progress(done: int, whole: int) -> None:
        sys.stderr.write(f"\r{words}: {done} of {whole}" + ("\n" if done == whole else ""))

    return progress


def probe_batch(batch: Batch, path: Path, seconds: float) -> Probed:
    """Encode pieces ahead for so many seconds, and forecast again.

    Parameters
    ----------
    batch, path
        The batch and its file.
    seconds
        By the clock.

    Raises
    ------
    ChronocastError
        A piece can't be made.
    """
    prospect = prepared(batch, path, workspace())
    before = outlook_now(prospect, workspace())
    probes = choose_probes(before, workspace().stock, seconds)

    count = carry_out_probes(probes, workspace(), _told("encoding ahead"))
    return Probed(before, outlook_now(prospect, workspace()), count)


def routes_compared(batch: Batch, path: Path, outputs: list[str]) -> list[RouteCompared]:
    """Encode pieces of a batch by both routes, and compare them.

    Parameters
    ----------
    batch, path
        The batch and its file.
    outputs
        Ids of the outputs; all, if none is named.

    Raises
    ------
    ChronocastError
        A piece can't be made.
    """
    devices_tried(workspace())
    prospect = prepared(batch, path, workspace())
    view = outlook_now(prospect, workspace())
    probes = route_probes(view, workspace().stock, outputs)

    carry_out_probes(probes, workspace(), _told("encoding both ways"))
    asked = (item.ready for item in view.outputs if not outputs or item.ready.output.id in outputs)
    found = (compare_routes(ready, workspace().stock, view.station) for ready in asked)
    return [one for one in found if one is not None]


class AheadTold(NamedTuple):
    """What was planned to be encoded ahead, and how many pieces were."""

    plan: AheadPlan
    made: int


def render_ahead(
    batch: Batch, path: Path, outputs: list[str], seconds: float | None, only_plan: bool
) -> AheadTold:
    """Encode pieces of a batch ahead.

    Parameters
    ----------
    batch, path
        The batch and its file.
    outputs
        Ids of the outputs; all, if none is named.
    seconds
        How long it may take; None for as long as it takes.
    only_plan
        Whether nothing is encoded.

    Raises
    ------
    ChronocastError
        There is no such output, or a piece can't be made.
    """
    prospect = prepared(batch, path, workspace())
    unknown = [name for name in outputs if prospect.output(name) is None]
    if unknown:
        raise ModelError(f"There is no output “{unknown[0]}” that can be made.", "See forecast --json.")
    plan = plan_ahead(outlook_now(prospect, workspace()), workspace().stock, outputs, seconds)

    return AheadTold(
        plan, 0 if only_plan else carry_out_probes(plan.pieces, workspace(), _told("encoding ahead"))
    )


def about(forecast: Forecast, batch: Batch, output: str) -> OutputAnswers:
    """Other ways to make an output, and what the batch's line and floor of quality mean for it; of several, their ways.

    Parameters
    ----------
    forecast
        Of the batch.
    batch
        The batch.
    output
        An output's id, or a pattern of several: ``*`` stands for anything, ``?`` for a character.

    Raises
    ------
    ModelError
        The batch has no such output, or it can't be made.
    """
    now = circumstances(forecast.prospect, workspace())
    known = [item.ready.output.id for item in forecast.view.outputs]
    several = [name for name in known if fnmatchcase(name, output)]
    ready = forecast.prospect.output(several[0] if len(several) == 1 else output)
    if ready is not None:
        return answers_about(ready, batch, forecast.view, now, made_lately(workspace()))
    if not several:
        raise ModelError(
            f"There is no output “{output}” that can be made.", f"There are: {', '.join(known[:8])}."
        )
    return OutputAnswers(many_ways(several, several[0], forecast.view, now, batch.size_limit))


def print_ways(found: tuple[Candidate, ...]) -> None:
    """Lines for people: one a candidate."""
    if len(found) < 2:
        sys.stdout.write(
            "There are no other ways to make it: its codec has no rate, no quality and no effort.\n"
        )
        return
    for item in found:
        looks = ""
        if item.xpsnr is not None:
            looks = f"XPSNR {db_text(item.xpsnr.mean.likely)}, poorest shot {db_text(item.xpsnr.worst.likely)} ({db_text(item.xpsnr.worst.safe)})"
        elif item.looks is not None:
            looks = f"looks like quality {item.looks:g}"
        told = "as it is now" if item.present else item.words
        mark = "·" if item.dominated else "→" if item.present else " "
        sys.stdout.write(
            f"{mark} {told:18}  {time_text(item.seconds.likely):>8} ({time_text(item.seconds.safe)})"
            f"  {size_text(item.bytes.likely):>9} ({size_text(item.bytes.safe)})  {looks}{item.besides}\n"
        )
    sys.stdout.write("  · another one is better in time, size and look; in brackets: safe\n\n")
    now = next((item for item in found if item.present), found[0])
    for item in found:
        if not item.present and not item.dominated:
            sys.stdout.write(f"  {item.against(now)}\n")


def ways_json(found: tuple[Candidate, ...]) -> list[Answer]:
    """Candidates as answers."""
    return [
        {
            "words": item.words,
            "values": dict(item.values),
            "present": item.present,
            "seconds": item.seconds.as_json(),
            "bytes": item.bytes.as_json(),
            "looks_like_quality": item.looks,
            "looks": looks_json(item.xpsnr),
            "dominated": item.dominated,
            **(
                {"files": item.files, "of": item.of, "over": item.over} if isinstance(item, WayOfMany) else {}
            ),
        }
        for item in found
    ]


def about_json(found: OutputAnswers) -> Answer:
    """Answers about one output, as the command line gives them."""
    told: Answer = {"ways": ways_json(found.ways)}
    if found.across is not None:
        told["across"] = round(found.across.bits) if found.across.bits else None
    if found.nothing_kept:
        told["nothing_kept"] = found.nothing_kept
    if found.floor is not None:
        told["least"] = {
            "values": found.floor.values,
            "bytes": found.floor.bytes.as_json(),
            "worst": found.floor.worst.as_json(),
            "shots": list(found.floor.shots),
        }
    return told


def print_forecast(batch: Batch, forecast: Forecast) -> None:
    """Lines for people: one an output, then the whole."""
    view = forecast.view
    for item in view.outputs:
        ready = item.ready
        span = f"{time_text(item.seconds.likely)} ({time_text(item.seconds.safe)})"
        size = f"{size_text(item.bytes.likely)} ({size_text(item.bytes.safe)})"
        counts = {"kept": item.pieces_kept, "copied": len(item.copied_names)}
        some = ", ".join(f"{count}/{item.pieces_total} {kind}" for kind, count in counts.items() if count)
        kept = some or counted(item.pieces_total, "piece")
        sys.stdout.write(
            f"{shown(ready.path.name)[:64]:64}  {span:>18}  {size:>20}  {kept:12}  {ready.extent.text}\n"
        )
        if item.looks is not None:
            worst = item.looks.worst
            sys.stdout.write(
                f"    looks: XPSNR {db_text(item.looks.mean.likely)}, poorest shot {db_text(worst.likely)} "
                f"(safe {db_text(worst.safe)}) at {poorest_shot(item)}\n"
            )
        if ready.route.told:
            sys.stdout.write(f"    encoded in {ready.route.told}\n")
        if based := bases_told(item):
            sys.stdout.write(f"    {based}\n")
        if why := why_encoded(item):
            sys.stdout.write(f"    encoded, since {why}\n")
        if told := differences_from_source(ready):
            sys.stdout.write(f"    ≠ source: {'; '.join(item.sentence for item in told)}\n")
    sys.stdout.write("\n")
    likely, safe = view.time_after(view.finish.likely), view.time_after(view.finish.safe)
    with contextlib.suppress(ChronocastError):
        sys.stdout.write(
            f"finished  {clock_text(likely)}, safe by {clock_text(safe)}  (in {time_text(view.finish.likely)}, safe {time_text(view.finish.safe)})\n"
        )
    if helping := helping_told(view.station.helpers):
        sys.stdout.write(f"          {helping}\n")
    sys.stdout.write(f"size      {size_text(view.bytes.likely)}, safe {size_text(view.bytes.safe)}\n")
    for room in view.room:
        sys.stdout.write(f"room      {view.room_told(room)}\n")
    if not view.calibrated:
        sys.stdout.write(
            "          This machine's pace is not measured yet, so times are wide. Measure it with: chronocast calibrate\n"
        )
    for line in forecast.asked.lines:
        sys.stdout.write(f"asked     {line}\n")
    for problem in view.problems:
        sys.stdout.write(f"{'!' if problem.blocks else '·'} {problem.told}\n")
