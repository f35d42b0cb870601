"""Read a finished file as a stranger would: decode everything, count, and tell what was there."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any

import av
import numpy as np

from chronocast.media.bitstream.registry import bare_packets
from chronocast.media.errors import NotMedia
from chronocast.media.files.sound import HEARD
from chronocast.media.filter_graph import Filter, FilterGraph
from chronocast.media.picture.compose import picture_digest
from chronocast.media.source.inspect import timecode_of
from chronocast.media.source.opening import listening, opened
from chronocast.model.paths import real_path
from chronocast.model.picture.colour import UNTAGGED, Colour, read_tags
from chronocast.model.recipe.layouts import known_layout


@dataclass(frozen=True)
class Found:
    """What decoding a whole file showed.  Seconds are of what was decoded, not of what the header says.

    ``said_samples`` is the first sound track's length, by the container where it says one, else from the
    beginning of the picture to the end of what was decoded.  ``picture_sizes`` are bytes of the picture's
    packets in decoding order; ``fields`` counts pictures that were flagged as interlaced.
    ``judged_at`` is the rate that ``uneven`` was counted at.  ``shape`` is the aspect of its pixels, ``timecode`` of its first frame, ``layouts`` of its sound tracks;
    ``onset`` the second after its first picture at which sound is first heard; ``digests`` are of runs of
    pictures, as long as they were asked for.
    ``luma`` is the least and the greatest brightness code, in the stream's own depth, where it was asked for.
    """

    container: str
    bytes: int
    frames: int = 0
    width: int = 0
    height: int = 0
    rate: Fraction = Fraction(0)
    uneven: int = 0
    video_codec: str = ""
    sound_codec: str | None = None
    sound_samples: int = 0
    sample_rate: int = 0
    channels: int = 0
    sound_peak: float = 0.0
    said_samples: int = 0
    complaints: tuple[str, ...] = ()
    colour: Colour = UNTAGGED
    track_samples: tuple[int, ...] = ()
    picture_sizes: tuple[int, ...] = ()
    fields: int = 0
    field_order: str = ""
    profile: str = ""
    level: int = 0
    pixel_format: str = ""
    languages: tuple[str, ...] = ()
    luma: tuple[int, int] | None = None
    loudness: float | None = None
    true_peak: float | None = None
    images: tuple[str, ...] = field(default=(), repr=False)
    shape: Fraction = Fraction(1)
    timecode: str = ""
    layouts: tuple[str, ...] = ()
    onset: float | None = None
    digests: tuple[str, ...] = ()
    packet_digests: tuple[str, ...] = ()
    judged_at: Fraction = Fraction(0)


def _tags(video: av.VideoStream) -> Colour:
    context = video.codec_context
    return read_tags(
        str(int(tag))
        for tag in (context.color_primaries, context.color_trc, context.colorspace, context.color_range)
    )


def prove(
    path: str,
    progress: Callable[[int], None] | None = None,
    luma: bool = False,
    *,
    loudness: bool = False,
    runs: Sequence[int] = (),
    packet_runs: Sequence[int] = (),
    rate: Fraction | None = None,
) -> Found:
    """Decode every picture and every sample of a file; of a folder, every image in it.

    ``uneven`` counts pictures that don't lie where they belong at ``rate`` (the file's own where none is
    asked for), as near as the container's clock can say.
    ``track_samples`` is what was decoded of each track; decoders give
    whole packets, so ``sound_samples`` may be up to a packet or two more.
    ``luma`` and ``loudness`` are measured only where they are asked for, and a digest only of ``runs``:
    so many pictures one after another.

    Parameters
    ----------
    path
        The file's.
    progress
        Told now and then how far it is.
    luma
        Whether levels of brightness are measured.
    loudness
        Whether loudness and true peak are measured.
    runs
        Frames of each stretch a digest is made of.
    packet_runs
        Packets of each stretch a digest is made of, as they are in the file.
    rate
        Frames a second that were asked for; the file's own if none.

    Raises
    ------
    NotMedia
        It can't be opened at all.
    """
    path = real_path(path)
    if os.path.isdir(path):
        return _prove_images(path, progress)
    reading = _Reading(luma, runs, rate, packet_runs)
    with listening(everywhere=True) as told, opened(path) as container:
        reading.read(container, progress)
        found = replace(reading.found(container), bytes=os.path.getsize(path))
    if loudness and found.sound_codec:
        found = replace(found, **_loudness(path))
    return replace(found, complaints=(*reading.complaints, *told))


_ORDERS = {2: "top first", 3: "bottom first", 4: "top first", 5: "bottom first"}
"""AVFieldOrder: which field is shown first."""


def _rate(video: av.VideoStream) -> Fraction:
    """Pictures a second, by the container where it says so, else as its times have them."""
    return Fraction(video.average_rate or video.base_rate or video.guessed_rate or 0)


class PacketDigests:
    """``PacketDigests(runs)``: digests of so many packets each, one after another, as they are in every container."""

    def __init__(self, runs: Sequence[int]) -> None:
        self._runs, self._count = list(runs), 0
        self._digest = hashlib.blake2b(digest_size=16)
        self._bare: Callable[[bytes], bytes] | None = None
        self.found: list[str] = []

    def see(self, packet: av.Packet[Any]) -> None:
        """The next packet of the pictures."""
        if not self._runs:
            return
        if self._bare is None:
            context = packet.stream.codec_context
            self._bare = bare_packets(context.codec.canonical_name, bytes(context.extradata or b""))
        self._digest.update(self._bare(bytes(packet)))
        self._count += 1
        if self._count == self._runs[0]:
            self._runs.pop(0)
            self.found.append(self._digest.hexdigest())
            self._digest, self._count = hashlib.blake2b(digest_size=16), 0


class _Reading:
    """A file being decoded from its beginning to its end."""

    def __init__(
        self,
        luma: bool,
        runs: Sequence[int] = (),
        rate: Fraction | None = None,
        packet_runs: Sequence[int] = (),
    ) -> None:
        self._packets = PacketDigests(packet_runs)
        self._rate = rate
        self._runs = list(runs)
        self._digest = hashlib.blake2b(digest_size=16)
        self._in_run = 0
        self.digests: list[str] = []
        self.onset: Fraction | None = None
        self.complaints: list[str] = []
        self.frames = self.uneven = self.fields = 0
        self.peak, self.first = 0.0, None
        self.sizes: list[int] = []
        self.heard: dict[int, int] = {}
        self.sound_end = Fraction(0)
        self.luma = [1 << 16, -1] if luma else None

    first: Fraction | None

    def read(self, container: av.container.InputContainer, progress: Callable[[int], None] | None) -> None:
        """Everything in it."""
        videos, audios = container.streams.video, container.streams.audio
        video = videos[0] if videos else None
        rate = self._rate or (_rate(video) if video else Fraction(0))
        self.heard = {stream.index: 0 for stream in audios}
        main = audios[0].index if audios else -1
        try:
            for packet in container.demux([*([video] if video else []), *audios]):
                if packet.size and video is not None and packet.stream.index == video.index:
                    self.sizes.append(packet.size)
                    self._packets.see(packet)
                try:
                    decoded = packet.decode()
                except av.error.FFmpegError as error:
                    self.complaints.append(
                        f"{packet.stream.type} after {self.frames} pictures: {error.strerror}"
                    )
                    continue
                for frame in decoded:
                    if isinstance(frame, av.VideoFrame):
                        self._picture(frame, rate)
                        if progress:
                            progress(self.frames)
                    elif isinstance(frame, av.AudioFrame):
                        self._sound(frame, packet.stream.index, main)
        except av.error.FFmpegError as error:
            self.complaints.append(f"after {self.frames} pictures: {error.strerror}")

    def _picture(self, frame: av.VideoFrame, rate: Fraction) -> None:
        self.frames += 1
        self.fields += frame.interlaced_frame
        if self._runs:
            self._digest.update(picture_digest(frame))
            self._in_run += 1
            if self._in_run == self._runs[0]:
                self._runs.pop(0)
                self.digests.append(self._digest.hexdigest())
                self._digest, self._in_run = hashlib.blake2b(digest_size=16), 0
        now = (frame.pts or 0) * Fraction(frame.time_base or 1)
        if self.first is None:
            self.first = now
        clock = Fraction(frame.time_base or 1)
        # both this picture's time and the first one's were rounded to the clock, each by at most half of it
        if rate and abs(now - self.first - (self.frames - 1) / rate) > clock + Fraction(1, 100_000):
            self.uneven += 1
        if self.luma is not None and frame.format.name.startswith(("yuv", "gray", "nv12")):
            kind = np.uint8 if frame.format.components[0].bits == 8 else np.uint16
            plane = frame.planes[0]
            lines = np.frombuffer(memoryview(plane), kind).reshape(plane.height, -1)[:, : frame.width]
            self.luma = [min(self.luma[0], int(lines.min())), max(self.luma[1], int(lines.max()))]

    def _sound(self, frame: av.AudioFrame, track: int, main: int) -> None:
        self.heard[track] += frame.samples
        block = frame.to_ndarray()
        scale = float(2 ** (8 * block.dtype.itemsize - 1)) if block.dtype.kind == "i" else 1.0
        loud = np.abs(block.astype(np.float64)) / scale
        self.peak = max(self.peak, float(loud.max(initial=0.0)))
        if self.onset is None and track == main and frame.pts is not None and frame.time_base:
            if not frame.format.is_planar:
                loud = loud.reshape(-1, max(1, len(frame.layout.channels))).T
            if (heard := loud.max(axis=0) > HEARD).any():
                self.onset = frame.pts * frame.time_base + Fraction(int(heard.argmax()), frame.sample_rate)
        if track == main and frame.pts is not None and frame.time_base:
            self.sound_end = frame.pts * frame.time_base + Fraction(frame.samples, frame.sample_rate)

    def found(self, container: av.container.InputContainer) -> Found:
        """What there was."""
        videos, audios = container.streams.video, container.streams.audio
        found = Found(container.format.name, 0)
        if videos:
            video = videos[0]
            context = video.codec_context
            found = replace(
                found,
                frames=self.frames,
                width=context.width,
                height=context.height,
                rate=_rate(video),
                uneven=self.uneven,
                judged_at=self._rate or _rate(video),
                video_codec=context.codec.canonical_name,
                colour=_tags(video),
                picture_sizes=tuple(self.sizes),
                fields=self.fields,
                field_order=_ORDERS.get(int(context.field_order or 0), ""),
                profile=str(context.profile or ""),
                level=int(context.level or 0),
                pixel_format=context.pix_fmt or "",
                shape=Fraction(video.sample_aspect_ratio or 1) or Fraction(1),
                digests=tuple(self.digests),
                packet_digests=tuple(self._packets.found),
                timecode=timecode_of(container),
                luma=(self.luma[0], self.luma[1]) if self.luma and self.luma[1] >= 0 else None,
            )
        if audios:
            audio = audios[0]
            told = (
                audio.duration and audio.time_base and container.format.name not in ("mpegts", "ogg", "mp3")
            )
            said = (
                audio.duration * audio.time_base
                if told and audio.duration and audio.time_base
                else self.sound_end - (self.first or 0)
            )
            found = replace(
                found,
                sound_codec=audio.codec_context.codec.canonical_name,
                sound_samples=self.heard[audio.index],
                sample_rate=audio.rate,
                channels=audio.codec_context.channels,
                sound_peak=self.peak,
                said_samples=round(said * audio.rate),
                track_samples=tuple(self.heard.values()),
                languages=tuple(stream.metadata.get("language", "") for stream in audios),
                layouts=tuple(
                    known_layout(stream.codec_context.layout.name, stream.codec_context.channels)
                    for stream in audios
                ),
                onset=float(self.onset - (self.first or 0)) if self.onset is not None else None,
            )
        return found


def _loudness(path: str) -> dict[str, Any]:
    """Integrated loudness in LUFS and true peak in dBTP of the first track (ITU-R BS.1770-4)."""
    from math import log10

    with opened(path) as container:
        stream = container.streams.audio[0]
        graph = FilterGraph.of_sound(stream, [Filter("ebur128", "metadata=1:peak=true")])
        last: dict[str, str] = {}
        for frame in container.decode(stream):
            graph.push_sound(frame)
            for measured in graph.made():
                last.update(measured.metadata)
        graph.end()
        for measured in graph.made():
            last.update(measured.metadata)
    loud = last.get("lavfi.r128.I")
    peaks = [
        float(value) for key, value in last.items() if "true_peaks_ch" in key or key.endswith("true_peak")
    ]
    return {
        "loudness": float(loud) if loud not in (None, "nan", "-inf") else None,
        "true_peak": 20 * log10(max(peaks)) if peaks and max(peaks) > 0 else None,
    }


def _prove_images(path: str, progress: Callable[[int], None] | None) -> Found:
    """Every image in a folder, each decoded, all of one size."""
    names = sorted(name for name in os.listdir(path) if not name.startswith("."))
    complaints: list[str] = []
    looks: set[tuple[int, int, str, str]] = set()
    total = count = 0
    for name in names:
        file = os.path.join(path, name)
        total += os.path.getsize(file)
        try:
            with opened(file) as container:
                video = container.streams.video[0]
                for frame in container.decode(video):
                    looks.add(
                        (
                            frame.width,
                            frame.height,
                            video.codec_context.codec.canonical_name,
                            frame.format.name,
                        )
                    )
                    count += 1
                    break
        except (NotMedia, av.error.FFmpegError, IndexError) as error:
            complaints.append(f"{name}: {error}")
        if progress:
            progress(count)
    if len(looks) > 1:
        complaints.append(f"its images are of {len(looks)} kinds")
    width, height, codec, kind = next(iter(sorted(looks)), (0, 0, "", ""))
    return Found(
        "images",
        total,
        frames=count,
        width=width,
        height=height,
        video_codec=codec,
        complaints=tuple(complaints),
        pixel_format=kind,
        images=tuple(names),
    )
