"""Receiver cards: what is saved, brought in, shared, and changed, limit by limit."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from chronocast.journal.documents import write_text
from chronocast.journal.library import CARD_ENDING, Library
from chronocast.model.batch.edits import identifier
from chronocast.model.cards.card import ReceiverCard, write_card
from chronocast.model.document_reading import explain
from chronocast.model.errors import ChronocastError, ModelError
from chronocast.model.recipe.codecs import PICTURE, SOUND
from chronocast.model.recipe.containers import CONTAINERS
from chronocast.model.recipe.typed import parse_bits, parse_bytes
from chronocast.model.show import rate_bits_text, size_text
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets.table import Col, RowsTable, stand_on


@dataclass(frozen=True)
class Limit:
    """One line of a card: its field, its words, a hint, how it is read and said."""

    field: str
    words: str
    hint: str
    read: Callable[[str], Any]
    say: Callable[[Any], str]


def _ids(table: dict[str, Any]) -> Callable[[str], list[str]]:
    def read(text: str) -> list[str]:
        by_name = {item.name.lower(): key for key, item in table.items()} | {key: key for key in table}
        found = []
        for word in text.split(","):
            key = by_name.get(word.strip().lower())
            if word.strip() and key is None:
                raise ModelError(
                    f"“{word.strip()}” isn't known.",
                    f"There are: {', '.join(item.name for item in table.values())}.",
                )
            if key:
                found.append(key)
        return found

    return read


def _names(table: dict[str, Any]) -> Callable[[Any], str]:
    return lambda values: ", ".join(table[item].name for item in values)


def _list(text: str) -> list[str]:
    return [word.strip().replace("×", "x") for word in text.split(",") if word.strip()]


def _number(text: str) -> float:
    try:
        return float(text.replace(",", ".").replace("−", "-").split()[0])
    except (ValueError, IndexError):
        raise ModelError(f"“{text}” is no number.", "Type a number.") from None


def _whole(text: str) -> int:
    return round(_number(text))


def _yes(text: str) -> bool:
    return text.strip().lower() in ("yes", "y", "1", "true")


def _exact_size(value: int) -> str:
    """A size in words that read back as the same number."""
    words = size_text(value)
    return words if parse_bytes(words) == value else f"{value} B"


def _exact_bits(value: int) -> str:
    words = rate_bits_text(value)
    return words if parse_bits(words) == value else f"{value} b/s"


LIMITS = (
    Limit("bytes_most", "Size at most", "500 MB", parse_bytes, _exact_size),
    Limit("bytes_least", "Size at least", "", parse_bytes, _exact_size),
    Limit("seconds_most", "Length at most", "seconds", _number, lambda v: f"{v:g}"),
    Limit("seconds_least", "Length at least", "seconds", _number, lambda v: f"{v:g}"),
    Limit("bits_most", "Rate at most", "8 Mb/s, of the whole file", parse_bits, _exact_bits),
    Limit("bits_least", "Rate at least", "", parse_bits, _exact_bits),
    Limit("peak_bits_most", "Peak at most", "12 Mb/s, of the picture", parse_bits, _exact_bits),
    Limit("buffer_bits", "through a buffer of", "12 Mbit", parse_bits, lambda v: f"{v / 1e6:g} Mbit"),
    Limit("sizes", "Frame sizes", "1920×1080, 1280×720", _list, lambda v: ", ".join(v).replace("x", "×")),
    Limit("width_most", "Width at most", "pixels", _whole, str),
    Limit("height_most", "Height at most", "pixels", _whole, str),
    Limit("rates", "Frame rates", "25, 50", _list, ", ".join),
    Limit("scans", "Scan", "progressive", _list, ", ".join),
    Limit("codecs", "Picture codecs", "H.264, HEVC", _ids(PICTURE), _names(PICTURE)),
    Limit("containers", "Containers", "MP4, MOV", _ids(CONTAINERS), _names(CONTAINERS)),
    Limit(
        "level_most",
        "Level at most",
        "h264 4.1",
        lambda t: dict([t.split()[:2]]),
        lambda v: " ".join(next(iter(v.items()), ())),
    ),
    Limit("sound", "Sound", "needed, or none", lambda t: t.strip().lower(), str),
    Limit("sound_codecs", "Sound codecs", "AAC, PCM", _ids(SOUND), _names(SOUND)),
    Limit("layouts", "Sound layouts", "stereo, 5.1", _list, ", ".join),
    Limit("loudness", "Loudness", "−23 (LUFS)", _number, lambda v: f"{v:g}"),
    Limit("loudness_within", "within", "0.5 (LU)", _number, lambda v: f"{v:g}"),
    Limit("true_peak_most", "True peak at most", "−1 (dBTP)", _number, lambda v: f"{v:g}"),
    Limit("legal_range", "Legal range", "yes", _yes, lambda v: "yes" if v else ""),
    Limit("name", "Name pattern", "HALL_*_v##.mp4", lambda t: t.strip(), str),
    Limit("name_longest", "Name at most", "signs", _whole, str),
    Limit("free_bytes", "Room at the receiver", "20 GB, for all files together", parse_bytes, _exact_size),
)


class CardsBox(QDialog):
    """``CardsBox(library, theme, parent)``."""

    def __init__(self, library: Library, theme: Theme, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.theme, self.library = theme, library
        self.card: ReceiverCard | None = None
        self.setWindowTitle("Receiver cards")
        self.resize(round(860 * scale()), round(620 * scale()))
        self.table = RowsTable(
            theme,
            (
                Col("receiver", lambda card: card.name, 0.66, strong=True),
                Col("dated", lambda card: str(card.dated or ""), 0.34, quiet=True),
            ),
            "Receiver cards",
            32,
        )
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda *_: self._choose())
        self.name, self.note = QLineEdit(), QLineEdit()
        self.name.setAccessibleName("Receiver")
        self.note.setAccessibleName("Note")
        form = QFormLayout()
        form.setHorizontalSpacing(12)
        form.setVerticalSpacing(4)
        form.addRow("Receiver", self.name)
        form.addRow("Note", self.note)
        self.lines: dict[str, QLineEdit] = {}
        for limit in LIMITS:
            line = QLineEdit()
            line.setPlaceholderText(limit.hint)
            line.setAccessibleName(limit.words)
            self.lines[limit.field] = line
            form.addRow(limit.words, line)
        inner = QWidget()
        inner.setLayout(form)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(inner)
        self.told = QLabel("What isn't filled in doesn't matter to the receiver.")
        self.told.setObjectName("quiet")
        self.told.setWordWrap(True)
        self.told.setFont(font(13))
        left = QVBoxLayout()
        left.addWidget(self.table, 1)
        buttons = QHBoxLayout()
        for words, do in (
            ("New", self.new),
            ("Bring in…", self._bring_in),
            ("Share…", self._share),
            ("Remove", self._remove),
        ):
            buttons.addWidget(self._button(words, do))
        left.addLayout(buttons)
        right = QVBoxLayout()
        right.addWidget(area, 1)
        right.addWidget(self.told)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(self._button("Close", self.accept))
        self.save_button = self._button("Save this card", self.save)
        self.save_button.setObjectName("act")
        foot.addWidget(self.save_button)
        right.addLayout(foot)
        row = QHBoxLayout(self)
        row.addLayout(left, 2)
        row.addLayout(right, 3)
        self._show()

    def _button(self, words: str, do: Callable[[], Any]) -> QPushButton:
        button = QPushButton(words)
        button.setAutoDefault(False)
        button.clicked.connect(lambda _=False: do())
        return button

    def _show(self) -> None:
        cards = self.library.cards()
        self.table.show_rows(cards, lambda card: card.id)
        if self.library.problems:
            self._tell(self.library.problems[0], True)
        if not cards:
            self.new()

    def _tell(self, words: str, wrong: bool = False) -> None:
        self.told.setText(words)
        self.told.setStyleSheet(f"color: {self.theme.rust if wrong else self.theme.quiet};")

    def _choose(self) -> None:
        card = self.table.chosen()
        if card is not None:
            self._fill(card)

    def _fill(self, card: ReceiverCard) -> None:
        self.card = card
        self.name.setText(card.name)
        self.note.setText(card.note)
        for limit in LIMITS:
            value = getattr(card.limits, limit.field)
            self.lines[limit.field].setText("" if value in (None, (), "", False, {}) else limit.say(value))
        self._tell("What isn't filled in doesn't matter to the receiver.")

    def new(self) -> None:
        """An empty card."""
        self._fill(ReceiverCard(id="new", name="Receiver"))
        self.card = None
        self.name.setFocus()
        self.name.selectAll()

    def save(self) -> bool:
        """Keep what stands here, if it can be; whether it was."""
        limits: dict[str, Any] = {}
        try:
            for limit in LIMITS:
                text = self.lines[limit.field].text().strip()
                if text:
                    try:
                        limits[limit.field] = limit.read(text)
                    except ValueError:
                        raise ModelError(
                            f"{limit.words}: “{text}” can't be read.", f"Type it as {limit.hint}."
                        ) from None
            name = self.name.text().strip()
            known = {card.id for card in self.library.cards()}
            own = self.card.id if self.card else identifier(name, known, "receiver")
            before = (
                self.card.model_dump(mode="json", exclude={"limits", "name", "note", "dated"})
                if self.card
                else {}
            )
            kept = ReceiverCard.model_validate(
                {
                    **before,
                    "id": own,
                    "name": name,
                    "note": self.note.text().strip(),
                    "dated": date.today().isoformat(),
                    "limits": limits,
                }
            )
            self.library.save_card(kept)
        except ValidationError as error:
            self._tell(f"This card can't be kept: {explain(error)}.", True)
            return False
        except ChronocastError as error:
            self._tell(str(error), True)
            return False
        self._show()
        number = next((n for n, card in enumerate(self.library.cards()) if card.id == kept.id), 0)
        stand_on(self.table, self.table.rows_model.index(number, 0))
        self._fill(kept)
        self._tell(f"{kept.name} is saved.")
        return True

    def _bring_in(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Bring in a receiver card", "", "Cards (*.json)")
        if name:
            try:
                self._fill(self.library.bring_in_card(Path(name)))
                self._show()
            except ChronocastError as error:
                self._tell(str(error), True)

    def _share(self) -> None:
        if self.card is None:
            return
        name, _ = QFileDialog.getSaveFileName(
            self, "Share a card", f"{self.card.id}{CARD_ENDING}", f"Cards (*{CARD_ENDING})"
        )
        if name:
            try:
                write_text(Path(name), write_card(self.card))
            except ChronocastError as error:
                self._tell(str(error), True)

    def _remove(self) -> None:
        if self.card is not None:
            self.library.remove_card(self.card.id)
            self._show()
