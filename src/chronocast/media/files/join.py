"""Join pieces and sound to one file.  Nothing is encoded; only times are given anew."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Executor, ThreadPoolExecutor
from fractions import Fraction
from functools import partial
from typing import Any, NamedTuple

import av
from av.container import OutputContainer

from chronocast.media.bitstream.bits import StreamUnreadable
from chronocast.media.bitstream.registry import LONG_GOP
from chronocast.media.errors import JoinFailed
from chronocast.media.files.matroska import MATROSKA, set_pixel_shape
from chronocast.media.files.sums import has_sum
from chronocast.media.source.opening import opened
from chronocast.model.messages.jobs import JoinJob
from chronocast.model.paths import real_path
from chronocast.model.recipe.formats.codecs import PICTURE
from chronocast.model.recipe.formats.containers import CONTAINERS, IMAGE_EXTENSIONS
from chronocast.model.recipe.formats.languages import written_code
from chronocast.model.time.timing import Duration

SUMMING = 2
"""So many parts' sums are taken at once, while they are joined."""
HELD_BYTES = 64 << 20
"""Packets of so many bytes are held from the first reading of pieces to the second; larger ones are read twice."""


class _Packet(NamedTuple):
    """A picture as a piece has it, and its place as it is shown."""

    shown: int
    coded: av.Packet[Any]


class _Piece:
    """A piece's packets, its parameter sets, and how far it is shown ahead of how it is decoded.

    Raises
    ------
    JoinFailed
        It hasn't each of its pictures exactly once.
    """

    def __init__(self, path: str, length: Duration, room: int) -> None:
        self._path, self._length = path, length
        held: list[_Packet] | None = [] if os.path.getsize(real_path(path)) <= room else None
        times = []
        for packet in self._read():
            times.append(packet.shown)
            if held is not None:
                held.append(packet)
        if sorted(times) != list(range(length.frames)):
            raise JoinFailed(
                f"The piece {os.path.basename(path)} has {len(times)} pictures where {length.frames} belong.",
                "It is damaged; it will be made again.",
            )
        self._held = held
        self.frames, self.bytes_held = length.frames, sum(one.coded.size for one in held or ())
        self.delay = max((order - time for order, time in enumerate(times)), default=0)

    def packets(self) -> Iterable[_Packet]:
        """Its pictures in the order in which they are decoded; those that were held are let go."""
        held, self._held = self._held, None
        return self._read() if held is None else held

    def _read(self) -> Iterator[_Packet]:
        with opened(self._path, packets_alone=True) as container:
            stream = container.streams.video[0]
            self.codec = stream.codec_context.codec.canonical_name
            self.extra = bytes(stream.codec_context.extradata or b"")
            by = Fraction(stream.time_base or 1) * self._length.rate
            up, down = by.numerator, by.denominator
            for packet in container.demux(stream):
                if packet.size and packet.pts is not None:
                    shown = (2 * packet.pts * up + down) // (2 * down)
                    yield _Packet(shown, packet)


def _picture_packets(rate: Fraction, together: _Together) -> Iterator[tuple[Fraction, av.Packet[Any]]]:
    """All pictures, each with its time in frames."""
    first, delay, step, at = 0, together.delay, 1 / rate, 0
    for piece, said in zip(together.pieces, together.said, strict=True):
        for shown, coded in piece.packets():
            packet = coded
            if (said and coded.is_keyframe) or coded.is_disposable:
                packet = _anew(coded, said if coded.is_keyframe else None)
            packet.pts, packet.dts, packet.duration = first + shown, at - delay, 1
            packet.time_base = step
            yield Fraction(at), packet
            at += 1
        first += piece.frames


def _anew(coded: av.Packet[Any], said: Callable[[bytes], bytes] | None) -> av.Packet[Any]:
    """A packet with its bytes, of a key picture as they are ``said``, but without marks that only some pieces' packets have."""
    new: av.Packet[Any] = av.Packet(said(bytes(coded)) if said else bytes(coded))
    new.is_keyframe = coded.is_keyframe
    return new


def _sound_packets(path: str, rate: Fraction) -> Iterator[tuple[Fraction, int, av.Packet[Any]]]:
    """Packets of all tracks of a sound file: (time in frames, track, packet)."""
    with opened(path) as container:
        places = {stream.index: number for number, stream in enumerate(container.streams.audio)}
        for old in container.demux(list(container.streams.audio)):
            if not old.size or old.pts is None:
                continue
            base = Fraction(old.stream.time_base or 1)
            new: av.Packet[Any] = av.Packet(bytes(old))
            new.pts, new.dts, new.duration = old.pts, old.pts, old.duration
            new.time_base, new.is_keyframe = base, True
            yield old.pts * base * rate, places[old.stream.index], new


