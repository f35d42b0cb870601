"""Encode a piece: a run of composed pictures to a closed stream in a file of its own."""

from __future__ import annotations

import contextlib
import os
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from statistics import fmean
from typing import Any, cast

import av
from av.container import OutputContainer
from av.video.frame import PictureType

from chronocast.media.digest import new_digest, written_digest
from chronocast.media.encoders.registry import ENCODERS
from chronocast.media.encoders.x264 import steady
from chronocast.media.errors import EncodeFailed
from chronocast.media.picture.convert import converted, flagged, rounded, rounded_at_the_end, woven
from chronocast.media.picture.layers import piece_pictures
from chronocast.media.picture.likeness import Likeness
from chronocast.media.picture_digest import picture_digest
from chronocast.media.piece.base import base_pictures, without_captions
from chronocast.media.piece.measure import Sample
from chronocast.media.piece.outside import Outside, prove_device
from chronocast.media.piece.pair import Pair
from chronocast.media.piece.sets import sets_digest
from chronocast.media.piece.settings import REPACKED
from chronocast.media.source.readers import Readers
from chronocast.model.messages.jobs import EncoderSettings, PieceJob
from chronocast.model.picture.colour import Colour

os.environ.setdefault("SVT_LOG", "1")  # errors only: it would write pages about itself to standard error

Progress = Callable[[int, av.VideoFrame], None]


@dataclass(frozen=True)
class Encoded:
    """Bytes of a piece's file, and of its picture packets in decoding order.

    ``digest`` is of all pictures as the encoder was given them, where that was asked for; ``sets`` of the
    parameter sets, which all pieces of a file must share; ``quantizer`` is the pictures' mean, where the encoder
    tells it; ``likeness`` of every so many pictures, where that was asked for, and the processor's seconds
    that looking took; ``decoded`` a digest of what it decodes to, where that was asked for; ``composing_seconds``
    the processor's for its pictures, before the encoder had them; ``poorest`` the picture of those looked at that
    is least like its original.
    """

    bytes: int
    packets: tuple[int, ...]
    digest: str = ""
    sets: str = ""
    quantizer: float | None = None
    likeness: Mapping[int, Likeness] = field(default_factory=dict)
    measure_seconds: float = 0.0
    decoded: str = ""
    composing_seconds: float = 0.0
    poorest: Pair | None = field(default=None, compare=False, repr=False)


def encode_piece(job: PieceJob, readers: Readers, progress: Progress | None = None) -> Encoded:
    """Write the piece to ``job.target`` (the caller renames it); its size in bytes, and of each picture's packet.

    Parameters
    ----------
    job
        The piece's.
    readers
        Open readers of its media.
    progress
        Told now and then how far it is.

    Raises
    ------
    MediaError
        A source can't be decoded or the encoder refuses.
    OSError
        The target can't be written.
    """
    pictures = base_pictures(job) if job.base else piece_pictures(job, readers)
    return encode_pictures(
        without_captions(pictures) if job.kind == "base" else pictures,
        job.target,
        job.rate,
        width=job.width,
        height=job.height,
        settings=job.settings,
        progress=progress,
        composed=job.colour,
        shape=job.shape,
        digest=ENCODERS[job.settings.encoder].proved,
        measure_every=job.measure_every,
        digested=job.digested,
    )


class _Composing:
    """``_Composing(pictures)``: the same pictures, and the seconds this thread takes for them."""

    def __init__(self, pictures: Iterator[av.VideoFrame]) -> None:
        self._pictures, self.seconds = pictures, 0.0

    def __iter__(self) -> Iterator[av.VideoFrame]:
        return self

    def __next__(self) -> av.VideoFrame:
        begin = time.thread_time()
        try:
            return next(self._pictures)
        finally:
            self.seconds += time.thread_time() - begin


