"""The line above the lanes: the three wishes side by side, what would help, and the night rehearsed."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from chronocast.model.batch.batch import Batch
from chronocast.model.batch.wishes import WISHES, Wish
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.ui.places.plan.lanes.plan_words import PlanTold, plan_told
from chronocast.ui.theme import font
from chronocast.ui.widgets.short_label import ShortLabel

WISHES_SHARE = 0.66
"""Of the line's width the wishes take no more."""


class PlanBar(QWidget):
    """``PlanBar()``; ``show_plan`` gives it what it says.

    ``wish_taken`` brings the wish that was chosen; ``rehearsal_asked`` that the night is to be rehearsed, or no longer;
    ``changed`` that it may have become useful, or of no use.
    """

    wish_taken = pyqtSignal(str)
    rehearsal_asked = pyqtSignal()
    changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 3, 16, 3)
        row.setSpacing(6)
        self.caption = QLabel("files in")
        self.caption.setObjectName("quiet")
        self.caption.setFont(font(13))
        row.addWidget(self.caption)
        self.wishes: dict[Wish, QPushButton] = {}
        for wish in WISHES:
            button = QPushButton(WISHES[wish].name)
            button.setCheckable(True)
            button.setObjectName("wish")
            button.setFont(font(13))
            button.setCursor(Qt.CursorShape.PointingHandCursor)
            button.clicked.connect(lambda _=False, wish=wish: self._take(wish))
            row.addWidget(button)
            self.wishes[wish] = button
        self.help = ShortLabel()
        self.help.setFont(font(13))
        self.help.setObjectName("quiet")
        row.addWidget(self.help, 1)
        self.rehearse = QPushButton("Rehearse")
        self.rehearse.setObjectName("wish")
        self.rehearse.setFont(font(13))
        self.rehearse.setToolTip("Hundreds of nights, with stations lost and people sitting down")
        self.rehearse.clicked.connect(lambda _=False: self.rehearsal_asked.emit())
        row.addWidget(self.rehearse)
        self.useful = True
        self._told = PlanTold()
        self._wish: Wish = "order"

    def _take(self, wish: Wish) -> None:
        self._mark()  # until the edit is there
        self.wish_taken.emit(wish)

    def _mark(self) -> None:
        for wish, button in self.wishes.items():
            button.setChecked(wish == self._wish)

    def show_plan(self, batch: Batch, view: Outlook | None, told: PlanTold | None) -> None:
        """Say what the wishes give.

        Parameters
        ----------
        batch
            Its wish.
        view
            The forecast.
        told
            What else is known of the plan; None while it is worked out.
        """
        useful, told = view is not None and bool(view.outputs), told or plan_told(view, None)
        if (batch.wish, told, useful) == (self._wish, self._told, self.useful):
            return
        self._wish, self._told, self.useful = batch.wish, told, useful
        self._mark()
        self._fit()
        for wish, button in self.wishes.items():
            button.setToolTip(self._told.more.get(wish, WISHES[wish].does))
        self.help.setText(self._told.help)
        self.help.setToolTip(self._told.help_more)
        self.changed.emit()

    def _fit(self) -> None:
        """As much of the wishes' words as there is room for, and some left for what would help."""
        told = self._told
        names = {wish: WISHES[wish].name for wish in self.wishes}
        for words in (told.wishes, told.fewer, names):
            wide = sum(
                button.fontMetrics().horizontalAdvance(words.get(wish, names[wish])) + 34
                for wish, button in self.wishes.items()
            )
            if wide < self.width() * WISHES_SHARE or words is names:
                break
        for wish, button in self.wishes.items():
            button.setText(words.get(wish, names[wish]))
            button.setMinimumWidth(30)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._fit()
        super().resizeEvent(event)

    def show_night(self, sentence: str, more: str) -> None:
        """Say what a rehearsal came to; "" for the plan again.

        Parameters
        ----------
        sentence
            In short.
        more
            All of it.
        """
        self.rehearse.setText("Back to the plan" if sentence else "Rehearse")
        for button in self.wishes.values():
            button.setVisible(not sentence)
        self.caption.setVisible(not sentence)
        self.help.setText(sentence or self._told.help)
        self.help.setToolTip(more or self._told.help_more)
