"""Looks at the ends of every range that files are made of, one after another, while nobody waits."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.source.range_ends import End
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.ui.desk.viewer import Viewer
from chronocast.ui.widgets.later import Later

Ends = tuple[End | None, End | None]
MOST = 400
"""More ranges than these are looked at when they are chosen."""


class EndsWatch(QObject):
    """``EndsWatch()``: ``look`` at a batch; ``seen`` when something new is known of a range.

    What is known is kept by source, as long as its cut stays the same.
    """

    seen = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._known: dict[tuple[str, str], dict[tuple[int, int], Ends]] = {}
        self._waiting: list[tuple[str, int, int]] = []
        self._now: tuple[str, int, int] | None = None
        self._opened: SourceReady | None = None
        self._ready: dict[str, SourceReady] = {}
        self._viewer: Viewer | None = None
        self._later = Later(1500, self._next, self)

    def known(self, source: str, ready: SourceReady | None) -> dict[tuple[int, int], Ends]:
        """What was seen of a source's ranges."""
        mark = (
            f"{ready.mark} {[m.fingerprint for m in ready.cut.media][:40]} {ready.cut.frames}"
            if ready
            else ""
        )
        return self._known.setdefault((source, mark), {})

    def look(self, batch: Batch, prospect: Prospect | None) -> None:
        """Look at what hasn't been looked at of a batch, soon."""
        if prospect is None:
            return
        self._ready = prospect.sources
        ranged = {source.id for source in batch.sources if source.ranges}
        asked = {(one.source, one.range) for one in batch.outputs if one.range != FULL} if ranged else set()
        self._waiting = [
            (source.id, part.start, part.stop)
            for source in batch.sources
            if source.id in ranged and (ready := prospect.sources.get(source.id))
            for part in source.ranges
            if (source.id, part.id) in asked
            and part.stop <= ready.cut.frames
            and (part.start, part.stop) not in self.known(source.id, ready)
        ][:MOST]
        if self._waiting and self._now is None:
            self._later.start()

    def notes(self) -> dict[tuple[str, int, int], str]:
        """What is wrong, in a sentence, by source, first frame and the one after the last."""
        looked_at = {source for (source, _), ends in self._known.items() if ends}
        return {
            (source, start, stop): " ".join(
                end.told(last) for end, last in zip(ends, (False, True), strict=True) if end
            )
            for source, ready in self._ready.items()
            if source in looked_at
            for (start, stop), ends in self.known(source, ready).items()
            if any(ends)
        }

    def leave(self) -> None:
        """End the process."""
        self._later.stop()
        if self._viewer is not None:
            self._viewer.leave()

    def _next(self) -> None:
        if not self._waiting:
            self._now = None
            if self._viewer is not None:  # it isn't needed again soon, and holds memory
                self._viewer.leave()
                self._viewer, self._opened = None, None
            return
        source, start, stop = self._now = self._waiting.pop(0)
        ready = self._ready.get(source)
        if ready is None:
            self._next()
            return
        if self._viewer is None:
            self._viewer = Viewer(self)
            self._viewer.ends.connect(self._came)
            self._viewer.failed.connect(self._failed)
        if self._opened is None or self._opened.cut is not ready.cut:
            self._opened = ready
            self._viewer.open(source, ready.cut)
        self._viewer.look_at_ends(source, start, stop)

    def _came(self, source: str, start: int, stop: int, first: End | None, last: End | None) -> None:
        self.known(source, self._ready.get(source))[(start, stop)] = (first, last)
        if first or last:
            self.seen.emit()
        self._next()

    def _failed(self, _slot: str, source: str, _frame: int, _sentence: str) -> None:
        if self._now and self._now[0] == source:  # that it can't be decoded is said where it is looked at
            self.known(source, self._ready.get(source))[self._now[1:]] = (None, None)
            self._next()
