"""Where every picture of a file is: the list that makes decoding frame-exact."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import av
from av.container import InputContainer

from chronocast.media.errors import NotMedia
from chronocast.media.source.opening import opened


@dataclass(frozen=True)
class FrameIndex:
    """Presentation times of the pictures that are shown, in order, and of the key frames.

    Times are in ``time_base`` units.  Picture ``n`` is the n-th that is
    shown: those an edit list hides are not counted, nor the ``hidden`` ones at
    the beginning of a film cut in mid-stream, which build on pictures that are
    not there.  ``packet_bytes`` has the size of each picture's packet, in the
    same order; ``repeated`` pictures have the time of an earlier one, and
    can't be reached; ``corrupt`` are pictures whose packets say that they are damaged.
    """

    path: str
    time_base: Fraction
    times: tuple[int, ...]
    keys: tuple[tuple[int, int], ...]
    packet_bytes: tuple[int, ...]
    error: str = ""
    repeated: int = 0
    hidden: int = 0
    corrupt: tuple[int, ...] = ()
    number: dict[int, int] = field(default_factory=dict, repr=False, compare=False)

    def __post_init__(self) -> None:
        self.number.update({time: n for n, time in enumerate(self.times)})

    def __len__(self) -> int:
        return len(self.times)

    def shown_at(self, seconds: Fraction) -> int:
        """The picture on at a time, counted from the first one's; beyond the ends, the first or last."""
        tick = self.times[0] + seconds / self.time_base
        return min(len(self.times) - 1, max(0, bisect_right(self.times, tick) - 1))

    def key_shown(self, frame: int) -> int:
        """When the last key frame at or before ``frame`` is shown: some containers seek by that, and land one earlier else."""
        place = bisect_right(self.keys, (self.times[frame], 1 << 62)) - 1
        return self.keys[place][0] if place >= 0 else self.key_before(frame)

    def key_before(self, frame: int, back: int = 0) -> int:
        """Where to seek for ``frame``: a key frame's decode time, ``back`` key frames earlier."""
        place = bisect_right(self.keys, (self.times[frame], 1 << 62)) - 1 - back
        if place < 0 or not self.keys:
            first = min((t for t in self.times), default=0)
            return min(first, self.keys[0][1] if self.keys else first) - 1
        return min(self.keys[place])


def scan(path: str) -> FrameIndex:
    """Read every packet of the first picture track (nothing is decoded).

    Raises
    ------
    NotMedia
        The file can't be opened or has no picture track.
    """
    with opened(path) as container:
        return index_of(path, container)


def index_of(
    path: str,
    container: InputContainer,
    see: Callable[[av.Packet[Any]], object] = bool,
    hear: Callable[[av.Packet[Any]], object] | None = None,
) -> FrameIndex:
    """The index of a film's first picture track, of which every packet is read.

    Parameters
    ----------
    path
        The film's.
    container
        It, opened, at its beginning.
    see
        Told of every packet of the picture, in decoding order.
    hear
        Told of every packet of the first sound track; that isn't read, if None.

    Raises
    ------
    NotMedia
        It has no picture track.
    """
    times: list[tuple[int, int]] = []
    keys: list[tuple[int, int]] = []
    trouble = ""
    if not container.streams.video:
        raise NotMedia(f"{path} has no picture.", "Use it for sound only.")
    stream = container.streams.video[0]
    time_base = Fraction(stream.time_base or Fraction(1, 90000))
    untimed = 0
    mid_stream = False
    bad: set[int] = set()
    step = round(1 / (Fraction(stream.average_rate or 25) * time_base)) or 1
    try:
        for packet in _picture_packets(container, stream, hear):
            see(packet)
            pts = packet.pts
            if pts is None:
                pts = packet.dts if packet.dts is not None else untimed * step
            untimed += 1
            mid_stream |= not keys and not packet.is_keyframe
            if packet.is_corrupt:
                bad.add(pts)
            if packet.is_keyframe:
                keys.append((pts, packet.dts if packet.dts is not None else pts))
            if not packet.is_discard:
                times.append((pts, packet.size))
    except av.error.FFmpegError as error:
        trouble = error.strerror or str(error)
    hidden = 0
    if mid_stream or (keys and any(pts < keys[0][0] for pts, _ in times)):
        first = first_shown(path)
        if first is not None:
            hidden = len({pts for pts, _ in times if pts < first})
            times = [item for item in times if item[0] >= first]
            keys = [key for key in keys if key[0] >= first]
    unique: dict[int, int] = {}
    for pts, size in times:
        unique[pts] = unique.get(pts, 0) + size
    ordered = sorted(unique)
    return FrameIndex(
        path,
        time_base,
        tuple(ordered),
        tuple(sorted(keys)),
        tuple(unique[t] for t in ordered),
        trouble,
        len(times) - len(unique),
        hidden,
        tuple(n for n, time in enumerate(ordered) if time in bad),
    )


def _picture_packets(
    container: InputContainer, stream: av.VideoStream, hear: Callable[[av.Packet[Any]], object] | None
) -> Iterator[av.Packet[Any]]:
    """Packets of a picture track; those of the first sound track besides are told to who hears them."""
    if hear is None or not container.streams.audio:
        yield from (packet for packet in container.demux(stream) if packet.size)
        return
    for packet in container.demux([stream, container.streams.audio[0]]):
        if packet.size and packet.stream.type == "audio":
            hear(packet)
        elif packet.size:
            yield packet


def first_shown(path: str) -> int | None:
    """The time of the first picture that decoding gives, in the stream's own units; None if it gives none.

    A stream that begins in mid-film has pictures before its first key frame;
    no decoder shows them.
    """
    with opened(path) as container:
        stream = container.streams.video[0]
        try:
            for packet in container.demux(stream):
                try:
                    pictures = packet.decode()
                except av.error.FFmpegError:
                    continue
                for picture in pictures:
                    if not picture.is_corrupt and picture.pts is not None:
                        return int(picture.pts)
        except av.error.FFmpegError:
            pass
    return None
