"""What a screen reader is told at once, without the keyboard being taken from where it is."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QRegion
from PyQt6.QtWidgets import QLabel, QMessageBox, QWidget


class Alert(QMessageBox):
    """``Alert(parent)``: ``say`` a sentence to whoever listens; nothing of it is seen.

    The binding has no accessibility classes, so a sentence can't be given the role
    of an alert by itself.  A message box has that role by nature (ATSPI_ROLE_ALERT),
    and assistive programs read one out when it appears.  This one appears as a part
    of the window, a single pixel of it, and takes neither mouse nor keyboard.
    """

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowFlags(Qt.WindowType.Widget)
        self.setStandardButtons(QMessageBox.StandardButton.NoButton)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setTextInteractionFlags(Qt.TextInteractionFlag.NoTextInteraction)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setMask(QRegion(0, 0, 1, 1))
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        for part in self.findChildren(QLabel):
            part.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.hide()

    def say(self, sentence: str) -> None:
        """Have it read out, even if the same was said before; an empty one is withdrawn."""
        self.hide()
        self.setText(sentence)
        self.setAccessibleName(sentence)
        if sentence:
            self.show()
            self.move(0, 0)
            self.lower()
