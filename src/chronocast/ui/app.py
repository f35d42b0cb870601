"""Start the desktop."""

from __future__ import annotations

import contextlib
import hashlib
import json
import logging
import os
import signal
import sys
import time
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from chronocast.journal.places import state_folder
from chronocast.model.errors import ChronocastError
from chronocast.ui import theme as themes
from chronocast.ui.desk.session import Session
from chronocast.ui.desk.workers import wait_for_errands
from chronocast.ui.guard import Guard, leave_process
from chronocast.ui.heartbeat import Heartbeat, wanted
from chronocast.ui.window import Window, settings

SWITCH_SECONDS = 0.0005
"""A thread that works on a forecast gives way to the interface after so long: by the usual 5 ms, at each of the many calls
that an event takes, a window stood still for seconds while thousands of outputs were planned."""


def make_app() -> QApplication:
    """The application with its fonts and theme; the one there is, if there is one."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(["chronocast"])
    sys.setswitchinterval(SWITCH_SECONDS)
    app.setApplicationName("Chronocast")
    app.setDesktopFileName("chronocast")
    themes.load_fonts()
    return app


def chosen_theme() -> themes.Theme:
    """The theme last used."""
    kept = settings()
    try:
        themes.set_scale(float(kept.value("text", 1.0)))
    except (TypeError, ValueError):
        themes.set_scale(1.0)
    return themes.THEMES.get(str(kept.value("theme", "ink")), themes.INK)


def main(path: str | None) -> int:
    """The desktop on a batch, or on a new one; the exit status."""
    if (
        not os.environ.get("DISPLAY")
        and not os.environ.get("WAYLAND_DISPLAY")
        and not os.environ.get("QT_QPA_PLATFORM")
    ):
        sys.stderr.write(
            "There is no screen here for the desktop. Use the command line (chronocast --help), or start it where there is one.\n"
        )
        return 2
    try:
        logs = state_folder() / "logs"
        logs.mkdir(parents=True, exist_ok=True)
        logging.basicConfig(
            filename=logs / "desktop.log",
            level=logging.INFO,
            format="%(asctime)s %(name)s %(levelname)s %(message)s",
        )
        app = make_app()
        guard = Guard(app)
        guard.watch()
        session = Session(Path(path) if path else None)
    except (ChronocastError, OSError) as error:
        sys.stderr.write(f"{error}\n")
        return 2
    theme = chosen_theme()
    themes.apply(app, theme)
    window = Window(session, theme)
    guard.trouble.connect(say_trouble)
    opening = Opening(session.path)
    if opening.died:
        window.open_with_care()
    opening.begin()
    window.show()
    session.open()
    QTimer.singleShot(Opening.SETTLED_MS, opening.end)
    heart = Heartbeat(app) if wanted() else None
    QTimer.singleShot(2500, lambda: _calibrate_once(window))
    signal.signal(signal.SIGINT, lambda *_: app.quit())
    status = app.exec()
    opening.end()
    session.close()
    wait_for_errands()
    if heart is not None:
        logging.info("99 of 100 beats came within %.0f ms", heart.percentile(0.99) * 1000)
    return leave_process(status)


def say_trouble(sentence: str) -> None:
    """Say a sentence in whichever window is in front."""
    windows = [w for w in QApplication.topLevelWidgets() if isinstance(w, Window) and w.isVisible()]
    if windows:
        windows[-1].tell_trouble(sentence)


class Opening:
    """``Opening(path)``: remembers that a batch is being opened, so that one which ends the window is opened with care."""

    SETTLED_MS = 20_000

    def __init__(self, batch: Path) -> None:
        name = hashlib.blake2b(os.fsencode(batch), digest_size=10).hexdigest()
        self.path = state_folder() / "opening" / f"{name}.json"
        self.died = self._died()

    def _died(self) -> bool:
        import psutil

        try:
            told = json.loads(self.path.read_text())
            return not psutil.pid_exists(int(told["pid"])) and time.time() - float(told["since"]) < 7 * 86400
        except (OSError, ValueError, KeyError, TypeError):
            return False

    def begin(self) -> None:
        """Note it down; where that can't be done nothing is lost."""
        with contextlib.suppress(OSError):
            self.path.parent.mkdir(parents=True, exist_ok=True)
            self.path.write_text(json.dumps({"pid": os.getpid(), "since": time.time()}))

    def end(self) -> None:
        """The window lives, or was closed as it should be."""
        with contextlib.suppress(OSError):
            self.path.unlink(missing_ok=True)


def _calibrate_once(window: Window) -> None:
    """Measure this machine in the background, the first time."""
    if not window.session.workspace.paces.of().calibrated and window.isVisible():
        window.session.machine.measure()
