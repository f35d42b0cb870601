"""The real desktop in a process of its own: opens a batch, visits every place, scrolls, and quits by itself."""

from __future__ import annotations

import sys
from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from chronocast.ui import app as desktop
from chronocast.ui.commands import PLACES, PLAN
from chronocast.ui.window import Window


def steps(window: Window) -> list[Callable[[], object]]:
    """What a visitor does, one thing after another."""
    grid = window.plan_place.grid
    found: list[Callable[[], object]] = []
    for row in range(grid.model.rowCount()):
        found.append(lambda row=row: grid.table.setCurrentIndex(grid.model.index(row, 0)))
        found.append(window.plan_place.open_range)
        found.append(
            lambda: window.range_place.player.step(1) if hasattr(window.range_place.player, "step") else None
        )
        found.append(lambda: window.go_to(PLAN))
    found += [lambda name=name: window.go_to(name) for name in PLACES]
    return found


def main(path: str, last: str = "", stay_ms: str = "700") -> int:
    """Exit status 0 if the window lived through it; ``last`` is a statement carried out in it at the end, when it stays so long."""

    def begin() -> None:
        windows = [w for w in QApplication.topLevelWidgets() if isinstance(w, Window)]
        if not windows or windows[0].session.view is None:
            QTimer.singleShot(100, begin)
            return
        window = windows[0]
        todo = steps(window)

        def go_on() -> None:
            if todo:
                todo.pop(0)()
                QTimer.singleShot(60, go_on)
                return
            if last:
                QTimer.singleShot(0, lambda: exec(last, {"window": window, "sys": sys}))
            QTimer.singleShot(
                int(stay_ms),
                lambda: (print("visited", flush=True), QApplication.closeAllWindows(), QApplication.quit()),
            )

        go_on()

    original = desktop.make_app

    def make_app() -> QApplication:
        made = original()
        QTimer.singleShot(200, begin)
        return made

    desktop.make_app = make_app
    return desktop.main(path)


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
