"""A batch as things stand on this machine: its media, the stock, the ledger, the pace."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable, Collection, Iterable
from dataclasses import replace
from pathlib import Path

from chronocast.deliver.place import measured
from chronocast.forecast.learning.conformal import Widths, width_factor
from chronocast.forecast.learning.experience import Experience, learn_from
from chronocast.forecast.station import Load, Station
from chronocast.journal.batches.batch_key import batch_key
from chronocast.journal.station.ledger import Ledger, MadeFile
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import Batch
from chronocast.model.errors import ChronocastError, ModelError
from chronocast.model.paths import path_text
from chronocast.model.recipe.recipe import Recipe
from chronocast.preparation.asked.backwards import Circumstances
from chronocast.preparation.forecast.judging import card_problems
from chronocast.preparation.forecast.outlook import Outlook, outlook
from chronocast.preparation.output.output_ready import OutputReady, Prospect
from chronocast.preparation.output.prepare import prepare
from chronocast.preparation.station.this import this_station


def prepared(
    batch: Batch,
    path: Path,
    workspace: Workspace,
    progress: Callable[[int, int], None] | None = None,
    before: Prospect | None = None,
) -> Prospect:
    """The batch made ready, with what the workspace keeps.

    Parameters
    ----------
    batch
        The batch.
    path
        The batch's file.
    workspace
        What is kept of all batches.
    progress
        Told now and then how far it is.
    before
        The batch as it was prepared last.
    """
    found = prepare(batch, path.absolute().parent, workspace, progress, before=before)
    found.path = path.absolute()
    return found


def made_record(item: OutputReady, ledger: Ledger) -> MadeFile | None:
    """The ledger's record of the very same file, if it is where it was and unchanged since it was proved."""
    try:
        size, changed = measured(item.path)
    except OSError:
        return None
    made = ledger.made(path_text(item.path))
    if made is None or (made.digest, made.bytes, made.mtime_ns) != (item.digest, size, changed):
        return None
    return made


def what_is_made(outputs: list[OutputReady], workspace: Workspace) -> dict[str, int]:
    """Bytes of the outputs that are made already."""
    present = [item for item in outputs if item.path.exists()]
    if not present:
        return {}
    with contextlib.suppress(ChronocastError), workspace.ledger() as ledger:
        return {item.output.id: made.bytes for item in present if (made := made_record(item, ledger))}
    return {}


def learned_from(ledger: Ledger, films: Collection[str] = ()) -> Experience:
    """What an open ledger has taught: of pieces, and of how wide bands have to be.

    Parameters
    ----------
    ledger
        The ledger.
    films
        What is shown by the outputs that are asked about.
    """
    told = ledger.outcomes()
    widths = Widths(width_factor(told["bytes"]), width_factor(told["cpu_seconds"]))
    return replace(learn_from(ledger.pieces(films), time.time()), widths=widths)


def _from_ledger(workspace: Workspace, films: Collection[str]) -> Experience:
    from chronocast.journal.database import DamagedDatabase

    try:
        with workspace.ledger() as ledger:
            return learned_from(ledger, films)
    except DamagedDatabase:  # found only while it was read
        rescued = workspace.rescue_ledger()
        found = learned_from(rescued, films)
        rescued.close()
        return found


def learned(workspace: Workspace, films: Collection[str] = ()) -> Experience:
    """What the ledger has taught so far.

    Parameters
    ----------
    workspace
        What is kept of all batches.
    films
        What is shown by the outputs that are asked about.
    """
    if workspace.has_ledger:
        with contextlib.suppress(ChronocastError):
            return _from_ledger(workspace, films)
    return Experience()


def made_lately(workspace: Workspace) -> list[MadeFile]:
    """The newest proved files, the newest first; none where the ledger can't be read."""
    if workspace.has_ledger:
        with contextlib.suppress(ChronocastError), workspace.ledger() as ledger:
            return ledger.newest_made()
    return []


def circumstances(prospect: Prospect, workspace: Workspace, load: Load | None = None) -> Circumstances:
    """What answers about a prepared batch rest on.

    Parameters
    ----------
    prospect
        The batch made ready.
    workspace
        What is kept of all batches.
    load
        What others take of the machine now.
    """
    known = learned(workspace, {item.film for item in prospect.outputs})
    return Circumstances(workspace.stock, station_for(prospect, workspace, load), known)


def station_for(prospect: Prospect, workspace: Workspace, load: Load | None = None) -> Station:
    """This machine and its helpers as a batch finds them: what its own run has booked isn't others' work.

    Parameters
    ----------
    prospect
        The batch made ready.
    workspace
        What is kept of all batches.
    load
        What others take of the machine now.
    """
    return this_station(workspace, load=load, run=batch_key(prospect.path) if prospect.path else None)


def outlook_now(
    prospect: Prospect, workspace: Workspace, experienced: Experience | None = None, load: Load | None = None
) -> Outlook:
    """The forecast of a prepared batch at this moment; ``load`` is what others take of the machine.

    Parameters
    ----------
    prospect
        The batch made ready.
    workspace
        What is kept of all batches.
    experienced
        What the ledger has taught, where that was read already.
    load
        What others take of the machine now.
    """
    view = outlook(
        prospect,
        workspace.stock,
        station_for(prospect, workspace, load),
        experienced
        if experienced is not None
        else learned(workspace, {item.film for item in prospect.outputs}),
        what_is_made(prospect.outputs, workspace),
    )
    made = {item.ready.output.id for item in view.outputs if item.made}
    waiting = (ready for ready in prospect.outputs if ready.output.id not in made)
    note_needs(prospect.path, waiting, workspace)
    return replace(view, problems=(*view.problems, *card_problems(view.judged)))


def note_needs(batch: Path | None, waiting: Iterable[OutputReady], workspace: Workspace) -> None:
    """Remember which pieces outputs of a batch wait for, so that none of them is tidied away.

    Parameters
    ----------
    batch
        The batch's file; nothing is remembered of one that has none.
    waiting
        Its outputs that aren't made.
    workspace
        What is kept of all batches.
    """
    if batch is None:
        return
    plans = [ready.plan for ready in waiting]
    names = {piece.name for plan in plans for piece in plan.pieces}
    names |= {plan.sound.name for plan in plans if plan.sound}
    with contextlib.suppress(ChronocastError):  # a folder that can't be written is told elsewhere
        workspace.needs.note(batch, names)


def recipe_of(path: Path, workspace: Workspace) -> Recipe:
    """The exact recipe that made a finished file, from the record that was kept of it.

    Raises
    ------
    ChronocastError
        Nothing is known of it, or the file isn't the one that was made.
    """
    path = path.absolute()
    with workspace.ledger() as ledger:
        made = ledger.made(path_text(path))
    if made is None or not made.recipe:
        raise ModelError(
            f"There is no record of how {path} was made.", "It was made elsewhere, or moved since."
        )
    try:
        same = measured(path) == (made.bytes, made.mtime_ns)
    except OSError:
        raise ModelError(f"{path} is missing.", "Put it back.") from None
    if not same:
        raise ModelError(
            f"{path} is not the file that was made: it was changed since.", "Choose an untouched file."
        )
    return Recipe.model_validate(made.recipe)
