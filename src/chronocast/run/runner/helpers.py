"""Who helps with a run: this machine alone, or the house that it belongs to as well."""

from __future__ import annotations

import contextlib
import logging

from chronocast.crew.contract import Crew
from chronocast.crew.local.crew import LocalCrew
from chronocast.journal.database import JournalError
from chronocast.journal.runs import RunJournal
from chronocast.journal.workspace import Workspace
from chronocast.model.errors import ChronocastError
from chronocast.model.house import House

log = logging.getLogger("chronocast.runner")


def crew_with_house(own: LocalCrew, hub: str, journal: RunJournal, workspace: Workspace) -> Crew:
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
    """
    if not hub:
        return own
    # its libraries take a second to import
    from chronocast.crew.house.house_crew import HouseCrew
    from chronocast.crew.house.line import Line

    told = ""

    def hear(house: House) -> None:
        nonlocal told
        with contextlib.suppress(OSError, ChronocastError):
            workspace.house.keep_heard(house)
        if house.trouble != told:
            told = house.trouble
            sentence = f"{told} This machine goes on alone." if told else "The house is there again."
            with contextlib.suppress(JournalError):
                journal.append("house", {"sentence": sentence})

    try:
        line = Line(hub, workspace.house.folder)
        roots = workspace.house.belonging().roots
    except ChronocastError as error:
        hear(House(hub=hub, trouble=str(error)))
        return own
    return HouseCrew(own, line, roots, journal.path.stem, hear)
