"""The parts of *Range* on the screen and how they lie; what they say comes from the sheet."""

from __future__ import annotations

from fractions import Fraction

from PyQt6.QtCore import QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from chronocast.model.batch.batch import FULL, Batch, Source
from chronocast.model.batch.extent import Extent, short_time
from chronocast.model.batch.ranges import next_name
from chronocast.model.source.source_clock import SourceClock
from chronocast.model.time.timing import FrameRange
from chronocast.ui.places.range.model import DRAFT, RangeRow, RangeSheet
from chronocast.ui.places.range.parts.crop_picture import CropPicture
from chronocast.ui.places.range.parts.film_band import FilmBand
from chronocast.ui.places.range.parts.framing_page import FramingPage
from chronocast.ui.places.range.parts.tables import FileTable, RangeTable
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets.later import Later
from chronocast.ui.widgets.picture import PictureBox
from chronocast.ui.widgets.short_label import ShortLabel
from chronocast.ui.widgets.time_field import Line, TimeField


class Becomes(QToolButton):
    """Which recipes new ranges become outputs of."""

    changed = pyqtSignal(tuple)

    def __init__(self) -> None:
        super().__init__()
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.setFont(font(13, narrow=True))
        self.setToolTip("What a range that is taken becomes: outputs of these recipes")
        self.choices = QMenu(self)
        self.setMenu(self.choices)

    def show_recipes(self, recipes: tuple[tuple[str, str], ...], chosen: tuple[str, ...]) -> None:
        """Say the recipes, and which are chosen."""
        self.choices.clear()
        for name, words in recipes:
            action = self.choices.addAction(words)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(name in chosen)
            action.triggered.connect(
                lambda on, n=name, c=chosen: self.changed.emit(tuple(x for x in (*c, n) if on or x != n))
            )
        names = [words.split(",")[0] for name, words in recipes if name in chosen]
        self.setText(
            "new ranges become: " + (", ".join(names) if len(names) <= 2 else f"{len(names)} recipes")
            if names
            else "new ranges make no file yet"
        )


def _quiet(words: str, size: float = 13) -> QLabel:
    label = QLabel(words)
    label.setObjectName("quiet")
    label.setFont(font(size, narrow=True))
    return label


