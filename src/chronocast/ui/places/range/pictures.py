"""The pictures of *Range*: asked for, shown when they come, stood for while they don't, and what failed said."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QWidget

from chronocast.model.picture.geometry import View
from chronocast.model.source.range_ends import End
from chronocast.model.source.source_clock import SourceClock
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.ui.desk.viewer import Viewer
from chronocast.ui.places.range.ends_watch import Ends, EndsWatch
from chronocast.ui.places.range.parts.parts import RangeParts
from chronocast.ui.places.range.standing import Standing
from chronocast.ui.widgets.later import Later
from chronocast.ui.widgets.picture import PictureBox

PATIENCE_MS = 45
"""After so long, the nearest picture stands for the one that was asked for."""


class RangePictures(QObject):
    """``RangePictures(standing, parts, watch)``: ``load`` a source, ``ask_here`` where it stands, ``show`` its ends.

    ``after_wanted`` asks for the picture of the file at a frame; ``here_failed``
    says that the picture shown can't be had (frame, sentence); ``ends_seen``
    that more is known of the ends of ranges.
    """

    after_wanted = pyqtSignal(int)
    here_failed = pyqtSignal(int, str)
    ends_seen = pyqtSignal()

    def __init__(self, standing: Standing, parts: RangeParts, watch: EndsWatch, parent: QWidget) -> None:
        super().__init__(parent)
        self.standing, self.parts, self.watch = standing, parts, watch
        self.viewer = Viewer(self)
        self.loaded: SourceReady | None = None
        self.asked: dict[str, tuple[object, ...]] = {}
        self._waiting = -1
        self._patience = Later(PATIENCE_MS, self._show_nearest, self)
        self._ends_later = Later(250, self._ask_ends, self)
        self.originals = False
        self.viewer.picture.connect(self.came)
        self.viewer.proxied.connect(self._came_from)
        self.viewer.still.connect(self._still_came)
        self.viewer.ends.connect(self._ends_came)
        self.viewer.failed.connect(self._failed)
        parts.film.want.connect(lambda frames, w, h: self.viewer.strip(standing.source, frames, (w, h)))
        for box in (parts.first, parts.last, parts.here, parts.after):
            box.resized.connect(lambda: QTimer.singleShot(0, self.show))

    def load(self, ready: SourceReady, clock: SourceClock, edges: tuple[int, ...]) -> None:
        """Another source, or another cut of it: nothing is shown of it yet."""
        self.loaded, self.asked = ready, {}
        cut, parts = ready.cut, self.parts
        for box in (parts.first, parts.last, parts.here, parts.after):
            box.show_image(None, -1)
        parts.set_shape(cut.width / cut.height)
        parts.film.show_source(clock, cut.width / cut.height, edges)
        self.viewer.open(self.standing.source, cut, originals=self.originals)

    def look_again(self) -> None:
        """What is shown is read anew: from proxies where there are any now, or from the originals."""
        if self.loaded is None:
            return
        self.viewer.open(self.standing.source, self.loaded.cut, originals=self.originals)
        self.asked = {}
        self.ask_here(self.standing.frame)
        self.show()

    def switch_originals(self) -> None:
        """Look at the originals instead of proxies, or at these again."""
        self.originals = not self.originals
        self.look_again()

    def _box(self, slot: str) -> PictureBox | None:
        parts = self.parts
        return {"here": parts.here, "first": parts.first, "last": parts.last, "after": parts.after}.get(slot)

    def _came_from(self, slot: str, proxy: bool) -> None:
        if (box := self._box(slot)) is not None:
            box.from_proxy = proxy

    def clear(self) -> None:
        """There is no source, or none that can be used: nothing of another one stays."""
        self.loaded, self.asked, self._waiting = None, {}, -1
        self._patience.stop()
        parts = self.parts
        for box in (parts.first, parts.last, parts.here, parts.after):
            box.show_image(None, -1)
            box.set_caption("")
        parts.film.show_source(SourceClock(), 16 / 9, ())
        parts.say_nothing()

    def seen(self, source: str, ready: SourceReady | None) -> dict[tuple[int, int], Ends]:
        """What was seen at the ends of ranges of a source, as long as its cut is the same."""
        return self.watch.known(source, ready)

    def ask_here(self, frame: int, ahead: int = 0) -> None:
        """Ask for the picture of a frame; ``ahead`` is where it goes next."""
        if self.loaded is None or not self.parts.isVisible():
            return
        self._waiting = frame
        self.viewer.show("here", self.standing.source, frame, self.parts.here.wanted_size(), ahead=ahead)
        if self.standing.framing:
            self.after_wanted.emit(frame)
        if not self._patience.isActive():
            self._patience.start()

    def _show_nearest(self) -> None:
        """The one that was asked for hasn't come in time: the nearest stands for it."""
        here = self.parts.here
        if self._waiting < 0 or here.message:
            return
        near = self.parts.film.nearest_still(self._waiting)
        if near and (here.image is None or abs(near[0] - self._waiting) < abs(here.frame - self._waiting)):
            here.show_image(near[1], near[0], near=True)
        elif here.image is not None and here.frame != self._waiting:
            here.show_image(here.image, here.frame, near=True)

    def came(self, slot: str, source: str, frame: int, image: QImage) -> None:
        """A picture that was asked for is here."""
        if source != self.standing.source or self.loaded is None:
            return
        if slot == "here":
            if frame == self._waiting:
                self._waiting = -1
                self._patience.stop()
            self.parts.here.show_image(image, frame)
        elif (box := self._box(slot)) is not None:
            box.show_image(image, frame)

    def _still_came(self, source: str, frame: int, image: QImage) -> None:
        if source == self.standing.source and self.loaded is not None:
            self.parts.film.add_still(frame, image)

    def _failed(self, slot: str, source: str, frame: int, sentence: str) -> None:
        if source != self.standing.source or self.standing.sheet is None:
            return
        box = self._box(slot)
        if box is None:
            return
        if slot == "here":
            self._waiting = -1
            self._patience.stop()
            self.here_failed.emit(frame, sentence)
            self._waiting = -1
        box.show_message(sentence)

    def show_after(self, frame: int, size: tuple[int, int], view: View, first: int, rate: str) -> None:
        """Ask for the picture of the file at a frame of the source."""
        if self.loaded is not None:
            self.viewer.show("after", self.standing.source, frame, size, view, first=first, rate=rate)

    def show(self) -> None:
        """Ask for the first and last picture where they are others, or the room for them is."""
        part = self.standing.now()
        if self.loaded is None or part is None or not self.parts.isVisible():
            return
        wanted = {
            "first": (self.parts.first, part.start),
            "last": (self.parts.last, part.stop - 1),
        }
        if not self.standing.framing:
            for slot, (box, frame) in wanted.items():
                asked = (self.standing.source, frame, box.wanted_size())
                if self.asked.get(slot) != asked:
                    self.asked[slot] = asked
                    self.viewer.show(slot, *asked)
        frame = self.standing.frame
        asked_here = (self.standing.source, self.parts.here.wanted_size(), self.standing.framing)
        if self.asked.get("here") != asked_here:
            self.asked["here"] = asked_here
            self.ask_here(frame)
        elif self.standing.framing:
            self.after_wanted.emit(frame)
        row = self.standing.row()
        if row and self.standing.live is None and not row.note:
            self._ends_later.start()

    def _ask_ends(self) -> None:
        row, ready = self.standing.row(), self.standing.ready()
        if row is None or ready is None or self.loaded is None or len(row.range) < 4:
            return
        known = self.seen(self.standing.source, ready)
        if (row.start, row.stop) not in known:
            self.viewer.look_at_ends(self.standing.source, row.start, row.stop)

    def _ends_came(self, source: str, start: int, stop: int, first: End | None, last: End | None) -> None:
        ready = self.standing.prospect.sources.get(source) if self.standing.prospect else None
        self.seen(source, ready)[(start, stop)] = (first, last)
        if source == self.standing.source:
            self.ends_seen.emit()
