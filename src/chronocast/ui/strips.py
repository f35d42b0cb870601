"""Filmstrips: a few stills of each source, decoded in the background and kept."""

from __future__ import annotations

import hashlib
import logging
from pathlib import Path
from queue import LifoQueue

import numpy as np
from PyQt6.QtCore import QObject, QThread, pyqtSignal
from PyQt6.QtGui import QImage

from chronocast.journal.places import data_folder
from chronocast.media.decode import Readers
from chronocast.model.errors import ChronocastError

log = logging.getLogger(__name__)
STILL_HEIGHT, STILL_WIDTH = 54, 96


class StripMaker(QThread):
    """Makes strips one after another; ``made`` brings each as one image."""

    made = pyqtSignal(str, QImage)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._wanted: LifoQueue[tuple[str, tuple[tuple[str, int], ...]] | None] = LifoQueue()
        self._known: set[str] = set()

    def want(self, key: str, frames: tuple[tuple[str, int], ...]) -> None:
        """Ask for a strip, once."""
        if key and frames and key not in self._known:
            self._known.add(key)
            self._wanted.put((key, frames))
            if not self.isRunning():
                self.start(QThread.Priority.LowPriority)

    def leave(self) -> None:
        """End the thread after the strip in hand."""
        self.requestInterruption()
        self._wanted.put(None)

    def run(self) -> None:
        while (item := self._wanted.get()) is not None and not self.isInterruptionRequested():
            try:
                self.made.emit(item[0], _strip(*item))
            except (ChronocastError, OSError) as error:
                log.info("no filmstrip: %s", error)


def _strip(key: str, frames: tuple[tuple[str, int], ...]) -> QImage:
    path = data_folder() / "strips" / f"{hashlib.blake2b(key.encode(), digest_size=12).hexdigest()}.png"
    kept = QImage(str(path))
    if not kept.isNull():
        return kept
    strip = QImage(STILL_WIDTH * len(frames), STILL_HEIGHT, QImage.Format.Format_RGB32)
    strip.fill(0)
    from PyQt6.QtGui import QPainter

    painter = QPainter(strip)
    for place, (media, number) in enumerate(frames):
        readers = Readers(threads=2)
        try:
            source = readers.source(media)
            picture = source.frame(number)
            width = max(2, round(picture.width * STILL_HEIGHT / picture.height * float(source.pixel_aspect)))
            data = np.ascontiguousarray(
                picture.reformat(width=width, height=STILL_HEIGHT, format="rgb24").to_ndarray()
            )
        finally:
            readers.close()
        image = QImage(data.tobytes(), width, STILL_HEIGHT, width * 3, QImage.Format.Format_RGB888)
        left = max(0, (width - STILL_WIDTH) // 2)
        shown = min(width, STILL_WIDTH)
        painter.drawImage(
            place * STILL_WIDTH + (STILL_WIDTH - shown) // 2, 0, image, left, 0, shown, STILL_HEIGHT
        )
    painter.end()
    path.parent.mkdir(parents=True, exist_ok=True)
    temporary = path.with_suffix(".part.png")
    if strip.save(str(temporary)):
        Path(temporary).replace(path)
    return strip
