"""Work off the interface's thread: forecasts, gathering, following a run."""

from __future__ import annotations

import copy
import logging
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from chronocast.model.batch import Batch
from chronocast.model.errors import ChronocastError

log = logging.getLogger(__name__)


class Forecaster(QThread):
    """Prepares and forecasts the newest batch it was given; older ones are dropped.

    ``forecast`` brings (batch, prospect, outlook); ``looking`` tells how many
    sources have been looked at.
    """

    forecast = pyqtSignal(object, object, object)
    looking = pyqtSignal(int, int)
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._wake = threading.Condition()
        self._wanted: tuple[Batch, Path] | None = None
        self._leave = False

    def want(self, batch: Batch, path: Path) -> None:
        """Ask for the forecast of a batch."""
        with self._wake:
            self._wanted = (batch, path)
            self._wake.notify()
        if not self.isRunning():
            self.start()

    def leave(self) -> None:
        """End the thread."""
        with self._wake:
            self._leave = True
            self._wake.notify()

    def run(self) -> None:
        from chronocast.run.today import learned, outlook_now, prepared

        experienced, at = None, 0.0
        while True:
            with self._wake:
                self._wake.wait_for(lambda: self._wanted is not None or self._leave)
                if self._leave:
                    return
                assert self._wanted is not None
                (batch, path), self._wanted = self._wanted, None
            try:
                prospect = prepared(batch, path, self.looking.emit)
                if experienced is None or time.monotonic() - at > 20:
                    experienced, at = learned(), time.monotonic()
                self.forecast.emit(batch, prospect, outlook_now(prospect, experienced))
            except (ChronocastError, OSError) as error:
                self.failed.emit(str(error))
            except Exception as error:
                log.exception("a forecast failed")
                self.failed.emit(f"The forecast failed: {error}. The log has the detail.")


class Follower(QThread):
    """Reads a run's journal four times a second; ``seen`` brings its view."""

    seen = pyqtSignal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._path: Path | None = None
        self._leave = threading.Event()
        self._changed = threading.Event()

    def follow(self, journal: Path | None) -> None:
        """Follow another run."""
        self._path = journal
        self._changed.set()
        if not self.isRunning() and journal is not None:
            self.start()

    def leave(self) -> None:
        """End the thread."""
        self._leave.set()
        self._changed.set()

    def run(self) -> None:
        from chronocast.journal.runs import RunJournal
        from chronocast.run.client import runner_lives
        from chronocast.run.view import RunView

        journal: RunJournal | None = None
        opened: Path | None = None
        view = RunView()
        told: Any = None
        while not self._leave.is_set():
            path = self._path
            try:
                if path != opened:
                    if journal:
                        journal.close()
                    journal, opened, view, told = RunJournal(path) if path else None, path, RunView(), None
                if journal and path:
                    fresh = journal.records(view.last)
                    view.fold(fresh).see(journal.now(), runner_lives(path))
                    mark = (view.last, view.lives, view.paused, str(view.tasks), view.waits_for)
                    if mark != told:
                        told = mark
                        shown = copy.copy(view)
                        shown.outputs = {key: copy.copy(output) for key, output in view.outputs.items()}
                        shown.fan = list(view.fan)
                        self.seen.emit(shown)
            except ChronocastError as error:
                log.warning("the journal could not be read: %s", error)
            self._changed.wait(0.25 if not (view.outcome and not view.lives) else 1.0)
            self._changed.clear()
        if journal:
            journal.close()


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

    def carry_out() -> None:
        try:
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
