"""``forecast``, ``trial``, ``ask``: what a batch will take, tried on a few seconds, and what it has to keep."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from chronocast.cli.answers import (
    NEEDS_YOU,
    WRONG_USE,
    BatchPath,
    Json,
    complain,
    know_house,
    load,
    put,
    save,
    workspace,
)
from chronocast.model.errors import ChronocastError, ModelError


def forecast(
    batch: BatchPath,
    json_: Json = False,
    ways: Annotated[
        str | None,
        typer.Option(
            "--ways",
            metavar="OUTPUT",
            help="Other ways to make an output, or all that a pattern names ('*'), and what they take.",
        ),
    ] = None,
    csv: Annotated[
        Path | None,
        typer.Option("--csv", metavar="FILE", help="Write it as a table, a line for each output."),
    ] = None,
    plan: Annotated[
        bool,
        typer.Option(
            "--plan", help="The three wishes side by side, and what would bring the finish forward."
        ),
    ] = False,
    rehearse: Annotated[
        bool,
        typer.Option("--rehearse", help="Hundreds of nights, with stations lost and people sitting down."),
    ] = False,
    lose: Annotated[
        list[str] | None,
        typer.Option("--lose", metavar="STATION@TIME+LENGTH", help="Have a station lost: Plover@02:00+30m."),
    ] = None,
    visit: Annotated[
        list[str] | None,
        typer.Option(
            "--visit", metavar="STATION@TIME+LENGTH", help="Have somebody sit down: Avocet@8:00+4h."
        ),
    ] = None,
) -> None:
    """What a batch will take: seconds, bytes, finish by the clock, room, and what it is asked to keep. Nothing is encoded."""
    from chronocast.cli.forecast import planning, tables

    loaded = load(batch)
    know_house(workspace())
    try:
        told = tables.forecast_batch(loaded, batch)
        about = tables.about(told, loaded, ways) if ways else None
        nights = None
        if rehearse or lose or visit:
            nights = planning.rehearse_batch(told.view, lose or [], visit or [])
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    view = told.view
    if csv is not None:
        from chronocast.journal.documents import write_text
        from chronocast.preparation.asked.forecast_table import as_csv, ways_csv

        try:
            write_text(csv, ways_csv(about.ways) if about else as_csv(view))
        except ChronocastError as error:
            complain(error, NEEDS_YOU)
    if json_:
        from chronocast.preparation.forecast.outlook_json import as_json

        put(
            {
                **as_json(view),
                "asked": told.asked.as_json(),
                **(tables.about_json(about) if about else {}),
                **({"plan": planning.plan_json(view)} if plan else {}),
                **({"rehearsal": planning.rehearsal_json(nights, view)} if nights else {}),
            }
        )
    elif plan or nights:
        if plan:
            planning.print_plan(view)
        if nights:
            planning.print_rehearsal(nights, view)
    elif about is not None:
        tables.print_ways(about.ways)
        for _, line in about.lines:
            sys.stdout.write(f"  {line}\n")
    else:
        tables.print_forecast(loaded, told)
    if any(problem.blocks for problem in view.problems) or any(not room.fits for room in view.room):
        raise typer.Exit(NEEDS_YOU)


def trial(
    batch: BatchPath,
    output: Annotated[str, typer.Argument(help="The output's id, as forecast --json names it.")],
    at: Annotated[
        str, typer.Option("--at", metavar="TIME", help="A moment of your choice, too: 1:02:03:04, 12s.")
    ] = "",
    seconds: Annotated[
        float, typer.Option("--seconds", min=0.2, max=20.0, help="How long each moment is.")
    ] = 2.5,
    floor: Annotated[
        float, typer.Option("--floor", help="XPSNR in dB that the worst moment should keep.")
    ] = 40.0,
    to: Annotated[
        Path | None,
        typer.Option("--to", metavar="DIR", help="Keep the encodes, and pictures beside the originals."),
    ] = None,
    json_: Json = False,
) -> None:
    """Try a few seconds of an output: its hardest, its easiest and a chosen moment, really encoded and measured."""
    from chronocast.cli.forecast.trying import print_trial, trial_json, try_output

    loaded = load(batch)
    try:
        told = try_output(loaded, batch, output, at=at, seconds=seconds, floor=floor, to=to)
    except (ChronocastError, OSError) as error:
        complain(str(error), NEEDS_YOU)
    put(trial_json(told)) if json_ else print_trial(told, to)


def ask(
    batch: BatchPath,
    output: Annotated[
        list[str] | None,
        typer.Option("--output", metavar="OUTPUT", help="Only these, for --by, --begin and --on."),
    ] = None,
    begin: Annotated[
        str | None, typer.Option("--begin", help="Nothing is begun before: 19:00, in 2 h; “none”.")
    ] = None,
    wish: Annotated[
        str | None,
        typer.Option("--wish", help="The order files are made in: my order, earliest end, most in time."),
    ] = None,
    on: Annotated[
        list[str] | None,
        typer.Option("--on", metavar="STATION", help="Only these stations make it; “any” for all."),
    ] = None,
    by: Annotated[
        str | None,
        typer.Option("--by", help="When all should be finished: 18:30, fri 17:00, in 2 h; “none”."),
    ] = None,
    limit: Annotated[
        str | None, typer.Option("--limit", help="What no file should be larger than: 500 MB; “none”.")
    ] = None,
    line: Annotated[
        str | None, typer.Option("--line", help="The line files are sent by: 20 Mb/s; “none”.")
    ] = None,
    receiver: Annotated[
        str | None, typer.Option("--receiver", help="What is free where the files go: 64 GB; “none”.")
    ] = None,
    looks: Annotated[
        str | None,
        typer.Option("--looks", help="XPSNR that the poorest shots should keep: 38 dB; “none”."),
    ] = None,
) -> None:
    """Ask a batch to keep a time, a size, a line, the receiver's space; forecast then says whether it does, and what would help."""
    from datetime import datetime

    from chronocast.model.batch.edits import change_outputs, keep_to_stations, set_asked, want_outputs
    from chronocast.model.batch.wishes import read_wish
    from chronocast.model.recipe.typed import parse_bits, parse_bytes, parse_db
    from chronocast.model.time.moments import parse_moment

    loaded = load(batch)
    now = datetime.now().astimezone()

    def read(text: str | None, present: Any, parse: Callable[[str], Any]) -> Any:
        return present if text is None else None if text.strip().lower() in ("none", "") else parse(text)

    def moment(text: str) -> datetime:
        return parse_moment(text, now)

    names = output or []
    try:
        if unknown := [name for name in names if loaded.output(name) is None]:
            raise ModelError(f"The batch has no output “{unknown[0]}”.", "forecast --json names them.")
        if names and by is not None:
            loaded = want_outputs(loaded, names, read(by, None, moment))
        if names and begin is not None:
            loaded = change_outputs(loaded, names, {"not_before": read(begin, None, moment)})
        if on is not None:
            kept = [] if [name.lower() for name in on] == ["any"] else on
            loaded = keep_to_stations(loaded, names or [item.id for item in loaded.outputs], kept)
        asked = set_asked(
            loaded,
            wanted=loaded.wanted if names else read(by, loaded.wanted, moment),
            not_before=loaded.not_before if names else read(begin, loaded.not_before, moment),
            wish=loaded.wish if wish is None else read_wish(wish),
            size_limit=read(limit, loaded.size_limit, parse_bytes),
            line=read(line, loaded.line, parse_bits),
            receiver_space=read(receiver, loaded.receiver_space, parse_bytes),
            look_floor=read(looks, loaded.look_floor, parse_db),
        )
        save(asked, batch)
    except ChronocastError as error:
        complain(error, WRONG_USE)


