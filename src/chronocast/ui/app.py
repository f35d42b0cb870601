"""Start the desktop."""

from __future__ import annotations

import logging
import os
import signal
import sys
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from chronocast.journal.places import state_folder
from chronocast.model.errors import ChronocastError
from chronocast.ui import theme as themes
from chronocast.ui.heartbeat import Heartbeat, wanted
from chronocast.ui.session import Session
from chronocast.ui.window import Window, settings
from chronocast.ui.workers import wait_for_errands


def make_app() -> QApplication:
    """The application with its fonts and theme; the one there is, if there is one."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(["chronocast"])
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
        session = Session(Path(path) if path else None)
    except (ChronocastError, OSError) as error:
        sys.stderr.write(f"{error}\n")
        return 2
    theme = chosen_theme()
    themes.apply(app, theme)
    window = Window(session, theme)
    window.show()
    session.open()
    heart = Heartbeat(app) if wanted() else None
    QTimer.singleShot(2500, lambda: _calibrate_once(window))
    signal.signal(signal.SIGINT, lambda *_: app.quit())
    status = app.exec()
    session.close()
    wait_for_errands()
    if heart is not None:
        logging.info("99 of 100 beats came within %.0f ms", heart.percentile(0.99) * 1000)
    return status


def _calibrate_once(window: Window) -> None:
    """Measure this machine in the background, the first time."""
    from chronocast.run.pace import load_pace

    if not load_pace().calibrated and window.isVisible():
        window.measure()
