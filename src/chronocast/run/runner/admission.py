"""How outputs come into a run: what of each there is already, and why one can't be made."""

from __future__ import annotations

import asyncio
import os
from collections.abc import Awaitable, Callable, Mapping

from chronocast.deliver.place import FolderGone, PlaceError
from chronocast.journal.batches.runs import RunJournal
from chronocast.model.frozen import FrozenModel
from chronocast.model.house import Rank
from chronocast.preparation.output.output_ready import OutputReady, Prospect
from chronocast.run import events as e
from chronocast.run.runner.folders import Folders
from chronocast.run.runner.hand.in_hand import InHand
from chronocast.run.runner.jobs import Jobs
from chronocast.run.runner.prepared_batch import PreparedBatch
from chronocast.run.runner.results import Results


class Options(FrozenModel):
    """How a run was asked for.  ``any_room``: fill drives to the last byte, too; ``hub``: of the house that helps.

    ``rank`` is how it stands among other operators' runs.
    """

    replace: bool = False
    any_room: bool = False
    space_wait_seconds: float = 0.0
    slots: int | None = None
    hub: str = ""
    rank: Rank = "as others"


class Admission:
    """Brings outputs into a run; ``unready`` are those that can't be made, each with why.

    Parameters
    ----------
    work
        The batch made ready.
    in_hand
        What the run has in hand.
    folders
        Where its files are written.
    jobs
        What its tasks are.
    results
        What has come of them.
    journal
        What is said.
    options
        How the run was asked for.
    step
        Tells the state machine.
    sessions
        The kinds of devices that are there, with how many encodes each takes at once.
    """

    def __init__(
        self,
        work: PreparedBatch,
        in_hand: InHand,
        folders: Folders,
        *,
        jobs: Jobs,
        results: Results,
        journal: RunJournal,
        options: Options,
        step: Callable[[e.Event], Awaitable[None]],
        sessions: Callable[[], Mapping[str, int]],
    ) -> None:
        self.options = options
        self.unready: dict[str, str] = {}
        self._work, self._in_hand, self._folders = work, in_hand, folders
        self._jobs, self._results, self._journal = jobs, results, journal
        self._step, self._sessions = step, sessions

    async def admit(self, identifier: str, prospect: Prospect, amended: bool = False) -> None:
        """Bring an output into the run, or say why it can't be.

        Parameters
        ----------
        identifier
            The output's.
        prospect
            The batch made ready.
        amended
            Whether the run has it already, as it was.
        """
        output = prospect.batch.output(identifier)
        assert output is not None
        ready = prospect.output(identifier)
        if ready is None:
            self._unready(identifier, self._work.why_not(identifier, prospect))
            return
        made = self._work.made(ready)
        if not made and (refusal := self._work.refused_by_cards.get(identifier)):
            self._unready(identifier, refusal)
            return
        try:
            await asyncio.to_thread(self._folders.remember, ready)
        except FolderGone:
            pass  # its pieces can be made meanwhile; its join waits for the folder
        except PlaceError as error:
            self._unready(identifier, str(error))
            return
        if not made and not self.options.replace and os.path.lexists(ready.path):
            self._unready(
                identifier,
                f"{ready.path} is there already and was not touched. Rename or move it, choose another folder, "
                "or allow files of the same name to be replaced.",
            )
            return
        if (alone := self._kept_elsewhere(ready)) and not made:
            self._unready(identifier, alone)
            return
        if ready.device and not made and not self._has_device(ready.device):
            self._unready(identifier, f"{ready.device} was plugged in after this run began. Begin it again.")
            return
        self.unready.pop(identifier, None)
        self._in_hand.ready[identifier] = ready
        plan = ready.plan
        self._jobs.know(ready)
        spec, kept = self._jobs.spec(ready, output.held)
        self._journal.append(
            "output ready",
            {
                "id": identifier,
                "path": str(ready.path),
                "drive": self._folders.drive_of(ready),
                "frames": plan.frames,
                "pieces": len(plan.pieces),
                "kept": sum(1 for piece in plan.pieces if piece.name in kept),
                "map": self._jobs.piece_map(ready, kept),
                "rate": str(plan.rate),
                "width": plan.width,
                "height": plan.height,
                "title": ready.source.title,
                "range": ready.range_name,
                "extent": ready.extent.text,
                "recipe": ready.recipe.title,
                "made": bool(made),
            },
        )
        if made:
            self._results.checks[identifier] = made.checks
            self._journal.append(
                "made",
                {
                    "id": identifier,
                    "path": str(ready.path),
                    "bytes": made.bytes,
                    "seconds": made.seconds,
                    "again": True,
                    "cpu_seconds": made.cpu_seconds,
                    "checks": made.checks,
                    "forecast": made.forecast,
                },
            )
        await self._step(e.Amended(spec, kept) if amended else e.Added(spec, kept, proved=bool(made)))

    def _kept_elsewhere(self, ready: OutputReady) -> str:
        """Why nobody of this run may do an output, in a sentence; "" where somebody may."""
        wanted = ready.output.stations
        if not wanted or self.options.hub:
            return ""
        return (
            f"It is kept to {' and '.join(wanted)}, and this machine renders alone. Render it with the house, or let "
            "any station do it."
        )

    def _has_device(self, family: str) -> bool:
        """Whether a kind of device can be used by this run, as far as it is known: a station of the house may come yet."""
        there = any(tried.family == family and tried.at for tried in self._work.prospect.devices)
        return there or bool(self._sessions().get(family))

    def _unready(self, identifier: str, sentence: str) -> None:
        self.unready[identifier] = sentence
        self._journal.append("output", {"id": identifier, "state": "needs you", "reason": sentence})
