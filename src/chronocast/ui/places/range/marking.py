"""What *Range* does about marking: in and out of a range, by key, by drag, by typing; and stray pictures at its ends."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from chronocast.model.batch.batch import FULL
from chronocast.model.batch.ranges import change_range, checked
from chronocast.model.errors import ModelError
from chronocast.model.time.timing import FrameRange
from chronocast.ui.places.range.model import DRAFT, Draft
from chronocast.ui.places.range.parts.parts import RangeParts
from chronocast.ui.places.range.pictures import RangePictures
from chronocast.ui.places.range.player import Player
from chronocast.ui.places.range.standing import Standing


class MarkingDesk(QObject):
    """``MarkingDesk(standing, parts, player, pictures)``: the ends of the chosen range, or of what is marked anew.

    ``edited`` brings (what, batch); ``changed`` says that something else is marked, ``dragged`` that an end is
    being dragged, ``tried`` that its forecast would be of use.
    """

    edited = pyqtSignal(str, object)
    changed = pyqtSignal()
    dragged = pyqtSignal()
    tried = pyqtSignal()
    said = pyqtSignal(str)
    trouble = pyqtSignal(str)

    def __init__(
        self, standing: Standing, parts: RangeParts, player: Player, pictures: RangePictures, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.standing, self.parts, self.player, self.pictures = standing, parts, player, pictures
        parts.film.marking.connect(self.drag)
        parts.film.marked.connect(self.drop)
        parts.field_in.given.connect(lambda text: self.typed("in", text))
        parts.field_last.given.connect(lambda text: self.typed("last", text))
        parts.field_out.given.connect(lambda text: self.typed("out", text))
        parts.field_length.given.connect(lambda text: self.typed("length", text))
        parts.field_go.given.connect(lambda text: self.typed("go", text))
        parts.mend.clicked.connect(self.mend)
        parts.button_in.clicked.connect(self.mark_in)
        parts.button_out.clicked.connect(self.mark_out)

    def mark_in(self) -> None:
        """The picture shown is the first one."""
        part, frame = self.standing.now(), self.player.frame
        if part is not None:
            self._set_ends(frame, part.stop, "in")

    def mark_out(self) -> None:
        """The picture shown is the last one."""
        part, frame = self.standing.now(), self.player.frame
        if part is not None:
            self._set_ends(part.start, frame + 1, "out")

    def _set_ends(self, start: int, stop: int, end: str) -> bool:
        """Set in or out of the chosen range, or of what is being marked; False when it can't be."""
        sheet = self.standing.sheet
        if sheet is None:
            return False
        if self.standing.part in (FULL, DRAFT):
            have = self.standing.draft
            if end == "in":
                draft = Draft(start, have.stop if have.stop is None or have.stop > start else None)
                stop = draft.stop or sheet.clock.frames
            elif end == "out":
                draft = Draft(have.start if have.start is None or have.start < stop else None, stop)
                start = draft.start or 0
            else:
                draft = Draft(start, stop)
        try:
            part = checked(start, stop, sheet.clock.frames, sheet.title)
        except ModelError as error:
            self.trouble.emit(str(error))
            return False
        self.standing.live = None
        if self.standing.part in (FULL, DRAFT):
            self.standing.drafts[self.standing.source], self.standing.part = draft, DRAFT
            self.tried.emit()
            self.changed.emit()
        else:
            row = self.standing.row()
            new = change_range(self.standing.batch, self.standing.source, self.standing.part, part)
            self.edited.emit(f"trim {row.name if row else 'a range'}", new)
        return True

    def drag(self, start: int, stop: int) -> None:
        """An end is being dragged."""
        self.standing.live = FrameRange(start, stop)
        self.dragged.emit()
        self.tried.emit()

    def drop(self, start: int, stop: int) -> None:
        """A dragged end was let go."""
        self.standing.live = None
        row = self.standing.row()
        if row and (row.start, row.stop) == (start, stop):
            self.changed.emit()
            return
        if self.standing.part in (FULL, DRAFT):
            frames = self.standing.sheet.clock.frames if self.standing.sheet else 0
            have = self.standing.draft
            keep_in = start if start > 0 or have.start is not None else None
            self.standing.drafts[self.standing.source] = Draft(
                keep_in, stop if stop < frames or have.stop is not None else None
            )
            self.standing.part = DRAFT
            self.tried.emit()
            self.changed.emit()
        else:
            self._set_ends(start, stop, "both")

    def typed(self, what: str, text: str) -> None:
        """A time was typed."""
        sheet, part = self.standing.sheet, self.standing.now()
        field = getattr(self.parts, f"field_{what}")
        if sheet is None or part is None:
            return
        try:
            if what == "length":
                frame = part.start + sheet.clock.span(text) - 1
                good = self._set_ends(part.start, frame + 1, "out")
            else:
                here = {"in": part.start, "last": part.stop - 1, "out": part.stop, "go": self.player.frame}[
                    what
                ]
                frame = sheet.clock.typed(text, here)
                if what == "go":
                    good = 0 <= frame < sheet.clock.frames
                    if good:
                        self.player.go(frame)
                    else:
                        self.trouble.emit(
                            f"{sheet.title} has no frame at {text.strip()}: it goes from {sheet.clock.timecode(0)} to "
                            f"{sheet.clock.timecode(sheet.clock.frames - 1)}."
                        )
                elif what == "in":
                    good = self._both(frame, part.stop, "in")
                else:
                    good = self._both(part.start, frame + (what == "last"), "out")
        except ModelError as error:
            self.trouble.emit(str(error))
            good = False
        if good:
            field.settle()
            if what != "go":
                self.player.go(sheet.clock.inside(frame))
        else:
            field.refuse()

    def _both(self, start: int, stop: int, end: str) -> bool:
        """A typed end: in after out is refused, not guessed at."""
        sheet = self.standing.sheet
        if sheet is None:
            return False
        checked(start, stop, sheet.clock.frames, sheet.title)
        return self._set_ends(start, stop, end)

    def mended(self) -> FrameRange | None:
        """The chosen range without the pictures it shouldn't have."""
        row, ready = self.standing.row(), self.standing.ready()
        if row is None or ready is None:
            return None
        if row.stop > ready.cut.frames > row.start:
            return FrameRange(row.start, ready.cut.frames)
        seen = self.pictures.seen(self.standing.source, ready).get((row.start, row.stop))
        if seen is None or seen == (None, None):
            return None
        first, last = seen
        start, stop = row.start + (first.frames if first else 0), row.stop - (last.frames if last else 0)
        return FrameRange(start, stop) if start < stop else None

    def mend(self) -> None:
        """Leave out the stray pictures at the ends."""
        part = self.mended()
        if part is None:
            self.said.emit("Nothing is wrong at the ends of this range.")
            return
        if self._set_ends(part.start, part.stop, "both"):
            self.player.go(part.stop - 1)
            self.said.emit(
                "Mended: the stray pictures are left out."
                + (" Return takes it." if self.standing.part == DRAFT else "")
            )