def probe(
    batch: BatchPath,
    seconds: Annotated[
        float, typer.Option("--seconds", min=1.0, max=3600.0, help="How long it may take by the clock.")
    ] = 30.0,
    json_: Json = False,
) -> None:
    """Sharpen the forecast: encode a few pieces ahead, of what is in doubt most. They are kept, so no work is lost."""
    from chronocast.cli.forecast.tables import probe_batch

    loaded = load(batch)
    try:
        before, after, count = probe_batch(loaded, batch, seconds)
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    if json_:
        put(
            {
                "version": 1,
                "pieces": count,
                "bytes": {"before": before.bytes.as_json(), "after": after.bytes.as_json()},
                "seconds": {"before": before.seconds.as_json(), "after": after.seconds.as_json()},
            }
        )
        return
    from chronocast.model.show import counted, size_text, time_text

    def told(view: Any) -> str:
        size, work = view.bytes, view.seconds
        return (
            f"{size_text(size.likely)} ({size_text(size.p10)} to {size_text(size.safe)}), "
            f"{time_text(work.likely)} of work ({time_text(work.p10)} to {time_text(work.safe)})"
        )

    sys.stdout.write(
        f"{counted(count, 'piece')} encoded ahead and kept\nbefore  {told(before)}\nafter   {told(after)}\n"
        if count
        else "Nothing is in doubt that a piece encoded ahead could tell.\n"
    )


def ahead(
    batch: BatchPath,
    output: Annotated[
        list[str] | None,
        typer.Option("--output", metavar="OUTPUT", help="Only this output; may be given several times."),
    ] = None,
    seconds: Annotated[
        float | None, typer.Option("--seconds", min=1.0, help="How long it may take by the clock.")
    ] = None,
    plan: Annotated[bool, typer.Option("--plan", help="Only say what it would cost and give.")] = False,
    json_: Json = False,
) -> None:
    """Encode pieces ahead while nobody waits. They are kept; Ctrl-C stops at any time and keeps what is done."""
    from chronocast.cli.forecast.tables import render_ahead

    loaded = load(batch)
    try:
        told = render_ahead(loaded, batch, output or [], seconds, plan)
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    except KeyboardInterrupt:
        sys.stderr.write("\nStopped; what is finished is kept.\n")
        raise typer.Exit(130) from None
    if json_:
        put(
            {
                "version": 1,
                "pieces": len(told.plan.pieces),
                "seconds": round(told.plan.seconds, 1),
                "left": round(told.plan.left, 1),
                "made": told.made,
            }
        )
        return
    sys.stdout.write(f"{told.plan.told}\n")
    if told.made:
        sys.stdout.write(f"{told.made} encoded and kept\n")


def routes(
    batch: BatchPath,
    output: Annotated[
        list[str] | None,
        typer.Option("--output", metavar="OUTPUT", help="Only this output; may be given several times."),
    ] = None,
    json_: Json = False,
) -> None:
    """Hardware against software: a few pieces of each file encoded both ways, and compared. They are kept."""
    from chronocast.cli.forecast.tables import routes_compared

    loaded = load(batch)
    try:
        found = routes_compared(loaded, batch, output or [])
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    if json_:
        put({"version": 1, "outputs": [one.as_json() for one in found]})
        return
    for one in found:
        sys.stdout.write(f"{one.output}\n    {one.told}\n")
    if not found:
        sys.stdout.write(
            "No file of this batch can be encoded both ways here; “station encoders” says what is here.\n"
        )


def forecast_commands(app: typer.Typer) -> None:
    """Put them into the application."""
    for command in (forecast, trial, probe, routes, ask, ahead):
        app.command()(command)
