"""The desk's bridge to Qt: its work off the interface's thread, its changes as signals."""

from __future__ import annotations

import logging
from collections.abc import Callable, Collection
from pathlib import Path
from typing import Any, Literal

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from chronocast.journal.documents import BatchFile
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import MANY, Batch
from chronocast.model.batch.changes import batch_changes
from chronocast.model.batch.edits import fill
from chronocast.model.errors import ChronocastError
from chronocast.model.house import House, Rank
from chronocast.model.show import counted
from chronocast.preparation.asked.answers import Asked
from chronocast.preparation.forecast.first_figures import FirstFigures
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.source.gather import gather
from chronocast.run.view import RunView
from chronocast.run.waiting import have_a_runner_wait, let_it_leave
from chronocast.ui.desk.ahead import AheadWork
from chronocast.ui.desk.cut_work import CutWork
from chronocast.ui.desk.desk import Desk
from chronocast.ui.desk.house_watch import HouseWatch
from chronocast.ui.desk.machine_work import AtWork, MachineWork
from chronocast.ui.desk.proxies import ProxyWork
from chronocast.ui.desk.run_requests import RunRequests
from chronocast.ui.desk.to_go import ToGo
from chronocast.ui.desk.workers import FileWatcher, Follower, Forecaster, errand

log = logging.getLogger(__name__)
RUNNER_AFTER_MS = 4000
"""A forecast that has been looked at for so long is likely to be rendered."""
SAVE_LARGE_MS = 300
"""A large batch is saved so long after an edit."""
FRESH_MS = 30_000
"""The clock goes on: a forecast is made anew so often."""
LOOKING, FIGURING, PLANNING = "Looking at sources", "Forecasting files", "Planning all of them…"
"""What is waited for before the first forecast, in this order."""


