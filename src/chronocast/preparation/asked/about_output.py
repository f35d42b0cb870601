"""What can be asked about one output alone, or several: other ways to make it, the least that looks right, the most that is across a line."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from chronocast.model.batch.batch import Batch
from chronocast.preparation.asked.backwards import Circumstances, RateAnswer, can_be_rated, rate_across_by
from chronocast.preparation.asked.candidates import Candidate, candidates
from chronocast.preparation.asked.floor import FloorAnswer, least_for_floor
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.output.why_nothing_kept import why_nothing_kept

if TYPE_CHECKING:  # its library takes long to import
    from chronocast.journal.station.ledger import MadeFile


@dataclass(frozen=True)
class OutputAnswers:
    """Answers about one output.

    Parameters
    ----------
    ways
        Ways to make it, the present one first.
    across
        The largest rate that is made, proved and across the line in time; None where that isn't asked.
    floor
        The least that keeps the floor of quality; None where that isn't asked.
    nothing_kept
        Why none of its pieces is in the stock, in words; "" where some are, or nothing was made of its source.
    several
        The outputs that the ways are of, where they are of several.
    """

    ways: tuple[Candidate, ...] = ()
    across: RateAnswer | None = None
    floor: FloorAnswer | None = None
    nothing_kept: str = ""
    several: tuple[str, ...] = ()

    @property
    def short(self) -> tuple[str, ...]:
        """The answers that are no ways, in a few words each."""
        found = []
        if self.floor is not None:
            found.append(self.floor.short)
        if self.across is not None and self.across.bits:
            at_most = " at most" if self.across.rate != "any rate" else ""
            found.append(f"{self.across.rate}{at_most} is across the line in time")
        elif self.across is not None:
            found.append("no rate is across the line in time")
        if self.nothing_kept:
            found.append(f"nothing is kept: {self.nothing_kept}")
        return tuple(found)

    @property
    def lines(self) -> tuple[tuple[str, str], ...]:
        """The answers that are no ways: a name and a sentence each."""
        found = []
        if self.floor is not None:
            found.append(("least", self.floor.told))
        if self.across is not None:
            found.append(("line", self.across.told_across))
        if self.nothing_kept:
            found.append(("kept", f"nothing is kept: {self.nothing_kept}"))
        return tuple(found)


def answers_about(
    ready: OutputReady, batch: Batch, view: Outlook, now: Circumstances, made: Sequence[MadeFile] = ()
) -> OutputAnswers:
    """Answers about one output of a batch.

    Parameters
    ----------
    ready
        The output, planned.
    batch
        The batch: its line, its time, its floor of quality.
    view
        Its forecast.
    now
        What answers rest on.
    made
        Files that were made, the newest first.
    """
    across = None
    if batch.wanted is not None and batch.line and can_be_rated(ready.recipe):
        wanted = batch.wanted if batch.wanted.tzinfo else batch.wanted.replace(tzinfo=view.at.tzinfo)
        across = rate_across_by(ready, batch.line, (wanted - view.at).total_seconds(), now)
    floor = least_for_floor(ready, batch.look_floor, now) if batch.look_floor else None
    item = view.output(ready.output.id)
    none = item is not None and not item.made and not item.pieces_kept and not item.copied_names
    why = why_nothing_kept(ready, made) if none and ready.plan.pieces else ""
    return OutputAnswers(candidates(ready, now.stock, now.station, now.learned), across, floor, why)
