"""``station``: what this machine can do in hardware, tried and not guessed."""

from __future__ import annotations

import sys
from typing import Annotated

import typer

from chronocast.cli.answers import Json, put, workspace

station_app = typer.Typer(help="This machine as a station.", no_args_is_help=True)


@station_app.command("encoders")
def station_encoders(
    again: Annotated[bool, typer.Option("--again", help="Try them again.")] = False, json_: Json = False
) -> None:
    """Hardware encoders as they were tried here: what each takes, or why it can't be used.

    They are tried the first time, when a library or a driver is another, and when asked.
    """
    from chronocast.crew.local.device_trials import devices_tried

    def say(name: str) -> None:
        if not json_ and sys.stderr.isatty():
            sys.stderr.write(f"\r\x1b[Ktrying {name} …")
            sys.stderr.flush()

    found = devices_tried(workspace(), again=again, say=say)
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
