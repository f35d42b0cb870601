"""Filmstrips of *Plan*: a few stills of each source, made in a process of their own and kept."""

from __future__ import annotations

import hashlib
import logging
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter

from chronocast.journal.places import data_folder
from chronocast.model.picture.geometry import PictureSize
from chronocast.model.source.cutlist import CutList
from chronocast.ui.desk.viewer import Viewer
from chronocast.ui.widgets.later import Later

log = logging.getLogger(__name__)
STILL_HEIGHT, STILL_WIDTH = 54, 96
PATIENCE_MS = 20_000
"""After so long, whatever of a strip hasn't come stays empty."""


class StripMaker(QObject):
    """Makes strips one after another; ``made`` brings each as one image.

    A still that can't be made is an empty box.  A film that brings the
    decoder down, or never answers, costs its own strip and nothing else.
    """

    made = pyqtSignal(str, QImage)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._viewer: Viewer | None = None
        self._waiting: list[tuple[str, CutList, tuple[int, ...]]] = []
        self._known: set[str] = set()
        self._now: tuple[str, CutList, tuple[int, ...]] | None = None
        self._stills: dict[int, QImage | None] = {}
        self._patience = Later(PATIENCE_MS, self._give_up, self)

    def want(self, key: str, cut: CutList, frames: tuple[int, ...]) -> None:
        """Ask for a strip of some frames of a source, once; the newest is made first."""
        if not key or not frames or key in self._known:
            return
        self._known.add(key)
        self._waiting.append((key, cut, frames))
        if self._now is None:
            QTimer.singleShot(0, self._next)

    def leave(self) -> None:
        """No more strips."""
        self._waiting.clear()
        self._now = None
        self._patience.stop()
        if self._viewer is not None:
            self._viewer.leave()

    def _next(self) -> None:
        while self._now is None and self._waiting:
            key, cut, frames = self._waiting.pop()
            kept = QImage(str(_place(key)))
            if not kept.isNull():
                self.made.emit(key, kept)
                continue
            self._now, self._stills = (key, cut, frames), {}
            viewer = self._ready_viewer()
            viewer.open(key, cut)
            viewer.strip(key, list(frames), size_of(cut))
            self._patience.start()

    def _ready_viewer(self) -> Viewer:
        if self._viewer is None:
            self._viewer = Viewer(self)
            self._viewer.still.connect(self._came)
            self._viewer.failed.connect(lambda _slot, key, frame, _sentence: self._came(key, frame, None))
            self._viewer.lost.connect(self._give_up)
        return self._viewer

    def _came(self, key: str, frame: int, image: QImage | None) -> None:
        if self._now is None or key != self._now[0]:
            return
        self._stills[frame] = image
        if set(self._now[2]) <= self._stills.keys():
            self._finish()

    def _give_up(self) -> None:
        """The process has gone, or takes too long over this one."""
        if self._now is None:
            return
        log.info("no whole filmstrip of %s", self._now[0][:24])
        if self._patience.isActive():
            self._finish()
        elif self._viewer is not None:
            self._finish()
            self._viewer.end_process()

    def _finish(self) -> None:
        assert self._now is not None
        self._patience.stop()
        (key, _, frames), self._now = self._now, None
        stills = [self._stills.get(frame) for frame in frames]
        strip = side_by_side(stills)
        if all(still is not None for still in stills):
            _keep(strip, _place(key))
        self.made.emit(key, strip)
        QTimer.singleShot(0, self._next)


def size_of(cut: CutList) -> PictureSize:
    """Width and height, in pixels, of a still that fills the strip's height; both even."""
    width = max(2, round(cut.width * STILL_HEIGHT / max(1, cut.height) / 2) * 2)
    return PictureSize(min(width, 4 * STILL_WIDTH), STILL_HEIGHT)


def side_by_side(stills: list[QImage | None]) -> QImage:
    """Stills as one image, each in a box of the same size, cut off at its sides; None leaves its box empty."""
    strip = QImage(STILL_WIDTH * max(1, len(stills)), STILL_HEIGHT, QImage.Format.Format_RGB32)
    strip.fill(0)
    painter = QPainter(strip)
    try:
        for place, image in enumerate(stills):
            if image is None:
                continue
            left = max(0, (image.width() - STILL_WIDTH) // 2)
            shown = min(image.width(), STILL_WIDTH)
            painter.drawImage(
                place * STILL_WIDTH + (STILL_WIDTH - shown) // 2, 0, image, left, 0, shown, STILL_HEIGHT
            )
    finally:
        painter.end()
    return strip


def _place(key: str) -> Path:
    return data_folder() / "strips" / f"{hashlib.blake2b(key.encode(), digest_size=12).hexdigest()}.png"


def _keep(strip: QImage, path: Path) -> None:
    """Keep a strip for the next time; where that can't be done it is made again then."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        temporary = path.with_suffix(".part.png")
        if strip.save(str(temporary)):
            temporary.replace(path)
    except OSError as error:
        log.info("a filmstrip could not be kept: %s", error)
