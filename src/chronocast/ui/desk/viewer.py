"""The desktop's side of looking: asks a process of its own for pictures, and never waits for them."""

from __future__ import annotations

import json
import logging
import os
import subprocess
import sys
import threading
import time
from queue import Queue
from typing import IO, Any

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from chronocast.model.picture.geometry import View
from chronocast.model.source.cutlist import CutList
from chronocast.model.source.range_ends import End

log = logging.getLogger(__name__)
MOST_STARTS = 4


class Viewer(QObject):
    """``Viewer()``: ``open`` a cut list under a name, then ``show`` frames of it.

    ``picture`` brings (slot, source, frame, image), ``still`` (source, frame,
    image) of a strip, ``ends`` (source, start, stop, first, last), ``failed``
    (slot, source, frame, sentence), ``lost`` that the process has gone, ``proxied``
    (slot, whether the picture that comes next is read from a proxy).
    """

    picture = pyqtSignal(str, str, int, QImage)
    still = pyqtSignal(str, int, QImage)
    ends = pyqtSignal(str, int, int, object, object)
    failed = pyqtSignal(str, str, int, str)
    lost = pyqtSignal()
    proxied = pyqtSignal(str, bool)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._lock = threading.Lock()
        self.child: subprocess.Popen[bytes] | None = None
        self._orders: Queue[bytes | None] = Queue()
        self._opened: dict[str, bytes] = {}
        self._asked: dict[str, dict[str, Any]] = {}
        self._starts: list[float] = []
        self._leaving = False

    # Asking

    def open(self, source: str, cut: CutList, *, originals: bool = False) -> None:
        """Have a source ready; its pictures are asked for by ``source``, and read from proxies unless ``originals`` are wanted."""
        order = {"do": "open", "source": source, "cut": cut.model_dump(mode="json"), "originals": originals}
        line = json.dumps(order).encode() + b"\n"
        self._opened = {**dict(list(self._opened.items())[-1:]), source: line}
        if self._leaving:
            return
        if self.child is not None or not self._start():  # a fresh one is told what is open
            self._send(line)

    def show(
        self,
        slot: str,
        source: str,
        frame: int,
        size: tuple[int, int],
        view: View | None = None,
        *,
        first: int = 0,
        rate: str = "",
        ahead: int = 0,
    ) -> None:
        """Ask for a picture; an older one of the same slot is no longer wanted."""
        order = {
            "do": "show",
            "slot": slot,
            "source": source,
            "frame": frame,
            "width": size[0],
            "height": size[1],
            "view": view.model_dump(mode="json") if view else None,
            "first": first,
            "rate": rate,
            "ahead": ahead,
        }
        self._asked[slot] = order
        self._send(json.dumps(order).encode() + b"\n")

    def strip(self, source: str, frames: list[int], size: tuple[int, int]) -> None:
        """Ask for small pictures, in that order, when nothing else is wanted."""
        order = {"do": "strip", "source": source, "frames": frames, "width": size[0], "height": size[1]}
        self._send(json.dumps(order).encode() + b"\n")

    def look_at_ends(self, source: str, start: int, stop: int) -> None:
        """Ask what is wrong at the ends of a range."""
        order = {"do": "ends", "source": source, "start": start, "stop": stop, "frame": start}
        self._asked["ends"] = order
        self._send(json.dumps(order).encode() + b"\n")

    def leave(self) -> None:
        """End the process."""
        with self._lock:
            self._leaving = True
            child = self.child
        self._orders.put(None)
        if child is not None:
            child.kill()
            child.wait(5)

    def end_process(self) -> None:
        """End a process that doesn't answer; the next order starts another."""
        with self._lock:
            child, self.child = self.child, None
        if child is not None:
            child.kill()

    # The process

    def _send(self, line: bytes) -> None:
        if self._leaving:
            return
        if self.child is None and not self._start():
            for slot, order in self._asked.items():
                self.failed.emit(
                    slot,
                    order["source"],
                    order["frame"],
                    f"What shows pictures ended {MOST_STARTS} times within a minute and is left alone for now. "
                    "The file may be damaged; ranges can still be typed.",
                )
            return
        self._orders.put(line)

    def _start(self) -> bool:
        now = time.monotonic()
        self._starts = [at for at in self._starts if now - at < 60]
        if len(self._starts) >= MOST_STARTS:
            return False
        self._starts.append(now)
        self._orders = Queue()
        for line in self._opened.values():
            self._orders.put(line)
        try:
            child = subprocess.Popen(
                [sys.executable, "-m", "chronocast.preview.picture_server", str(os.getpid())],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
            )
        except OSError as error:
            log.warning("no process for pictures: %s", error)
            return False
        self.child = child
        assert child.stdin and child.stdout
        threading.Thread(target=_write, args=(child.stdin, self._orders), daemon=True).start()
        threading.Thread(target=self._read, args=(child, child.stdout), daemon=True).start()
        return True

    def _read(self, child: subprocess.Popen[bytes], stream: IO[bytes]) -> None:
        try:
            while (line := stream.readline()).endswith(b"\n"):  # a line that breaks off was its last
                told = json.loads(line)
                data = stream.read(told["bytes"]) if told.get("bytes") else b""
                if told.get("bytes") and len(data) < told["bytes"]:
                    break
                self._tell(told, data)
        except (ValueError, KeyError, TypeError, OSError):
            log.exception("the looking process said what can't be understood")
            child.kill()
        child.wait()
        self._lost(child)

    def _tell(self, told: dict[str, Any], data: bytes) -> None:
        try:
            if told["what"] == "ends":
                found = [End(**told[side]) if told[side] else None for side in ("first", "last")]
                self.ends.emit(told["source"], told["start"], told["stop"], *found)
            elif told["what"] == "failed":
                self.failed.emit(told["slot"] or "", told["source"], told["frame"] or 0, told["sentence"])
            else:
                image = QImage(
                    data, told["width"], told["height"], told["width"] * 3, QImage.Format.Format_RGB888
                )
                image = image.copy()
                if told["what"] == "still":
                    self.still.emit(told["source"], told["frame"], image)
                else:
                    self.proxied.emit(told["slot"], bool(told.get("proxy")))
                    self.picture.emit(told["slot"], told["source"], told["frame"], image)
        except RuntimeError:
            return  # the window has gone

    def _lost(self, child: subprocess.Popen[bytes]) -> None:
        """The process ended: say what it was at; the next order starts another.

        Not from here: a child goes with the thread that started it.
        """
        with self._lock:
            if self._leaving or self.child is not child:
                return
            self.child = None
        log.warning("the looking process ended with %s", child.returncode)
        try:
            self.lost.emit()
        except RuntimeError:
            return
        slot = "here" if "here" in self._asked else "ends"
        order = self._asked.get(slot)
        self._asked.clear()
        if order is None:
            return
        sentence = (
            f"Showing frame {order['frame']} brought the decoder down. The file may be damaged there; "
            "go to another frame to look on."
        )
        try:
            self.failed.emit(slot, order["source"], order["frame"], sentence)
        except RuntimeError:
            return


def _write(stream: IO[bytes], orders: Queue[bytes | None]) -> None:
    while (line := orders.get()) is not None:
        try:
            stream.write(line)
            stream.flush()
        except (OSError, ValueError):
            return
