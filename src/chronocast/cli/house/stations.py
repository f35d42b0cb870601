"""``station``: this machine as a station: what it can do, when it works for the house, and how it belongs to it."""

from __future__ import annotations

import logging
import re
import socket
import sys
import time
from typing import TYPE_CHECKING, Annotated

import typer

from chronocast.cli.answers import NEEDS_YOU, WRONG_USE, Json, complain, put, workspace
from chronocast.cli.house.house import until_stopped
from chronocast.model.errors import ChronocastError
from chronocast.model.show import time_text

if TYPE_CHECKING:
    from chronocast.model.calendar import OpenHours
    from chronocast.model.house import Belonging, Root

station_app = typer.Typer(
    help="This machine as a station of a house.", invoke_without_command=True, no_args_is_help=False
)
Shared = Annotated[
    list[str] | None,
    typer.Option("--root", help="A folder that the house shares, NAME=PATH; can be given several times."),
]
HOURS = re.compile(
    r"(?:(?P<first>[A-Za-z]{3})(?:-(?P<last>[A-Za-z]{3}))? )?(?P<begin>\d\d:\d\d)-(?P<end>\d\d:\d\d)"
)
LENGTH = re.compile(r"(?:(\d+)h)?(?:(\d+)m)?")


def read_roots(said: list[str]) -> tuple[Root, ...]:
    """Shared folders as they were typed.

    Parameters
    ----------
    said
        Each ``NAME=PATH``.
    """
    from chronocast.model.house import Root

    found = []
    for text in said:
        name, equals, path = text.partition("=")
        try:
            if not equals:
                raise ValueError(text)
            found.append(Root(name=name, path=path))
        except ValueError:
            complain(
                f"“{text}” is no shared folder: say NAME=/its/path, without dots to other folders.", WRONG_USE
            )
    return tuple(found)


def read_hours(text: str) -> OpenHours:
    """Hours as they were typed.

    Parameters
    ----------
    text
        Like ``Mon-Fri 19:00-07:00`` or ``22:00-06:00``.
    """
    from chronocast.model.calendar import DAYS, OpenHours

    found = HOURS.fullmatch(text.strip())
    names = [day.lower() for day in DAYS]
    try:
        if found is None:
            raise ValueError(text)
        first, last = (found["first"] or "mon").lower(), (found["last"] or "").lower()
        begin = names.index(first)
        end = names.index(last) if last else begin if found["first"] else 6
        days = tuple((begin + ahead) % 7 for ahead in range((end - begin) % 7 + 1))
        return OpenHours(days=days, begin=found["begin"], end=found["end"])
    except ValueError:
        complain(f"“{text}” are no hours: say them like “Mon-Fri 19:00-07:00” or “22:00-06:00”.", WRONG_USE)


def belonging() -> Belonging:
    """How this machine belongs to a house, or out with a sentence."""
    try:
        return workspace().house.belonging()
    except ChronocastError as error:
        complain(error, NEEDS_YOU)


@station_app.callback()
def station(
    context: typer.Context,
    hub: Annotated[
        str, typer.Option(help="The hub's address, tls://host:port; the one it joined by default.")
    ] = "",
    slots: Annotated[int | None, typer.Option(help="How many tasks at once.", min=1, max=256)] = None,
    root: Shared = None,
) -> None:
    """Work for the house until ended.  It joins first: chronocast station join."""
    if context.invoked_subcommand is not None:
        return
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    update: dict[str, object] = {"hub": hub} if hub else {}
    update |= {"slots": slots} if slots else {}
    update |= {"roots": read_roots(root)} if root else {}
    own = belonging().model_copy(update=update)
    if not own.hub or not own.name:
        complain("This machine belongs to no house. Join one: chronocast station join HUB CODE", NEEDS_YOU)
    if not own.roots:
        complain(
            "No folder is shared with this station, so it could do nothing. "
            "Say which: chronocast station --root footage=/mnt/footage",
            WRONG_USE,
        )
    from chronocast.crew.house.station import Station
    from chronocast.crew.local.calibrate import calibrate
    from chronocast.crew.local.device_trials import devices_tried

    devices_tried(workspace())
    if not workspace().paces.of().calibrated:
        sys.stderr.write("Measuring this machine, once …\n")
        calibrate(workspace().paces)
    until_stopped(Station(workspace(), own).run())


@station_app.command("join")
def station_join(
    hub: Annotated[str, typer.Argument(help="Where the hub lets machines in, HOST or HOST:PORT.")],
    code: Annotated[str, typer.Argument(help="From: chronocast hub code")],
    name: Annotated[str, typer.Option(help="What this machine is called; its own name by default.")] = "",
    root: Shared = None,
) -> None:
    """Join a house: this machine gets a certificate of it, and may give work to its stations."""
    import asyncio

    from chronocast.crew.house.hub import JOIN_PORT
    from chronocast.crew.house.joining import join_house

    host, colon, port = hub.rpartition(":")
    host, number = (host, port) if colon else (hub, str(JOIN_PORT))
    if not number.isdigit():
        complain(f"“{hub}” is no address: say HOST or HOST:PORT.", WRONG_USE)
    called = name or socket.gethostname().partition(".")[0]
    before = belonging()
    roots = read_roots(root or []) or before.roots
    try:
        joined = asyncio.run(join_house(workspace().house.folder, host, int(number), code, called))
        after = before.model_copy(
            update={"name": called, "hub": f"tls://{host}:{joined.hub_port}", "roots": roots}
        )
        workspace().house.keep_belonging(after)
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    sys.stdout.write(f"This machine is “{called}” in the house of {after.hub}, as a {joined.kind}.\n")
    if not roots:
        sys.stdout.write("Say which folders it shares: chronocast station share NAME=PATH\n")


