"""A run of a long-GOP film's packets: read from the film, made to begin anew, and written to a file."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, Self, cast

import av

from chronocast.media.bitstream.registry import LONG_GOP
from chronocast.media.bitstream.stream import LongGopStream
from chronocast.media.copy.copied import CopyFailed
from chronocast.media.source.index import FrameIndex

TAGS = {"h264": "avc1", "hevc": "hev1", "mpeg2video": "mp4v"}
"""How pieces are called in their files; of HEVC as sets may stand among the pictures."""


@dataclass(frozen=True)
class Run:
    """Packets in decoding order, as pieces keep them.

    ``numbers`` are of their pictures as they are shown, from 0, one after
    another; ``keys`` are places in the list that a decoder can begin at, the
    first included; so many pictures are ``leading`` at each of these: shown
    before it, and decoded after it.  Those of the first are ``dropped``.
    ``template`` is the film's stream: the film stays open as long as the run
    is written.
    """

    template: av.VideoStream
    stream: LongGopStream
    packets: tuple[bytes, ...]
    numbers: tuple[int, ...]
    keys: tuple[int, ...]
    leading: tuple[int, ...]
    dropped: tuple[bytes, ...] = ()

    @classmethod
    def read(
        cls, film: av.container.InputContainer, index: FrameIndex, first: int, stop: int, moved_by: int = 0
    ) -> Self:
        """A film's packets from a key frame to before another, or to the end.

        Parameters
        ----------
        film
            The film, opened; it has to stay so until the run is written.
        index
            Where its pictures are.
        first, stop
            Its pictures' numbers, the last one not among them.
        moved_by
            What is added to the numbers of its parameter sets.

        Raises
        ------
        CopyFailed
            They aren't there, or not all of them.
        StreamUnreadable
            The stream can't be read.
        """
        packets, numbers, keys, leading = list[bytes](), list[int](), list[int](), list[int]()
        dropped = list[bytes]()
        video, path = film.streams.video[0], film.name.removeprefix("file:")
        codec = LONG_GOP[video.codec_context.codec.canonical_name]
        stream = codec.stream(bytes(video.codec_context.extradata or b""), moved_by)
        for number, packet in _from(film, video, index, first):
            if packet.is_corrupt:
                raise CopyFailed(f"Picture {number} of {path} is damaged.")
            if packet.is_keyframe and number >= stop:
                break
            if packet.is_keyframe:
                keys.append(len(packets))
                leading.append(0)
            elif number < (at := first + numbers[keys[-1]]):
                leading[-1] += 1
                if at == first:  # it builds on what is before the cut
                    dropped.append(stream.plain(bytes(packet)))
                    continue
            packets.append(stream.plain(bytes(packet)))
            numbers.append(number - first)
        if sorted(numbers) != list(range(stop - first)):
            raise CopyFailed(f"Pictures {first} to {stop - 1} of {path} aren't whole groups.")
        return cls(video, stream, tuple(packets), tuple(numbers), tuple(keys), tuple(leading), tuple(dropped))

    def begun(self) -> Self:
        """It, as it must be where nothing comes before it.

        Raises
        ------
        StreamUnreadable
            A picture refers to one that isn't in it.
        """
        return replace(self, packets=tuple(self.stream.begun(self.packets, self.leading[0])))

    def last_group(self) -> Self:
        """Its last group of pictures, without what leads it."""
        start = self.keys[-1]
        zero = self.numbers[start]
        places = [n for n in range(start, len(self.packets)) if self.numbers[n] >= zero]
        return replace(
            self,
            packets=tuple(self.packets[n] for n in places),
            numbers=tuple(self.numbers[n] - zero for n in places),
            keys=(0,),
            leading=self.leading[-1:],
        )

    def head(self, least: int) -> Self:
        """Its beginning: so many pictures at least, up to where all before are decoded."""
        seen = 0
        for count, number in enumerate(self.numbers, 1):
            seen = max(seen, number)
            if count >= least and seen == count - 1:
                return replace(
                    self,
                    packets=self.packets[:count],
                    numbers=self.numbers[:count],
                    keys=tuple(key for key in self.keys if key < count),
                    leading=self.leading[: sum(key < count for key in self.keys)],
                )
        return self

    def write(self, target: str, rate: Fraction, *, lasting: bool = True) -> None:
        """Write it as a piece.

        Parameters
        ----------
        target
            The file's path.
        rate
            Pictures a second.
        lasting
            Whether it has to be on the drive afterwards; not one that is looked at and removed.
        """
        delay = max(order - number for order, number in enumerate(self.numbers))
        keys = set(self.keys)
        options, step = {"fflags": "+bitexact"}, 1 / rate
        with av.open("file:" + target, "w", format="mp4", options=options) as output:
            video = output.add_stream_from_template(self.template, opaque=True)
            video.time_base, video.codec_context.framerate = step, rate
            video.codec_context.codec_tag = TAGS[self.template.codec_context.codec.canonical_name]
            video.codec_context.extradata = self.stream.extradata
            for order, (data, number) in enumerate(zip(self.packets, self.numbers, strict=True)):
                new: av.Packet[Any] = av.Packet(self.stream.muxed(data))
                new.pts, new.dts, new.duration = number, order - delay, 1
                new.time_base, new.is_keyframe, new.stream = step, order in keys, video
                output.mux(new)
        if lasting:
            with open(target, "rb") as file:
                os.fsync(file.fileno())


def _from(
    container: av.container.InputContainer, video: av.VideoStream, index: FrameIndex, first: int
) -> Iterator[tuple[int, av.Packet[Any]]]:
    """A film's packets from the key frame that is picture ``first``, each with its picture's number.

    Raises
    ------
    CopyFailed
        No key frame is there.
    """
    back = 0
    while True:
        container.seek(index.key_before(first, back), stream=video)
        begun = False
        for packet in container.demux(video):
            if not packet.size or packet.pts is None:
                continue
            number = index.number.get(packet.pts)
            if not begun and number is not None and number > first and packet.is_keyframe:
                break  # the container landed behind it
            begun = begun or (number == first and packet.is_keyframe)
            if begun:
                if number is None:
                    raise CopyFailed("A picture on the way isn't shown.")
                yield number, cast("av.Packet[Any]", packet)
        if begun:
            return
        back += 1
        if back > 3:
            raise CopyFailed(f"No decoder can begin at picture {first}.")
