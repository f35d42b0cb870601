"""The line that says that a batch was changed on disk by somebody else, and offers what can be done about it."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from chronocast.ui.theme import Theme
from chronocast.ui.widgets.alert import Alert


class ConflictBar(QWidget):
    """``ConflictBar(theme)``; hidden until ``show_conflict``.  Reports ``theirs_asked``, ``mine_asked``, ``compare_asked``."""

    theirs_asked = pyqtSignal()
    mine_asked = pyqtSignal()
    compare_asked = pyqtSignal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.theirs, self.mine, self.compare = (
            QPushButton("Take what is on disk"),
            QPushButton("Keep what is here"),
            QPushButton("Compare…"),
        )
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 6, 16, 6)
        row.setSpacing(8)
        row.addWidget(self.words, 1)
        for button, signal in (
            (self.compare, self.compare_asked),
            (self.theirs, self.theirs_asked),
            (self.mine, self.mine_asked),
        ):
            button.clicked.connect(signal)
            row.addWidget(button)
        self.setObjectName("conflict")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setStyleSheet(
            f"#conflict {{ background: {theme.raised}; border-left: 4px solid {theme.rust}; }} QLabel {{ color: {theme.text}; }}"
        )
        self.alert = Alert(self)
        self.hide()

    def show_conflict(self, name: str, conflict: bool) -> None:
        """Show it, or hide it."""
        words = f"{name} was changed on disk by another window or a command. Nothing is written over it until you decide."
        self.words.setText(words)
        self.setAccessibleName(words)
        if conflict and self.isHidden():
            self.alert.say(words)
        self.setVisible(conflict)
