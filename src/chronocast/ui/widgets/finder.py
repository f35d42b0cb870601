"""The finder: every command, source, recipe and receiver by typing a few letters of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


def matches(typed: str, words: str) -> bool:
    """Whether every typed word is in the words."""
    low = words.lower()
    return all(part in low for part in typed.lower().split())


def nearness(typed: str, words: str) -> tuple[bool, bool]:
    """How well words answer what was typed, the best first: they begin with it; each of its words begins one of theirs.

    >>> sorted(["Begin, before others' work in the house", "Other theme"], key=lambda words: nearness("other th", words))
    ['Other theme', "Begin, before others' work in the house"]
    """
    low, typed = words.lower(), typed.lower().strip()
    begins = all(any(word.startswith(part) for word in low.split()) for part in typed.split())
    return not low.startswith(typed), not begins


@dataclass(frozen=True)
class Findable:
    """What can be found: its words, what kind of thing it is, its key, what is done then, other words for it."""

    words: str
    kind: str
    do: Callable[[], object]
    key: str = ""
    also: str = ""
    enabled: bool = True


MOST_SHOWN = 200


class Finder(QDialog):
    """``Finder(things, parent)``: a line to type in, a list of what fits."""

    def __init__(self, things: Sequence[Findable], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAccessibleName("Find a command, a source, a recipe or a receiver")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.things = [thing for thing in things if thing.words]
        self.line = QLineEdit()
        self.line.setPlaceholderText("Type a few letters of a command, a source, a recipe, a receiver")
        self.list = QListWidget()
        self.line.textChanged.connect(self._fill)
        self.line.installEventFilter(self)
        self.line.returnPressed.connect(self._take)
        self.list.itemActivated.connect(lambda _: self._take())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addWidget(self.line)
        layout.addWidget(self.list)
        self.resize(460, 360)
        self._fill("")

    def open_above(self, window: QWidget) -> None:
        """Show it over the upper part of a window, ready to be typed in."""
        self.move(window.mapToGlobal(QPoint((window.width() - self.width()) // 2, 60)))
        self.show()
        self.line.setFocus()

    def _fill(self, typed: str) -> None:
        self.list.clear()
        fitting = [
            thing for thing in self.things if matches(typed, f"{thing.words} {thing.kind} {thing.also}")
        ]
        order = sorted(fitting, key=lambda one: (not matches(typed, one.words), nearness(typed, one.words)))
        for thing in order[:MOST_SHOWN]:
            words = "   ".join(filter(None, (thing.words, thing.kind, thing.key)))
            item = QListWidgetItem(words)
            item.setData(Qt.ItemDataRole.UserRole, thing)
            if not thing.enabled:
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step:
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
                return True
        return super().eventFilter(watched, event)

    def _take(self) -> None:
        item = self.list.currentItem()
        thing = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        self.close()
        if thing is not None and thing.enabled:
            thing.do()
