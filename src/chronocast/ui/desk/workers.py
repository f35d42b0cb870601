"""Work off the interface's thread: forecasts, gathering, following a run, watching the batch's file."""

from __future__ import annotations

import contextlib
import copy
import logging
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import MANY, Batch
from chronocast.model.errors import ChronocastError
from chronocast.model.garbage import give_memory_back
from chronocast.model.lookup import Same
from chronocast.model.pauses import at_pauses
from chronocast.ui.desk.quiet import window_quiet

if TYPE_CHECKING:
    from chronocast.forecast.station import Load
    from chronocast.preparation.forecast.first_figures import FirstFigures
    from chronocast.preparation.forecast.outlook import Outlook
    from chronocast.preparation.output.output_ready import Prospect
    from chronocast.preparation.station.load import LoadMeter

log = logging.getLogger(__name__)


class Left(Exception):
    """A worker was told to leave while it was at something."""


class Superseded(Exception):
    """What was being worked out isn't wanted any more."""


class Worker(QObject):
    """One thread of work: ``work`` is what it does until it ``leaving``; ``failed`` brings a sentence.

    Whatever ``work`` raises is logged and said, and the worker begins again
    with the next ``wake``.  The thread never holds up the end of the
    process, so that nobody waits at closing time for a first look at a slow
    drive.
    """

    failed = pyqtSignal(str)
    what = "This work"

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._thread: threading.Thread | None = None
        self._leaving = threading.Event()
        self._woken = threading.Event()
        self._quiet = window_quiet()
        self.resting = False

    @property
    def leaving(self) -> bool:
        """Whether it was told to leave."""
        return self._leaving.is_set()

    def wake(self) -> None:
        """Have it look at what is wanted; starts it where it isn't at work."""
        self._woken.set()
        if not self.leaving and (self._thread is None or not self._thread.is_alive()):
            self._thread = threading.Thread(target=self._carry_out, name=type(self).__name__, daemon=True)
            self._thread.start()

    def leave(self) -> None:
        """Tell it to leave; returns at once."""
        self._leaving.set()
        self._woken.set()

    def wait(self, seconds: float) -> bool:
        """Whether it has left, after at most so many seconds."""
        if self._thread is not None:
            self._thread.join(seconds)
        return self._thread is None or not self._thread.is_alive()

    def rest(self, seconds: float | None = None) -> None:
        """Sleep until it is woken, or so long.

        Raises
        ------
        Left
            It is to leave.
        """
        self.resting = True
        self._woken.wait(seconds)
        self._woken.clear()
        self.resting = False
        self.see_leaving()

    def see_leaving(self) -> None:
        """Raise ``Left`` if it is to leave."""
        if self.leaving:
            raise Left

    def give_way(self) -> None:
        """What it does at the pauses of its work: end if it is to leave, and let the window draw.

        Raises
        ------
        Left
            It is to leave.
        """
        self.see_leaving()
        self._quiet.wait()

    def work(self) -> None:
        """What it does; called again after a failure, with the next ``wake``."""
        raise NotImplementedError

    def tell(self, signal: Any, *values: Any) -> None:
        """Emit a signal, unless whoever listens has gone."""
        if not self.leaving:
            try:
                signal.emit(*values)
            except RuntimeError:
                raise Left from None

    def _carry_out(self) -> None:
        while not self.leaving:
            try:
                with at_pauses(self.give_way):
                    self.work()
                return
            except Left:
                return
            except (ChronocastError, OSError) as error:
                log.warning("%s: %s", self.what, error)
                self._fail(str(error))
            except Exception as error:
                log.exception("%s failed", self.what)
                self._fail(f"{self.what} failed: {error}. The log has the detail.")

    def _fail(self, sentence: str) -> None:
        with contextlib.suppress(Left, RuntimeError):  # the signal's object may be gone with its window
            self.tell(self.failed, sentence)
            self.rest()


SHOWN_SECONDS = 1.0
"""Of very many outputs a forecast waits so long until the window has shown it, before the next is worked out."""


LOOKING_SECONDS = 0.1
"""How often it is said how many sources have been looked at: a thousand may take but a second."""

IDLE_SHARE, MOST_REST = 0.01, 300.0
"""While nothing happens forecasts take no more than this share of a core, and come at least so often, in seconds."""