@station_app.command("leave")
def station_leave() -> None:
    """Belong to no house any more: this machine's key and certificate go."""
    workspace().house.forget()
    sys.stdout.write("This machine belongs to no house now.\n")


@station_app.command("share")
def station_share(
    root: Annotated[list[str], typer.Argument(help="NAME=PATH; NAME= to share it no more.")],
) -> None:
    """Which folders this machine shares: the same name means the same folder on every machine."""
    own = belonging()
    gone = {text[:-1] for text in root if text.endswith("=")}
    new = read_roots([text for text in root if not text.endswith("=")])
    kept = [item for item in own.roots if item.name not in gone | {one.name for one in new}]
    workspace().house.keep_belonging(own.model_copy(update={"roots": (*kept, *new)}))
    for item in (*kept, *new):
        sys.stdout.write(f"{item.name}: {item.path}\n")


@station_app.command("open")
def station_open(
    hours: Annotated[
        list[str] | None, typer.Argument(help="Like “Mon-Fri 19:00-07:00”; none for always.", metavar="HOURS")
    ] = None,
    shut: Annotated[
        list[str] | None, typer.Option(help="A date on which it isn't open.", metavar="DATE")
    ] = None,
    manner: Annotated[
        str,
        typer.Option(
            help="always; gently: gives way to whoever sits down; idle: only while nobody is at it."
        ),
    ] = "",
) -> None:
    """When this machine works for the house, from its next start."""
    from chronocast.model.calendar import Calendar

    own = belonging()
    if manner and manner not in ("always", "gently", "idle"):
        complain("Say always, gently or idle.", WRONG_USE)
    try:
        calendar = Calendar.model_validate(
            {"hours": [read_hours(text) for text in hours or ()], "shut": shut or ()}
        )
    except ValueError:
        complain("Dates are written like 2027-01-31.", WRONG_USE)
    own = own.model_copy(update={"calendar": calendar, **({"manner": manner} if manner else {})})
    workspace().house.keep_belonging(own)
    sys.stdout.write(f"It works {own.calendar.told}, {own.manner}.\n")


@station_app.command("yield")
def station_yield(
    length: Annotated[
        str, typer.Argument(help="How long, like 2h, 30m or 1h30m; off to go on at once.")
    ] = "1h",
) -> None:
    """Have this machine's station give way: what it has in hand is frozen at once, and handed back when that is long."""
    found = LENGTH.fullmatch(length.strip().lower())
    seconds = int(found[1] or 0) * 3600 + int(found[2] or 0) * 60 if found else 0
    if length != "off" and not seconds:
        complain("Say how long, like 2h, 30m or 1h30m; or off.", WRONG_USE)
    workspace().house.yield_until(time.time() + seconds if seconds else 0.0)
    sys.stdout.write(f"It gives way for {time_text(seconds)}.\n" if seconds else "It goes on.\n")


@station_app.command("encoders")
def station_encoders(
    again: Annotated[bool, typer.Option("--again", help="Try them again.")] = False, json_: Json = False
) -> None:
    """Hardware encoders as they were tried here: what each takes, or why it can't be used.

    They are tried the first time, when a library or a driver is another, and when asked.
    """
    from chronocast.crew.local.device_trials import DeviceTrials, devices_tried

    def say(name: str) -> None:
        if not json_ and sys.stderr.isatty():
            sys.stderr.write(f"\r\x1b[Ktrying {name} …")
            sys.stderr.flush()

    found = devices_tried(workspace(), again=again, trials=DeviceTrials(say))
    if not json_ and sys.stderr.isatty():
        sys.stderr.write("\r\x1b[K")
    if json_:
        put(
            {
                "version": 1,
                "when": workspace().devices.when(),
                "decoders": [tried.model_dump(mode="json") for tried in workspace().devices.decoders()],
                "encoders": [{**tried.model_dump(mode="json"), "works": tried.works} for tried in found],
            }
        )
        return
    for tried in found:
        sys.stdout.write(f"{tried.encoder:16} {tried.told}\n")
    for decoder in workspace().devices.decoders():
        sys.stdout.write(f"{'decoding by ' + decoder.family:16} {decoder.told}\n")


@station_app.command("stand-in")
def station_stand_in(state: Annotated[str, typer.Argument(help="on or off.", metavar="on|off")]) -> None:
    """Plug in a stand-in for a hardware encoder, or pull it out: to see what such a device would change."""
    from chronocast.cli.answers import WRONG_USE, complain
    from chronocast.standins.device.plugged import place, plug, pull

    path = place()
    if state not in ("on", "off"):
        complain("Say on or off.", WRONG_USE)
    if state == "on":
        plug(path)
    else:
        pull(path)
    sys.stdout.write(f"The stand-in device is {'plugged in' if state == 'on' else 'pulled out'} ({path}).\n")
