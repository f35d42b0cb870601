"""What is open: a batch's file, its history, its forecast, its run.  Plain Python: no widgets, no signals, no threads."""

from __future__ import annotations

import threading
from pathlib import Path

from chronocast.journal.documents import BATCH_ENDING, BatchFile, ChangedOnDisk
from chronocast.journal.places import data_folder
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.edits import History, add_recipe, merge_sources
from chronocast.model.batch.readable import see_readable
from chronocast.model.recipe.supplied import BASIC
from chronocast.preparation.asked.answers import Asked
from chronocast.preparation.forecast.first_figures import FirstFigures
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.output.output_ready import Prospect
from chronocast.run.view import RunView


def new_batch() -> Batch:
    """A batch with nothing in it but the supplied recipes."""
    batch = Batch()
    for recipe in BASIC:
        batch = add_recipe(batch, recipe)
    return batch


def untitled_path() -> Path:
    """Where a new batch is kept until it is given a place."""
    folder = data_folder() / "batches"
    number = 1
    while (folder / f"untitled-{number}{BATCH_ENDING}").exists():
        number += 1
    return folder / f"untitled-{number}{BATCH_ENDING}"


class Desk:
    """``Desk(path, workspace)``: opens a batch, or begins a new one (``path`` None).

    ``view`` is the newest forecast of the batch, ``before`` the one before
    the last edit; ``figures`` what is known of a large batch's files until its first forecast is there; ``asked`` whether it keeps what it is asked to keep; ``prospect`` what the forecast was made of; ``run`` the run
    of the batch, if it has one, read from ``journal``; ``busy`` a sentence
    while something is waited for; ``careful`` whether pictures of its media
    are left out, since a window died of them; ``conflict`` whether somebody else has
    written the file since.

    Raises
    ------
    ChronocastError
        The batch can't be read.
    """

    def __init__(self, path: Path | None, workspace: Workspace | None = None) -> None:
        self.workspace = workspace or Workspace()
        self.file = BatchFile(path.absolute() if path else untitled_path(), new=path is None)
        self.history = History(self.file.load() if path else new_batch())
        self.conflict = False
        self.prospect: Prospect | None = None
        self.view: Outlook | None = None
        self.asked: Asked | None = None
        self.before: Outlook | None = None
        self.figures: FirstFigures | None = None
        self.run: RunView | None = None
        self.journal: Path | None = None
        self.busy = ""
        self.careful = False
        self._saving = threading.Lock()
        self._saved: Batch | None = self.history.now if path else None

    @property
    def batch(self) -> Batch:
        """The batch as it is now."""
        return self.history.now

    @property
    def title(self) -> str:
        """What the batch is called."""
        return self.batch.title

    @property
    def path(self) -> Path:
        """The batch's file."""
        return self.file.path

    @property
    def untitled(self) -> bool:
        """Whether nobody has said yet where its file is."""
        return self.path.parent == untitled_path().parent and self.path.name.startswith("untitled-")

    @property
    def conditions(self) -> frozenset[str]:
        """What holds now, of the conditions in the table of commands."""
        can = {"can undo": bool(self.history.before), "can redo": bool(self.history.after)}
        return frozenset(name for name, holds in can.items() if holds)

    # Edits

    def edit(self, what: str, batch: Batch) -> bool:
        """Take an edit into the history; whether it changed anything.

        Raises
        ------
        ModelError
            Its file could not be read again: nothing was changed.
        """
        see_readable(batch, self.batch)
        if not self.history.do(what, batch):
            return False
        self.before = self.view.without_plan() if self.view is not None else None
        return True

    def undo(self) -> str:
        """Go back one edit; which, if there was one.  What it changes is not compared."""
        what = self.history.undo()
        if what:
            self.before = None
        return what or ""

    def redo(self) -> str:
        """Do it again; what, if there was anything."""
        what = self.history.redo()
        if what:
            self.before = None
        return what or ""

    def remember(self, history: History) -> None:
        """Take the steps that led to this batch before its file was moved, if they did."""
        if history.now == self.batch:
            self.history = history

    def bring_in(self, gathered: Batch) -> list[str]:
        """Take the sources of a batch that isn't here yet; the new sources' ids, an edit if there are any."""
        merged, new = merge_sources(self.batch, gathered.sources)
        self.edit(f"bring in {len(new)} source{'s' if len(new) != 1 else ''}", merged)
        return new

    # The file

    def save(self) -> None:
        """Write the newest state; never an older one over a newer, however threads run.

        Raises
        ------
        ChangedOnDisk
            Somebody else has written the file; theirs stands until a person decides.
        DocumentError
            It can't be written.
        """
        with self._saving:
            batch = self.batch
            if batch == self._saved:
                return
            if self._saved is None and not self.file.revision:  # new: a name that nobody has taken since
                while self.file.path.exists():
                    self.file.path = untitled_path()
            try:
                self.file.save(batch)
            except ChangedOnDisk:
                self.conflict = True
                raise
            self._saved = batch

    def look_at_file(self) -> None:
        """See whether somebody else has written the file."""
        with self._saving:
            self.conflict = self.file.changed

    def read_theirs(self) -> Batch:
        """The batch as it is on disk, which is what is saved from now on."""
        with self._saving:
            self._saved = theirs = self.file.load()
        self.conflict = False
        return theirs

    def write_mine(self) -> None:
        """Write the batch as it is here over the one on disk."""
        with self._saving:
            batch = self.batch
            self.file.save(batch, over_theirs=True)
            self._saved = batch
        self.conflict = False

    # The run

    @property
    def going(self) -> bool:
        """Whether a run of this batch is going on."""
        return self.run is not None and self.run.lives and not self.run.outcome

    def not_in_run(self) -> list[str]:
        """Outputs that are asked for but are not in the run that goes on, or were changed since it began."""
        return self.run.lacks(self.batch) if self.run is not None else []
