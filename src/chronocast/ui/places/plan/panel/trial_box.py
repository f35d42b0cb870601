"""A trial of one output: what was tried, how it measured, and its poorest pictures beside the originals, by a wipe."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QImage
from PyQt6.QtWidgets import QDialog, QDoubleSpinBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from chronocast.model.show import rate_bits_text
from chronocast.ui.desk.workers import errand
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets.decision import size_box
from chronocast.ui.widgets.table import Col, RowsTable
from chronocast.ui.widgets.wipe import WipePicture

if TYPE_CHECKING:  # what they bring in takes long to import
    from chronocast.crew.local.trial import TrialTold, Tried


class TrialBox(QDialog):
    """``TrialBox(theme, title, hold, again, parent)``.

    ``hold`` (folder, progress) carries the trial out, elsewhere; ``again`` (told, floor) answers for another floor.

    ``taken`` brings fields of the recipe: the least that keeps the floor.
    """

    taken = pyqtSignal(object)
    _went = pyqtSignal(int, int)

    def __init__(
        self,
        theme: Theme,
        title: str,
        hold: Callable[[Path, Callable[[int, int], None]], TrialTold],
        again: Callable[[TrialTold, float], TrialTold],
        parent: QWidget | None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Trial of {title}")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        size_box(self, 1080, 640, 1.2)
        self.told: TrialTold | None = None
        self._again = again
        self._place = tempfile.TemporaryDirectory(prefix="chronocast-trial-", ignore_cleanup_errors=True)
        self.title = QLabel(title)
        self.title.setFont(font(17))
        self.state = QLabel("Encoding a few seconds of its hardest and of its easiest moment…")
        self.state.setFont(font(13.5))
        self.state.setWordWrap(True)
        self.picture = WipePicture(theme)
        self.table = RowsTable(
            theme,
            (
                Col("moment", lambda row: row.moment.words, 0.2),
                Col("as", lambda row: row.variant.words, 0.26, strong=True),
                Col("rate", lambda row: rate_bits_text(row.bits), 0.2),
                Col("XPSNR, worst", lambda row: f"{row.xpsnr:.1f}, {row.worst:.1f} dB", 0.34, quiet=True),
            ),
            "What was tried",
            30,
        )
        self.table.setMinimumWidth(round(400 * scale()))
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda *_: self._show_pair())
        self.take = QPushButton("Take the least that keeps it")
        self.take.setObjectName("act")
        self.take.setEnabled(False)
        self.take.clicked.connect(self._take)
        self.floor = QDoubleSpinBox()
        self.floor.setRange(20.0, 60.0)
        self.floor.setSuffix(" dB")
        self.floor.setDecimals(1)
        self.floor.setAccessibleName("XPSNR that the worst moment should keep")
        self.floor.setToolTip("From about 40 dB on, differences can hardly be seen side by side.")
        self.floor.setEnabled(False)
        self.floor.valueChanged.connect(self._asked)
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        middle = QHBoxLayout()
        middle.addWidget(self.table)
        middle.addWidget(self.picture, 1)
        foot = QHBoxLayout()
        words = QLabel("The worst moment should keep")
        words.setBuddy(self.floor)
        foot.addWidget(words)
        foot.addWidget(self.floor)
        foot.addWidget(QLabel("XPSNR. The wheel goes closer; the line can be dragged."))
        foot.addStretch(1)
        foot.addWidget(close)
        foot.addWidget(self.take)
        layout = QVBoxLayout(self)
        layout.addWidget(self.title)
        layout.addWidget(self.state)
        layout.addLayout(middle, 1)
        layout.addLayout(foot)
        self._went.connect(self._progress)
        folder = Path(self._place.name)

        def progress(done: int, whole: int) -> None:
            try:
                self._went.emit(done, whole)
            except RuntimeError:
                pass  # the box was closed meanwhile

        self._errand = errand(lambda: hold(folder, progress), self._done, self._failed)

    def _progress(self, done: int, whole: int) -> None:
        self.state.setText(
            f"Encoding a few seconds of its hardest and of its easiest moment: {done} of {whole}"
        )

    def _failed(self, sentence: str) -> None:
        self.state.setText(sentence)

    def _done(self, told: TrialTold) -> None:
        self._say(told)
        self.floor.setValue(told.floor)
        self.floor.setEnabled(True)
        order = {"hardest": 0, "chosen": 1}
        rows = sorted(told.trial.tried, key=lambda item: (order.get(item.moment.words, 2), -item.bits))
        self.table.show_rows(rows, lambda row: (row.moment.words, row.variant.words))
        if rows:
            self.table.selectRow(0)
        self.table.setFocus()

    def _say(self, told: TrialTold) -> None:
        self.told = told
        self.state.setText(told.told)
        self.take.setEnabled(bool(told.values))

    def _asked(self, floor: float) -> None:
        """Another floor: the same trial answers."""
        told, again = self.told, self._again
        if told is None or floor == told.floor:
            return

        def say(found: TrialTold) -> None:
            if self.isVisible() and found.floor == self.floor.value():
                self._say(found)

        errand(lambda: again(told, floor), say, self.state.setText)

    def _show_pair(self) -> None:
        row: Tried | None = self.table.chosen()
        if row is not None:
            self.picture.show_pair(QImage(str(row.picture)), QImage(str(row.original)))

    def _take(self) -> None:
        if self.told is not None:
            self.taken.emit(self.told.values)
        self.close()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        for signal, slot in ((self._errand.done, self._done), (self._errand.failed, self._failed)):
            try:
                signal.disconnect(slot)
            except TypeError:
                pass  # it is over
        self._place.cleanup()
        super().closeEvent(event)
