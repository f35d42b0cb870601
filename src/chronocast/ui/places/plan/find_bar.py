"""The line above the grid: find sources by any word, put them in another order, see how many are shown."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLineEdit, QWidget

from chronocast.ui.places.plan.model import ORDERS
from chronocast.ui.theme import font, scale


class FindBar(QWidget):
    """``FindBar()``: ``changed`` when words or order are others; ``left`` when Enter or Escape leaves it."""

    changed = pyqtSignal()
    left = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.words = QLineEdit()
        self.words.setAcceptDrops(False)  # what is dropped is for the window, wherever it falls
        self.words.setPlaceholderText("Find sources by name or fact   Ctrl+F")
        self.words.setAccessibleName("Find sources")
        self.words.setClearButtonEnabled(True)
        self.words.setFont(font(13.5, narrow=True))
        self.words.setMaximumWidth(round(300 * scale()))
        self.order = QComboBox()
        self.order.addItems(ORDERS)
        self.order.setAccessibleName("Order of the sources")
        self.order.setFont(font(13.5, narrow=True))
        self.count = QLabel()
        self.count.setObjectName("quiet")
        self.count.setFont(font(13, narrow=True))
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 5, 12, 5)
        row.setSpacing(10)
        row.addWidget(self.words, 1)
        row.addWidget(self.order)
        row.addWidget(self.count)
        row.addStretch(1)
        self.words.textChanged.connect(lambda _: self.changed.emit())
        self.order.currentIndexChanged.connect(lambda _: self.changed.emit())
        self.words.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() == Qt.Key.Key_Escape:
                self.words.clear()
                self.left.emit()
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Down):
                self.left.emit()
                return True
        return super().eventFilter(watched, event)

    def show_count(self, shown: int, of: int) -> None:
        """How many of the sources are shown."""
        self.count.setText(f"{shown} of {of} shown" if shown != of else "")
