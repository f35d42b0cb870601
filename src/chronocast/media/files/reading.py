"""A file decoded from its beginning to its end, by one process or by several that share its pictures.

Whoever shares reads every packet, and decodes those of its own stretches: from
a key frame to another one, and beyond that one as far as pictures depend on
both.  So nobody seeks, and a container without an index is shared as well.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, NamedTuple

import av
import numpy as np

from chronocast.media.bitstream.registry import bare_packets
from chronocast.media.digest import kind_of, new_digest, written_digest
from chronocast.media.files.sound import HEARD
from chronocast.media.picture_digest import picture_digest

STRETCH_PACKETS = 24
"""The stretches that are shared out begin at the first key frame after so many packets."""


class Share(NamedTuple):
    """Which stretches a process decodes: every ``of`` th.  Number 0 decodes the sound besides."""

    number: int = 0
    of: int = 1

    def has(self, stretch: int) -> bool:
        """Whether a stretch is in it."""
        return stretch % self.of == self.number


Runs = Sequence[tuple[int, str]]
"""How many pictures or packets each run has, one after another, and its digest or what kind is ``ASKED``; "" for none."""


class Wanted(NamedTuple):
    """What is looked for besides.

    Parameters
    ----------
    luma
        Whether levels of brightness are measured.
    runs
        Runs of pictures that digests are made of.
    packet_runs
        Runs of packets that digests are made of, as they are in the file.
    """

    luma: bool = False
    runs: Runs = ()
    packet_runs: Runs = ()


@dataclass
class Pictures:
    """The pictures of a stretch in order: their times in ticks, digests of each by kind, how many are of fields, their luma."""

    times: list[int] = field(default_factory=list)
    digests: dict[str, list[bytes]] = field(default_factory=dict)
    fields: int = 0
    luma: tuple[int, int] | None = None
    clock: Fraction = Fraction(1)


@dataclass
class Part:
    """What one process found: its stretches by number, and what it heard."""

    pictures: dict[int, Pictures] = field(default_factory=dict)
    complaints: list[str] = field(default_factory=list)
    sizes: list[int] = field(default_factory=list)
    packet_digests: list[str] = field(default_factory=list)
    heard: dict[int, int] = field(default_factory=dict)
    peak: float = 0.0
    sound_end: Fraction = Fraction(0)
    onset: Fraction | None = None

    def take(self, other: Part) -> None:
        """Put what another process found of the pictures to it."""
        self.pictures |= other.pictures
        self.complaints += other.complaints

    @property
    def frames(self) -> int:
        """How many pictures there were."""
        return sum(len(stretch.times) for stretch in self.pictures.values())

    @property
    def fields(self) -> int:
        """How many of them were flagged as interlaced."""
        return sum(stretch.fields for stretch in self.pictures.values())

    @property
    def luma(self) -> tuple[int, int] | None:
        """The least and the greatest brightness code, if it was looked for and is known of any."""
        found = [stretch.luma for stretch in self.pictures.values() if stretch.luma is not None]
        return (min(low for low, _ in found), max(high for _, high in found)) if found else None

    @property
    def first(self) -> Fraction | None:
        """The time of the first picture, in seconds."""
        for _, stretch in sorted(self.pictures.items()):
            if stretch.times:
                return stretch.times[0] * stretch.clock
        return None

    def uneven(self, rate: Fraction) -> int:
        """How many pictures don't lie where they belong at a rate.

        Their own times and the first one's were rounded to the clock, each by at most half of it.
        """
        ordered = [stretch for _, stretch in sorted(self.pictures.items()) if stretch.times]
        if not rate or not ordered:
            return 0
        clock = ordered[0].clock
        times = np.concatenate([np.array(stretch.times, np.int64) for stretch in ordered])
        off = (times - times[0]) * float(clock) - np.arange(len(times)) / float(rate)
        return int((np.abs(off) > float(clock) + 1e-5).sum())

    def digests(self, runs: Runs) -> tuple[str, ...]:
        """Digests of runs of pictures, one after another; of whole runs only."""
        each = dict[str, list[bytes]]()
        for _, stretch in sorted(self.pictures.items()):
            for kind, made in stretch.digests.items():
                each.setdefault(kind, []).extend(made)
        found, at, frames = list[str](), 0, self.frames
        for count, asked in runs:
            if at + count > frames:
                break
            kind, digest = kind_of(asked), ""
            if kind:
                total = new_digest(kind)
                total.update(b"".join(each.get(kind, [])[at : at + count]))
                digest = written_digest(total, kind)
            found.append(digest)
            at += count
        return tuple(found)


class PacketDigests:
    """``PacketDigests(runs)``: digests of runs of packets, one after another, as they are in every container."""

    def __init__(self, runs: Runs) -> None:
        self._runs, self._count = list(runs), 0
        self._begin()
        self._bare: Callable[[bytes], bytes] | None = None
        self.found: list[str] = []

    def see(self, packet: av.Packet[Any]) -> None:
        """The next packet of the pictures."""
        if not self._runs:
            return
        if self._bare is None:
            context = packet.stream.codec_context
            self._bare = bare_packets(context.codec.canonical_name, bytes(context.extradata or b""))
        if self._kind:
            self._digest.update(self._bare(bytes(packet)))
        self._count += 1
        if self._count == self._runs[0][0]:
            self._runs.pop(0)
            self.found.append(written_digest(self._digest, self._kind) if self._kind else "")
            self._begin()

    def _begin(self) -> None:
        """The next run."""
        self._kind, self._count = kind_of(self._runs[0][1]) if self._runs else "", 0
        self._digest = new_digest(self._kind)


class Reading:
    """``Reading(wanted, share)``: a file being decoded; ``part`` is what was found so far.

    Parameters
    ----------
    wanted
        What is looked for besides.
    share
        Which of it is decoded here.
    """

    def __init__(self, wanted: Wanted, share: Share) -> None:
        self.part = Part()
        self._wanted, self._share = wanted, share
        self._packets = PacketDigests(wanted.packet_runs)
        self._kinds = sorted({kind_of(asked) for _, asked in wanted.runs} - {""})
        self._seen = self._done = 0
        self._stretch = 0
        self._since = -1
        self._key: int | None = None
        self._ending: int | None = None
        self._held: av.Packet[Any] | None = None

    def read(self, container: av.container.InputContainer, progress: Callable[[int], None] | None) -> None:
        """Everything in it that is in the share; ``progress`` is told how many pictures were decoded here."""
        videos = container.streams.video
        for stream in videos:
            stream.codec_context.thread_count = 1  # what it says is listened to
        audios = container.streams.audio if self._share.number == 0 else ()
        video = videos[0] if videos else None
        self.part.heard = {stream.index: 0 for stream in audios}
        main = audios[0].index if audios else -1
        try:
            for packet in container.demux([*([video] if video else []), *audios]):
                if video is None or packet.stream.index != video.index:
                    self._hear(packet, main)
                    continue
                if packet.size:
                    self.part.sizes.append(packet.size)
                    if self._share.number == 0:
                        self._packets.see(packet)
                self._look(packet)
                if progress and self._done:
                    progress(self._done)
        except av.error.FFmpegError as error:
            self.part.complaints.append(f"after {self._done} pictures: {error.strerror}")
        self.part.packet_digests = self._packets.found

    def _complain(self, packet: av.Packet[Any], error: av.error.FFmpegError) -> None:
        self.part.complaints.append(f"{packet.stream.type} after {self._done} pictures: {error.strerror}")

    # Pictures

    def _look(self, packet: av.Packet[Any]) -> None:
        """Decode a packet of the pictures, if it is in the share."""
        if self._share.of == 1:
            self._decode(packet)
            return
        if packet.size and packet.is_keyframe and not 0 <= self._since < STRETCH_PACKETS:
            self._begin_stretch(packet)
        self._since += packet.size > 0
        if self._share.has(self._stretch):
            led = self._key is not None and packet.pts is not None and packet.pts < self._key
            if not (led and self._stretch):  # those before its key frame depend on the stretch before
                self._decode(packet)
        elif self._ending is not None:
            self._go_beyond(packet)

    def _go_beyond(self, packet: av.Packet[Any]) -> None:
        """A packet after the key frame that ends a stretch: pictures before that one depend on both."""
        if packet.is_keyframe and packet.pts == self._ending and packet.size:
            self._held = packet  # not decoded unless something depends on it
            return
        if packet.size and packet.pts is not None and packet.pts < (self._ending or 0):
            if self._held is not None:
                self._decode(self._held)
                self._held = None
            self._decode(packet)
        else:
            self._end_stretch(packet)

    def _begin_stretch(self, packet: av.Packet[Any]) -> None:
        """A key frame at which another stretch begins."""
        mine = self._since >= 0 and self._share.has(self._stretch)
        if self._ending is not None:
            self._end_stretch(packet)
        self._stretch += self._since >= 0
        self._since, self._key = 0, packet.pts
        if mine:
            self._ending = packet.pts
        elif self._share.has(self._stretch):
            packet.stream.codec_context.flush_buffers()

    def _end_stretch(self, packet: av.Packet[Any]) -> None:
        """Take what the decoder still holds of the stretch that has ended."""
        try:
            self._take(packet.stream.codec_context.decode(None))
        except av.error.FFmpegError as error:
            self._complain(packet, error)
        packet.stream.codec_context.flush_buffers()
        self._ending = self._held = None

    def _decode(self, packet: av.Packet[Any]) -> None:
        try:
            self._take(packet.decode())
        except av.error.FFmpegError as error:
            self._complain(packet, error)

    def _take(self, frames: Sequence[Any]) -> None:
        for frame in frames:
            ending = self._ending
            if ending is None or frame.pts is None or frame.pts < ending:
                self._picture(frame, self._stretch - (ending is not None))

    def _picture(self, frame: av.VideoFrame, stretch: int) -> None:
        self._done += 1
        found = self.part.pictures.setdefault(stretch, Pictures(clock=Fraction(frame.time_base or 1)))
        found.times.append(frame.pts or 0)
        found.fields += frame.interlaced_frame
        for kind in self._kinds:
            found.digests.setdefault(kind, []).append(picture_digest(frame, kind))
        if self._wanted.luma and frame.format.name.startswith(("yuv", "gray", "nv12")):
            depth = np.uint8 if frame.format.components[0].bits == 8 else np.uint16
            plane = frame.planes[0]
            lines = np.frombuffer(memoryview(plane), depth).reshape(plane.height, -1)[:, : frame.width]
            low, high = found.luma or (1 << 16, -1)
            found.luma = min(low, int(lines.min())), max(high, int(lines.max()))

    # Sound

    def _hear(self, packet: av.Packet[Any], main: int) -> None:
        try:
            decoded = packet.decode()
        except av.error.FFmpegError as error:
            self._complain(packet, error)
            return
        for frame in decoded:
            if isinstance(frame, av.AudioFrame):
                self._sound(frame, packet.stream.index, main)

    def _sound(self, frame: av.AudioFrame, track: int, main: int) -> None:
        part = self.part
        part.heard[track] += frame.samples
        block = frame.to_ndarray()
        scale = float(2 ** (8 * block.dtype.itemsize - 1)) if block.dtype.kind == "i" else 1.0
        loud = np.abs(block.astype(np.float64)) / scale
        part.peak = max(part.peak, float(loud.max(initial=0.0)))
        if part.onset is None and track == main and frame.pts is not None and frame.time_base:
            if not frame.format.is_planar:
                loud = loud.reshape(-1, max(1, len(frame.layout.channels))).T
            if (heard := loud.max(axis=0) > HEARD).any():
                part.onset = frame.pts * frame.time_base + Fraction(int(heard.argmax()), frame.sample_rate)
        if track == main and frame.pts is not None and frame.time_base:
            part.sound_end = frame.pts * frame.time_base + Fraction(frame.samples, frame.sample_rate)
