"""The batch of a run: as it is asked for now, as it is prepared, as it is forecast."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from chronocast.forecast.learning.experience import Experience
from chronocast.journal.database import JournalError
from chronocast.journal.station.ledger import Ledger, MadeFile
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.edits import in_order, set_asked
from chronocast.model.batch.wishes import read_wish
from chronocast.model.house import Booking, Rank
from chronocast.preparation.forecast.judging import refusals
from chronocast.preparation.forecast.outlook import Outlook, outlook
from chronocast.preparation.output.output_ready import OutputReady, Prospect
from chronocast.preparation.output.prepare import prepare
from chronocast.preparation.station.load import LoadMeter
from chronocast.preparation.station.this import machine_slots, this_station
from chronocast.preparation.today import learned_from, made_record, note_needs
from chronocast.run.runner.helpers import bookings_of


@dataclass
class PreparedBatch:
    """``PreparedBatch(workspace, batch, path)``.

    Parameters
    ----------
    workspace
        What is kept of all batches.
    batch
        As it is asked for now.
    path
        Its file.
    hub
        Of the house that helps; "" for none.
    run
        What the house knows this run by; "" without one.
    rank
        How the run stands among other operators' runs.
    slots
        How many tasks this machine does at once; as many as it has, if None.
    ledger
        What was made so far; None where it can't be opened.
    prospect
        The batch, prepared.
    refused_by_cards
        Why outputs can't be what their receivers demand, by output.
    bookings
        Stations that the newest forecast counts on.
    """

    workspace: Workspace
    batch: Batch = field(default_factory=Batch)
    path: Path = field(default_factory=Path)
    hub: str = ""
    run: str = ""
    rank: Rank = "as others"
    slots: int | None = None
    ledger: Ledger | None = None
    prospect: Prospect = field(default_factory=lambda: Prospect(Batch(), Path(), Path()))
    refused_by_cards: dict[str, str] = field(default_factory=dict)
    bookings: tuple[Booking, ...] = ()
    _meter: LoadMeter | None = None

    def prepared(self, batch: Batch, progress: Callable[[int, int], None] | None = None) -> Prospect:
        """A batch prepared with the devices that this run can use.

        Parameters
        ----------
        batch
            The batch: this one, or as it was edited.
        progress
            Told for each source that was looked at.
        """
        return prepare(batch, self.path.parent, self.workspace, progress, alone=not self.hub)

    def prepare(self, progress: Callable[[int, int], None] | None = None) -> None:
        """Look at everything anew."""
        self.prospect = self.prepared(self.batch, progress)

    def made(self, ready: OutputReady) -> MadeFile | None:
        """The record of the very same file, if it is where it was and unchanged since it was proved."""
        return made_record(ready, self.ledger) if self.ledger else None

    def outlook(self, made: dict[str, int]) -> Outlook:
        """The forecast of what is left, from the stock, the ledger and the pace.

        Parameters
        ----------
        made
            Bytes of the files that are finished, by output.
        """
        known = Experience()
        with contextlib.suppress(JournalError):
            films = {item.film for item in self.prospect.outputs}
            known = learned_from(self.ledger, films) if self.ledger else known
        self._meter = self._meter or LoadMeter(self.slots or machine_slots())
        station = this_station(self.workspace, self.slots, self._meter.read(), run=self.run, rank=self.rank)
        view = outlook(self.prospect, self.workspace.stock, station, known, made)
        self.bookings = bookings_of(view, self.run, self.batch.title, self.rank)
        return view

    def judge(self, view: Outlook) -> None:
        """Remember which outputs can't be what their receivers demand."""
        self.refused_by_cards = refusals(view.judged)

    def needed(self, proved: frozenset[str] = frozenset()) -> None:
        """Have the stock know what outputs wait for that aren't proved."""
        waiting = [item for item in self.prospect.outputs if item.output.id not in proved]
        note_needs(self.path, waiting, self.workspace)

    # What operators change while the run goes on

    def why_not(self, identifier: str, prospect: Prospect) -> str:
        """Why an output can't be prepared, in a sentence with what to do.

        Parameters
        ----------
        identifier
            The output's.
        prospect
            The batch, prepared.
        """
        output = prospect.batch.output(identifier)
        source = output.source if output else ""
        blocking = (problem for problem in prospect.problems if problem.blocks and problem.source == source)
        found = next((problem for problem in blocking if problem.output in ("", identifier)), None)
        found = prospect.refused.get(identifier, found)
        return f"{found.sentence} {found.remedy}".strip() if found else "It can't be prepared."

    def reorder(self, outputs: tuple[str, ...]) -> None:
        """From now on outputs are made in the operator's order, with these first; forecasts go by it as well."""
        self.batch = in_order(self.batch, outputs).model_copy(update={"wish": "order"})
        place = {output.id: number for number, output in enumerate(self.batch.outputs)}
        self.prospect.outputs.sort(key=lambda item: place[item.output.id])
        self.prospect.batch = self.batch

    def wish(self, wish: str) -> None:
        """Plan by another wish; the next forecast's plan is by it."""
        self.batch = set_asked(self.batch, wish=read_wish(wish))
        self.prospect.batch = self.batch

    def replace(self, ready: OutputReady) -> None:
        """Take an output as it was planned anew."""
        self.prospect.outputs = [
            ready if item.output.id == ready.output.id else item for item in self.prospect.outputs
        ]
