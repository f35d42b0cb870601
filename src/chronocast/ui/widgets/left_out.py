"""What was left out of what was dropped, each with its reason, until somebody has read it."""

from __future__ import annotations

import logging
from collections.abc import Iterable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from chronocast.model.show import counted
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets.alert import Alert

log = logging.getLogger(__name__)
ROWS = 5


class LeftOut(QWidget):
    """``LeftOut(theme)``; hidden until ``add`` gives it something, and again when it is dismissed."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.lines: list[str] = []
        self.words = QLabel()
        self.words.setFont(font(14, 600))
        self.copy = QPushButton("Copy the list")
        self.dismiss = QPushButton("Dismiss")
        self.copy.clicked.connect(self._copy)
        self.dismiss.clicked.connect(self.forget)
        for button in (self.copy, self.dismiss):
            button.setObjectName("small")
        self.list = QListWidget()
        self.list.setFont(font(13.5))
        self.list.setWordWrap(True)
        self.list.setFrameShape(QListWidget.Shape.NoFrame)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName("Left out, with the reason")
        above = QHBoxLayout()
        above.addWidget(self.words, 1)
        above.addWidget(self.copy)
        above.addWidget(self.dismiss)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 6, 16, 6)
        column.setSpacing(4)
        column.addLayout(above)
        column.addWidget(self.list)
        self.setObjectName("left_out")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setStyleSheet(
            f"#left_out {{ background: {theme.raised}; border-left: 4px solid {theme.lichen}; }} "
            f"QListWidget {{ background: transparent; color: {theme.text}; }} QLabel {{ color: {theme.text}; }}"
        )
        self.alert = Alert(self)
        self.hide()

    def add(self, lines: Iterable[str]) -> None:
        """Show more that was left out, below what is there.

        Parameters
        ----------
        lines
            Each with its reason.
        """
        new = [line for line in dict.fromkeys(lines) if line not in self.lines]
        for line in new:
            log.warning("left out: %s", line)
            self.lines.append(line)
            self.list.addItem(line)
        if not self.lines:
            return
        told = f"{counted(len(self.lines), 'thing')} left out of what was brought in"
        self.words.setText(told)
        self.setAccessibleName(told)
        row = max(24, self.list.sizeHintForRow(0))
        self.list.setFixedHeight(round(min(len(self.lines), ROWS) * (row + 2) + 6 * scale()))
        if new:
            self.alert.say(f"{told}. {' '.join(new[:ROWS])}")
        self.show()

    def forget(self) -> None:
        """It was read."""
        self.lines.clear()
        self.list.clear()
        self.hide()

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText("\n".join(self.lines))
