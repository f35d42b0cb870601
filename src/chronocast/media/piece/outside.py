"""Encode a piece by a program outside the libraries: raw pictures by a pipe, its file read back packet by packet."""

from __future__ import annotations

import contextlib
import ctypes
import errno
import os
import shutil
import signal
import subprocess
import tempfile
import threading
from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import av

from chronocast.media.encoders.encoder import Encoder, OutsideAsk
from chronocast.media.errors import DeviceFailed, NotMedia
from chronocast.media.piece.raw import raw_bytes
from chronocast.media.piece.sets import sets_digest
from chronocast.media.source.opening import listening, opened
from chronocast.model.messages.jobs import EncoderSettings
from chronocast.model.picture.colour import Colour

SILENT_SECONDS = 20.0
"""A program that takes no picture for so long hangs in its driver, where nothing else is said."""
SOFTWARE = "Encode in software."
FULL_BYTES = 2**18
"""A drive with less free than this is full."""
UNSAID = 2
"""The code point that says nothing."""
LAST_SECONDS = 60.0
"""So long it may take for what it still has when the last picture is in."""


_LIBC = ctypes.CDLL(None, use_errno=True)
_PR_SET_PDEATHSIG = 1
TICK_SECONDS = 0.25


def _go_with_parent() -> None:
    """Have the kernel end this process when the one that started it goes: a driver that hangs must not outlive it."""
    _LIBC.prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)


class _Watch:
    """``_Watch(process)``: kills a program that lets its feeder wait too long.

    It counts its own ticks and not the clock: while everything is frozen, nothing is late.
    """

    def __init__(self, process: subprocess.Popen[bytes]) -> None:
        self.late = False
        self._process, self._over = process, threading.Event()
        self._ticks, self._until = 0, -1
        threading.Thread(target=self._tick, daemon=True).start()

    def begin(self, seconds: float) -> None:
        """From now on the feeder waits."""
        self._until = self._ticks + max(1, round(seconds / TICK_SECONDS))

    def end(self) -> None:
        """It waits no longer."""
        self._until = -1

    def stop(self) -> None:
        """Watch no more."""
        self._over.set()

    def _tick(self) -> None:
        while not self._over.wait(TICK_SECONDS):
            self._ticks += 1
            if 0 <= self._until <= self._ticks:
                self.late = True
                self._process.kill()
                return


