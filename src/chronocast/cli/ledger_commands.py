"""``ledger``: forecast against fact, and a station's pace learned anew."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from math import exp, log
from typing import Annotated

import typer

from chronocast.cli.answers import NEEDS_YOU, Json, complain, put, workspace
from chronocast.forecast.learning.conformal import Outcome, width_factor
from chronocast.model.answers import Answer
from chronocast.model.errors import ChronocastError
from chronocast.model.show import percent, size_text, time_text
from chronocast.model.stages import HERE

ledger_app = typer.Typer(help="Forecast against fact.", no_args_is_help=True)
SHOWN = 20


def calibration(outcomes: Sequence[Outcome]) -> Answer:
    """How forecasts have held: how many, fact against likely, how often P10 to P90 held it, and the factor used since."""
    known = [one for one in outcomes if one.likely > 0 and one.fact > 0]
    if not known:
        return {"files": 0, "fact_over_likely": None, "held": None, "width_factor": 1.0}
    off = sorted(log(one.fact / one.likely) for one in known)
    held = sum(one.p10 <= one.fact <= one.safe for one in known) / len(known)
    return {
        "files": len(known),
        "fact_over_likely": round(exp(off[len(off) // 2]), 3),
        "held": round(held, 3),
        "width_factor": round(width_factor(known), 3),
    }


@ledger_app.command("show")
def show(json_: Json = False) -> None:
    """What was forecast of finished files, what came, and how wide bands are made since."""
    try:
        with workspace().ledger() as ledger:
            found = ledger.outcomes()
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    told = {what: calibration(outcomes) for what, outcomes in found.items()}
    if json_:
        files = {what: [one._asdict() for one in outcomes[:200]] for what, outcomes in found.items()}
        put({"version": 1, "calibration": told, "files": files})
        return
    for what, say in (("bytes", size_text), ("cpu_seconds", time_text)):
        name = "size" if what == "bytes" else "processor seconds"
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
