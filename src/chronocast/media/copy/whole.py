"""Copy packets of codecs in which every picture is a whole one."""

from __future__ import annotations

import os
from collections.abc import Iterator
from typing import Any, cast

import av

from chronocast.media.copy.copied import Copied, CopyFailed
from chronocast.media.digest import new_digest, written_digest
from chronocast.media.piece.sets import sets_digest
from chronocast.media.source.index import FrameIndex
from chronocast.media.source.opening import opened
from chronocast.media.source.readers import Readers
from chronocast.model.messages.jobs import PieceJob


def copy_whole(job: PieceJob, readers: Readers) -> Copied:
    """Write a piece of whole pictures, packet by packet, and read it once more: as many packets, the same bytes.

    Parameters
    ----------
    job
        The piece's; every picture of its sources a whole one.
    readers
        Open readers of its media: they know where pictures are.

    Raises
    ------
    CopyFailed
        A packet isn't there, isn't whole, or isn't the same afterwards.
    """
    total, sizes = new_digest(), list[int]()
    with av.open(
        "file:" + job.target, "w", format=job.settings.piece, options={"fflags": "+bitexact"}
    ) as output:
        stream: av.VideoStream | None = None
        for packet in _packets(job, readers):
            if stream is None:
                template = cast(av.VideoStream, packet.stream)
                stream = output.add_stream_from_template(template, opaque=True)
                stream.time_base = 1 / job.rate
                stream.codec_context.framerate = job.rate
                if job.settings.tag:
                    stream.codec_context.codec_tag = job.settings.tag
            data = bytes(packet)
            total.update(data)
            new: av.Packet[Any] = av.Packet(data)
            new.pts = new.dts = len(sizes)
            new.duration, new.time_base, new.is_keyframe = 1, 1 / job.rate, True
            new.stream = stream
            sizes.append(len(data))
            output.mux(new)
    with open(job.target, "rb") as file:
        os.fsync(file.fileno())
        made = Copied(os.fstat(file.fileno()).st_size, tuple(sizes), written_digest(total), sets_digest(b""))
    if len(sizes) != job.frames or _read_again(job.target) != (len(sizes), made.digest):
        raise CopyFailed("What was copied is not the same as in its source.")
    return made


def _packets(job: PieceJob, readers: Readers) -> Iterator[av.Packet[Any]]:
    """The packets of a piece's pictures, in order."""
    for span in job.spans:
        layer = span.layers[0]
        assert layer.media is not None
        index = readers.reader(layer.media.path, layer.media.fingerprint).index
        first = int(layer.start)
        yield from _of_film(layer.media.path, index, first, first + span.frames)


def _of_film(path: str, index: FrameIndex, first: int, stop: int) -> Iterator[av.Packet[Any]]:
    if stop > len(index):
        raise CopyFailed(f"{path} has {len(index)} pictures where {stop} are needed.")
    wanted = first
    with opened(path) as container:
        stream = container.streams.video[0]
        # what a file has of DNxHR besides its pictures is written anew by its container
        if stream.codec_context.extradata and stream.codec_context.name != "dnxhd":
            raise CopyFailed(f"{path} has parameter sets of its own.")
        if first:
            container.seek(index.key_before(first), stream=stream)
        for packet in container.demux(stream):
            if not packet.size or packet.pts is None or packet.pts < index.times[wanted]:
                continue
            if packet.pts != index.times[wanted] or not packet.is_keyframe or packet.is_corrupt:
                raise CopyFailed(f"Picture {wanted} of {path} isn't a whole one in its place.")
            yield packet
            wanted += 1
            if wanted == stop:
                return
    raise CopyFailed(f"{path} ended before picture {stop - 1}.")


def _read_again(path: str) -> tuple[int, str]:
    """How many packets a piece has, one after another in time, and their digest."""
    total, count = new_digest(), 0
    with opened(path, packets_alone=True) as container:
        for packet in container.demux(container.streams.video[0]):
            if packet.size:
                total.update(bytes(packet))
                count += 1
    return count, written_digest(total)