class Forecaster(Worker):
    """``Forecaster(workspace)``: prepares and forecasts the newest batch it was given; older ones are dropped.

    ``forecast`` brings (batch, prospect, outlook); of a large batch that is forecast for the first time ``figured``
    brings (batch, its first figures) several times before; ``answered`` (batch, what
    it is asked to keep) after it; ``ways`` (outlook, output, other ways to
    make it) for the output named last; ``planned`` (outlook, what is known of
    other plans); ``rehearsed`` (outlook, its nights) where that was asked;
    ``looking`` tells how many sources have been looked at.
    """

    forecast = pyqtSignal(object, object, object)
    figured = pyqtSignal(object, object)
    answered = pyqtSignal(object, object)
    ways = pyqtSignal(object, str, object)
    planned = pyqtSignal(object, object)
    rehearsed = pyqtSignal(object, object)
    looking = pyqtSignal(int, int)
    what = "The forecast"

    def __init__(self, workspace: Workspace, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._workspace = workspace
        self._lock = threading.Lock()
        self._wanted: tuple[Batch, Path] | None = None
        self._experienced: Any = None
        self._experienced_at = 0.0
        self._films: frozenset[str] = frozenset()
        self._meter: LoadMeter | None = None
        self._last: Any = None
        self._figures: FirstFigures | None = None
        self._telling: Batch | None = None
        self._of: tuple[str, tuple[str, ...]] = ("", ())
        self._planned: Any = None
        self._night_wanted = False
        self._shown = threading.Event()
        self._may_end = False
        self._told: Outlook | None = None
        self._took = self._ended = self._looked_at = 0.0

    def shown(self) -> None:
        """What was told last is shown."""
        self._shown.set()

    @property
    def rests(self) -> bool:
        """Whether another forecast, which nobody asks for, is too much: one is being made, or the last took so much."""
        return not self.resting or time.monotonic() - self._ended < min(MOST_REST, self._took / IDLE_SHARE)

    def want_rehearsal(self) -> None:
        """Ask for the nights of the batch that was forecast last."""
        with self._lock:
            self._night_wanted = True
        self.wake()

    def learn_anew(self) -> None:
        """Read the ledger again with the next forecast."""
        self._experienced = None

    def want_ways(self, output: str, several: tuple[str, ...] = ()) -> None:
        """Ask for other ways to make an output of the batch that was forecast last; "" for none.

        With ``several`` they are of all of these.
        """
        with self._lock:
            self._of = output, several
        self.wake()

    def want(self, batch: Batch, path: Path) -> None:
        """Ask for the forecast of a batch."""
        with self._lock:
            self._wanted = (batch, path)
        self.wake()

    def work(self) -> None:
        told_of: tuple[Any, tuple[str, tuple[str, ...]]] | None = None
        while True:
            with self._lock:
                wanted, self._wanted = self._wanted, None
                of, night = self._of, self._night_wanted
            self._may_end, self._telling = wanted is None, None
            with contextlib.suppress(Superseded):
                if wanted is not None:
                    self._forecast_one(*wanted)
                elif self._last is not None and of[0] and told_of != (Same(self._last[1]), of):
                    told_of = (Same(self._last[1]), of)
                    self._find_ways(*of)
                elif self._last is not None and night:
                    self._rehearse()
                elif self._last is not None and self._planned is not self._last[1]:
                    self._find_plans()
                else:
                    if self._last is not None and len(self._last[0].outputs) > MANY:
                        give_memory_back()  # answers about thousands of files leave much behind, too
                    self.rest()

    def _forecast_one(self, batch: Batch, path: Path) -> None:
        from chronocast.preparation.asked.answers import asked_of
        from chronocast.preparation.asked.backwards import Circumstances
        from chronocast.preparation.today import outlook_now, prepared, station_for

        begun = time.thread_time()
        before = self._last[0] if self._last else self._first_told(batch, path)
        if (first := self._forecast_touched(batch, path)) is not None:
            before = first
        elif self._last is not None and batch == self._last[0].batch:
            self._may_end = True  # nobody waits for it: it is the same batch again, a while later
        prospect = prepared(batch, path, self._workspace, self._looked, before)
        self._learn(frozenset(item.film for item in prospect.outputs))
        self.see_leaving()
        load = self._load()
        view = outlook_now(prospect, self._workspace, self._experienced, load)
        station = station_for(prospect, self._workspace, load)
        now = Circumstances(self._workspace.stock, station, self._experienced)
        self._may_end = False
        self._last, self._figures = (prospect, view, now), None
        self._took, self._ended = time.thread_time() - begun, time.monotonic()
        self._show(batch, prospect, view)
        self._may_end = True  # what is asked by now comes first
        self._see_newer()
        self.tell(self.answered, batch, asked_of(batch, prospect, view, now))

    def _learn(self, films: frozenset[str]) -> None:
        """Read the ledger, where that was long ago."""
        from chronocast.preparation.today import learned

        if self._experienced is None or films != self._films or time.monotonic() - self._experienced_at > 20:
            self._films = films
            found = learned(self._workspace, films)
            if found != self._experienced:  # else what was worked out with it goes on being remembered
                self._experienced = found
            self._experienced_at = time.monotonic()

    def _load(self) -> Load:
        """What others take of the machine."""
        from chronocast.preparation.station.load import LoadMeter
        from chronocast.preparation.station.this import machine_slots

        self._meter = self._meter or LoadMeter(machine_slots())
        return self._meter.read()

    def _first_told(self, batch: Batch, path: Path) -> Prospect | None:
        """Of a large batch tell at first what groups of its files take, which is known long before the plan of all."""
        from chronocast.preparation.asked.backwards import Circumstances
        from chronocast.preparation.in_groups import first_figures
        from chronocast.preparation.today import prepared, station_for
        from chronocast.ui.source_told import told_of_source

        if len(batch.outputs) <= MANY:
            return None
        bare, known = batch.model_copy(update={"outputs": ()}), self._figures
        begun = prepared(bare, path, self._workspace, self._looked, known.prospect if known else None)
        self._learn(frozenset(item.film for item in begun.sources.values()))
        station = station_for(begun, self._workspace, self._load())
        now = Circumstances(self._workspace.stock, station, self._experienced)
        self._may_end, self._telling = True, batch  # an edit comes first
        for source in begun.sources.values():
            told_of_source(source)
        for told in first_figures(batch, begun, self._workspace, now, known):
            self._figures = told
            _ = told.columns  # here rather than in the window's own thread
            self._shown.clear()
            self.tell(self.figured, batch, told)
            self._shown.wait(SHOWN_SECONDS)
            self._see_newer()
        self._may_end, self._telling = False, None
        return self._figures.prospect if self._figures else None

    def _forecast_touched(self, batch: Batch, path: Path) -> Prospect | None:
        """Tell at once what an edit of very many outputs touched, if that is but little; then all of it may be superseded."""
        from chronocast.preparation.touched import Touched, forecast_touched

        if self._last is None or self._experienced is None:
            return None
        known = Touched(*self._last[:2])
        if batch == known.prospect.batch and known.view is not self._told:  # undone
            found = known
        elif (told := forecast_touched(batch, path, self._workspace, known, self._experienced)) is not None:
            found = told
        else:
            return None
        self._show(batch, found.prospect, found.view)
        self._may_end = True
        return found.prospect

    def _show(self, batch: Batch, prospect: Prospect, view: Outlook) -> None:
        """Tell a forecast; the window has much to show of a large one, and is left alone meanwhile."""
        from chronocast.ui.lanes.forecast_lanes import lane_data
        from chronocast.ui.source_told import told_of_source

        lanes = lane_data(view, batch)
        # here rather than in the window's own thread
        _ = view.by_id, view.of_range("", ""), lanes.rows, lanes.end
        for source in prospect.sources.values():
            told_of_source(source)
        self._told = view
        self._shown.clear()
        self.tell(self.forecast, batch, prospect, view)
        if len(view.outputs) > MANY:
            self._shown.wait(SHOWN_SECONDS)
            give_memory_back()

    def give_way(self) -> None:
        if self._may_end:
            self._see_newer()
        super().give_way()

    def _find_ways(self, output: str, several: tuple[str, ...]) -> None:
        from chronocast.preparation.asked.about_output import OutputAnswers, answers_about
        from chronocast.preparation.asked.many_ways import many_ways
        from chronocast.preparation.today import made_lately

        prospect, view, now = self._last
        ready = prospect.output(output)
        found = OutputAnswers(several=several)
        if several:
            ways = many_ways(several, output, view, now, prospect.batch.size_limit)
            found = OutputAnswers(ways, several=several)
        elif ready is not None:
            found = answers_about(ready, prospect.batch, view, now, made_lately(self._workspace))
        self.tell(self.ways, view, output, found)

    def _find_plans(self) -> None:
        """Work out the other plans; a fresh forecast comes first, and while nothing is typed there is time."""
        from chronocast.preparation.asked.plans import plan_answers

        self._planned = view = self._last[1]
        self.tell(self.planned, view, plan_answers(view))

    def _see_newer(self) -> None:
        """Raise ``Superseded`` where another forecast is wanted meanwhile."""
        self.see_leaving()
        with self._lock:
            if self._wanted is not None and self._wanted[0] != self._telling:  # the same once more can wait
                raise Superseded

    def _rehearse(self) -> None:
        from chronocast.preparation.asked.plans import rehearsed, usual_mishaps

        with self._lock:
            self._night_wanted = False
        view = self._last[1]
        self.tell(self.rehearsed, view, rehearsed(view, usual_mishaps(view)))

    def _looked(self, done: int, total: int) -> None:
        self.see_leaving()
        now = time.monotonic()
        if now - self._looked_at >= LOOKING_SECONDS or done == total:
            self._looked_at = now
            self.tell(self.looking, done, total)


class Follower(Worker):
    """Reads a run's journal four times a second; ``seen`` brings its view."""

    seen = pyqtSignal(object)
    what = "Following the run"

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._path: Path | None = None

    def follow(self, journal: Path | None) -> None:
        """Follow another run."""
        self._path = journal
        if journal is not None or self._thread is not None:
            self.wake()

    def work(self) -> None:
        while True:
            if self._path is None:
                self.rest()
            else:
                self._follow(self._path)

    def _follow(self, path: Path) -> None:
        """Until another run is to be followed."""
        from chronocast.journal.batches.runs import RunJournal
        from chronocast.run.runner_lock import runner_lives
        from chronocast.run.view_kept import folded_view

        journal = RunJournal(path)
        view = folded_view(journal)
        shown: Any = None
        try:
            while path == self._path:
                view.fold(journal.records(view.last)).see(journal.now(), runner_lives(path))
                still = 0 if view.moves else round(max(view.silent_seconds, view.still_seconds) / 3)
                mark = (view.last, view.lives, view.condition, str(view.tasks), view.waits_for, still)
                if mark != shown:
                    shown = mark
                    seen = copy.copy(view)
                    seen.outputs = {key: copy.copy(output) for key, output in view.outputs.items()}
                    seen.fan = list(view.fan)
                    self.tell(self.seen, seen)
                self.rest(0.25 if not (view.outcome and not view.lives) else 1.0)
        finally:
            journal.close()


class FileWatcher(Worker):
    """Looks once a second whether a file is another one than it was; ``changed`` then says so, once for each change."""

    changed = pyqtSignal()
    what = "Watching the batch's file"
    SECONDS = 1.0

    def __init__(self, path: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.path = path

    def work(self) -> None:
        last = self._stamp()
        while True:
            self.rest(self.SECONDS)
            now = self._stamp()
            if now != last:
                last = now
                self.tell(self.changed)

    def _stamp(self) -> tuple[int, int, int] | None:
        try:
            status = self.path.stat()
        except OSError:
            return None
        return status.st_mtime_ns, status.st_size, status.st_ino


class Errand(QObject):
    """One piece of work: ``done`` brings its result, ``failed`` a sentence, on the thread that asked."""

    done = pyqtSignal(object)
    failed = pyqtSignal(str)


_running: dict[Errand, threading.Thread] = {}


def errand(work: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[str], None]) -> Errand:
    """Do work elsewhere and tell what came of it here."""
    made = Errand()
    made.done.connect(done)
    made.failed.connect(failed)
    for signal in (made.done, made.failed):
        signal.connect(lambda *_: _running.pop(made, None))

    quiet = window_quiet()

    def carry_out() -> None:
        try:
            with at_pauses(quiet.wait):
                result = work()
        except ChronocastError as error:
            made.failed.emit(str(error))
        except Exception as error:
            log.exception("an errand failed")
            made.failed.emit(f"It failed: {error}. The log has the detail.")
        else:
            made.done.emit(result)

    _running[made] = threading.Thread(target=carry_out, name="errand", daemon=True)
    _running[made].start()
    return made


def wait_for_errands(seconds: float = 5.0) -> None:
    """Let running errands end, at closing time."""
    end = time.monotonic() + seconds
    for thread in list(_running.values()):
        thread.join(max(0.0, end - time.monotonic()))
