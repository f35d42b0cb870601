"""The line that says what has just happened, or what needs a person."""

from __future__ import annotations

import logging

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QWidget

from chronocast.ui.theme import Theme
from chronocast.ui.widgets.alert import Alert
from chronocast.ui.widgets.later import Later

log = logging.getLogger(__name__)
PASSING_MS, TROUBLE_MS = 5_000, 20_000
LONGEST = 600


class NoticeBar(QLabel):
    """``NoticeBar(theme)``: ``tell`` what passes, ``tell_trouble`` what needs a person, ``keep`` what stays so.

    ``lasting`` is whether it shows what is kept; ``role`` is the colour it shows.
    """

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.lasting = False
        self.role = ""
        self.setWordWrap(True)
        self.setContentsMargins(16, 7, 16, 7)
        self.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.alert = Alert(self)
        self.hide()
        self._hide_later = Later(PASSING_MS, self.hide, self)

    def tell(self, sentence: str) -> None:
        """Say something that passes."""
        self._say(sentence, "lichen", PASSING_MS)

    def tell_trouble(self, sentence: str) -> None:
        """Say something that needs a person; it stays until the next thing is said."""
        log.warning("%s", sentence)
        self._say(sentence, "rust", TROUBLE_MS)

    def keep(self, sentence: str) -> None:
        """Say something for as long as it is so; nothing ends what was kept."""
        if sentence:
            self._say(sentence, "rust", 0)
        elif self.lasting:
            self.hide()

    def forget_trouble(self) -> None:
        """After an edit was taken: what was said of the one before is no longer so."""
        if self.role == "rust" and not self.lasting:
            self.hide()

    def _say(self, sentence: str, role: str, milliseconds: int) -> None:
        t = self.theme
        self.setText(sentence[:LONGEST])
        self.setAccessibleName(sentence)
        self.lasting, self.role = not milliseconds, role
        self.setStyleSheet(
            f"background: {t.raised}; border-left: 4px solid {getattr(t, role)}; color: {t.text};"
        )
        self.alert.say(sentence)  # first: as the bar appears, what it said last would be read out again
        self.show()
        self._hide_later.stop()
        if milliseconds:
            self._hide_later.start(milliseconds)
