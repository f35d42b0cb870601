"""``hub``, ``house``: who belongs to the house, and the one machine that knows them all."""

from __future__ import annotations

import atexit
import contextlib
import logging
import os
import signal
import sys
import time
from collections.abc import Coroutine
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from chronocast.cli.answers import NEEDS_YOU, WRONG_USE, Json, complain, put, workspace
from chronocast.journal.places import data_folder
from chronocast.model.errors import ChronocastError
from chronocast.model.show import clock_text, counted, time_text

if TYPE_CHECKING:
    from chronocast.model.house import House, StationTold

hub_app = typer.Typer(
    help="Be the hub of a house: the one machine that knows its stations.", invoke_without_command=True
)


def until_stopped(work: Coroutine[Any, Any, None]) -> None:
    """Carry on until somebody ends the process.

    Parameters
    ----------
    work
        What is done.
    """
    import asyncio

    async def go() -> None:
        task = asyncio.ensure_future(work)
        loop = asyncio.get_running_loop()
        for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
            loop.add_signal_handler(number, task.cancel)
        with contextlib.suppress(asyncio.CancelledError):
            await task

    try:
        asyncio.run(go())
    except* ChronocastError as errors:
        found: BaseException = errors
        while isinstance(found, BaseExceptionGroup):
            found = found.exceptions[0]
        complain(str(found), NEEDS_YOU)


@hub_app.callback()
def hub(
    context: typer.Context,
    host: Annotated[str, typer.Option(help="The address to listen at; this machine's own by default.")] = "",
    port: Annotated[int, typer.Option(help="For stations and runners.")] = 8786,
    join_port: Annotated[int, typer.Option(help="For those who have a code.")] = 8787,
) -> None:
    """Be the hub until ended.  Its authority is made at the first start."""
    if context.invoked_subcommand is not None:
        return
    from chronocast.crew.house.hub import run_hub
    from chronocast.crew.house.line import facing_address

    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    where = host or facing_address()

    def ready(address: str, joined: int) -> None:
        sys.stdout.write(
            f"The hub is at {address}.\nMachines join at {where}:{joined} with a code from: chronocast hub code\n"
        )
        sys.stdout.flush()

    try:
        until_stopped(run_hub(workspace().house.hub_folder, where, port, join_port, ready=ready))
    except OSError as error:
        complain(f"The hub can't listen at {where}: {error.strerror or error}.", NEEDS_YOU)


@hub_app.command("code")
def hub_code(
    desktop: Annotated[
        bool, typer.Option("--desktop", help="For a machine that only gives work, and does none.")
    ] = False,
) -> None:
    """A code by which one machine can join, for a quarter of an hour."""
    from chronocast.crew.house.joining import CODE_SECONDS, CodeBook, make_house

    folder = workspace().house.hub_folder
    make_house(folder)
    code = CodeBook(folder).give_out("desktop" if desktop else "station")
    sys.stdout.write(f"{code}\n")
    sys.stderr.write(f"It works once, for {CODE_SECONDS / 60:.0f} minutes.\n")


@hub_app.command("rotate")
def hub_rotate(
    yes: Annotated[bool, typer.Option("--yes", help="Don't ask.")] = False,
) -> None:
    """Make the house's authority anew: every machine has to join again, and whoever had left can't come back."""
    from chronocast.crew.house.joining import make_house

    folder = workspace().house.hub_folder
    if not yes and not typer.confirm("Every machine of the house has to join again. Go on?"):
        raise typer.Exit(WRONG_USE)
    for name in ("authority.key", "authority.pem", "own.key", "own.pem", "codes.json"):
        (folder / name).unlink(missing_ok=True)
    make_house(folder)
    sys.stdout.write("The authority is another from now on. Begin the hub again, and join every machine.\n")


def ask_house(hub: str = "") -> House:
    """What the hub knows now.

    Parameters
    ----------
    hub
        Its address; this machine's own hub, if not said.
    """
    from chronocast.crew.house.observer import look_once

    return look_once(workspace(), hub)


def station_line(station: StationTold) -> str:
    """A station in a line."""
    slots = counted(station.slots, "slot")
    doing = f"{len(station.doing)} of {slots} at work" if station.doing else "idle"
    state = doing if station.open else f"takes no work: {station.why_shut}"
    if not station.open and station.until:
        state += f", {time_text(max(0.0, station.until - time.time()))} more"
    pace = (
        f"{1 / station.pace['encode']:.0f} Mpixel/s a slot" if station.pace.get("encode") else "not measured"
    )
    label = " (stand-in)" if station.stand_in else ""
    return f"{station.name}{label}: {state}; {slots}, {pace}, {station.manner}"


def house(json_: Json = False) -> None:
    """The stations of this machine's house: what each can do, does, and when."""
    try:
        found = ask_house()
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    if json_:
        put({"version": 1, **found.model_dump(mode="json")})
    else:
        sys.stdout.write(f"The hub is at {found.hub}.\n")
        for station in found.stations:
            sys.stdout.write(f"  {station_line(station)}\n")
        for gone in found.away:
            moment = clock_text(datetime.fromtimestamp(gone.since).astimezone())
            label = " (stand-in)" if gone.stand_in else ""
            sys.stdout.write(f"  {gone.name}{label}: away; heard of last at {moment}\n")
        if not found.stations and not found.trouble:
            sys.stdout.write("  No station has joined.\n")
    if found.trouble:
        complain(found.trouble, NEEDS_YOU)


def begin_demo_house(to: Path | None) -> Path:
    """Start the stand-ins of the demo's house, and be its desk from now on; the batch.

    Parameters
    ----------
    to
        The folder it lies in; one among this machine's data by default.
    """
    from chronocast.demo.house import STAND_INS, DemoHouse

    found = DemoHouse((to or data_folder() / "demo-house").absolute())
    found.begin()
    atexit.register(found.end)
    desk = found.surroundings("desk")
    os.environ.update(desk)
    names = ", ".join(item.name for item in STAND_INS)
    settings = " ".join(f"{name}={value}" for name, value in desk.items())
    sys.stderr.write(
        f"Stand-ins for workstations are at work on this machine: {names}. They end with this process.\n"
        f"To be their desk in another terminal: export {settings}\n"
    )
    return found.batch


def wait_for_the_end() -> None:
    """Wait until somebody ends the process."""
    with contextlib.suppress(KeyboardInterrupt):
        signal.signal(signal.SIGTERM, signal.default_int_handler)
        signal.pause()
