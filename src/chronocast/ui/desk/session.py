"""One batch on the desk: its file, its history, its forecast, its run.  No widgets."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from chronocast.journal.documents import BATCH_ENDING, BatchFile, ChangedOnDisk
from chronocast.journal.places import data_folder
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.changes import batch_changes
from chronocast.model.batch.edits import History, add_recipe, add_source, fill, in_order
from chronocast.model.recipe.supplied import BASIC
from chronocast.preparation.outlook import Outlook
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.recut import Recut, Relinked, changed_sources, compare, search_in, take
from chronocast.preparation.source.gather import gather
from chronocast.run.view import RunView
from chronocast.ui.desk.workers import FileWatcher, Follower, Forecaster, errand

log = logging.getLogger(__name__)
AGAIN_MS = 10 * 60_000
"""How long after a busy minute this machine is measured again."""


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


class Session(QObject):
    """``Session(path)``: opens a batch, or begins a new one.

    ``changed`` when anything on screen may have; ``trouble`` with a sentence;
    ``run_seen`` when the run has moved.
    """

    changed = pyqtSignal()
    trouble = pyqtSignal(str)
    notice = pyqtSignal(str)
    edited = pyqtSignal()
    run_seen = pyqtSignal()
    run_begun = pyqtSignal()
    rate_wanted = pyqtSignal(list)
    previewed = pyqtSignal(object, object, object)
    gathered = pyqtSignal(list)
    conflict_seen = pyqtSignal(bool)
    room_asked = pyqtSignal(str, bool)

    def __init__(
        self, path: Path | None, parent: QObject | None = None, workspace: Workspace | None = None
    ) -> None:
        super().__init__(parent)
        self.workspace = workspace or Workspace()
        self.file = BatchFile(path.absolute() if path else untitled_path(), new=path is None)
        self.history = History(self.file.load() if path else new_batch())
        self.conflict = False
        self.prospect: Prospect | None = None
        self.view: Outlook | None = None
        self.before: Outlook | None = None
        self.run: RunView | None = None
        self.journal: Path | None = None
        self.busy = ""
        self._preview: Batch | None = None
        self._measuring: Any = None
        self._closed = False
        self._saving = threading.Lock()
        self._saved: Batch | None = self.history.now if path else None
        self._forecaster = Forecaster(self.workspace, self)
        self._forecaster.forecast.connect(self._forecast)
        self._forecaster.looking.connect(self._looking)
        self._forecaster.failed.connect(self.trouble)
        self._follower = Follower(self)
        self._follower.seen.connect(self._seen)
        self._watcher = FileWatcher(self.file.path, self)
        self._watcher.changed.connect(self._file_moved)
        self._again = QTimer(self)
        self._again.setInterval(30_000)
        self._again.timeout.connect(self.forecast)
        self._again.start()

    @property
    def batch(self) -> Batch:
        return self.history.now

    @property
    def path(self) -> Path:
        """The batch's file."""
        return self.file.path

    def open(self) -> None:
        """Forecast it, and find the run it may have."""
        from chronocast.run.client import last_run

        self.forecast()
        self._watcher.wake()
        errand(lambda: last_run(self.path), self._found, self.trouble.emit)

    def measure(self) -> None:
        """Calibrate this machine, in a process that goes when we go."""
        from chronocast.crew.local.calibrate import Apart

        if self._measuring is not None:
            return
        self._measuring = apart = Apart()
        self.busy = "Measuring this machine (under half a minute)…"
        self.changed.emit()

        def over(measured: bool) -> None:
            self._measuring, self.busy = None, ""
            if measured and self.workspace.paces.of().busy:
                self.notice.emit(
                    "This machine was busy with something else while it was measured, so times stay wide. "
                    "It is measured again by itself."
                )
                QTimer.singleShot(AGAIN_MS, self._measure_again)
            elif measured:
                self.notice.emit("This machine is measured; times are narrower now.")
            self.forecast()

        def failed(sentence: str) -> None:
            self._measuring, self.busy = None, ""
            self.trouble.emit(sentence)

        errand(apart.wait, over, failed)

    def _measure_again(self) -> None:
        """After a busy minute: another trial, unless a run or the operator needs the machine."""
        if self._closed:
            return
        if self.going:
            QTimer.singleShot(AGAIN_MS, self._measure_again)
        else:
            self.measure()

    def close(self) -> None:
        """Tell the threads to leave; nobody waits for one that is at a slow drive.  A run goes on by itself."""
        if self._measuring is not None:
            self._measuring.end()
        self._again.stop()
        self._closed = True
        workers = (self._forecaster, self._follower, self._watcher)
        for worker in workers:
            worker.leave()
        for worker in workers:
            worker.wait(0.3)

    # Edits

    def edit(self, what: str, batch: Batch) -> None:
        """Take an edit: into the history, onto the disk, into the forecast."""
        if self.history.do(what, batch):
            self._after_edit()

    def undo(self) -> None:
        """Go back one edit."""
        if what := self.history.undo():
            self.notice.emit(f"Undone: {what}.")
            self._after_edit(compared=False)

    def redo(self) -> None:
        """Do it again."""
        if what := self.history.redo():
            self.notice.emit(f"Done again: {what}.")
            self._after_edit(compared=False)

    def _after_edit(self, compared: bool = True) -> None:
        """Save it and forecast it; ``compared``: say what it changed, which makes no sense of what was taken back."""
        self.edited.emit()
        self.before = self.view if compared else None
        errand(self._save, lambda _: None, self.trouble.emit)
        self.changed.emit()
        self.forecast()

    def _save(self) -> None:
        """Write the newest state; never an older one over a newer, however the threads run.

        Raises:
            ChangedOnDisk: somebody else has written the file; theirs stands until a person decides.
            DocumentError: it can't be written.
        """
        with self._saving:
            batch = self.batch
            if batch == self._saved:
                return
            if (
                self._saved is None and not self.file.revision
            ):  # a new one: a name that nobody has taken since
                while self.file.path.exists():
                    self.file.path = self._watcher.path = untitled_path()
            try:
                self.file.save(batch)
            except ChangedOnDisk:
                self._set_conflict(True)
                raise
            self._saved = batch

    # The same batch in another window, or changed by a command

    def _file_moved(self) -> None:
        """The file is another one than it was a second ago: ours, or somebody else's?"""
        errand(self._look_at_file, lambda _: None, self.trouble.emit)

    def _look_at_file(self) -> None:
        with self._saving:
            changed = self.file.changed
        self._set_conflict(changed)

    def _set_conflict(self, conflict: bool) -> None:
        if conflict != self.conflict:
            self.conflict = conflict
            self.conflict_seen.emit(conflict)

    def compare_with_disk(self, then: Callable[[list[str]], None]) -> None:
        """What is otherwise in the file than here, as lines."""
        mine, path = self.batch, self.path
        errand(lambda: batch_changes(mine, BatchFile(path).load()), then, self.trouble.emit)

    def take_theirs(self) -> None:
        """Take the batch as it is on disk: an edit like any other, so that it can be undone."""

        def read() -> Batch:
            with self._saving:
                theirs = self.file.load()
                self._saved = theirs
            return theirs

        def done(theirs: Batch) -> None:
            self._set_conflict(False)
            self.edit("take what is on disk", theirs)
            self.notice.emit("This window now shows the batch as it is on disk. Undo brings yours back.")

        errand(read, done, self.trouble.emit)

    def keep_mine(self) -> None:
        """Write the batch of this window over the one on disk."""

        def write() -> None:
            with self._saving:
                batch = self.batch
                self.file.save(batch, over_theirs=True)
                self._saved = batch

        def done(_: None) -> None:
            self._set_conflict(False)
            self.notice.emit("The batch on disk is now the one of this window.")

        errand(write, done, self.trouble.emit)

    def fill(self, cells: list[tuple[str, str, str]], filled: bool) -> None:
        """Ask for outputs, or no longer."""
        count = len(cells)
        what = f"{'ask for' if filled else 'clear'} {count} output{'s' if count != 1 else ''}"
        self.edit(what, fill(self.batch, cells, filled))

    def gather(self, paths: list[Path], rate: str | None = None) -> None:
        """Bring files, timelines and folders in; look at them elsewhere.  ``rate`` is for edit lists."""
        batch, folder = self.batch, self.path.parent
        self.busy = "Looking at what was dropped…"
        self.changed.emit()

        def done(result: Any) -> None:
            self.busy = ""
            gathered, refused = result
            known = {source.path for source in self.batch.sources}
            new = [source for source in gathered.sources if source.path not in known]
            merged = self.batch
            added = []
            for source in new:
                merged = add_source(merged, source.path, source.name, source.kind)
                fresh = source.model_copy(update={"id": merged.sources[-1].id})
                merged = merged.model_copy(update={"sources": (*merged.sources[:-1], fresh)})
                added.append(fresh.id)
            self.edit(f"bring in {len(new)} source{'s' if len(new) != 1 else ''}", merged)
            self.gathered.emit(added)
            unrated = [item.path for item in refused if item.wants_rate]
            refused = [item for item in refused if not item.wants_rate]
            if unrated:
                self.rate_wanted.emit(unrated)
            if refused:
                more = f" (and {len(refused) - 1} more)" if len(refused) > 1 else ""
                self.trouble.emit(f"{refused[0]}{more}")
            elif not new and not unrated:
                self.notice.emit("All of that is in the batch already.")
            self.changed.emit()

        def failed(sentence: str) -> None:
            self.busy = ""
            self.trouble.emit(sentence)
            self.changed.emit()

        errand(lambda: gather(batch, folder, paths, self.workspace.facts, rate), done, failed)

    def search_media(self, place: Path) -> None:
        """Look for missing media in a folder, elsewhere; what is found stays relinked."""
        batch, folder = self.batch, self.path.parent
        self.busy = f"Searching {place.name}…"
        self.changed.emit()

        def done(result: Relinked) -> None:
            self.busy = ""
            if batch == self.batch:
                self.edit(f"search {place.name}", result.batch)
            if result.missing:
                self.trouble.emit(
                    f"Still missing after searching {place}: {', '.join(Path(n).name for n in result.missing[:4])}."
                )
            else:
                self.notice.emit(f"Found {len(result.found)} files in {place}.")
            self.changed.emit()

        def failed(sentence: str) -> None:
            self.busy = ""
            self.trouble.emit(sentence)

        errand(lambda: search_in(batch, folder, self.workspace.facts, [place]), done, failed)

    def look_at_cut(self, sources: list[str], then: Callable[[list[str], list[Recut]], None]) -> None:
        """What the new cut of some sequences (or of all that changed) would do."""
        batch, folder = self.batch, self.path.parent
        names = sources or (changed_sources(self.prospect) if self.prospect else [])
        errand(
            lambda: compare(batch, folder, self.workspace, names) if names else [],
            lambda found: then(names, found),
            self.trouble.emit,
        )

    def take_cut(self, sources: list[str]) -> None:
        """Take the new cut; an edit like any other."""
        batch, folder = self.batch, self.path.parent

        def done(taken: Batch) -> None:
            if batch == self.batch:
                self.edit("take the new cut", taken)

        errand(lambda: take(batch, folder, self.workspace.facts, sources), done, self.trouble.emit)

    def write_cuts(self, to: Path) -> None:
        """The cut of every source and range, as OTIO and edit lists, into a folder."""
        from chronocast.preparation.cuts import write_cuts

        batch, path = self.batch, self.path
        errand(
            lambda: write_cuts(batch, path, to, self.workspace, edl=True),
            lambda made: self.notice.emit(f"{len(made)} files written to {to}."), self.trouble.emit,
        )  # fmt: skip

    def write_picks(self, to: Path, sources: list[str]) -> None:
        """The ranges of some sources as sub-clips, into one OTIO file."""
        from chronocast.preparation.cuts import write_picks

        batch, path = self.batch, self.path
        errand(
            lambda: write_picks(batch, path, to, self.workspace, sources),
            lambda count: self.notice.emit(f"{count} sub-clip{'s' if count != 1 else ''} written to {to}. No film was made."), self.trouble.emit,
        )  # fmt: skip

    # The forecast

    def forecast(self) -> None:
        """Ask for a fresh forecast."""
        self._preview = None
        self._forecaster.want(self.batch, self.path)

    def preview(self, batch: Batch | None) -> None:
        """Ask what a batch would take that isn't (yet) an edit; ``previewed`` brings it.  None ends it."""
        if batch is None or batch == self.batch:
            self._preview = None
        elif batch != self._preview:
            self._preview = batch
            self._forecaster.want(batch, self.path)

    def _forecast(self, batch: Batch, prospect: Prospect, view: Outlook) -> None:
        if batch == self._preview:
            self.previewed.emit(batch, prospect, view)
            return
        if batch != self.batch:
            return
        self.prospect, self.view = prospect, view
        self.busy = "" if self.busy.startswith("Looking at sources") else self.busy
        self.changed.emit()

    def _looking(self, done: int, total: int) -> None:
        if self.view is None and done < total:
            self.busy = f"Looking at sources: {done} of {total}"
            self.changed.emit()

    # The run

    def begin(self, replace: bool = False, any_room: bool = False) -> None:
        """Begin a run, or take up the one left in the middle.

        The drives are looked at anew first; ``any_room`` begins whatever they say.
        """
        from chronocast.preparation.station.drives import looked_at_anew
        from chronocast.run.client import begin_run

        batch, path = self.batch, self.path
        rooms = self.view.room if self.view else ()
        options = {"replace": replace, "any_room": any_room, "space_wait_seconds": 3600.0}

        def work() -> Path | str:
            wrong = [] if any_room else [r for r in map(looked_at_anew, rooms) if not (r.fits or r.tight)]
            if wrong:
                return wrong[0].told
            self._save()
            return begin_run(batch, path, options)

        def done(found: Path | str) -> None:
            if isinstance(found, str):
                self.room_asked.emit(found, replace)
                return
            self._found(found)
            self.run_begun.emit()

        errand(work, done, self.trouble.emit)

    def stop(self) -> None:
        """Stop the run for certain; what is finished is kept, so no question is asked."""
        from chronocast.run.client import stop_run

        journal = self.journal
        if journal is not None:
            self.notice.emit("Stopping. Finished files and pieces are kept; begin again to go on from there.")
            errand(lambda: stop_run(journal), self._stopped, self.trouble.emit)

    def _stopped(self, sentence: str) -> None:
        self.notice.emit(f"{sentence} Begin again to go on from there.")

    def hold_in_run(self, outputs: list[str], held: bool) -> None:
        """Hold outputs back in the run that goes on too, or release them."""
        known = [name for name in outputs if self.run is not None and name in self.run.outputs]
        if self.going and known:
            self.ask("hold", {"outputs": known, "held": held})

    @property
    def going(self) -> bool:
        """Whether a run of this batch is going on."""
        return self.run is not None and self.run.lives and not self.run.outcome

    def not_in_run(self) -> list[str]:
        """Outputs that are asked for but are not in the run that goes on, or were changed since it began."""
        if self.run is None:
            return []
        before = {output["id"]: output for output in self.run.batch.get("outputs", ())}
        recipes = {recipe["id"]: recipe for recipe in self.run.batch.get("recipes", ())}
        found = []
        for output in self.batch.outputs:
            recipe = self.batch.recipe(output.recipe)
            assert recipe is not None
            same = before.get(output.id) == output.model_dump(mode="json")
            if output.held or (same and recipes.get(recipe.id) == recipe.model_dump(mode="json")):
                continue
            known = self.run.outputs.get(output.id)
            if known is None or known.state not in ("proved", "stopped", "placing"):
                found.append(output.id)
        return found

    def add_to_run(self) -> None:
        """Let outputs asked for since join the run that goes on."""
        names = self.not_in_run()
        if names:
            body = {"batch": self.batch.model_dump(mode="json"), "outputs": names}
            count = f"{len(names)} output{'s' if len(names) != 1 else ''}"
            self.ask("add", body, lambda: self.notice.emit(f"{count} joined the run."))

    def move_in_run(self, output: str, step: int) -> None:
        """Move an output up or down in the run's order."""
        if self.run is None:
            return
        order = list(self.run.order)
        if output in order:
            at = order.index(output)
            to = max(0, min(len(order) - 1, at + step))
            order.insert(to, order.pop(at))
            self.ask("order", {"outputs": order})
            self.edit("move an output in the order", in_order(self.batch, order))

    def ask(
        self, kind: str, body: dict[str, Any] | None = None, then: Callable[[], None] | None = None
    ) -> None:
        """Ask the run for something."""
        from chronocast.run.client import ask

        journal = self.journal
        if journal is None:
            return

        def answered(result: tuple[bool, str]) -> None:
            if not result[0]:
                self.trouble.emit(result[1])
            elif then:
                then()

        errand(lambda: ask(journal, kind, body), answered, self.trouble.emit)

    def take_up(self) -> None:
        """Start the runner of the run again."""
        from chronocast.run.client import start_runner

        journal = self.journal
        if journal is not None:
            errand(lambda: start_runner(journal), lambda _: None, self.trouble.emit)

    def _found(self, journal: Path | None) -> None:
        self.journal = journal
        self._follower.follow(journal)

    def _seen(self, view: RunView) -> None:
        ended = bool(view.outcome) and not (self.run and self.run.outcome)
        self.run = view
        self.run_seen.emit()
        if ended:
            self.forecast()
