"""Who helps with a run: this machine alone, or the house that it belongs to as well."""

from __future__ import annotations

import contextlib
import logging
import time
from collections.abc import Callable, Sequence
from datetime import datetime

from chronocast.crew.contract import Crew
from chronocast.crew.local.crew import LocalCrew
from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.database import JournalError
from chronocast.journal.workspace import Workspace
from chronocast.model.device import TriedEncoder
from chronocast.model.errors import ChronocastError
from chronocast.model.house import Booking, House, Rank
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.station.attendance import AttendanceBook
from chronocast.preparation.station.helpers import pace_of
from chronocast.preparation.station.this import unshared_told
from chronocast.run.events import Guided, TaskShare

log = logging.getLogger("chronocast.runner")

KEPT_EVERY = 60.0
"""How stations are there is kept so often, in seconds, and whenever one comes or goes."""


def run_id(journal: RunJournal) -> str:
    """What a run is called in a house: no other is called so."""
    return f"{journal.path.parent.name} {journal.path.stem}"


def bookings_of(view: Outlook, run: str, title: str, rank: Rank = "as others") -> tuple[Booking, ...]:
    """What a run will ask of the house's other stations, by its forecast.

    Parameters
    ----------
    view
        The forecast.
    run
        The run's id.
    title
        Of its batch, for people.
    rank
        How it stands among other operators' runs.
    """
    seconds: dict[str, float] = {}
    names = {helper.id for helper in view.station.helpers}
    for span in view.spans:
        if span.station in names:
            seconds[span.station] = seconds.get(span.station, 0.0) + span.end - span.begin
    return tuple(
        Booking(run=run, station=name, seconds=took, title=title, rank=rank) for name, took in seconds.items()
    )


def plan_of(view: Outlook) -> Guided | None:
    """The plan of a forecast, as the machine follows it; None where there is nothing to choose.

    Parameters
    ----------
    view
        The forecast.
    """
    placement, station = view.placement, view.station
    if not view.outputs or (not station.helpers and placement.wish == "order"):
        return None
    quickest = sorted(
        [(station.pace.encode * station.load.stretch, station.id)]
        + [(helper.pace.encode * helper.load.stretch, helper.id) for helper in station.helpers]
    )
    shares = tuple(
        TaskShare(share.output, share.of == "part", share.station, share.tasks) for share in placement.shares
    )
    order = placement.order if placement.wish != "order" else ()
    return Guided(
        order,
        tuple(name for _, name in quickest),
        shares if station.helpers else (),
        placement.guide.finale,
        placement.guide.parts,
    )


def crew_with_house(
    own: LocalCrew,
    hub: str,
    journal: RunJournal,
    workspace: Workspace,
    *,
    booked: Callable[[], tuple[Booking, ...]] = tuple,
    devices: Sequence[TriedEncoder] = (),
    rank: Rank = "as others",
) -> Crew:
    """This machine's crew, with the house's stations where there is a hub; one that can't be joined is told of.

    Parameters
    ----------
    own
        This machine's.
    hub
        The hub's address; "" for none.
    journal
        Where it is told what is wrong with the house.
    workspace
        Where what is heard of it is kept.
    booked
        Gives what the run has placed on its stations.
    devices
        Hardware encoders that the run counts on, the house's included.
    rank
        How it stands among other operators' runs.
    """
    if not hub:
        return own
    # its libraries take a second to import
    from chronocast.crew.house.house_crew import HouseCrew
    from chronocast.crew.house.line import Line

    told, unshared = "", unshared_told(workspace)
    book, kept_at = AttendanceBook(workspace.house.attendance()), time.monotonic()

    def hear(house: House) -> None:
        nonlocal told, kept_at
        now = time.monotonic()
        if house.trouble:
            book.pause()
        elif book.hear([station.name for station in house.stations], now) or now - kept_at > KEPT_EVERY:
            kept_at = now
            with contextlib.suppress(OSError, ChronocastError):
                workspace.house.keep_attendance(book.found)
        with contextlib.suppress(OSError, ChronocastError):
            workspace.house.keep_heard(house)
            keep_paces(house, workspace)
        trouble = house.trouble or unshared
        if trouble != told:
            told = trouble
            sentence = f"{told} This machine goes on alone." if told else "The house is there again."
            with contextlib.suppress(JournalError):
                journal.append("house", {"sentence": sentence})

    try:
        line = Line(hub, workspace.house.folder)
        roots = workspace.house.belonging().roots
    except ChronocastError as error:
        hear(House(hub=hub, trouble=str(error)))
        return own
    drivers = {tried.family: tried.driver for tried in devices if tried.works}
    return HouseCrew(own, line, roots, run_id(journal), hear=hear, booked=booked, drivers=drivers, rank=rank)


def hear_first(hub: str, workspace: Workspace) -> None:
    """Know the house before anything is promised.

    Parameters
    ----------
    hub
        The hub's address; "" for no house.
    workspace
        Where it is kept.
    """
    if hub:
        from chronocast.crew.house.observer import look_if_old

        look_if_old(workspace, hub)


def keep_paces(house: House, workspace: Workspace) -> None:
    """Keep the paces that stations told: what they do is learned against them.

    Parameters
    ----------
    house
        What was heard.
    workspace
        Where they are kept.
    """
    for told in house.stations:
        if told.pace and workspace.paces.of(told.name) != (pace := pace_of(told)):
            when = datetime.now().astimezone().isoformat(timespec="seconds")
            workspace.paces.keep(pace, measured=when, machine="as it told the house", station=told.name)


def own_error(error: BaseException, doing: str) -> str:
    """An error of our own as a sentence: what was being done, what came in the way, where the detail is."""
    return f"The runner failed at {doing} ({type(error).__name__}: {error}). Its log has the detail."
