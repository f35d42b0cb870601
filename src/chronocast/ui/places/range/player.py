"""Plays a source: the shuttle, the sound that sets its clock, a picture asked for at each step."""

from __future__ import annotations

import json
import logging
import os
import subprocess
import sys
import threading
from collections.abc import Callable
from fractions import Fraction
from queue import Empty, Full, Queue

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

from chronocast.model.source.cutlist import CutList
from chronocast.model.time.shuttle import Shuttle
from chronocast.ui.places.range.speaker import NoSpeaker, Speaker, default_speaker

log = logging.getLogger(__name__)
FASTEST_HEARD = 4
BLOCK = 4096
SAMPLE_BYTES = 4


class Hearing:
    """One hearing child: warm until it is told what to play."""

    def __init__(self) -> None:
        self.problem = ""
        self._blocks: Queue[bytes] = Queue(maxsize=24)
        self._rest = b""
        self._over = False
        self._child = subprocess.Popen(
            [sys.executable, "-m", "chronocast.preview.sound_server", str(os.getpid())],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
        )

    def begin(self, cut: str, frame: int, speed: Fraction) -> None:
        """Play from a frame on; ``cut`` is the cut list as JSON."""
        line = f'{{"cut": {cut}, "frame": {frame}, "speed": "{speed}"}}\n'.encode()
        threading.Thread(target=self._follow, args=(line,), daemon=True).start()

    def _follow(self, line: bytes) -> None:
        child = self._child
        assert child.stdin and child.stdout and child.stderr
        try:
            child.stdin.write(line)
            child.stdin.flush()
            while data := child.stdout.read(BLOCK):
                while not self._over:
                    try:
                        self._blocks.put(data, timeout=0.2)
                        break
                    except Full:
                        continue
                if self._over:
                    return
            self.problem = child.stderr.read().decode(errors="replace").strip()
        except (OSError, ValueError):
            return

    def take(self, most: int) -> bytes:
        """Up to so many bytes of what there is, in whole samples."""
        while len(self._rest) < most:
            try:
                self._rest += self._blocks.get_nowait()
            except Empty:
                break
        whole = min(most, len(self._rest)) // SAMPLE_BYTES * SAMPLE_BYTES
        found, self._rest = self._rest[:whole], self._rest[whole:]
        return found

    def end(self) -> None:
        """Stop it."""
        self._over = True
        self._child.kill()
        self._child.wait()


