"""``ledger``: forecast against fact, and a station's pace learned anew."""

from __future__ import annotations

import sys
from typing import Annotated

import typer

from chronocast.cli.answers import NEEDS_YOU, Json, complain, put, workspace
from chronocast.model.errors import ChronocastError
from chronocast.model.show import db_text, percent, size_text, time_text
from chronocast.model.stages import HERE

ledger_app = typer.Typer(help="Forecast against fact.", no_args_is_help=True)
SHOWN = 20


@ledger_app.command("show")
def show(json_: Json = False) -> None:
    """What was forecast of finished files, what came, and how wide bands are made since."""
    # brings NumPy, which no other command is to wait for
    from chronocast.forecast.learning.calibration import calibration_of

    try:
        with workspace().ledger() as ledger:
            found = ledger.outcomes()
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    told = {what: calibration_of(outcomes)._asdict() for what, outcomes in found.items()}
    if json_:
        files = {what: [one._asdict() for one in outcomes[:200]] for what, outcomes in found.items()}
        put({"version": 1, "calibration": told, "files": files})
        return
    for what, say in (("bytes", size_text), ("cpu_seconds", time_text), ("looks", db_text)):
        name = {"bytes": "size", "cpu_seconds": "processor seconds"}.get(what, "poorest shot, XPSNR")
        sys.stdout.write(f"{name}: likely (P10 to safe) → fact, the newest first\n")
        for one in found[what][:SHOWN]:
            mark = " " if one.p10 <= one.fact <= one.safe else "!"
            band = f"{say(one.likely)} ({say(one.p10)} to {say(one.safe)})"
            sys.stdout.write(f"{mark} {band:36} → {say(one.fact)}\n")
        known = told[what]
        if known["files"]:
            sys.stdout.write(
                f"  {known['files']} files: fact ÷ likely {known['fact_over_likely']:g} in the middle, between P10 and safe "
                f"{percent(known['held'])} (meant: 80 %); bands are made {known['width_factor']:.2f} × as wide\n"
            )
    sys.stdout.write("" if found["bytes"] else "Nothing was finished yet.\n")


@ledger_app.command("reset")
def reset(
    station: Annotated[str, typer.Option("--station", help="Whose pace is learned anew.")] = HERE,
) -> None:
    """Learn a station's pace anew; what films took in bytes stays remembered."""
    try:
        with workspace().ledger() as ledger:
            count = ledger.forget_pace(station)
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    sys.stdout.write(
        f"{count} pieces no longer speak of the pace of “{station}”. Measure it with: chronocast calibrate\n"
    )
