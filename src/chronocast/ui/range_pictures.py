"""The pictures of *Range*: asked for, shown when they come, stood for while they don't, and what failed said."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QImage

from chronocast.model.clock import SourceClock
from chronocast.model.ends import End
from chronocast.run.prepare import SourceReady
from chronocast.ui.ends_watch import Ends
from chronocast.ui.viewer import Viewer

if TYPE_CHECKING:
    from chronocast.ui.range_place import RangePlace

PATIENCE_MS = 45
"""After so long, the nearest picture stands for the one that was asked for."""


class RangePictures(QObject):
    """``RangePictures(place)``: ``load`` a source, ``moved`` where it stands, ``show`` the first and the last."""

    def __init__(self, place: RangePlace) -> None:
        super().__init__(place)
        self.place = place
        self.viewer = Viewer(self)
        self.loaded: SourceReady | None = None
        self.asked: dict[str, tuple[object, ...]] = {}
        self._waiting = -1
        self._patience = QTimer(self)
        self._patience.setSingleShot(True)
        self._patience.setInterval(PATIENCE_MS)
        self._patience.timeout.connect(self._show_nearest)
        self._ends_later = QTimer(self)
        self._ends_later.setSingleShot(True)
        self._ends_later.setInterval(250)
        self._ends_later.timeout.connect(self._ask_ends)
        self.viewer.picture.connect(self.came)
        self.viewer.still.connect(self._still_came)
        self.viewer.ends.connect(self._ends_came)
        self.viewer.failed.connect(self._failed)
        parts = place.parts
        parts.film.want.connect(lambda frames, w, h: self.viewer.strip(place.source, frames, (w, h)))
        for box in (parts.first, parts.last, parts.here, parts.after):
            box.resized.connect(lambda: QTimer.singleShot(0, self.show))

    def load(self, ready: SourceReady, clock: SourceClock, edges: tuple[int, ...]) -> None:
        """Another source, or another cut of it: nothing is shown of it yet."""
        self.loaded, self.asked = ready, {}
        cut, parts = ready.cut, self.place.parts
        for box in (parts.first, parts.last, parts.here, parts.after):
            box.show_image(None, -1)
        parts.set_shape(cut.width / cut.height)
        parts.film.show_source(clock, cut.width / cut.height, edges)
        self.viewer.open(self.place.source, cut)

    def clear(self) -> None:
        """There is no source, or none that can be used: nothing of another one stays."""
        self.loaded, self.asked, self._waiting = None, {}, -1
        self._patience.stop()
        parts = self.place.parts
        for box in (parts.first, parts.last, parts.here, parts.after):
            box.show_image(None, -1)
            box.set_caption("")
        parts.film.show_source(SourceClock(), 16 / 9, ())
        parts.say_nothing()

    def seen(self, source: str, ready: SourceReady | None) -> dict[tuple[int, int], Ends]:
        """What was seen at the ends of ranges of a source, as long as its cut is the same."""
        return self.place.watch.known(source, ready)

    def ask_here(self, frame: int, ahead: int = 0) -> None:
        """Ask for the picture of a frame; ``ahead`` is where it goes next."""
        if self.loaded is None or not self.place.isVisible():
            return
        self._waiting = frame
        self.viewer.show("here", self.place.source, frame, self.place.parts.here.wanted_size(), ahead=ahead)
        if self.place.framing.on:
            self.place.framing.ask_after(frame)
        if not self._patience.isActive():
            self._patience.start()

    def _show_nearest(self) -> None:
        """The one that was asked for hasn't come in time: the nearest stands for it."""
        here = self.place.parts.here
        if self._waiting < 0 or here.message:
            return
        near = self.place.parts.film.nearest_still(self._waiting)
        if near and (here.image is None or abs(near[0] - self._waiting) < abs(here.frame - self._waiting)):
            here.show_image(near[1], near[0], near=True)
        elif here.image is not None and here.frame != self._waiting:
            here.show_image(here.image, here.frame, near=True)

    def came(self, slot: str, source: str, frame: int, image: QImage) -> None:
        """A picture that was asked for is here."""
        if source != self.place.source or self.loaded is None:
            return
        if slot == "here":
            if frame == self._waiting:
                self._waiting = -1
                self._patience.stop()
            self.place.parts.here.show_image(image, frame)
        else:
            {"first": self.place.parts.first, "last": self.place.parts.last, "after": self.place.parts.after}[
                slot
            ].show_image(image, frame)

    def _still_came(self, source: str, frame: int, image: QImage) -> None:
        if source == self.place.source and self.loaded is not None:
            self.place.parts.film.add_still(frame, image)

    def _failed(self, slot: str, source: str, frame: int, sentence: str) -> None:
        if source != self.place.source or self.place.sheet is None:
            return
        box = {
            "here": self.place.parts.here,
            "first": self.place.parts.first,
            "last": self.place.parts.last,
            "after": self.place.parts.after,
        }.get(slot)
        if box is None:
            return
        if slot == "here":
            self._waiting = -1
            self._patience.stop()
            if self.place.player.shuttle.moving:
                self.place.player.stand()
                self._waiting = -1
                self.place.trouble.emit(
                    f"{self.place.sheet.title} stops at {self.place.sheet.clock.timecode(frame)}: {sentence}"
                )
        box.show_message(sentence)

    def show(self) -> None:
        """Ask for the first and last picture where they are others, or the room for them is."""
        part = self.place.now()
        if self.loaded is None or part is None or not self.place.isVisible():
            return
        wanted = {
            "first": (self.place.parts.first, part.start),
            "last": (self.place.parts.last, part.stop - 1),
        }
        if not self.place.framing.on:
            for slot, (box, frame) in wanted.items():
                asked = (self.place.source, frame, box.wanted_size())
                if self.asked.get(slot) != asked:
                    self.asked[slot] = asked
                    self.viewer.show(slot, *asked)
        frame = self.place.player.frame
        asked_here = (self.place.source, self.place.parts.here.wanted_size(), self.place.framing.on)
        if self.asked.get("here") != asked_here:
            self.asked["here"] = asked_here
            self.ask_here(frame)
        elif self.place.framing.on:
            self.place.framing.ask_after(frame)
        row = self.place.row()
        if row and self.place.live is None and not row.note:
            self._ends_later.start()

    def _ask_ends(self) -> None:
        row, ready = self.place.row(), self.place.ready()
        if row is None or ready is None or self.loaded is None or len(row.range) < 4:
            return
        known = self.seen(self.place.source, ready)
        if (row.start, row.stop) not in known:
            self.viewer.look_at_ends(self.place.source, row.start, row.stop)

    def _ends_came(self, source: str, start: int, stop: int, first: End | None, last: End | None) -> None:
        ready = self.place.prospect.sources.get(source) if self.place.prospect else None
        self.seen(source, ready)[(start, stop)] = (first, last)
        if source == self.place.source:
            self.place.refresh()
