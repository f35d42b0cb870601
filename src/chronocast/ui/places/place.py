"""What every place of the desktop is to the window."""

from __future__ import annotations

from typing import Any, Literal, Protocol

from chronocast.ui.commands import Actions
from chronocast.ui.desk.desk import Desk

Part = Literal["batch", "forecast", "run", "words"]
"""A part of the desk; *words* are only what it says of itself."""
Touched = frozenset[Part]
"""What of the desk a change has touched."""
ALL: Touched = frozenset({"batch", "forecast", "run", "words"})


class Place(Protocol):
    """A place: a widget that shows a part of what is on the desk and offers commands.

    ``forecasts`` is whether the headline forecast stands above it.
    """

    forecasts: bool

    def show_desk(self, desk: Desk, touched: Touched) -> None:
        """Show what a change of the desk has touched, if this place shows that."""

    def enter(self) -> None:
        """It is shown from now on: take the keyboard."""

    def leave(self) -> None:
        """The window closes: end what it has begun."""

    def take_over(self, other: Any) -> None:
        """Stand where another one of its kind stood: a window made anew shows what the old one did."""

    def commands(self) -> Actions:
        """What it does, by the ids of the table of commands."""