class RangeParts(QWidget):
    """``RangeParts(theme)``: source line, pictures, filmstrip, ranges and files."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        unit = scale()
        self.sources = QComboBox()
        self.sources.setAccessibleName("Source")
        self.sources.setFont(font(15, 600))
        self.sources.setMinimumWidth(round(230 * unit))
        self.sources.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.facts = _quiet("")
        self.facts.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.said = QLabel("")
        self.said.setFont(font(14))
        self.said.setStyleSheet(f"color: {theme.lichen};")
        self.said.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.said.hide()
        self._said_for = Later(5000, self._said_enough, self)
        self.mode_time, self.mode_framing = QToolButton(), QToolButton()
        for button, words in ((self.mode_time, "First and last"), (self.mode_framing, "Framing")):
            button.setText(words)
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setObjectName("choice")
            button.setFont(font(13.5))
        self.first, self.last = (
            PictureBox(theme, "First picture"),
            PictureBox(theme, "Last picture in the file"),
        )
        self.here, self.after = (
            CropPicture(theme, "The picture where it stands"),
            PictureBox(theme, "The file's picture"),
        )
        hints = (
            "the first picture",
            "the last picture that will be in the file",
            "the first picture after it",
        )
        self.field_in, self.field_last, self.field_out = (
            TimeField(name, hint) for name, hint in zip(("In", "Last picture", "Out"), hints, strict=True)
        )
        self.field_length = TimeField("Length", "how long it is; the out point moves")
        self.field_go = TimeField("Go to", "the frame to stand at")
        self.framing = FramingPage(theme)
        self.film = FilmBand(theme)
        self.table, self.files = RangeTable(theme), FileTable(theme)
        self.becomes = Becomes()
        self.notes_first, self.notes_last = QLabel(), QLabel()
        self.clock = QLabel()
        self.clock.setFont(font(21, 600))
        self.clock.setMinimumWidth(QFontMetrics(self.clock.font()).horizontalAdvance("00:00:00:000"))
        self.clock_more = ShortLabel()
        self.clock_more.setObjectName("quiet")
        self.clock_more.setFont(font(13, narrow=True))
        self.speed = QLabel()
        self.speed.setFont(font(13.5, narrow=True))
        self.length = QLabel()
        self.length.setFont(font(13.5))
        self.mend = QPushButton("Mend (M)")
        self.name = Line()
        self.name.setAccessibleName("Name of the range")
        self.name.setFont(font(13))
        self.total = QLabel()
        self.total.setFont(font(13.5, 600))
        keys = (
            ("back", "Back", "J"),
            ("less", "−1", "←"),
            ("play", "Play", "Space"),
            ("more", "+1", "→"),
            ("on", "On", "L"),
            ("in", "In", "I"),
            ("out", "Out", "O"),
        )
        for key, text, shortcut in keys:
            setattr(self, f"button_{key}", self._button(text, f"{text} ({shortcut})"))
        self.take = self._button("Take (Return)", "What is marked becomes a range beside the whole")
        self.instead = self._button(
            "Instead of the whole", "What is marked is made instead of the whole (Shift+Return)"
        )
        self.remove = self._button("Remove", "The chosen range, and what was to be made of it (Ctrl+Delete)")
        self.split = self._button("One file for each clip…", "See the list of files it would make first")
        self.marked = self._button("Take its own marks", "Ranges that the source itself marks")
        self._lay_out()

    button_back: QPushButton
    button_less: QPushButton
    button_play: QPushButton
    button_more: QPushButton
    button_on: QPushButton
    button_in: QPushButton
    button_out: QPushButton

    def _button(self, words: str, tip: str) -> QPushButton:
        button = QPushButton(words)
        button.setObjectName("small")
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.setFont(font(13, narrow=True))
        return button

    def _lay_out(self) -> None:
        unit = scale()
        top = QHBoxLayout()
        top.setContentsMargins(16, 8, 16, 6)
        top.setSpacing(12)
        top.addWidget(self.sources)
        top.addWidget(self.facts, 1)
        top.addWidget(self.said, 1)
        for widget in (self.mode_time, self.mode_framing):
            top.addWidget(widget)
        self.column_first = self._side(self.first, (("in", self.field_in),), self.notes_first, None)
        self.column_last = self._side(
            self.last, (("last", self.field_last), ("out", self.field_out)), self.notes_last, self.mend
        )
        self.column_here = QWidget()
        here = QVBoxLayout(self.column_here)
        here.setContentsMargins(0, 0, 0, 0)
        here.setSpacing(3)
        here.addWidget(self.here, 1)
        here.addLayout(self._clock_line())
        pictures = QHBoxLayout()
        pictures.setContentsMargins(16, 0, 16, 4)
        pictures.setSpacing(14)
        pictures.addWidget(self.column_first, 5)
        pictures.addWidget(self.column_here, 10)
        pictures.addWidget(self.after, 7)
        pictures.addWidget(self.column_last, 5)
        self.framing_side = QScrollArea()
        self.framing_side.setWidget(self.framing)
        self.framing_side.setWidgetResizable(True)
        self.framing_side.setFixedWidth(round(342 * unit))
        self.framing_side.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.framing_side.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        pictures.addWidget(self.framing_side, 0)
        below = QHBoxLayout()
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(0)
        left = QVBoxLayout()
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(0)
        self.table.setMinimumHeight(round(88 * unit))
        left.addWidget(self.table, 1)
        left.addLayout(self._range_line())
        below.addLayout(left, 62)
        upright = QFrame()
        upright.setObjectName("upright")
        below.addWidget(upright)
        right = QVBoxLayout()
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(0)
        right.addWidget(self.files, 1)
        self.total.setContentsMargins(16, 7, 16, 9)
        right.addWidget(self.total)
        below.addLayout(right, 38)
        rule = QFrame()
        rule.setObjectName("rule")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(top)
        layout.addLayout(pictures, 5)
        layout.addWidget(self.film)
        layout.addWidget(rule)
        layout.addLayout(below, 3)

    def _side(
        self,
        picture: PictureBox,
        fields: tuple[tuple[str, TimeField], ...],
        note: QLabel,
        mend: QPushButton | None,
    ) -> QWidget:
        column = QWidget()
        layout = QVBoxLayout(column)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        picture.setMinimumHeight(70)
        picture.setMaximumHeight(round(192 * scale()))
        layout.addWidget(picture, 30)
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        for number, (words, field) in enumerate(fields):
            label = _quiet({"in": "in", "last": "last picture", "out": "out, the one after"}[words])
            label.setBuddy(field)
            grid.addWidget(label, number, 0)
            grid.addWidget(field, number, 1, Qt.AlignmentFlag.AlignRight)
        layout.addLayout(grid)
        note.setWordWrap(True)
        note.setFont(font(13, narrow=True))
        note.setStyleSheet(f"color: {self.theme.rust};")
        layout.addWidget(note)
        if mend:
            mend.setObjectName("small")
            mend.setFont(font(13, narrow=True))
            mend.setToolTip("Leave out the stray pictures at the ends (M)")
            layout.addWidget(mend, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addStretch(1)
        return column

    def _clock_line(self) -> QVBoxLayout:
        upper = QHBoxLayout()
        upper.setSpacing(10)
        upper.addWidget(self.clock)
        upper.addWidget(self.clock_more, 1)
        upper.addWidget(self.speed)
        for words, field in (("length", self.field_length), ("go to", self.field_go)):
            upper.addWidget(_quiet(words))
            upper.addWidget(field)
        lower = QHBoxLayout()
        lower.setSpacing(4)
        for button in (
            self.button_back,
            self.button_less,
            self.button_play,
            self.button_more,
            self.button_on,
            self.button_in,
            self.button_out,
        ):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            lower.addWidget(button)
        lower.addStretch(1)
        lower.addWidget(self.length)
        both = QVBoxLayout()
        both.setSpacing(3)
        both.addLayout(upper)
        both.addLayout(lower)
        return both

    def _range_line(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setContentsMargins(16, 5, 12, 7)
        line.setSpacing(6)
        line.addWidget(self.name)
        line.addWidget(self.take)
        line.addWidget(self.instead)
        line.addWidget(self.becomes)
        line.addStretch(1)
        line.addWidget(self.marked)
        line.addWidget(self.split)
        line.addWidget(self.remove)
        self.name.setFixedWidth(round(150 * scale()))
        return line

    # Saying

    def set_shape(self, shape: float) -> None:
        """The shape of the source's pictures."""
        for box in (self.first, self.last, self.here):
            box.shape = shape
            box.update()

    def show_sheet(
        self,
        sheet: RangeSheet | None,
        batch: Batch,
        source: str,
        *,
        part: str,
        output: str,
        becoming: tuple[str, ...],
        framing: bool,
    ) -> None:
        """Say what the sheet says."""
        self._show_sources(batch, source)
        for widget in (self.column_first, self.column_last):
            widget.setVisible(not framing)
        for framed in (self.after, self.framing_side):
            framed.setVisible(framing)
        (self.mode_framing if framing else self.mode_time).setChecked(True)
        if not framing:
            self.here.set_caption("")
        usable = sheet is not None and bool(sheet.rows)
        for able in (
            self.column_first,
            self.column_last,
            self.column_here,
            self.film,
            self.take,
            self.instead,
            self.split,
        ):
            able.setEnabled(usable)
        if sheet is None:
            self.facts.setText("Bring a source in first: drop it anywhere, or Ctrl+I.")
            self.facts.setStyleSheet("")
            self.facts.setToolTip("")
            self.total.setText("")
            self.table.show_ranges((), "")
            self.files.show_files((), "")
            return
        self.facts.setText(sheet.problem or sheet.facts)
        self.facts.setToolTip("\n".join((sheet.facts, *sheet.notes)))
        self.facts.setStyleSheet(f"color: {self.theme.rust};" if sheet.problem else "")
        if sheet.problem:
            self.here.show_message(sheet.problem)
        if sheet.notes:
            self.facts.setText(f"{sheet.facts} · {len(sheet.notes)} to know: {sheet.notes[0]}")
        self.table.show_ranges(sheet.rows, part)
        self.files.show_files(sheet.files, output)
        self.total.setText(sheet.total)
        self.becomes.show_recipes(sheet.recipes, becoming)
        drafting = part == DRAFT
        self.take.setEnabled(usable and drafting)
        self.instead.setEnabled(usable and drafting)
        saved = usable and part not in (FULL, DRAFT)
        self.remove.setVisible(saved or drafting)
        self.remove.setText("Let the marks go" if drafting else "Remove")
        self._show_name(sheet.row(part) if saved else None, batch.source(source) if drafting else None)
        self.marked.setVisible(bool(sheet.marked) and not saved)
        self.marked.setText(
            f"Take its own {len(sheet.marked)} marks" if len(sheet.marked) > 1 else "Take its own mark"
        )
        self.split.setVisible(sheet.sequence and sheet.clips > 1 and not saved)

    def _show_name(self, saved: RangeRow | None, marked_of: Source | None) -> None:
        """The name of a range, or room for one that marks will have; what is being typed stays."""
        self.name.setEnabled(saved is not None or marked_of is not None)
        self.name.setPlaceholderText(f"{next_name(marked_of, 'Pick')} (F2)" if marked_of else "")
        if marked_of is None and not self.name.hasFocus():
            self.name.setText(saved.name if saved else "")
        elif marked_of is not None and not self.name.isModified():
            self.name.clear()

    def _show_sources(self, batch: Batch, source: str) -> None:
        names = [(item.id, item.name) for item in batch.sources]
        known = [
            (str(self.sources.itemData(n)), self.sources.itemText(n)) for n in range(self.sources.count())
        ]
        with QSignalBlocker(self.sources):
            if names != known:
                self.sources.clear()
                for name, words in names:
                    self.sources.addItem(words, name)
            self.sources.setCurrentIndex(next((n for n, item in enumerate(names) if item[0] == source), -1))

    def say(self, sentence: str) -> None:
        """Something that passes, in the source's line, so that nothing below it moves."""
        self.said.setText(sentence)
        self.said.setVisible(True)
        self.facts.setVisible(False)
        self._said_for.start()

    def _said_enough(self) -> None:
        self.said.setVisible(False)
        self.facts.setVisible(True)

    def say_here(self, clock: SourceClock, frame: int, speed: Fraction) -> None:
        """Where it stands, and how it moves."""
        self.clock.setText(clock.timecode(frame))
        self.clock_more.setText(f"frame {frame} · {clock.seconds(frame):.2f} s")
        rate = f"{float(abs(speed)):g} ×" if abs(speed) != 1 else "playing"
        self.speed.setText("" if not speed else f"{rate}{' backwards' if speed < 0 else ''}")
        self.button_play.setText("Stand" if speed else "Play")

    def say_nothing(self) -> None:
        """No times: there is nothing to tell them of."""
        for field in (self.field_in, self.field_last, self.field_out, self.field_length):
            field.say("")
        for label in (self.clock, self.clock_more, self.speed, self.length):
            label.setText("")
        self.say_ends("", False)

    def say_length(self, clock: SourceClock, part: FrameRange, whole: bool) -> None:
        """How long the range is, and how much of the whole."""
        extent = Extent(FULL if whole else "trim", len(part), clock.frames, clock.rate)
        seconds = f"{clock.seconds(len(part)):.2f} s"
        if whole:
            self.length.setText(f"the whole: {seconds} · {len(part)} frames")
        else:
            self.length.setText(
                f"<b>{extent.share_text}</b> of the whole: {seconds} of {short_time(clock.seconds(clock.frames))} · {len(part)} frames"
            )

    def say_ends(self, note: str, mendable: bool) -> None:
        """What is wrong at the ends."""
        first = [part for part in note.split(". ") if part.startswith("The first")]
        last = [part for part in note.split(". ") if part and not part.startswith("The first")]
        for label, told in ((self.notes_first, first), (self.notes_last, last)):
            words = ". ".join(told)
            label.setText(words + ("" if not words or words.endswith(".") else "."))
        self.mend.setVisible(mendable)
