"""The table of commands as Qt has it: actions with keys, menus, the menu of a cell."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Literal

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget

from chronocast.ui.commands import COMMANDS, Command
from chronocast.ui.widgets.finder import Findable

Do = Callable[[], object]


class CommandSet:
    """``CommandSet(window, actions)``: every command of the table, carried out by the action of its id."""

    def __init__(self, window: QWidget, actions: Mapping[str, Do]) -> None:
        self._window = window
        self._place = ""
        self._holds: frozenset[str] = frozenset()
        self.by_id = {command.id: self._made(command, actions[command.id]) for command in COMMANDS}
        window.addActions(list(self.by_id.values()))

    def _made(self, command: Command, do: Do) -> QAction:
        made = QAction(command.words, self._window)
        if command.key:
            made.setShortcut(QKeySequence(command.key))
        made.triggered.connect(lambda _=False: do())
        return made

    def menu(self) -> QMenu:
        """All of them, by their menus."""
        whole = QMenu(self._window)
        inner: dict[str, QMenu] = {}
        for command in COMMANDS:
            menu = inner.get(command.menu)
            if menu is None:
                menu = inner[command.menu] = QMenu(command.menu, whole)
                whole.addMenu(menu)
            if command.apart:
                menu.addSeparator()
            menu.addAction(self.by_id[command.id])
        whole.addSeparator()
        whole.addAction(self.by_id["window.find_command"])
        return whole

    def menu_of(self, names: Iterable[str]) -> QMenu:
        """Some of them, by their ids."""
        menu = QMenu(self._window)
        menu.addActions([self.by_id[name] for name in names])
        return menu

    def menu_at(self, at: Literal["cell", "column"]) -> QMenu:
        """Those of a cell or of a column."""
        menu = QMenu(self._window)
        menu.addActions([self.by_id[command.id] for command in COMMANDS if at in command.at])
        return menu

    def findable(self) -> list[Findable]:
        """All of them, as the finder finds them."""
        return [
            Findable(
                command.words,
                "place" if command.id.startswith("go.") else "",
                self.by_id[command.id].trigger,
                self.by_id[command.id].shortcut().toString(),
                f"{command.menu} {command.also}",
                self.by_id[command.id].isEnabled(),
            )
            for command in COMMANDS
        ]

    def enter(self, place: str) -> None:
        """Another place is shown."""
        self._place = place
        self._enable()

    def hold(self, conditions: Iterable[str]) -> None:
        """What holds now, of the table's conditions."""
        holds = frozenset(conditions)
        if holds != self._holds:
            self._holds = holds
            self._enable()

    def _enable(self) -> None:
        for command in COMMANDS:
            self.by_id[command.id].setEnabled(command.can_be_used(self._place, self._holds))
