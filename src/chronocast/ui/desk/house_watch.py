"""The house as the desktop knows it: a small process listens to the hub, and what it keeps is read here."""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from chronocast.journal.workspace import Workspace
from chronocast.model.errors import ChronocastError
from chronocast.model.house import House
from chronocast.ui.desk.workers import errand

LOOK_MS = 2000


class HouseWatch(QObject):
    """``HouseWatch(workspace)``: ``begin`` it; ``heard`` brings what is known of the house whenever that changes.

    ``house`` is what was heard last.
    """

    heard = pyqtSignal(object)
    trouble = pyqtSignal(str)

    def __init__(self, workspace: Workspace, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.workspace, self.house = workspace, House()
        self._observer: subprocess.Popen[bytes] | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.look)
        self._looking = False

    def begin(self) -> None:
        """Listen, if this machine belongs to a house; it costs nothing where it doesn't."""
        self._timer.start()
        self.look()

    def look(self) -> None:
        """Read what is known now, elsewhere."""
        if self._looking:
            return
        self._looking = True
        store = self.workspace.house

        def read() -> House:
            with contextlib.suppress(ChronocastError):
                if hub := store.belonging().hub:
                    return store.known_now().model_copy(update={"hub": hub})
            return House()

        errand(read, self._take, self._failed)

    def end(self) -> None:
        """Listen no more."""
        self._timer.stop()
        if self._observer is not None:
            self._observer.kill()
            self._observer.wait()
            self._observer = None

    def _take(self, house: House) -> None:
        self._looking = False
        if not self._timer.isActive():
            return
        if house.hub and (self._observer is None or self._observer.poll() is not None):
            with contextlib.suppress(OSError):
                self._observer = subprocess.Popen(
                    [sys.executable, "-m", "chronocast.crew.house.observer", str(os.getpid())],
                    stdin=subprocess.DEVNULL,
                    stdout=subprocess.DEVNULL,
                    stderr=subprocess.DEVNULL,
                )
        if house != self.house:
            self.house = house
            self.heard.emit(house)

    def _failed(self, sentence: str) -> None:
        self._looking = False
        self.trouble.emit(sentence)
