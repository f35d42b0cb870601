"""What plays sound: the machine's own device, or, where there is none, a clock that says so."""

from __future__ import annotations

import logging
import time
from typing import Protocol

from PyQt6.QtCore import QIODevice, QLoggingCategory

from chronocast.media.viewing.playback import CHANNELS, SAMPLE_RATE

log = logging.getLogger(__name__)
BYTES_A_SECOND = SAMPLE_RATE * CHANNELS * 2
AHEAD_SECONDS = 0.3


class Speaker(Protocol):
    """Takes 16-bit stereo at 48 kHz, and tells how much of it has been heard."""

    problem: str

    def begin(self) -> None: ...

    def room(self) -> int:
        """How many bytes it would take now."""
        ...

    def take(self, data: bytes) -> None: ...

    def heard_seconds(self) -> float: ...

    def end(self) -> None: ...


class NoSpeaker:
    """No sound; time goes by all the same."""

    def __init__(self, problem: str) -> None:
        self.problem = problem
        self._began = 0.0

    def begin(self) -> None:
        self._began = time.monotonic()

    def room(self) -> int:
        return 0

    def take(self, data: bytes) -> None:
        pass

    def heard_seconds(self) -> float:
        return time.monotonic() - self._began

    def end(self) -> None:
        pass


class DeviceSpeaker:
    """The machine's default sound device."""

    def __init__(self) -> None:
        QLoggingCategory.setFilterRules("qt.multimedia.*=false")  # what it misses for video is nothing to us
        from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices

        self.problem = ""
        device = QMediaDevices.defaultAudioOutput()
        form = QAudioFormat()
        form.setSampleRate(SAMPLE_RATE)
        form.setChannelCount(CHANNELS)
        form.setSampleFormat(QAudioFormat.SampleFormat.Int16)
        if device.isNull():
            raise OSError("there is no sound device")
        if not device.isFormatSupported(form):
            raise OSError(f"{device.description()} doesn't take 48 kHz stereo")
        self._sink = QAudioSink(device, form)
        self._sink.setBufferSize(round(BYTES_A_SECOND * AHEAD_SECONDS))
        self._io: QIODevice | None = None

    def begin(self) -> None:
        self._io = self._sink.start()

    def room(self) -> int:
        return int(self._sink.bytesFree())

    def take(self, data: bytes) -> None:
        if self._io is not None:
            self._io.write(data)

    def heard_seconds(self) -> float:
        return float(self._sink.processedUSecs()) / 1e6

    def end(self) -> None:
        self._sink.reset()


def default_speaker() -> Speaker:
    """The machine's device; a silent clock with the reason where there is none."""
    try:
        return DeviceSpeaker()
    except (ImportError, OSError) as error:
        log.warning("no sound: %s", error)
        return NoSpeaker(f"Played without sound: {error}.")
