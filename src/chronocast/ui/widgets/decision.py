"""Boxes that ask before they act: as large as they need and their screen has, with a foot to do it or leave it."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPushButton

from chronocast.ui.theme import scale

SCREEN_SHARE = 0.92


def size_box(box: QDialog, width: int, height: int, most_scale: float = 2.0) -> None:
    """Make a box so large, in pixels at the usual text size; never larger than its screen shows.

    Parameters
    ----------
    box
        The box.
    width, height
        At the usual text size.
    most_scale
        Larger text makes it larger up to here.
    """
    factor = min(most_scale, scale())
    screen = box.screen()
    room = screen.availableSize() if screen else None
    most = (
        (round(room.width() * SCREEN_SHARE), round(room.height() * SCREEN_SHARE))
        if room
        else (1 << 14, 1 << 14)
    )
    box.resize(min(round(width * factor), most[0]), min(round(height * factor), most[1]))


def decision(box: QDialog, words: str = "") -> tuple[QPushButton, QHBoxLayout]:
    """The button that accepts ``box``, and the line it stands in beside the one that doesn't."""
    yes, no = QPushButton(words), QPushButton("Leave it as it is")
    yes.setObjectName("act")
    yes.clicked.connect(box.accept)
    no.clicked.connect(box.reject)
    no.setAutoDefault(False)
    line = QHBoxLayout()
    line.addStretch(1)
    line.addWidget(no)
    line.addWidget(yes)
    return yes, line