class Player(QObject):
    """``Player()``: ``load`` a source, then shuttle.

    ``moved`` brings the frame and which way it is going; ``told`` a sentence,
    once, when something can't be heard.
    """

    moved = pyqtSignal(int, int)
    told = pyqtSignal(str)

    def __init__(
        self, parent: QObject | None = None, speaker: Callable[[], Speaker] = default_speaker
    ) -> None:
        super().__init__(parent)
        self.shuttle = Shuttle()
        self.make_speaker = speaker
        self._device: Speaker | None = None
        self._speaker: Speaker = NoSpeaker("")
        self._cut: CutList | None = None
        self._json = ""
        self._warm: Hearing | None = None
        self._hearing: Hearing | None = None
        self._said: set[str] = set()
        self._base = 0.0
        self._last: int | None = None
        self._shown = -1
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(12)
        self._timer.timeout.connect(self._tick)

    @property
    def frame(self) -> int:
        """The frame it stands at, or is passing."""
        return self.shuttle.at(self._now())

    def load(self, cut: CutList | None, frame: int = 0) -> None:
        """Another source, standing."""
        self._stop_sound()
        self._timer.stop()
        self._cut, self._json = cut, ""
        self.shuttle = Shuttle(cut.rate, cut.frames, max(0, min(frame, cut.frames - 1))) if cut else Shuttle()

    def warm_up(self) -> None:
        """Have a hearing child ready, so that sound comes at once."""
        if self._cut and self._cut.sound and self._warm is None:
            self._warm = Hearing()

    def faster(self, way: int) -> None:
        """A step faster in one way."""
        self._change(self.shuttle.faster(way, self._now()))

    def play_or_stand(self) -> None:
        """Play at plain speed, or stand."""
        if self.shuttle.moving:
            self.stand()
        else:
            self._change(self.shuttle.run(Fraction(1), self._now()))

    def play(self, speed: Fraction, last: int | None = None) -> None:
        """Play at a speed, up to a frame if one is given."""
        self._change(self.shuttle.run(speed, self._now()))
        self._last = last

    def stand(self) -> None:
        """Stand here."""
        self._change(self.shuttle.stand(self._now()))

    def step(self, frames: int) -> None:
        """Stand some frames further on, or back."""
        self.go(self.frame + frames)

    def go(self, frame: int) -> None:
        """Stand at a frame."""
        self._change(self.shuttle.stand(self._now()).go(frame, self._now()))

    def close(self) -> None:
        """End what makes sound."""
        self._timer.stop()
        self._stop_sound()
        if self._warm:
            self._warm.end()
            self._warm = None

    # The clock

    def _now(self) -> float:
        return self._base + self._speaker.heard_seconds() if self.shuttle.moving else 0.0

    def _change(self, new: Shuttle) -> None:
        if self._cut is None or not self._cut.frames:
            return
        self._stop_sound()
        self._base, self._last, self._shown = 0.0, None, -1
        self.shuttle = Shuttle(new.rate, new.frames, new.frame, new.speed, 0.0)
        if new.moving:
            self._start_sound()
            self._timer.start()
        else:
            self._timer.stop()
        self.moved.emit(self.shuttle.frame, 0 if not new.moving else 1 if new.speed > 0 else -1)

    def _tick(self) -> None:
        self._feed()
        now = self._now()
        frame = self.shuttle.at(now)
        if self._last is not None and frame >= self._last:
            self.go(self._last)
            return
        if self.shuttle.ended(now):
            self._change(self.shuttle.stand(now))
            return
        if frame == self._shown:
            return
        self._shown = frame
        step = round(abs(self.shuttle.speed)) or 1
        self.moved.emit(frame, step if self.shuttle.speed > 0 else -1)

    # The sound

    def _start_sound(self) -> None:
        assert self._cut is not None
        if not self._cut.sound or abs(self.shuttle.speed) > FASTEST_HEARD:
            self._silent("", self.shuttle.frame)
            return
        if self._device is None:
            self._device = self.make_speaker()
        self._speaker = self._device
        if self._speaker.problem:
            self._silent(self._speaker.problem, self.shuttle.frame)
            return
        self._json = self._json or json.dumps(self._cut.model_dump(mode="json"))
        self._hearing = self._warm or Hearing()
        self._warm = None
        self._hearing.begin(self._json, self.shuttle.frame, self.shuttle.speed)
        self._speaker.begin()
        QTimer.singleShot(300, self.warm_up)

    def _silent(self, problem: str, frame: int) -> None:
        """Go on from a frame without sound; say why, once."""
        if self._hearing:
            self._hearing.end()
            self._hearing = None
        self._speaker = NoSpeaker(problem)
        self._speaker.begin()
        self.shuttle = Shuttle(self.shuttle.rate, self.shuttle.frames, frame, self.shuttle.speed, 0.0)
        if problem and problem not in self._said:
            self._said.add(problem)
            self.told.emit(problem)

    def _feed(self) -> None:
        if self._hearing is None:
            return
        if self._hearing.problem:
            problem = f"Played without sound: {self._hearing.problem}"
            frame = self.frame
            self._speaker.end()
            self._silent(problem, frame)
            return
        while (room := self._speaker.room()) >= BLOCK:
            data = self._hearing.take(min(room, 4 * BLOCK))
            if not data:
                break
            self._speaker.take(data)

    def _stop_sound(self) -> None:
        if self._hearing is not None:
            self._speaker.end()
            self._hearing.end()
            self._hearing = None
            self._speaker = NoSpeaker("")
            self._speaker.begin()
            QTimer.singleShot(0, self.warm_up)