class Outside:
    """``Outside(encoder, settings, target, rate, width, height)``: a program that is fed pictures one by one.

    Raises
    ------
    DeviceFailed
        It can't be started.
    """

    def __init__(
        self,
        encoder: Encoder,
        settings: EncoderSettings,
        target: str,
        rate: Fraction,
        *,
        size: tuple[int, int],
    ) -> None:
        assert encoder.on is not None and encoder.on.program is not None
        self.family, self.settings, self.target, self.rate = encoder.on.family, settings, target, rate
        self._folder = tempfile.TemporaryDirectory(dir=os.path.dirname(target) or ".", prefix=".device.part ")
        self.made = os.path.join(self._folder.name, "made")
        self._said = os.path.join(self._folder.name, "said")
        ask = OutsideAsk(
            settings.pixel_format,
            *size,
            rate,
            settings.options,
            settings.bits_per_second or 0,
            settings.key_frame_frames,
            settings.colour,
            self.made,
        )
        self.count = 0
        self.sizes: list[int] = []
        self.quantizers: list[float] = []
        self.sets = ""
        try:
            with open(self._said, "wb") as said:
                self._process = subprocess.Popen(
                    encoder.on.program(ask),
                    stdin=subprocess.PIPE,
                    stdout=subprocess.DEVNULL,
                    stderr=said,
                    preexec_fn=_go_with_parent,
                )
        except OSError as error:
            self.close()
            raise DeviceFailed(f"The program of {self.family} can't be started: {error.strerror}.") from error
        self._watch = _Watch(self._process)

    def take(self, picture: av.VideoFrame) -> None:
        """Give it a picture.

        Raises
        ------
        DeviceFailed
            It takes none, or has ended.
        """
        assert self._process.stdin is not None
        with self._watched(float(os.environ.get("CHRONOCAST_DEVICE_SILENT_SECONDS") or SILENT_SECONDS)):
            try:
                self._process.stdin.write(raw_bytes(picture))
                self._process.stdin.flush()
            except OSError as error:
                raise self._failed() from error
        self.count += 1

    def end(self) -> None:
        """Say that nothing more comes, and write what it made as a piece.

        Raises
        ------
        DeviceFailed
            It failed, or what it made isn't what went in.
        """
        assert self._process.stdin is not None
        with self._watched(LAST_SECONDS):
            with contextlib.suppress(OSError):
                self._process.stdin.close()
            status = self._process.wait()
        if status:
            raise self._failed()
        try:
            self._as_piece()
        except (NotMedia, av.error.FFmpegError) as error:
            raise DeviceFailed(f"What {self.family} made can't be read: {error}.", SOFTWARE) from error

    def close(self) -> None:
        """End it, whatever it does, and tidy up."""
        if watch := getattr(self, "_watch", None):
            watch.stop()
        process = getattr(self, "_process", None)
        if process is not None and process.poll() is None:
            process.kill()
            process.wait()
        self._folder.cleanup()

    @contextlib.contextmanager
    def _watched(self, seconds: float) -> Iterator[None]:
        """Something that blocks while the program does nothing: it is killed after so many seconds."""
        self._watch.begin(seconds)
        try:
            yield
        except DeviceFailed:
            if not self._watch.late:
                raise
        finally:
            self._watch.end()
        if self._watch.late:
            raise DeviceFailed(
                f"{self.family} took no picture for {seconds:.0f} seconds: it hangs in its driver, and was ended.",
                "Leave it alone for a while, or encode in software.",
            )

    def _failed(self) -> DeviceFailed:
        """What the program says of how it failed.

        Raises
        ------
        OSError
            The drive is full: that is no fault of the device.
        """
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(timeout=5)
        with open(self._said, errors="replace") as said_there:
            lines = said_there.read().strip().splitlines()
        # on a full drive what it says may be lost, too
        full = shutil.disk_usage(self._folder.name).free < FULL_BYTES
        if full or any(os.strerror(errno.ENOSPC) in line for line in lines):
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        said = lines[-1].strip() if lines else f"exit status {self._process.poll()}"
        said = said.removeprefix(f"{self.family}: ").rstrip(".")
        return DeviceFailed(f"{self.family}: {said}.", "Try again, or encode in software.")

    def _as_piece(self) -> None:
        """Its packets in a piece's file, each picture at its time."""
        with opened(self.made) as source:
            track = source.streams.video[0]
            packets = [packet for packet in source.demux(track) if packet.size]
            if len(packets) != self.count:
                raise DeviceFailed(
                    f"{self.family} returned {len(packets)} of {self.count} pictures.", SOFTWARE
                )
            ranks = {time: n for n, time in enumerate(sorted(int(packet.pts or 0) for packet in packets))}
            delay = max(order - ranks[int(packet.pts or 0)] for order, packet in enumerate(packets))
            options = {"fflags": "+bitexact"}
            with av.open("file:" + self.target, "w", format=self.settings.piece, options=options) as output:
                stream = output.add_stream_from_template(track, opaque=True)
                stream.time_base, stream.codec_context.framerate = 1 / self.rate, self.rate
                for order, packet in enumerate(packets):
                    new: av.Packet[Any] = av.Packet(bytes(packet))
                    new.pts, new.dts, new.duration = ranks[int(packet.pts or 0)], order - delay, 1
                    new.time_base, new.stream, new.is_keyframe = 1 / self.rate, stream, packet.is_keyframe
                    self.sizes.append(packet.size)
                    output.mux(new)
            self.sets = sets_digest(bytes(track.codec_context.extradata or b""))


def prove_device(family: str, target: str, count: int, colour: Colour) -> None:
    """See that what a device made decodes whole, and is tagged as it was told: drivers have been wrong in both.

    Parameters
    ----------
    family
        The kind of device.
    target
        The piece's file.
    count
        How many pictures went in.
    colour
        What they are to be tagged with.

    Raises
    ------
    DeviceFailed
        It isn't what it should be.
    """
    found, tags = 0, colour
    with listening() as said, opened(target) as container:
        try:
            for picture in container.decode(video=0):
                found += 1
                if picture.is_corrupt:
                    said.append("a picture is damaged")
                tags = (
                    int(picture.color_primaries),
                    int(picture.color_trc),
                    int(picture.colorspace),
                    int(picture.color_range),
                )
        except av.error.FFmpegError as error:
            said.append(str(error.strerror or error))
    if said:
        raise DeviceFailed(f"What {family} made doesn't decode: {said[0]}.", SOFTWARE)
    if found != count:
        raise DeviceFailed(f"Of what {family} made {found} of {count} pictures decode.", SOFTWARE)
    wrong = [
        (a, b) for a, b in zip(tags[:3], colour[:3], strict=True) if a != b and a != UNSAID and b != UNSAID
    ]
    if wrong:
        raise DeviceFailed(
            f"{family} tagged its colours {wrong[0][0]} where {wrong[0][1]} was asked for (ITU-T H.273).",
            SOFTWARE,
        )