class _Together(NamedTuple):
    """How ``pieces`` stand in one file.

    ``delay``: the smallest in frames with which no picture is decoded after it is shown.  ``sets``: the
    parameter sets of all of them; or each piece has its own before its key frames, so that a player can begin
    at any: ``said`` makes such a packet so.
    """

    pieces: tuple[_Piece, ...]
    delay: int
    sets: bytes
    said: tuple[Callable[[bytes], bytes] | None, ...]


def _together(job: JoinJob, rate: Fraction) -> _Together:
    """See how the pieces fit together.

    Raises
    ------
    JoinFailed
        A piece has parameter sets that can't stand in a file with those before it.
    """
    pieces, room = list[_Piece](), HELD_BYTES
    for path, frames in job.pieces:
        pieces.append(_Piece(path, Duration(frames, rate), room))
        room -= pieces[-1].bytes_held
    every, delay, sets = (
        tuple(pieces),
        max(piece.delay for piece in pieces),
        [piece.extra for piece in pieces],
    )
    nothing = (None,) * len(sets)
    if len(set(sets)) < 2:
        return _Together(every, delay, b"", nothing)
    row = LONG_GOP.get(pieces[0].codec)
    try:
        if row is not None and row.merged:
            return _Together(every, delay, row.merged(sets), nothing)
        if row is not None and row.in_band:
            return _Together(every, delay, sets[0], tuple(partial(row.in_band, each) for each in sets))
    except StreamUnreadable as error:
        raise JoinFailed(f"Its pieces can't stand in one file: {error}.") from error
    other = next(path for (path, _), each in zip(job.pieces, sets, strict=True) if each != sets[0])
    raise JoinFailed(
        f"The piece {os.path.basename(other)} was made with other parameter sets than those before it."
    )


def _picture_stream(
    output: OutputContainer, job: JoinJob, rate: Fraction, together: _Together
) -> av.VideoStream:
    """The joined file's stream of pictures, as its first piece's is.

    Matroska says whether pictures are of fields, which only they tell; other files say nothing that a
    piece's own container doesn't.
    """
    told_by_pictures = CONTAINERS[job.container].muxer in MATROSKA
    with opened(job.pieces[0][0], packets_alone=not told_by_pictures) as first:
        template = first.streams.video[0]
        video = output.add_stream_from_template(template, opaque=True)
        context = video.codec_context
        video.time_base = 1 / rate
        context.framerate = rate
        if job.colour:  # some kinds of files that pieces are kept in can't say it
            context.color_primaries, context.color_trc, context.colorspace, context.color_range = job.colour
        if job.shape != 1:
            context.sample_aspect_ratio = job.shape
        if job.timecode:
            video.metadata["timecode"] = job.timecode
        if tag := _tag(job, template.codec_context.codec_tag):
            # sets that stand among the pictures aren't allowed in every kind of entry
            context.codec_tag = "hev1" if tag == "hvc1" and any(together.said) else tag
        if together.sets:
            context.extradata = together.sets
        return video


def _sound_streams(output: OutputContainer, job: JoinJob, sound: str) -> list[av.AudioStream]:
    """The joined file's tracks, as those of its sound are, each with its language."""
    audios = []
    with opened(sound) as sound_file:
        for at, track in enumerate(sound_file.streams.audio):
            audio = output.add_stream_from_template(track, opaque=True)
            audio.time_base = track.time_base
            if at < len(job.languages) and job.languages[at]:
                audio.metadata["language"] = written_code(job.languages[at], job.container)
            audios.append(audio)
    return audios


class _Sums:
    """The sums over a file's parts, taken beside joining them: whether their bytes are those that were put into the stock."""

    def __init__(self, job: JoinJob, pool: Executor) -> None:
        parts = [path for path, _ in job.pieces] + ([job.sound] if job.sound else [])
        self._found = [
            (path, pool.submit(has_sum, path, known))
            for path, known in zip(parts, job.sums, strict=False)
            if known
        ]

    def see(self) -> None:
        """Wait for them all.

        Raises
        ------
        JoinFailed
            Those of one part are others.
        """
        for path, found in self._found:
            if not found.result():
                raise JoinFailed(
                    f"The piece {os.path.basename(path)} is damaged in the stock.", "It will be made again."
                )


