"""A field for a time, typed the way people type it."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QLineEdit, QWidget

from chronocast.ui.theme import font, scale

TYPED = "0123456789:;.,+-sSfF"


class Line(QLineEdit):
    """A field among shortcuts of single keys: Return and Escape are its own while something is typed in it.

    What is dropped on it is the window's, as everywhere.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAcceptDrops(False)

    def event(self, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.ShortcutOverride:
            assert isinstance(event, QKeyEvent)
            own = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape)
            if own and self.isModified() and not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
                event.accept()
                return True
            undoes = event.matches(QKeySequence.StandardKey.Undo) or event.matches(
                QKeySequence.StandardKey.Redo
            )
            if undoes and not self.isModified():
                event.ignore()  # what is undone then is an edit of the batch
                return False
        return super().event(event)


class TimeField(Line):
    """``TimeField(name)``: ``given`` brings what was typed, at Return.

    Only what times are made of is taken; other keys go on to the place, so
    that marking and playing work while the focus is here.  Escape gives back
    what stood here.
    """

    given = pyqtSignal(str)

    def __init__(self, name: str, hint: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setToolTip(f"{name}: {hint}. Type 1:02:03:04, 1020304, +48, 12s, 250f or -1:00, then Return.")
        self.setFont(font(14))
        self.setFixedWidth(round(112 * scale()))
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._said = ""

    def say(self, text: str) -> None:
        """What stands here while nobody types."""
        self._said = text
        if not self.isModified():
            self.setText(text)
            self.setModified(False)

    def settle(self) -> None:
        """Take back what is typed and not given."""
        self.setModified(False)
        self.setText(self._said)

    def refuse(self) -> None:
        """What was given can't be used: it stays, to be mended."""
        self.setModified(True)
        self.selectAll()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if (
            event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and not event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        ):
            if self.isModified():
                text = self.text()
                self.setModified(False)
                self.given.emit(text)
            else:
                event.ignore()
        elif event.key() == Qt.Key.Key_Escape:
            self.settle()
            event.ignore()
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.ShortcutOverride:
            assert isinstance(event, QKeyEvent)
            if event.text() not in TYPED and not event.modifiers() and event.text().isprintable():
                event.ignore()  # a key of the place, not of a time
                return False
        return super().event(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.selectAll()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.settle()
