"""Things that are done a while after they were asked for, or once whoever asks is out of the way."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtBoundSignal


class Later(QTimer):
    """``Later(milliseconds, do, parent)``: ``start`` asks for it (again: it waits anew), ``stop`` takes that back."""

    def __init__(self, milliseconds: int, do: Callable[[], object], parent: QObject) -> None:
        super().__init__(parent)
        self.setSingleShot(True)
        self.setInterval(milliseconds)
        self.timeout.connect(do)


def queue(signal: pyqtBoundSignal, slot: Callable[..., object]) -> None:
    """Connect a slot that is called once the signal's sender is out of its own hands, as it may be deleted by it."""
    signal.connect(slot, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]
