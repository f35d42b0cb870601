"""Looks at the house for whoever has no run: once, or as a small process that keeps what it hears.

The desktop starts one while it is open, and reads what it keeps; so it never
speaks to the house itself.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import sys
import time

from chronocast import __version__
from chronocast.crew.house.line import ASK_SECONDS, HubAway, HubRefused, Line, heard_now
from chronocast.journal.workspace import Workspace
from chronocast.model.errors import ChronocastError
from chronocast.model.house import House
from chronocast.preparation.station.children import die_with_parent

LOOK_SECONDS, SOON_SECONDS = 2.0, 3.0


class NoHouse(ChronocastError):
    """This machine belongs to no house."""


async def _look(line: Line, seconds: float = ASK_SECONDS) -> House:
    try:
        answer = await line.ask("house_look", seconds, version=__version__)
        return heard_now(answer["house"], line.hub)
    except (HubAway, HubRefused) as error:
        return House(hub=line.hub, known_at=time.time(), trouble=str(error))
    except (ValueError, KeyError):
        return House(hub=line.hub, known_at=time.time(), trouble=f"What {line.hub} says can't be understood.")


def look_once(workspace: Workspace, hub: str = "", seconds: float = ASK_SECONDS) -> House:
    """What the hub knows now, trouble included.

    Parameters
    ----------
    workspace
        Where this machine's house is kept.
    hub
        Its address; this machine's own hub, if not said.
    seconds
        How long it may take.

    Raises
    ------
    NoHouse
        This machine belongs to none.
    """
    where = hub or workspace.house.belonging().hub
    if not where:
        raise NoHouse(
            "This machine belongs to no house.",
            "Join one: chronocast station join HUB CODE, with a code from: chronocast hub code",
        )

    async def go() -> House:
        line = Line(where, workspace.house.folder)
        try:
            return await _look(line, seconds)
        finally:
            await line.close()

    return asyncio.run(go())


def look_if_old(workspace: Workspace, hub: str = "") -> None:
    """Have what is known of the house fresh, where this machine belongs to one: a forecast is about to count on it.

    Parameters
    ----------
    workspace
        Where it is kept.
    hub
        The hub's address; this machine's own hub, if not said.
    """
    with contextlib.suppress(ChronocastError, OSError):
        where = hub or workspace.house.belonging().hub
        if where and not workspace.house.known_now().known_at:
            workspace.house.keep_heard(look_once(workspace, where, SOON_SECONDS))


async def observe(workspace: Workspace) -> None:
    """Keep what is known of the house, every two seconds, until cancelled.

    Parameters
    ----------
    workspace
        Where it is kept.
    """
    line: Line | None = None
    while True:
        hub = workspace.house.belonging().hub
        if line is not None and line.hub != hub:
            await line.close()
            line = None
        if hub:
            try:
                line = line or Line(hub, workspace.house.folder)
                found = await _look(line)
            except ChronocastError as error:
                found = House(hub=hub, known_at=time.time(), trouble=str(error))
            with contextlib.suppress(OSError, ChronocastError):
                await asyncio.to_thread(workspace.house.keep_heard, found)
        await asyncio.sleep(LOOK_SECONDS)


def main() -> None:
    """Observe for as long as the process that started this one lives."""
    die_with_parent(int(sys.argv[1]))
    os.nice(5)
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(observe(Workspace()))


if __name__ == "__main__":
    main()