def join(job: JoinJob, *, lasting: bool = True) -> int:
    """Write the joined file to ``job.target`` (the caller renames it); its size in bytes.

    Decode times are worked out for the whole list: dts = order − d, with the
    smallest d that never lets a picture be decoded after it is shown.

    Parameters
    ----------
    job
        What is joined.
    lasting
        Whether it has to be on the drive afterwards; not one that is looked at and removed.

    Raises
    ------
    JoinFailed
        Pieces that don't fit together.
    OSError
        The target can't be written.
    """
    with ThreadPoolExecutor(SUMMING) as pool:
        sums = _Sums(job, pool)
        try:
            size = write_images(job) if job.container == "images" else _write(job, lasting)
        except Exception:
            sums.see()  # a damaged piece is why, whatever was said of it
            raise
        sums.see()
        return size


def _write(job: JoinJob, lasting: bool) -> int:
    """Write a joined file; its size in bytes."""
    rate = Fraction(job.rate)
    together = _together(job, rate) if job.pieces else None
    container = CONTAINERS[job.container]
    with av.open(
        "file:" + real_path(job.target), "w", format=container.muxer, options=dict(container.options)
    ) as output:
        if job.title:
            output.metadata["title"] = job.title
        if job.timecode:
            output.metadata["timecode"] = job.timecode
        video: av.VideoStream | None = None
        audios: list[av.AudioStream] = []
        pictures: Iterator[tuple[Fraction, av.Packet[Any]]] = iter(())
        sounds: Iterator[tuple[Fraction, int, av.Packet[Any]]] = iter(())
        if together:
            video = _picture_stream(output, job, rate, together)
            pictures = _picture_packets(rate, together)
        if job.sound:
            audios = _sound_streams(output, job, job.sound)
            sounds = _sound_packets(job.sound, rate)
        for packet, number in _interleaved(pictures, sounds):
            packet.stream = video if number is None else audios[number]
            output.mux(packet)
    if job.shape != 1 and container.muxer in MATROSKA and job.pieces:
        with opened(job.pieces[0][0]) as first:
            context = first.streams.video[0].codec_context
            set_pixel_shape(job.target, context.width, context.height, job.shape)
    with open(real_path(job.target), "rb") as file:
        if lasting:
            os.fsync(file.fileno())
        return os.fstat(file.fileno()).st_size


def _tag(job: JoinJob, piece: str) -> str:
    """The FourCC to write, where it isn't the container's own usual one."""
    codec = PICTURE.get(job.codec)
    if codec is None:
        return ""
    if codec.own_tag and job.container == "mov":
        return piece
    return codec.file_tag if job.container in ("mp4", "mov") else ""


def write_images(job: JoinJob) -> int:
    """A folder of numbered stills, one a picture: each packet is a whole file; bytes of all of them."""
    ending, number, total = IMAGE_EXTENSIONS[job.codec], 1, 0
    os.makedirs(real_path(job.target), exist_ok=True)
    for path, frames in job.pieces:
        begin = number
        with opened(path, packets_alone=True) as container:
            for packet in container.demux(container.streams.video[0]):
                if not packet.size:
                    continue
                name = os.path.join(
                    real_path(job.target), f"{real_path(job.stem or job.name)}.{number:05d}{ending}"
                )
                with open(name, "wb") as file:
                    file.write(bytes(packet))
                    file.flush()
                    os.fsync(file.fileno())
                total += packet.size
                number += 1
        if number - begin != frames:
            raise JoinFailed(
                f"The piece {os.path.basename(path)} has {number - begin} pictures where {frames} belong.",
                "It is damaged; it will be made again.",
            )
    return total


def _interleaved(
    pictures: Iterator[tuple[Fraction, av.Packet[Any]]],
    sounds: Iterator[tuple[Fraction, int, av.Packet[Any]]],
) -> Iterator[tuple[av.Packet[Any], int | None]]:
    """Packets of both by time: (packet, its sound track or None for picture)."""
    picture, sound = next(pictures, None), next(sounds, None)
    while picture or sound:
        if sound and (picture is None or sound[0] <= picture[0]):
            yield sound[2], sound[1]
            sound = next(sounds, None)
        elif picture:
            yield picture[1], None
            picture = next(pictures, None)
