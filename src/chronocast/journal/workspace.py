"""The workspace: what one process keeps of all batches and runs, and where."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from chronocast.journal.batches.needs import NeedsStore
from chronocast.journal.batches.rounds_store import RoundsStore
from chronocast.journal.films.facts import FactsStore
from chronocast.journal.films.proxies import ProxyStore
from chronocast.journal.library import Library
from chronocast.journal.places import config_folder, data_folder, state_folder
from chronocast.journal.settings import Kept, kept_place
from chronocast.journal.station.devices import DeviceStore
from chronocast.journal.station.house import HouseStore
from chronocast.journal.station.paces import PaceStore
from chronocast.pieces.stock import Stock

if TYPE_CHECKING:
    from chronocast.journal.station.ledger import Ledger


class Workspace:
    """``Workspace()``: made once in a process, and handed to whoever needs it.

    ``stock`` are finished pieces, ``facts`` what is known of media (with the
    sources that were made ready of them), ``rounds`` what was decided for
    outputs, ``needs`` what outputs wait for, ``proxies`` small copies of
    films for looking at, ``paces`` how fast stations are, ``devices`` which hardware encoders were found, ``library`` saved recipes and
    receiver cards, ``house`` how this machine belongs to a house.  ``kept_trouble`` is a sentence where pieces aren't kept where they should be.  What it has looked at stays looked at from forecast to
    forecast.
    """

    def __init__(
        self, data: Path | None = None, state: Path | None = None, config: Path | None = None
    ) -> None:
        self.data = data or data_folder()
        self.state = state or state_folder()
        kept = kept_place() if self.data == data_folder() else Kept(self.data)
        self.kept_trouble = kept.trouble
        self.stock = Stock(kept.folder / "stock")
        self.facts = FactsStore(self.data / "facts")
        self.rounds = RoundsStore(self.data / "rounds")
        # whoever shares the stock must know what the others' outputs wait for
        shared = kept.folder != self.data
        self.needs = NeedsStore((kept.folder if shared else self.state) / "needs")
        self.proxies = ProxyStore(kept.folder / "proxies")
        self.paces = PaceStore(self.data / "pace.json")
        self.devices = DeviceStore(self.data / "devices.json")
        self.library = Library(config or config_folder())
        self.house = HouseStore(config or config_folder(), self.state)

    @property
    def slots_folder(self) -> Path:
        """Where all runs on this machine share its slots by locks."""
        return self.state / "slots"

    @property
    def child_log(self) -> Path:
        """What this machine's children did, a line each."""
        return self.state / "children.log"

    def open_ledger(self) -> Ledger:
        """The ledger, for whoever writes to it; to be closed.

        Raises
        ------
        JournalError
            It can't be opened.
        """
        # their library takes a third of a second to import
        from chronocast.journal.database import DamagedDatabase
        from chronocast.journal.station.ledger import Ledger

        path = self.data / "ledger.sqlite"
        try:
            return Ledger(path)
        except DamagedDatabase:
            return self.rescue_ledger()

    def rescue_ledger(self) -> Ledger:
        """A ledger written anew from the journals of runs, the damaged one moved aside.

        Raises
        ------
        JournalError
            It can't be moved or written.
        """
        from chronocast.journal.station.ledger_rescue import rescue_ledger

        return rescue_ledger(self.data / "ledger.sqlite", self.state)

    @contextlib.contextmanager
    def ledger(self) -> Iterator[Ledger]:
        """The ledger, for a moment.

        Raises
        ------
        JournalError
            It can't be opened.
        """
        ledger = self.open_ledger()
        try:
            yield ledger
        finally:
            ledger.close()

    @property
    def has_ledger(self) -> bool:
        """Whether anything was ever written to the ledger."""
        return (self.data / "ledger.sqlite").exists()
