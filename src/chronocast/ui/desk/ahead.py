"""Pieces encoded ahead while the desktop is open: begun, told of, stopped at any time; what is done is kept."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from chronocast.ui.desk.to_go import ToGo
from chronocast.ui.desk.workers import errand

if TYPE_CHECKING:
    from chronocast.journal.workspace import Workspace
    from chronocast.preparation.asked.probes import Probe


class AheadWork(QObject):
    """``AheadWork(workspace)``: ``told`` brings how far it is, in words; ``over`` how many pieces were made; ``failed`` a sentence."""

    told = pyqtSignal(str)
    over = pyqtSignal(int)
    failed = pyqtSignal(str)

    def __init__(self, workspace: Workspace, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.workspace = workspace
        self._stop: threading.Event | None = None

    @property
    def going(self) -> bool:
        """Whether pieces are being encoded."""
        return self._stop is not None

    def begin(self, pieces: Sequence[Probe], words: str) -> None:
        """Encode pieces; ``words`` begin what is told meanwhile."""
        stop, to_go = threading.Event(), ToGo()
        to_go.left(0.0)
        self._stop = stop
        whole = sum(probe.seconds for probe in pieces)

        def progress(done: int, count: int) -> None:
            share = sum(probe.seconds for probe in pieces[:done]) / max(0.001, whole)
            self.told.emit(f"{words}: {done} of {count}{to_go.left(share)}")

        def work() -> int:
            from chronocast.crew.local.probing import carry_out_probes

            return carry_out_probes(pieces, self.workspace, progress, stop.is_set)

        self.told.emit(f"{words}: 0 of {len(pieces)}")
        errand(work, self._ended(self.over.emit), self._ended(self.failed.emit))

    def _ended(self, tell: Callable[..., None]) -> Callable[..., None]:
        def ended(what: object) -> None:
            self._stop = None
            tell(what)

        return ended

    def stop(self) -> None:
        """Stop it; pieces that are finished are in the stock."""
        if self._stop is not None:
            self._stop.set()