class Session(QObject):
    """``Session(path)``: opens a batch, or begins a new one; ``desk`` holds what is open.

    ``changed`` says what of the desk a change has touched (a frozen set of
    *batch*, *forecast*, *run*, *words*); ``trouble`` and ``notice`` bring
    sentences; ``edited`` that an edit was taken; ``run_begun`` that a run was
    begun here.  ``ways`` brings other ways to make an output, ``planned`` other plans, ``rehearsed`` nights of the
    present one (an outlook first each); ``previewed`` brings what a batch that is only tried would
    take; ``gathered`` the ids of new sources, ``left_out`` what didn't come in, each with its reason; ``rate_wanted`` edit lists that
    don't say their rate; ``conflict_seen`` whether somebody else has written
    the file; ``room_asked`` that a drive is too small (a sentence, whether
    files of the same name are to be replaced).
    """

    changed = pyqtSignal(object)
    trouble = pyqtSignal(str)
    notice = pyqtSignal(str)
    edited = pyqtSignal()
    run_begun = pyqtSignal()
    rate_wanted = pyqtSignal(list)
    run_ended = pyqtSignal(object)
    previewed = pyqtSignal(object, object, object)
    ways = pyqtSignal(object, str, object)
    planned = pyqtSignal(object, object)
    rehearsed = pyqtSignal(object, object)
    gathered = pyqtSignal(list)
    left_out = pyqtSignal(list)
    conflict_seen = pyqtSignal(bool)
    room_asked = pyqtSignal(str, bool)

    def __init__(
        self, path: Path | None, parent: QObject | None = None, workspace: Workspace | None = None
    ) -> None:
        super().__init__(parent)
        self.desk = Desk(path, workspace)
        self._conflict_told = False
        self._preview: Batch | None = None
        self._closed = self._unsaved = False
        self._to_go = ToGo()
        self._forecaster = Forecaster(self.workspace, self)
        self._forecaster.forecast.connect(self._forecast)
        self._forecaster.figured.connect(self._figured)
        self._forecaster.answered.connect(self._answered)
        self._forecaster.ways.connect(self.ways)
        self._forecaster.planned.connect(self.planned)
        self._forecaster.rehearsed.connect(self.rehearsed)
        self._forecaster.looking.connect(self._looking)
        self._forecaster.failed.connect(self.trouble)
        self.machine = MachineWork(self.workspace, self._at_work, self)
        self.machine.told.connect(self._say_busy)
        self.machine.said.connect(self.notice)
        self.machine.failed.connect(self.trouble)
        self.machine.known_anew.connect(self.forecast_anew)
        self.cuts, self.requests = CutWork(self.desk, self), RunRequests(self.desk, self)
        self.cuts.told.connect(self._say_busy)
        for part in (self.cuts, self.requests):
            part.edited.connect(self.edit)
            part.said.connect(self.notice)
            part.failed.connect(self.trouble)
        self.rank: Rank = "as others"
        self.ahead = AheadWork(self.workspace, self)
        self.ahead.told.connect(self._say_busy)
        self.ahead.over.connect(self._ahead_over)
        self.ahead.failed.connect(self._ahead_failed)
        self.proxies = ProxyWork(self.workspace, self)
        self.proxies.told.connect(self._say_busy)
        self.proxies.said.connect(self.notice)
        self.proxies.failed.connect(self.trouble)
        self.house = HouseWatch(self.workspace, self)
        self.house.trouble.connect(self.trouble)
        self.house.heard.connect(self._house_heard)
        self._helping: tuple[str, ...] = ()
        self._follower = Follower(self)
        self._follower.seen.connect(self._seen)
        self._watcher = FileWatcher(self.desk.path, self)
        self._watcher.changed.connect(self._file_moved)
        self._runner_waits = False
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(RUNNER_AFTER_MS)
        self._soon.timeout.connect(self._have_a_runner_wait)
        self._again = QTimer(self)
        self._again.setInterval(FRESH_MS)
        self._again.timeout.connect(self._freshen)
        self._again.start()

    # What is on the desk

    @property
    def workspace(self) -> Workspace:
        """What is kept of all batches."""
        return self.desk.workspace

    @property
    def batch(self) -> Batch:
        """The batch as it is now."""
        return self.desk.batch

    @property
    def path(self) -> Path:
        """The batch's file."""
        return self.desk.path

    @property
    def prospect(self) -> Prospect | None:
        """The batch made ready, as far as it was looked at."""
        return self.desk.prospect

    @property
    def view(self) -> Outlook | None:
        """The newest forecast."""
        return self.desk.view

    @property
    def run(self) -> RunView | None:
        """The run of the batch."""
        return self.desk.run

    @property
    def busy(self) -> str:
        """What is waited for."""
        return self.desk.busy

    @property
    def conflict(self) -> bool:
        """Whether somebody else has written the batch's file."""
        return self.desk.conflict

    @property
    def going(self) -> bool:
        """Whether a run of this batch is going on."""
        return self.desk.going

    def open(self) -> None:
        """Forecast it, and find the run it may have."""

        def run_of_it() -> Path | None:
            from chronocast.run.client import last_run  # beside the window: it brings a database along

            return last_run(self.path)

        self.forecast()
        self._watcher.wake()
        self.house.begin()
        errand(run_of_it, self._found, self.trouble.emit)

    def _house_heard(self, house: House) -> None:
        """Forecast anew when other stations take work than before."""
        helping = tuple(told.name for told in house.stations if told.open)
        if helping != self._helping:
            self._helping = helping
            self.forecast()

    def close(self) -> None:
        """Tell the threads to leave; nobody waits for one that is at a slow drive.  A run goes on by itself."""
        self.machine.end()
        self._again.stop()
        self._soon.stop()
        if self._runner_waits:
            let_it_leave()
        self.ahead.stop()
        self.proxies.stop()
        self._closed = True
        self._save_edit()
        self.house.end()
        workers = (self._forecaster, self._follower, self._watcher)
        for worker in workers:
            worker.leave()
        for worker in workers:
            worker.wait(0.3)

    def _touch(self, *what: Literal["batch", "forecast", "run", "words"]) -> None:
        self.changed.emit(frozenset(what))

    def _say_busy(self, sentence: str) -> None:
        if sentence != self.desk.busy:
            self.desk.busy = sentence
            self._touch("words")

    def _say_progress(self, words: str, done: int, total: int) -> None:
        self._say_busy(f"{words}: {done:,} of {total:,}{self._to_go.left(done / total)}")

    def _wait_for(self, sentence: str, work: Callable[[], Any], done: Callable[[Any], None]) -> None:
        """Do something elsewhere and say so meanwhile."""

        def over(result: Any) -> None:
            self._say_busy("")
            done(result)

        def failed(told: str) -> None:
            self._say_busy("")
            self.trouble.emit(told)

        self._say_busy(sentence)
        errand(work, over, failed)

    def _at_work(self) -> AtWork:
        return AtWork(self.going, self.view.station.load if self.view else None)

    def probe(self) -> None:
        """Encode a few pieces ahead, of what is in doubt most: the forecast becomes sharper, and they are kept."""
        from chronocast.crew.local.probing import carry_out_probes
        from chronocast.preparation.asked.probes import choose_probes

        view = self.desk.view
        if view is None or self.going:
            self.notice.emit(
                "A run sharpens the forecast by itself." if view else "There is no forecast yet."
            )
            return
        probes = choose_probes(view, self.workspace.stock)
        if not probes:
            self.notice.emit("Nothing is in doubt that a piece encoded ahead could tell.")
            return

        def done(count: int) -> None:
            pieces = f"{count} piece{'s were' if count != 1 else ' was'}"
            self.notice.emit(f"{pieces} encoded ahead and kept; the forecast is surer now.")
            self.forecast_anew()

        words = f"Encoding {len(probes)} pieces ahead (about half a minute)…"
        self._wait_for(words, lambda: carry_out_probes(probes, self.workspace), done)

    def render_ahead(self, outputs: Collection[str] = ()) -> None:
        """Encode the pieces of some outputs ahead, or of all; where that goes on already, stop it."""
        from chronocast.preparation.ahead import plan_ahead

        if self.ahead.going:
            self.ahead.stop()
            return
        view = self.desk.view
        if view is None or self.going:
            self.notice.emit(
                "A run of this batch goes on: it encodes them itself."
                if view
                else "There is no forecast yet."
            )
            return
        plan = plan_ahead(view, self.workspace.stock, outputs)
        self.notice.emit(plan.told)
        if plan.pieces:
            self.ahead.begin(plan.pieces, "Encoding ahead (the same command stops it)")

    def _ahead_over(self, count: int) -> None:
        self._say_busy("")
        self.notice.emit(f"{counted(count, 'piece')} encoded ahead and kept.")
        self.forecast_anew()

    def _ahead_failed(self, told: str) -> None:
        self._say_busy("")
        self.trouble.emit(told)

    # Edits

    def edit(self, what: str, batch: Batch) -> None:
        """Take an edit: into the history, onto the disk, into the forecast.  One that can't be is told as trouble."""
        try:
            changed = self.desk.edit(what, batch)
        except ChronocastError as error:
            self.trouble.emit(str(error))
            self._touch("batch")  # fields show again what is
            return
        if changed:
            self._after_edit()

    def undo(self) -> None:
        """Go back one edit."""
        if what := self.desk.undo():
            self.notice.emit(f"Undone: {what}.")
            self._after_edit()

    def redo(self) -> None:
        """Do it again."""
        if what := self.desk.redo():
            self.notice.emit(f"Done again: {what}.")
            self._after_edit()

    def _after_edit(self) -> None:
        self.edited.emit()
        self._touch("batch")
        self._unsaved = True
        # when what was edited is drawn; writing thousands of outputs takes as long as forecasting what was touched
        QTimer.singleShot(0, self._forecast_edit)
        QTimer.singleShot(SAVE_LARGE_MS if len(self.batch.outputs) > MANY else 0, self._save_edit)

    def _forecast_edit(self) -> None:
        if not self._closed:
            self.forecast()

    def _save_edit(self) -> None:
        if self._unsaved:
            self._unsaved = False
            errand(self._save, lambda _: None, self.trouble.emit)

    def _save(self) -> None:
        try:
            self.desk.save()
        finally:
            self._watcher.path = self.desk.path
            self._tell_conflict()

    # The same batch in another window, or changed by a command

    def _file_moved(self) -> None:
        """The file is another one than it was a second ago: ours, or somebody else's?"""

        def look() -> None:
            self.desk.look_at_file()
            self._tell_conflict()

        errand(look, lambda _: None, self.trouble.emit)

    def _tell_conflict(self) -> None:
        if self.desk.conflict != self._conflict_told:
            self._conflict_told = self.desk.conflict
            self.conflict_seen.emit(self._conflict_told)

    def compare_with_disk(self, then: Callable[[list[str]], None]) -> None:
        """What is otherwise in the file than here, as lines."""
        mine, path = self.batch, self.path
        errand(lambda: batch_changes(mine, BatchFile(path).load()), then, self.trouble.emit)

    def take_theirs(self) -> None:
        """Take the batch as it is on disk: an edit like any other, so that it can be undone."""

        def done(theirs: Batch) -> None:
            self._tell_conflict()
            self.edit("take what is on disk", theirs)
            self.notice.emit("This window now shows the batch as it is on disk. Undo brings yours back.")

        errand(self.desk.read_theirs, done, self.trouble.emit)

    def keep_mine(self) -> None:
        """Write the batch of this window over the one on disk."""

        def done(_: None) -> None:
            self._tell_conflict()
            self.notice.emit("The batch on disk is now the one of this window.")

        errand(self.desk.write_mine, done, self.trouble.emit)

    def fill(self, cells: list[tuple[str, str, str]], filled: bool) -> None:
        """Ask for outputs, or no longer."""
        count = len(cells)
        what = f"{'ask for' if filled else 'clear'} {count} output{'s' if count != 1 else ''}"
        before = {output.id for output in self.batch.outputs}
        self.edit(what, fill(self.batch, cells, filled))
        gone = before - {output.id for output in self.batch.outputs}
        if self.going and self.run is not None and (still := sum(self._is_made(name) for name in gone)):
            are = "are" if still > 1 else "is"
            self.notice.emit(
                f"{counted(still, 'file')} of those {are} still made by the run that goes on: "
                "leave it out in Run, if it isn't wanted there either."
            )

    def _is_made(self, output: str) -> bool:
        """Whether the run that goes on still makes an output."""
        known = self.run.outputs.get(output) if self.run is not None else None
        return known is not None and known.state not in ("proved", "stopped")

    def gather(self, paths: list[Path], rate: str | None = None) -> None:
        """Bring files, timelines and folders in; look at them elsewhere.  ``rate`` is for edit lists."""
        batch, folder = self.batch, self.path.parent

        def done(result: Any) -> None:
            gathered, refused = result
            added = self.desk.bring_in(gathered)
            if added:
                self._after_edit()
                if self.desk.untitled and not batch.sources:
                    self.notice.emit(
                        f"This batch is kept as {self.path} for now; “Move the batch's file…”, beside its name above, "
                        "puts it beside its sources."
                    )
            self.gathered.emit(added)
            unrated = [item.path for item in refused if item.wants_rate]
            refused = [item for item in refused if not item.wants_rate]
            if unrated:
                self.rate_wanted.emit(unrated)
            if refused:
                self.left_out.emit([str(item) for item in refused])
                if not added:
                    self.trouble.emit("Nothing of that came in: see what was left out, and why.")
            elif not added and not unrated:
                self.notice.emit("All of that is in the batch already.")

        self._wait_for(
            "Looking at what was dropped…",
            lambda: gather(batch, folder, paths, self.workspace.facts, rate),
            done,
        )

    # The forecast

    def forecast(self) -> None:
        """Ask for a fresh forecast."""
        self._preview = None
        self._forecaster.want(self.batch, self.path)

    def _freshen(self) -> None:
        """Ask for a fresh forecast while nothing happens: of very many outputs seldomer, so that it takes next to nothing."""
        if not self._forecaster.rests:
            self.forecast()

    def forecast_anew(self) -> None:
        """Ask for a fresh forecast after something new was learned."""
        self._forecaster.learn_anew()
        self.forecast()

    def preview(self, batch: Batch | None) -> None:
        """Ask what a batch would take that isn't (yet) an edit; ``previewed`` brings it.  None ends it."""
        if batch is None or batch == self.batch:
            self._preview = None
        elif batch != self._preview and self.view is not None:
            self._preview = batch
            self._forecaster.want(batch, self.path)

    def _forecast(self, batch: Batch, prospect: Prospect, view: Outlook) -> None:
        QTimer.singleShot(0, self._forecaster.shown)  # when all that follows from it is drawn
        if batch == self._preview:
            self.previewed.emit(batch, prospect, view)
            return
        if batch != self.batch:
            return
        desk = self.desk
        desk.prospect, desk.view, desk.figures = prospect, view, None
        desk.busy = "" if desk.busy.startswith((LOOKING, FIGURING, PLANNING)) else desk.busy
        self._touch("forecast", "words")
        if view.settled and not (self.going or self.ahead.going):
            self.proxies.by_themselves(list(prospect.sources.values()))
        if batch.outputs and not self.going:
            self._soon.start()

    def _figured(self, batch: Batch, figures: FirstFigures) -> None:
        QTimer.singleShot(0, self._forecaster.shown)
        if self.view is not None or batch != self.batch:
            return
        self.desk.prospect, self.desk.figures = figures.prospect, figures
        if figures.looked_at < figures.of:
            self._say_progress(FIGURING, figures.looked_at, figures.of)
        else:
            self._say_busy(PLANNING)
        self._touch("forecast", "words")

    def _have_a_runner_wait(self) -> None:
        """Somebody who looks at a forecast for so long may begin: then it begins at once."""

        def begun(by_us: bool) -> None:
            self._runner_waits = self._runner_waits or by_us
            if by_us and self._closed:
                let_it_leave()

        if not self.going:
            errand(have_a_runner_wait, begun, self.trouble.emit)

    def _answered(self, batch: Batch, asked: Asked) -> None:
        if batch == self.batch:
            self.desk.asked = asked
            self._touch("forecast")

    def want_rehearsal(self) -> None:
        """Ask for the nights of the present plan; ``rehearsed`` brings (outlook, nights)."""
        self._forecaster.want_rehearsal()

    def want_ways(self, output: str, several: tuple[str, ...] = ()) -> None:
        """Ask for other ways to make an output, or several; ``ways`` brings (outlook, output, answers)."""
        self._forecaster.want_ways(output, several)

    def _looking(self, done: int, total: int) -> None:
        if self.view is None and self.desk.figures is None and done < total:
            self._say_progress(LOOKING, done, total)

    # The run

    def begin(self, replace: bool = False, any_room: bool = False) -> None:
        """Begin a run, or take up the one left in the middle.

        The drives are looked at anew first; ``any_room`` begins whatever they say.
        """
        from chronocast.preparation.station.drives import looked_at_anew
        from chronocast.run.client import begin_run, with_house

        self.ahead.stop()  # the run makes what is left, and needs the slots
        self.proxies.stop()
        batch, path = self.batch, self.path
        view = self.view
        rooms = view.room if view else ()
        options: dict[str, Any] = {"replace": replace, "any_room": any_room, "space_wait_seconds": 3600.0}
        options |= {**with_house(self.workspace.house), "rank": self.rank}

        def work() -> Path | str:
            wrong = [] if any_room else [r for r in map(looked_at_anew, rooms) if not (r.fits or r.tight)]
            if wrong:
                return view.room_told(wrong[0]) if view else wrong[0].told
            self._save()
            return begin_run(batch, path, options)

        def done(found: Path | str) -> None:
            if isinstance(found, str):
                self.room_asked.emit(found, replace)
                return
            self._found(found)
            self.run_begun.emit()

        errand(work, done, self.trouble.emit)

    def _found(self, journal: Path | None) -> None:
        self.desk.journal = journal
        self._follower.follow(journal)

    def _seen(self, view: RunView) -> None:
        before = self.run
        ended = bool(view.outcome) and not (before and before.outcome)
        watched = before is not None and before.lives and not before.outcome and before.path == view.path
        self.desk.run = view
        self._touch("run")
        if ended:
            if watched:
                self.run_ended.emit(view)
            self.forecast()