def _steady(settings: EncoderSettings) -> dict[str, str]:
    """Options that make the bits the same on every machine, and so are not part of a piece's name."""
    params = steady(settings.options.get("x264-params", "")) if settings.encoder == "libx264" else ""
    return {"x264-params": params} if params else {}


LAMBDA = 118
"""The libraries tell a quantizer times this (FF_QP2LAMBDA)."""


def _quantizer(packet: av.Packet[Any]) -> list[float]:
    """The quantizer of a packet's picture, if its encoder tells it: the first four bytes of the quality statistics."""
    if not packet.has_sidedata("quality_stats"):
        return []
    return [int.from_bytes(bytes(packet.get_sidedata("quality_stats"))[:4], "little") / LAMBDA]


REORDERED_AT_MOST = 1000
"""Frames; a decoding time further off than this was never set."""


def _give_time(packet: av.Packet[Any], number: int) -> None:
    """Set a packet's decoding time where its encoder left it as it found it in memory.

    x265 sets it from the third picture on; of one or two pictures every
    fourth file could not be written.
    """
    if packet.dts is None or abs(packet.dts - number) > REORDERED_AT_MOST:
        packet.dts = number if packet.pts is None else min(number, packet.pts)


def _fields(settings: EncoderSettings) -> dict[str, str]:
    """Which field comes first, said to the stream as well as in it."""
    return {"field_order": {"top": "tt", "bottom": "bb"}[settings.fields]} if settings.fields else {}


def _as_the_encoder_wants(
    pictures: Iterator[av.VideoFrame], settings: EncoderSettings, rate: Fraction, composed: Colour
) -> Iterator[av.VideoFrame]:
    """Pictures in the encoder's own format, with their fields as it is to write them."""
    if settings.woven and settings.fields:
        pictures = woven(pictures, settings.fields, rate)
    if REPACKED.get(settings.pixel_format) == settings.working:
        pictures = (picture.reformat(format=settings.pixel_format) for picture in pictures)
    elif rounded_at_the_end(settings):
        pictures = rounded(pictures, settings, composed)
    elif settings.working and settings.working != settings.pixel_format:
        pictures = converted(pictures, settings, composed)
    if settings.fields and (settings.own_fields or settings.working):
        pictures = flagged(pictures, settings.fields, rate)
    return pictures


def _opened_stream(
    output: OutputContainer,
    settings: EncoderSettings,
    rate: Fraction,
    *,
    size: tuple[int, int],
    shape: Fraction,
) -> av.VideoStream:
    """A stream of an output with its encoder opened, ready for pictures of that size and pixel shape."""
    stream = cast(av.VideoStream, output.add_stream(settings.encoder, rate=rate))
    context = stream.codec_context
    stream.width, stream.height = size
    stream.pix_fmt = settings.pixel_format
    context.time_base = stream.time_base = 1 / rate
    context.thread_count = settings.threads
    context.gop_size = settings.key_frame_frames
    if shape != 1:
        context.sample_aspect_ratio = shape
    context.color_primaries, context.color_trc, context.colorspace, context.color_range = settings.colour
    if settings.bits_per_second:
        context.bit_rate = settings.bits_per_second
    if settings.tag:
        context.codec_tag = settings.tag
    context.options = {**settings.options, **_fields(settings), **_steady(settings)}
    context.open()
    return stream


