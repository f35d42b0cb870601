"""Receiver cards: what each demands, in words; changed line by line, brought in, shared."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from html import escape
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from chronocast.journal.documents import write_text
from chronocast.journal.library import CARD_ENDING, Library
from chronocast.model.batch.edits import identifier
from chronocast.model.cards.card import ReceiverCard, write_card
from chronocast.model.cards.words import demands
from chronocast.model.errors import ChronocastError
from chronocast.ui.places.recipe.card_fields import GROUPS, LIMITS, card_typed, said
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets.decision import size_box
from chronocast.ui.widgets.table import Col, RowsTable, stand_on

READ, CHANGE = 0, 1


class CardsBox(QDialog):
    """``CardsBox(library, theme, parent, of_batch)``; ``saved`` brings a card that was changed here.

    Parameters
    ----------
    library
        The saved cards.
    theme
        Colours.
    parent
        The window.
    of_batch
        The batch's own cards: they need not be saved.
    """

    saved = pyqtSignal(object)

    def __init__(
        self,
        library: Library,
        theme: Theme,
        parent: QWidget | None,
        of_batch: Sequence[ReceiverCard] = (),
    ) -> None:
        super().__init__(parent)
        self.theme, self.library = theme, library
        self.of_batch = {card.id: card for card in of_batch}
        self.card: ReceiverCard | None = None
        self.setWindowTitle("Receiver cards")
        size_box(self, 860, 580, 1.2)
        self.table = RowsTable(
            theme,
            (
                Col("receiver", lambda card: card.name, 0.58, strong=True),
                Col("", self._place_of, 0.42, quiet=True, right=True),
            ),
            "Receiver cards",
            32,
        )
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda *_: self._choose())
        self.told = QLabel()
        self.told.setObjectName("quiet")
        self.told.setWordWrap(True)
        self.told.setFont(font(13))
        self.pages = QStackedWidget()
        self.pages.addWidget(self._reading())
        self.pages.addWidget(self._changing())
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
        right.addWidget(self.pages, 1)
        right.addWidget(self.told)
        foot = QHBoxLayout()
        self.change_button = self._button("Change…", self.change)
        self.back_button = self._button("Leave it as it was", self._leave)
        self.save_button = self._button("Save this card", self.save)
        self.save_button.setObjectName("act")
        foot.addStretch(1)
        for button in (
            self.change_button,
            self.back_button,
            self._button("Close", self.accept),
            self.save_button,
        ):
            foot.addWidget(button)
        right.addLayout(foot)
        row = QHBoxLayout(self)
        row.addLayout(left, 2)
        row.addLayout(right, 3)
        self._show()
        if self.card is None:
            self._turn_to(READ)

    def _reading(self) -> QWidget:
        """The card as it is read."""
        self.page = QLabel()
        self.page.setWordWrap(True)
        self.page.setTextFormat(Qt.TextFormat.RichText)
        self.page.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self.page.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.page.setContentsMargins(18, 10, 18, 10)
        self.page.setAccessibleName("What the receiver demands")
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.page)
        return area

    def _changing(self) -> QWidget:
        """The card's lines, by groups."""
        self.name, self.note = QLineEdit(), QLineEdit()
        self.name.setAccessibleName("Receiver")
        self.note.setAccessibleName("Note")
        form = QFormLayout()
        form.setHorizontalSpacing(12)
        form.setVerticalSpacing(4)
        form.addRow("Receiver", self.name)
        form.addRow("Note", self.note)
        self.lines: dict[str, QLineEdit] = {}
        for group in GROUPS:
            heading = QLabel(group)
            heading.setObjectName("tide")
            heading.setFont(font(14, 600))
            heading.setContentsMargins(0, 8, 0, 0)
            form.addRow(heading)
            for limit in LIMITS:
                if limit.group == group:
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
        return area

    def _button(self, words: str, do: Callable[[], Any]) -> QPushButton:
        button = QPushButton(words)
        button.setAutoDefault(False)
        button.clicked.connect(lambda _=False: do())
        return button

    def _place_of(self, card: ReceiverCard) -> str:
        """Where a card is: in the batch, saved, and of which day."""
        dated = f"{card.dated:%d %b %Y}" if card.dated else "saved"
        return f"this batch · {dated}" if card.id in self.of_batch else dated

    @property
    def cards(self) -> list[ReceiverCard]:
        """The batch's cards first, then the saved ones that aren't in it."""
        saved = [card for card in self.library.cards() if card.id not in self.of_batch]
        return [*self.of_batch.values(), *saved]

    def _show(self) -> None:
        cards = self.cards
        self.table.show_rows(cards, lambda card: card.id)
        if self.library.problems:
            self._tell(self.library.problems[0], True)
        if not cards:
            self.card = None
            self.page.setText("No receiver has a card yet. New makes one; Bring in takes one from a file.")

    def _tell(self, words: str, wrong: bool = False) -> None:
        self.told.setText(words)
        self.told.setStyleSheet(f"color: {self.theme.rust if wrong else self.theme.quiet};")

    def _turn_to(self, page: int) -> None:
        self.pages.setCurrentIndex(page)
        self.change_button.setVisible(page == READ)
        self.change_button.setEnabled(self.card is not None)
        self.back_button.setVisible(page == CHANGE)
        self.save_button.setVisible(page == CHANGE)
        self._tell("What isn't filled in doesn't matter to the receiver." if page == CHANGE else "")

    def _choose(self) -> None:
        card = self.table.chosen()
        if card is not None:
            self._fill(card)

    def _fill(self, card: ReceiverCard) -> None:
        self.card = card
        self.page.setText(_page(card, self.theme))
        self.name.setText(card.name)
        self.note.setText(card.note)
        for field, words in said(card.limits).items():
            self.lines[field].setText(words)
        self._turn_to(READ)

    def change(self) -> None:
        """Change the chosen card, line by line."""
        self._turn_to(CHANGE)
        self.name.setFocus()

    def _leave(self) -> None:
        """What was typed is forgotten."""
        if (card := self.card or self.table.chosen()) is not None:
            self._fill(card)
        else:
            self._turn_to(READ)

    def new(self) -> None:
        """An empty card."""
        self._fill(ReceiverCard(id="new", name="Receiver"))
        self.card = None
        self._turn_to(CHANGE)
        self.name.setFocus()
        self.name.selectAll()

    def save(self) -> bool:
        """Keep what stands here, if it can be; whether it was."""
        name = self.name.text().strip()
        own = self.card.id if self.card else identifier(name, {card.id for card in self.cards}, "receiver")
        try:
            typed = {field: line.text() for field, line in self.lines.items()}
            kept = card_typed(self.card, own, name, self.note.text(), typed)
            self.library.save_card(kept)
        except ChronocastError as error:
            self._tell(str(error), True)
            return False
        if own in self.of_batch:
            self.of_batch[own] = kept
        self.saved.emit(kept)
        self._stand_on(kept)
        self._tell(f"{kept.name} is saved.")
        return True

    def go_to(self, card: str) -> None:
        """Show a card.

        Parameters
        ----------
        card
            Its id.
        """
        number = next((n for n, one in enumerate(self.cards) if one.id == card), 0)
        stand_on(self.table, self.table.rows_model.index(number, 0))

    def _stand_on(self, card: ReceiverCard) -> None:
        self._show()
        self.go_to(card.id)
        self._fill(card)

    def _bring_in(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Bring in a receiver card", "", "Cards (*.json)")
        if name:
            try:
                self._stand_on(self.library.bring_in_card(Path(name)))
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
        if self.card is None:
            return
        if self.card.id in self.of_batch:
            self._tell("The batch's files are judged by it: take it off them first.", True)
            return
        self.library.remove_card(self.card.id)
        self.card = None
        self._show()


def _page(card: ReceiverCard, theme: Theme) -> str:
    """A card as a page to read."""
    big, usual = round(19 * scale()), round(14 * scale())
    parts = [f"<p style='font-size:{big}px; font-weight:600; margin:0'>{escape(card.name)}</p>"]
    more = " · ".join(filter(None, [f"{card.dated:%d %B %Y}" if card.dated else "", escape(card.note)]))
    if more:
        parts.append(f"<p style='color:{theme.quiet}; font-size:{usual}px; margin:4px 0 12px 0'>{more}</p>")
    found = demands(card.limits)
    if not found:
        parts.append("<p>It demands nothing yet.</p>")
    parts.append(f"<table cellspacing='0' cellpadding='0' style='font-size:{usual}px'>")
    for group, lines in found:
        told = "<br>".join(escape(line) for line in lines)
        parts.append(
            f"<tr><td style='color:{theme.tide}; padding:5px 22px 5px 0'>{group}</td>"
            f"<td style='padding:5px 0'>{told}</td></tr>"
        )
    return "".join([*parts, "</table>"])
