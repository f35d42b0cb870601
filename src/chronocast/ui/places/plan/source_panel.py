"""The sheet of one source: its facts, what is done to it, what stands in its way, and the way out."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QLabel, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from chronocast.ui.places.plan.panel.panel import WIDTH
from chronocast.ui.places.plan.source_sheet import SourceSheet
from chronocast.ui.theme import Theme, font, scale


class SourcePanel(QScrollArea):
    """``SourcePanel(theme)``: ``search_asked``, ``take_asked`` and ``accept_asked`` with the source's id."""

    search_asked = pyqtSignal(str)
    take_asked = pyqtSignal(str)
    accept_asked = pyqtSignal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.source = ""
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Facts of the chosen source")
        self.text = QLabel()
        self.text.setWordWrap(True)
        self.text.setTextFormat(Qt.TextFormat.RichText)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.text.setFont(font(13.5, narrow=True))
        self.text.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.search = QPushButton("Search a folder for its media…")
        self.take = QPushButton("Take it as it is now…")
        self.accept = QPushButton("Accept its damage")
        inner = QWidget()
        layout = QVBoxLayout(inner)
        layout.setContentsMargins(16, 12, 14, 12)
        layout.setSpacing(10)
        layout.addWidget(self.text)
        layout.addWidget(self.search, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addWidget(self.take, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addWidget(self.accept, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addStretch(1)
        self.setWidget(inner)
        self.search.clicked.connect(lambda: self.search_asked.emit(self.source))
        self.take.clicked.connect(lambda: self.take_asked.emit(self.source))
        self.accept.clicked.connect(lambda: self.accept_asked.emit(self.source))

    def sizeHint(self) -> QSize:
        return QSize(round(WIDTH * min(1.25, scale())), 300)

    def show_sheet(self, sheet: SourceSheet | None) -> None:
        """Show another source."""
        if sheet is None:
            self.text.setText("")
            return
        self.source = sheet.source
        t = self.theme
        lines = "".join(
            f"<tr><td style='color:{t.quiet}; padding-right:10px'>{escape(name)}</td><td>{escape(value)}</td></tr>"
            for name, value in sheet.lines
        )
        parts = [f"<p style='font-size:{round(15 * scale())}px; font-weight:600'>{escape(sheet.title)}</p>"]
        parts += [f"<p style='color:{t.rust}'>{escape(told)}</p>" for told in sheet.problems]
        parts.append(f"<table cellspacing=0 cellpadding=2 style='margin-top:8px'>{lines}</table>")
        if sheet.notes:
            parts.append(f"<p style='color:{t.quiet}; margin-bottom:2px'>What to know of it</p>")
            parts += [f"<p style='margin:3px 0'>{escape(told)}</p>" for told in sheet.notes]
        told = "".join(parts)
        if told != self.text.text():
            self.text.setText(told)
        self.search.setVisible(sheet.missing)
        self.take.setVisible(sheet.changed)
        self.accept.setVisible(sheet.damaged)
