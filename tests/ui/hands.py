"""Hands and eyes for the real window: mouse, keyboard, waiting, reading what is shown."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from chronocast.ui import theme as themes
from chronocast.ui.app import make_app
from chronocast.ui.desk.session import Session
from chronocast.ui.desk.workers import wait_for_errands
from chronocast.ui.heartbeat import Heartbeat
from chronocast.ui.window import Window


class Desk:
    """A window on a batch, and a heartbeat that watches the interface's thread."""

    def __init__(self, batch: Path | None, wait: bool = True) -> None:
        self.app = make_app()
        themes.apply(self.app, themes.INK)
        self.session = Session(batch)
        self.window = Window(self.session, themes.INK)
        self.window.show()
        self.session.open()
        if wait:
            self.until(lambda: self.session.view is not None, "the first forecast")
        self.heart = Heartbeat()

    def until(self, ready: Callable[[], object], what: str, seconds: float = 90) -> None:
        """Let the window live until something is so."""
        end = time.monotonic() + seconds
        while not ready():
            self.app.processEvents()
            QTest.qWait(5)
            if time.monotonic() > end:
                raise AssertionError(f"waited in vain for {what}; it says “{self.window.notice.text()}”")

    def settle(self) -> None:
        """A moment."""
        QTest.qWait(60)

    def close(self) -> None:
        """Close the window; runs go on."""
        for widget in QApplication.topLevelWidgets():
            if isinstance(widget, Window):
                widget.close()
        wait_for_errands()

    @property
    def now(self) -> Window:
        """The window on screen (a change of theme makes it anew)."""
        return self.windows[-1]

    @property
    def windows(self) -> list[Window]:
        """All windows on screen."""
        return [w for w in QApplication.topLevelWidgets() if isinstance(w, Window) and w.isVisible()]

    def key(
        self,
        key: Qt.Key,
        modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
        into: QWidget | None = None,
    ) -> None:
        """Press a key where the focus is."""
        QTest.keyClick(into or QApplication.focusWidget() or self.now, key, modifiers)
        self.app.processEvents()

    def click(
        self,
        widget: QWidget,
        at: QPoint | None = None,
        modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
    ) -> None:
        """Click on a widget."""
        QTest.mouseClick(
            widget, Qt.MouseButton.LeftButton, modifiers, at if at is not None else widget.rect().center()
        )
        self.app.processEvents()

    def click_cell(
        self, row: int, column: int, modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    ) -> None:
        """Click on a cell of the grid: column 0 is the source."""
        table = self.now.plan_place.grid.table
        viewport = table.viewport()
        assert viewport is not None
        self.click(
            viewport, table.visualRect(self.now.plan_place.grid.model.index(row, column)).center(), modifiers
        )

    def drop(self, paths: list[Path]) -> None:
        """Drop files on the window."""
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
        at = QPoint(300, 300)
        action, button, none = (
            Qt.DropAction.CopyAction,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        enter = QDragEnterEvent(at, action, data, button, none)
        QApplication.sendEvent(self.now, enter)
        assert enter.isAccepted()
        QApplication.sendEvent(self.now, QDropEvent(QPointF(at), action, data, button, none))

    def cell_text(self, row: int, column: int) -> str:
        """What a cell says to a screen reader."""
        model = self.now.plan_place.grid.model
        return str(model.data(model.index(row, column), Qt.ItemDataRole.AccessibleTextRole))
