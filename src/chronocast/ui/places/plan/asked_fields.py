"""What the batch is asked to keep, to be typed: a size for each file, times, a line, the receiver's space; and the answers."""

from __future__ import annotations

from datetime import datetime

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QGridLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from chronocast.model.batch.batch import Batch
from chronocast.model.batch.edits import AskedFor, set_asked
from chronocast.model.errors import ModelError
from chronocast.model.recipe.typed import parse_bits, parse_bytes, parse_db
from chronocast.model.show import clock_text, db_text, rate_bits_text, size_text
from chronocast.model.time.moments import parse_moment
from chronocast.preparation.asked.about_output import OutputAnswers
from chronocast.preparation.asked.answers import Asked
from chronocast.ui.theme import font, scale
from chronocast.ui.widgets.time_field import Line

COLUMNS = 3
MORE = {
    "begun not before": "nothing of the batch is encoded before then",
    "receiver has": "what is free where the files go in the end",
    "poorest shot": "how like the original the poorest shot of each file should look, at least (XPSNR); "
    "from 44 dB on nobody sees a difference, below 30 dB everybody does",
}
"""What a field's short name leaves out."""


class AskedFields(QWidget):
    """``AskedFields()``: ``edited`` with what was done and the batch after it; ``trouble`` with a sentence."""

    edited = pyqtSignal(str, object)
    trouble = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.batch = Batch()
        self._asked: Asked | None = None
        self._about = OutputAnswers()
        self.fields = {
            "size_limit": self._field("each file at most", "500 MB"),
            "wanted": self._field("wanted by", "18:30"),
            "not_before": self._field("begun not before", "19:00"),
            "line": self._field("sent by a line of", "20 Mb/s"),
            "receiver_space": self._field("receiver has", "64 GB"),
            "look_floor": self._field("poorest shot", "38 dB"),
        }
        self.answers = QLabel()
        self.answers.setWordWrap(True)
        self.answers.setFont(font(13, narrow=True))
        self.answers.setObjectName("quiet")
        self.answers.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.answers.setAccessibleName("What the batch is asked to keep, and whether it does")
        row = QGridLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.setHorizontalSpacing(8)
        row.setVerticalSpacing(1)
        for number, field in enumerate(self.fields.values()):
            name = QLabel(field.accessibleName())
            name.setFont(font(13, narrow=True))
            name.setObjectName("quiet")
            name.setBuddy(field)
            line, column = divmod(number, COLUMNS)
            row.addWidget(name, 2 * line, column)
            row.addWidget(field, 2 * line + 1, column)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 14, 10)
        layout.setSpacing(4)
        layout.addLayout(row)
        layout.addWidget(self.answers)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)

    def _field(self, words: str, example: str) -> Line:
        field = Line()
        field.setAccessibleName(words)
        field.setPlaceholderText("none")
        about = MORE.get(words, words)
        field.setToolTip(f"{about[0].upper()}{about[1:]}: type it as {example}, then Return; empty for none.")
        field.setFont(font(13.5, narrow=True))
        field.setMinimumWidth(round(88 * scale()))
        field.editingFinished.connect(self._typed)
        return field

    def sizeHint(self) -> QSize:
        return QSize(300, super().sizeHint().height())

    def show_asked(self, batch: Batch, asked: Asked | None) -> None:
        """Show another state of the batch, and the answers; what is being typed stays."""
        self.batch = batch
        for name, words in told_of(batch).items():
            field = self.fields[name]
            if not (field.hasFocus() and field.isModified()) and field.text() != words:
                field.setText(words)
        self._asked = asked
        self._show_answers()

    def show_about(self, about: OutputAnswers) -> None:
        """Show what was answered about the chosen output alone."""
        self._about = about
        self._show_answers()

    def _show_answers(self) -> None:
        asked = self._asked
        about = [f"this file: {sentence}" for _, sentence in self._about.lines] if asked else []
        lines = [*(asked.short if asked else ()), *(f"this file: {words}" for words in self._about.short)]
        lines = lines if asked else []
        self.answers.setText("\n".join(lines))
        self.answers.setToolTip("\n".join([*asked.lines, *about]) if asked else "")
        self.answers.setVisible(bool(lines))
        self._make_room()

    def resizeEvent(self, _: QResizeEvent | None) -> None:
        self._make_room()

    def _make_room(self) -> None:
        """As high as the answers are at this width: a label that wraps asks for less than it needs."""
        margins = self.contentsMargins()
        wide = self.width() - 30 - margins.left() - margins.right()
        self.answers.setMinimumHeight(max(0, self.answers.heightForWidth(max(100, wide))))

    def _typed(self) -> None:
        changed = {
            name: field.text().strip()
            for name, field in self.fields.items()
            if field.isModified() and field.text().strip() != told_of(self.batch)[name]
        }
        for field in self.fields.values():
            field.setModified(False)
        if not changed:
            return
        try:
            batch = read_asked(self.batch, changed, datetime.now().astimezone())
        except ModelError as error:
            self.trouble.emit(str(error))
            self.show_asked(self.batch, None)
            return
        self.edited.emit("ask for what is to be kept", batch)


def told_of(batch: Batch) -> dict[str, str]:
    """What stands in the fields."""
    return {
        "size_limit": size_text(batch.size_limit) if batch.size_limit else "",
        "wanted": clock_text(batch.wanted.astimezone()) if batch.wanted else "",
        "not_before": clock_text(batch.not_before.astimezone()) if batch.not_before else "",
        "line": rate_bits_text(batch.line) if batch.line else "",
        "look_floor": db_text(batch.look_floor) if batch.look_floor else "",
        "receiver_space": size_text(batch.receiver_space) if batch.receiver_space else "",
    }


def read_asked(batch: Batch, typed: dict[str, str], now: datetime) -> Batch:
    """The batch with what was typed into some of the fields.

    Raises
    ------
    ModelError
        Something of it can't be read.
    """
    values: AskedFor = {}
    for name, text in typed.items():
        if text.lower() in ("", "none"):
            values[name] = None  # type: ignore[literal-required]
        elif name == "wanted":
            values["wanted"] = parse_moment(text, now)
        elif name == "not_before":
            values["not_before"] = parse_moment(text, now)
        elif name == "line":
            values["line"] = parse_bits(text)
        elif name == "look_floor":
            values["look_floor"] = parse_db(text)
        else:
            values[name] = parse_bytes(text)  # type: ignore[literal-required]
    return set_asked(batch, **values)
