"""*Range*: which part of a source, and what the picture will be.  Holds what is being marked; every edit is reported."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.ranges import (
    change_range,
    set_framing,
)
from chronocast.model.errors import ModelError
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.treatments import treatment_of
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.ui.commands import Actions
from chronocast.ui.desk.desk import Desk
from chronocast.ui.places.place import Touched
from chronocast.ui.places.range.ends_watch import EndsWatch
from chronocast.ui.places.range.framing import FramingDesk
from chronocast.ui.places.range.marking import MarkingDesk
from chronocast.ui.places.range.model import (
    DRAFT,
    MadeFile,
    range_sheet,
    with_draft,
)
from chronocast.ui.places.range.parts.film_band import Band, PieceBand
from chronocast.ui.places.range.parts.parts import RangeParts
from chronocast.ui.places.range.pictures import RangePictures
from chronocast.ui.places.range.player import Player
from chronocast.ui.places.range.standing import Standing
from chronocast.ui.places.range.taking import TakingDesk
from chronocast.ui.theme import Theme
from chronocast.ui.widgets.later import Later


class RangePlace(QWidget):
    """``RangePlace(theme)``; ``show_source`` says which source.

    ``edited`` brings (what, batch), ``preview`` a batch whose forecast would
    be of use (None: no longer), ``said`` and ``trouble`` sentences.
    """

    forecasts = True
    edited = pyqtSignal(str, object)
    preview = pyqtSignal(object)
    said = pyqtSignal(str)
    trouble = pyqtSignal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.standing = Standing()
        self.view: Outlook | None = None
        self.before: Outlook | None = None
        self.trial: tuple[Batch, Prospect, Outlook] | None = None
        self._stood: dict[str, int] = {}
        self.parts = parts = RangeParts(theme)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(parts)
        self.player = Player(self)
        self.watch = EndsWatch(self)
        self.pictures = RangePictures(self.standing, parts, self.watch, self)
        self.framing = FramingDesk(self.standing, parts, self)
        self.marking = MarkingDesk(self.standing, parts, self.player, self.pictures, self)
        self.taking = TakingDesk(self.standing, parts, theme, self)
        self.preview_later = Later(60, self._ask_preview, self)
        self._connect()

    def _connect(self) -> None:
        parts = self.parts
        self.player.moved.connect(self._moved)
        self.player.told.connect(self.said)
        self.pictures.after_wanted.connect(self.framing.ask_after)
        self.pictures.here_failed.connect(self._stop_at)
        self.pictures.ends_seen.connect(self.refresh)
        self.framing.after_wanted.connect(self.pictures.show_after)
        self.framing.switched.connect(self._switched)
        for desk in (self.framing, self.marking, self.taking):
            desk.edited.connect(self.edited)
            desk.said.connect(self.said)
            desk.trouble.connect(self.trouble)
            desk.tried.connect(self.preview_later.start)
        self.marking.changed.connect(self.refresh)
        self.marking.dragged.connect(self._dragged)
        self.taking.changed.connect(self.refresh)
        self.taking.let_go.connect(self._let_go)
        film = parts.film
        film.sought.connect(self.player.go)
        film.chosen.connect(self.choose)
        parts.sources.activated.connect(lambda n: self.show_source(str(parts.sources.itemData(n))))
        parts.table.row_chosen.connect(self.choose)
        parts.files.row_chosen.connect(self.choose_file)
        for button, do in (
            (parts.button_back, lambda: self.player.faster(-1)),
            (parts.button_on, lambda: self.player.faster(1)),
            (parts.button_play, self.player.play_or_stand),
            (parts.button_less, lambda: self.player.step(-1)),
            (parts.button_more, lambda: self.player.step(1)),
            (parts.mode_time, lambda: self.framing.switch(False)),
            (parts.mode_framing, lambda: self.framing.switch(True)),
        ):
            button.clicked.connect(lambda _=False, d=do: d())

    def commands(self) -> Actions:
        """What it does, by the ids of the table of commands."""
        player, framing, parts = self.player, self.framing, self.parts
        marking, taking = self.marking, self.taking
        return {
            "range.play_or_stand": player.play_or_stand,
            "range.backwards": lambda: player.faster(-1),
            "range.stand": player.stand,
            "range.forwards": lambda: player.faster(1),
            "range.frame_back": lambda: player.step(-1),
            "range.frame_on": lambda: player.step(1),
            "range.second_back": lambda: self.step_seconds(-1),
            "range.second_on": lambda: self.step_seconds(1),
            "range.first_frame": lambda: player.go(0),
            "range.last_frame": lambda: player.go(player.shuttle.frames - 1),
            "range.edit_before": lambda: self.step_edit(-1),
            "range.next_edit": lambda: self.step_edit(1),
            "range.mark_in": marking.mark_in,
            "range.mark_out": marking.mark_out,
            "range.go_to_in": lambda: self.go_to_end(False),
            "range.go_to_out": lambda: self.go_to_end(True),
            "range.play_range": self.play_range,
            "range.take": taking.take,
            "range.take_instead": lambda: taking.take(True),
            "range.drop_marks": taking.drop_marks,
            "range.mend": marking.mend,
            "range.next_source": lambda: self.next_source(1),
            "range.source_before": lambda: self.next_source(-1),
            "range.next_range": lambda: self.next_range(1),
            "range.range_before": lambda: self.next_range(-1),
            "range.next_file": lambda: self.next_file(1),
            "range.go_to_time": lambda: self.begin_typing(""),
            "range.switch_framing": lambda: framing.switch(not self.standing.framing),
            "range.set_centre": lambda: framing.set_key(True),
            "range.zoom_range": self.zoom_range,
            "range.zoom_all": parts.film.zoom_all,
            "range.rename": parts.name.setFocus,
            "range.split": taking.split,
            "range.originals": self.pictures.switch_originals,
        }

    # What is shown

    def show_desk(self, desk: Desk, touched: Touched) -> None:
        """Show another state of the batch or its forecast."""
        if not touched & {"batch", "forecast"}:
            return
        batch = desk.batch
        if not desk.careful:
            self.watch.look(batch, desk.prospect)
        if batch != self.standing.batch:
            self.trial = None
        self.standing.batch, self.standing.prospect = batch, desk.prospect
        self.view, self.before = desk.view, desk.before
        if batch.source(self.standing.source) is None:
            self.standing.source = batch.sources[0].id if batch.sources else ""
            self.standing.part, self.standing.output, self.standing.live = FULL, "", None
            self.pictures.loaded = self.framing.live = None
        if self.isVisible():
            self.refresh()

    def show_trial(self, batch: Batch, prospect: Prospect, view: Outlook) -> None:
        """What a preview came to."""
        self.trial = (batch, prospect, view)
        if self.isVisible():
            self.refresh()

    def show_source(self, source: str, part: str = FULL, output: str = "") -> None:
        """Go to a source, one of its ranges, one of its outputs."""
        if source != self.standing.source:
            self._remember()
            self.standing.source, self.trial, self.standing.live = source, None, None
            self.pictures.loaded = self.framing.live = None
            self.preview.emit(None)
            self.parts.name.clear()  # what was typed for the marks of another source
        self.standing.part = DRAFT if part == FULL and not output and source in self.standing.drafts else part
        self.standing.output = output
        self.refresh()
        row = self.standing.row()
        if row and part not in (FULL, DRAFT) and not row.start <= self.player.frame < row.stop:
            self.player.go(row.start)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self.player.stand()

    def enter(self) -> None:
        """Take the keyboard."""
        self.parts.film.setFocus()

    def leave(self) -> None:
        """End the processes."""
        self.player.close()
        self.watch.leave()
        self.pictures.viewer.leave()

    def refresh(self) -> None:
        """Say it all anew."""
        ready = self.standing.ready()
        seen = self.pictures.seen(self.standing.source, ready)
        sheet = range_sheet(
            self.standing.batch,
            self.standing.prospect,
            self.view,
            before=self.before,
            source=self.standing.source,
            draft=self.standing.draft,
            ends=seen,
        )
        trial = None
        if self.trial:
            trial = range_sheet(*self.trial, before=self.view, source=self.standing.source)
        if sheet and trial:
            asked = {output.id for output in self.standing.batch.outputs}
            files = tuple(replace(made, draft=made.output not in asked) for made in trial.files)
            sheet = replace(sheet, files=files, total=trial.total)
        self.standing.sheet = sheet
        if ready is not None and (self.pictures.loaded is None or self.pictures.loaded.cut != ready.cut):
            self._load(ready)
        if ready is None:
            self.player.load(None)
            self.pictures.clear()
        if sheet and sheet.row(self.standing.part) is None:
            self.standing.part = DRAFT if self.standing.part == DRAFT and sheet.row(DRAFT) else FULL
        self._choose_output()
        self.parts.show_sheet(
            sheet,
            self.standing.batch,
            self.standing.source,
            part=self.standing.part,
            output=self.standing.output,
            becoming=self.standing.becoming(),
            framing=self.standing.framing,
        )
        self._show_marks()
        self.framing.show()
        self.pictures.show()

    def _load(self, ready: SourceReady) -> None:
        sheet = self.standing.sheet
        if sheet is not None:
            self.pictures.load(ready, sheet.clock, sheet.shots)
            self.player.load(ready.cut, self._stood.get(self.standing.source, 0))
            QTimer.singleShot(400, self.player.warm_up)
            self._moved(self.player.frame, 0)

    def _dragged(self) -> None:
        self._show_marks()
        self.pictures.show()

    def _let_go(self) -> None:
        self.trial = None
        self.preview.emit(None)
        self.refresh()

    def _switched(self) -> None:
        self.pictures.asked = {}
        self.refresh()

    def _stop_at(self, frame: int, sentence: str) -> None:
        """The picture shown can't be had: what plays stops there and says why."""
        sheet = self.standing.sheet
        if sheet is not None and self.player.shuttle.moving:
            self.player.stand()
            self.trouble.emit(f"{sheet.title} stops at {sheet.clock.timecode(frame)}: {sentence}")

    def _moved(self, frame: int, ahead: int) -> None:
        self.standing.frame = frame
        self.parts.film.set_here(frame)
        if self.standing.sheet is not None:
            self.parts.say_here(self.standing.sheet.clock, frame, self.player.shuttle.speed)
        if self.standing.framing:
            self.framing.show()
        self.pictures.ask_here(frame, ahead)

    def _remember(self) -> None:
        if self.standing.source:
            self._stood[self.standing.source] = self.player.frame

    def _choose_output(self) -> None:
        files = self.standing.sheet.files if self.standing.sheet else ()
        mine = [made for made in files if made.part == self.standing.part]
        if not any(made.output == self.standing.output for made in mine):
            self.standing.output = (mine or [MadeFile("", "", "", "", "", False, "", "")])[0].output

    def _show_marks(self) -> None:
        sheet, part = self.standing.sheet, self.standing.now()
        if sheet is None or part is None:
            self.parts.film.set_marks(None)
            return
        parts, clock = self.parts, sheet.clock
        whole = self.standing.part == FULL and self.standing.live is None
        parts.film.set_marks((part.start, part.stop))
        bands = tuple(
            Band(
                row.part,
                row.name,
                part.start if row.part == self.standing.part else row.start,
                part.stop if row.part == self.standing.part else row.stop,
                row.part == self.standing.part,
                row.part == DRAFT,
            )
            for row in sheet.rows
            if row.part != FULL
        )
        parts.film.set_bands(bands, self._pieces(), self.framing.key_frames())
        parts.field_in.say(clock.timecode(part.start))
        parts.field_last.say(clock.timecode(part.stop - 1))
        parts.field_out.say(clock.timecode(part.stop))
        parts.field_length.say(clock.length(len(part)))
        parts.say_length(clock, part, whole)
        parts.first.set_caption(f"first picture  {clock.timecode(part.start)}")
        parts.last.set_caption(f"last picture in the file  {clock.timecode(part.stop - 1)}")
        row = self.standing.row()
        parts.say_ends(
            row.note if row and self.standing.live is None else "", self.marking.mended() is not None
        )

    def _pieces(self) -> tuple[PieceBand, ...]:
        """The piece map of the chosen file."""
        item = self.view.output(self.standing.output) if self.view and self.standing.output else None
        if item is None or self.standing.live is not None:
            return ()
        ready, found, at = item.ready, [], 0
        step = ready.source.cut.rate / ready.plan.rate
        for piece in ready.plan.pieces:
            first = ready.part.start + float(at * step)
            at += piece.frames
            found.append(
                PieceBand(first, ready.part.start + float(at * step), treatment_of(item, piece.name))
            )
        return tuple(found)

    # Choosing

    def choose(self, part: str) -> None:
        """Another range."""
        if part != self.standing.part:
            self.standing.live = self.framing.live = None
            self.standing.part = part
            row = self.standing.row()
            self.refresh()
            if row and part != FULL and not row.start <= self.player.frame < row.stop:
                self.player.go(row.start)

    def choose_file(self, output: str) -> None:
        """Another file: its range with it."""
        made = self.standing.sheet.file(output) if self.standing.sheet else None
        if made and output != self.standing.output:
            self.standing.output, self.framing.live = output, None
            if made.part != self.standing.part and self.standing.batch.output(output):
                self.standing.part = made.part
            self.refresh()

    def next_source(self, step: int) -> None:
        """The next source, or the one before."""
        names = [source.id for source in self.standing.batch.sources]
        if not names:
            return
        at = names.index(self.standing.source) + step if self.standing.source in names else 0
        if not 0 <= at < len(names):
            self.said.emit("This is the last source." if step > 0 else "This is the first source.")
            return
        self.show_source(names[at])
        self.said.emit(f"{self.standing.batch.sources[at].name}, source {at + 1} of {len(names)}.")

    def next_range(self, step: int) -> None:
        """The next range of the source, round and round."""
        rows = self.standing.sheet.rows if self.standing.sheet else ()
        at = next((n for n, row in enumerate(rows) if row.part == self.standing.part), 0)
        if rows:
            self.choose(rows[(at + step) % len(rows)].part)

    def take_over(self, other: RangePlace) -> None:
        """Stand where another one stands: a window made anew shows what the old one did."""
        other._remember()
        self.standing.source, self.standing.part, self.standing.output = (
            other.standing.source,
            other.standing.part,
            other.standing.output,
        )
        self.standing.drafts, self.standing.recipes, self.standing.framing, self._stood = (
            other.standing.drafts,
            other.standing.recipes,
            other.standing.framing,
            other._stood,
        )

    # Going

    def step_seconds(self, seconds: int) -> None:
        """Some seconds on, or back."""
        if self.standing.sheet:
            self.player.step(round(self.standing.sheet.clock.rate * seconds))

    def step_edit(self, way: int) -> None:
        """To the next edit, or the one before."""
        here = self.player.frame
        edges = [
            0,
            *(self.standing.sheet.shots if self.standing.sheet else ()),
            max(0, self.player.shuttle.frames - 1),
        ]
        found = [edge for edge in edges if (edge > here if way > 0 else edge < here)]
        if found:
            self.player.go(min(found) if way > 0 else max(found))

    def go_to_end(self, last: bool) -> None:
        """To the first or the last picture of the range."""
        if part := self.standing.now():
            self.player.go(part.stop - 1 if last else part.start)

    def play_range(self) -> None:
        """From its first picture to its last."""
        if part := self.standing.now():
            self.player.go(part.start)
            self.player.play(Fraction(1), part.stop - 1)

    def zoom_range(self) -> None:
        """The range, large, on the filmstrip."""
        if part := self.standing.now():
            self.parts.film.zoom_to(part.start, part.stop)

    def begin_typing(self, text: str) -> None:
        """A figure was typed somewhere: it goes into the field for the place to go to."""
        field = self.parts.field_go
        field.setFocus()
        field.setText(text)
        field.setModified(True)

    def next_file(self, step: int) -> None:
        """The next file of the source, round and round; its range with it."""
        files = [
            made for made in (self.standing.sheet.files if self.standing.sheet else ()) if not made.draft
        ]
        at = next((n for n, made in enumerate(files) if made.output == self.standing.output), -1)
        if files:
            self.choose_file(files[(at + step) % len(files)].output)

    def _ask_preview(self) -> None:
        """What it would come to, before it is an edit."""
        batch = self.standing.batch
        part = self.standing.live or (
            self.standing.draft.part(self.standing.sheet.clock.frames)
            if self.standing.sheet and self.standing.part == DRAFT
            else None
        )
        try:
            if self.framing.live is not None and self.standing.output:
                batch = set_framing(batch, [self.standing.output], self.framing.live)
            elif part is not None and self.standing.part in (FULL, DRAFT):
                batch, _ = with_draft(batch, self.standing.source, part, self.standing.becoming())
            elif part is not None:
                batch = change_range(batch, self.standing.source, self.standing.part, part)
        except ModelError:
            return
        self.preview.emit(batch)
