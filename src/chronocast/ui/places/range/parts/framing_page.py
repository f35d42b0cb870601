"""The numbers of a framing: how it is placed, what is cut off, where the centre is, what comes of it."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from chronocast.model.batch.batch import Framing
from chronocast.model.batch.framing import SIDES, Framed
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets.time_field import Line

PLACINGS = (
    ("fit", "Fit", "All of it is seen; black bars fill what is left"),
    ("fill", "Fill", "The frame is filled; what doesn't go in is cut off around the centre"),
    ("stretch", "Stretch", "Pulled to the frame's shape: things look too wide or too narrow"),
)


class FramingPage(QWidget):
    """``FramingPage(theme)``.  Reports what a person does; the place decides."""

    placing_asked = pyqtSignal(str)
    crop_typed = pyqtSignal(str, str)
    centre_typed = pyqtSignal(str, str)
    key_asked = pyqtSignal(bool)
    shape_asked = pyqtSignal()
    same_asked = pyqtSignal()
    reset_asked = pyqtSignal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.title = QLabel()
        self.title.setFont(font(14, 600))
        self.title.setWordWrap(True)
        self.placings = QButtonGroup(self)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.buttons: dict[str, QToolButton] = {}
        for name, words, tip in PLACINGS:
            button = QToolButton()
            button.setText(words)
            button.setToolTip(tip)
            button.setAccessibleName(f"{words}: {tip}")
            button.setCheckable(True)
            button.setObjectName("choice")
            button.setFont(font(13.5))
            button.clicked.connect(lambda _=False, n=name: self.placing_asked.emit(n))
            self.placings.addButton(button)
            self.buttons[name] = button
            row.addWidget(button)
        row.addStretch(1)
        self.said_by = QLabel()
        self.said_by.setObjectName("quiet")
        self.said_by.setFont(font(12.5, narrow=True))
        self.said_by.setWordWrap(True)
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        self.sides: dict[str, Line] = {}
        for number, side in enumerate(SIDES):
            self._field(grid, number // 2, number % 2, words=f"cut off {side}", key=side, into=self.sides)
            self.sides[side].returnPressed.connect(
                lambda s=side: self.crop_typed.emit(s, self.sides[s].text())
            )
        self.centre: dict[str, Line] = {}
        for number, (axis, words) in enumerate((("x", "centre across"), ("y", "centre down"))):
            self._field(grid, 2, number, words=words, key=axis, into=self.centre)
            self.centre[axis].returnPressed.connect(
                lambda a=axis: self.centre_typed.emit(a, self.centre[a].text())
            )
        self.key = QPushButton("Set a key here")
        self.key.setToolTip("The centre stands here at this frame, and moves evenly to the next key")
        self.key.clicked.connect(lambda: self.key_asked.emit(True))
        self.unkey = QPushButton("Take it away")
        self.unkey.clicked.connect(lambda: self.key_asked.emit(False))
        self.keys = QLabel()
        self.keys.setObjectName("quiet")
        self.keys.setFont(font(12.5, narrow=True))
        keys = QHBoxLayout()
        keys.setSpacing(6)
        for push in (self.key, self.unkey):
            push.setObjectName("small")
            push.setFont(font(13, narrow=True))
            keys.addWidget(push)
        keys.addWidget(self.keys, 1)
        self.shape = QPushButton("Crop to the frame's shape")
        self.same = QPushButton()
        self.reset = QPushButton("As the recipe says")
        for push, signal in (
            (self.shape, self.shape_asked),
            (self.same, self.same_asked),
            (self.reset, self.reset_asked),
        ):
            push.setObjectName("small")
            push.setFont(font(13, narrow=True))
            push.clicked.connect(lambda _=False, s=signal: s.emit())
        below = QHBoxLayout()
        below.setSpacing(6)
        below.addWidget(self.shape)
        below.addWidget(self.reset)
        below.addStretch(1)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setFont(font(13, narrow=True))
        self.told.setTextFormat(Qt.TextFormat.RichText)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 10, 0)
        layout.setSpacing(6)
        layout.addWidget(self.title)
        layout.addLayout(row)
        layout.addWidget(self.said_by)
        layout.addLayout(grid)
        layout.addLayout(keys)
        layout.addLayout(below)
        layout.addWidget(self.same)
        layout.addWidget(self.told)
        layout.addStretch(1)

    def _field(
        self, grid: QGridLayout, row: int, column: int, *, words: str, key: str, into: dict[str, Line]
    ) -> None:
        label = QLabel(words)
        label.setObjectName("quiet")
        label.setFont(font(12.5, narrow=True))
        field = Line()
        field.setAccessibleName(words)
        field.setFont(font(13))
        field.setFixedWidth(round(66 * scale()))
        field.setAlignment(Qt.AlignmentFlag.AlignRight)
        label.setBuddy(field)
        grid.addWidget(label, row, column * 2)
        grid.addWidget(field, row, column * 2 + 1)
        into[key] = field

    def show_framing(
        self,
        title: str,
        framing: Framing,
        said: Framed,
        *,
        by_recipe: str,
        key: int | None,
        alike: int,
        fixed: bool,
    ) -> None:
        """Say it all; ``key`` is the number of the key position at this frame, None where there is none."""
        self.setEnabled(True)
        self.title.setText(title)
        self.buttons[said.placing].setChecked(True)
        self.said_by.setText(
            f"set for this output (its recipe says {by_recipe})"
            if framing.placing and framing.placing != by_recipe
            else "as its recipe says"
        )
        for number, side in enumerate(SIDES):
            share = getattr(framing, side)
            pixels = share * said.canvas[number % 2]
            self._say(
                self.sides[side],
                f"{pixels:.0f}" if abs(pixels - round(pixels)) < 0.05 else f"{share:.2%}".replace("%", " %"),
            )
            self.sides[side].setToolTip(
                f"{pixels:.1f} pixels, {share:.2%} of the picture. Type pixels, or a share like 12.5 %."
            )
        filled = said.placing == "fill"
        x, y, w, h = said.lies.crop
        left, top = framing.left * said.canvas[0], framing.top * said.canvas[1]
        across, down = (
            said.canvas[0] * (1 - framing.left - framing.right),
            said.canvas[1] * (1 - framing.top - framing.bottom),
        )
        for axis, value in (("x", (x + w / 2 - left) / across), ("y", (y + h / 2 - top) / down)):
            self._say(self.centre[axis], f"{value:.1%}".replace("%", " %"))
            self.centre[axis].setEnabled(filled)
        for widget in (self.key, self.unkey):
            widget.setEnabled(filled)
        self.key.setVisible(key is None)
        self.unkey.setVisible(key is not None)
        count = len(framing.centres)
        self.keys.setText(
            ""
            if not filled
            else "the centre stands still"
            if count < 2
            else f"{count} keys" + (f", this is key {key + 1}" if key is not None else "")
        )
        self.shape.setVisible(fixed and any(said.bars))
        self.reset.setEnabled(not framing.plain)
        self.same.setText(
            f"Frame the {alike} others of this recipe like this"
            if alike > 1
            else "Frame the other of this recipe like this"
        )
        self.same.setVisible(alike > 0)
        rust = self.theme.rust
        warned = "".join(
            f'<p style="margin:3px 0 0 0; color:{rust}">◆ {words}</p>' for words in said.warnings()
        )
        self.told.setText("".join(f'<p style="margin:0">{words}</p>' for words in said.told()) + warned)
        self.told.setAccessibleName(" ".join(said.told() + said.warnings()))

    def _say(self, field: Line, text: str) -> None:
        if not (field.hasFocus() and field.isModified()):
            field.setText(text)
            field.setModified(False)

    def show_nothing(self, why: str) -> None:
        """There is nothing to frame."""
        self.title.setText(why)
        self.told.setText("")
        self.setEnabled(False)
