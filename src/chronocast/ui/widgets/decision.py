"""The foot of a box that asks before it acts: do it, or leave it as it is."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPushButton


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
