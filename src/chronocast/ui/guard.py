"""What keeps the window alive: an error nobody caught is logged and said, and the window goes on."""

from __future__ import annotations

import faulthandler
import logging
import os
import sys
import threading
import time
import traceback
from types import TracebackType

from PyQt6.QtCore import QObject, pyqtSignal

from chronocast.journal.places import state_folder

log = logging.getLogger("chronocast.window")
SAID_AGAIN_SECONDS = 10.0


class Guard(QObject):
    """``Guard()``: once ``watch`` is called, errors nobody caught arrive as ``trouble``, a sentence, from any thread."""

    trouble = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._said: dict[str, float] = {}

    def watch(self) -> None:
        """Take over from Python, which would end the process, and keep a trace of what no handler can catch."""
        sys.excepthook = self._uncaught
        threading.excepthook = self._uncaught_in_thread
        try:
            folder = state_folder() / "logs"
            folder.mkdir(parents=True, exist_ok=True)
            faulthandler.enable(open(folder / "desktop-crash.log", "a"))  # noqa: SIM115 - open until the end
        except OSError:
            pass

    def _uncaught(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt | SystemExit):
            sys.__excepthook__(kind, error, trace)
            return
        log.error("nobody caught this", exc_info=(kind, error, trace))
        # an open painter in a frame that is kept alive would take the window with it
        traceback.clear_frames(trace)
        self._say(kind, error)

    def _uncaught_in_thread(self, told: threading.ExceptHookArgs) -> None:
        if told.exc_value is not None and not issubclass(told.exc_type, SystemExit):
            log.error(
                "nobody caught this in %s",
                told.thread.name if told.thread else "a thread",
                exc_info=(told.exc_type, told.exc_value, told.exc_traceback),
            )
            self._say(told.exc_type, told.exc_value)

    def _say(self, kind: type[BaseException], error: BaseException) -> None:
        sentence = (
            f"Something went wrong here ({kind.__name__}: {error}). The window goes on, your batch is saved; "
            f"the detail is in {state_folder() / 'logs' / 'desktop.log'}."
        )[:500]
        now = time.monotonic()
        if now - self._said.get(sentence, -SAID_AGAIN_SECONDS) >= SAID_AGAIN_SECONDS:
            self._said[sentence] = now
            self.trouble.emit(sentence)


def leave_process(status: int) -> int:
    """End the process at once if a thread that can't be told to leave is still at work; else return the status."""
    busy = [t for t in threading.enumerate() if t is not threading.main_thread() and not t.daemon]
    if busy:
        logging.info("left while %s", ", ".join(thread.name for thread in busy))
        logging.shutdown()
        os._exit(status)
    return status