class _Library:
    """``_Library(settings, target, rate, size, shape)``: an encoder of the libraries, fed pictures one by one.

    ``sizes`` are bytes of each packet, ``quantizers`` those that it tells, ``sets`` a digest of its parameter sets.

    Raises
    ------
    EncodeFailed
        It refuses what it is told.
    """

    def __init__(
        self,
        settings: EncoderSettings,
        target: str,
        rate: Fraction,
        *,
        size: tuple[int, int],
        shape: Fraction,
    ) -> None:
        self.sizes: list[int] = []
        self.quantizers: list[float] = []
        self.sets = ""
        self._output = av.open("file:" + target, "w", format=settings.piece, options={"fflags": "+bitexact"})
        try:
            self._stream = _opened_stream(self._output, settings, rate, size=size, shape=shape)
        except (av.error.FFmpegError, ValueError) as error:
            self._output.close()
            raise EncodeFailed(
                f"The encoder {settings.encoder} refused {size[0]}×{size[1]} at {float(rate):g} frames per second: {error}.",
                "Change the recipe's picture settings.",
            ) from error

    def take(self, picture: av.VideoFrame | None) -> None:
        """Give it a picture; None for that there are no more."""
        for packet in self._stream.encode(picture):
            if packet.size:
                _give_time(packet, len(self.sizes))
                self.sizes.append(packet.size)
                self.quantizers.extend(_quantizer(packet))
            self._output.mux(packet)

    def end(self) -> None:
        """Say that nothing more comes."""
        self.take(None)
        self.sets = sets_digest(bytes(self._stream.codec_context.extradata or b""))

    def close(self) -> None:
        """Finish its file."""
        self._output.close()


def encode_pictures(
    pictures: Iterator[av.VideoFrame],
    target: str,
    rate: Fraction,
    *,
    width: int,
    height: int,
    settings: EncoderSettings,
    progress: Progress | None = None,
    composed: Colour | None = None,
    shape: Fraction = Fraction(1),
    digest: bool = False,
    measure_every: int = 0,
    digested: bool = False,
) -> Encoded:
    """Encode pictures to a file of one closed stream; its size in bytes, and of each packet in decoding order.

    For interlaced frames that are woven two pictures come for each: the moments of its fields.
    ``composed`` is the colour they are in, where it isn't what they are tagged with; ``shape`` the
    aspect of their pixels.

    Parameters
    ----------
    pictures
        The pictures, in order.
    target
        The file to write.
    rate
        Frames a second.
    width, height
        Of the frame, in pixels.
    settings
        What the encoder is told.
    progress
        Told now and then how far it is.
    composed
        The colour pictures are in, where it isn't what they are tagged with.
    shape
        Width of a pixel against its height.
    digest
        Whether a digest of the decoded pictures is made.
    measure_every
        Every so many pictures are decoded again and compared; 0 for none.
    digested
        Whether a digest is made of what the piece decodes to.
    """
    sample = Sample(measure_every, digested)
    pictures = composing = _Composing(pictures)
    pictures = _as_the_encoder_wants(pictures, settings, rate, composed or settings.colour)
    encoder = ENCODERS[settings.encoder]
    total = new_digest() if digest else None
    count = 0
    outside = encoder.on is not None and encoder.on.program is not None
    made: Outside | _Library = (
        Outside(encoder, settings, target, rate, size=(width, height))
        if outside
        else _Library(settings, target, rate, size=(width, height), shape=shape)
    )
    with contextlib.closing(made):
        for picture in pictures:
            picture.pts, picture.time_base = count, 1 / rate
            picture.pict_type = PictureType.NONE
            if encoder.tags_frames:
                picture.color_primaries, picture.color_trc, picture.colorspace, picture.color_range = (
                    settings.colour
                )
            sample.see(count, picture)
            if total is not None:
                total.update(picture_digest(picture))
            made.take(picture)
            count += 1
            if progress:
                progress(count, picture)
        made.end()
    if encoder.on is not None:
        prove_device(encoder.on.family, target, count, settings.colour)
    begin = time.process_time()
    alike = sample.measured(target)
    measure_seconds = time.process_time() - begin
    with open(target, "rb") as file:
        os.fsync(file.fileno())
        return Encoded(
            os.fstat(file.fileno()).st_size,
            tuple(made.sizes),
            written_digest(total) if total is not None else "",
            made.sets,
            round(fmean(made.quantizers), 3) if made.quantizers else None,
            alike,
            measure_seconds,
            sample.decoded,
            composing.seconds,
            sample.poorest,
        )
