"""Base pieces: pictures composed once, kept without loss, and encoded from as often as is asked for."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache

import av

from chronocast.media.digest import kind_of, new_digest, written_digest
from chronocast.media.encoders.huffman import DEEP, EIGHT_BITS
from chronocast.media.errors import MediaError
from chronocast.media.picture_digest import picture_digest
from chronocast.model.messages.jobs import EncoderSettings, PieceJob

CONTAINER = "nut"
"""An open container of FFmpeg's that takes any codec and pixel format."""


WRITE_WHAT_FRAMES_SAY = ("png", "ffv1")
"""Encoders that write what each picture is tagged with by its source (colours, the shape of pixels): a base piece has no such tags."""


class BaseDamaged(MediaError):
    """A base piece isn't what was composed."""


class BaseUnfit(MediaError):
    """Pictures carry what a base piece can't keep."""


@cache
def _formats(encoder: str) -> frozenset[str]:
    try:
        return frozenset(item.name for item in av.codec.Codec(encoder, "w").video_formats or ())
    except (av.error.FFmpegError, ValueError):
        return frozenset()


def base_encoder(pixel_format: str) -> str:
    """The encoder of base pieces of a pixel format; "" where there is none."""
    return next((name for name in (EIGHT_BITS, DEEP) if pixel_format in _formats(name)), "")


def base_job(job: PieceJob) -> PieceJob | None:
    """The base piece of the pictures that a piece is encoded from, without its name; None where none can be.

    It has the moments of pieces that are woven of fields, one after another.
    """
    working = job.settings.working or job.settings.pixel_format
    encoder = base_encoder(working)
    if not encoder or job.copied or job.settings.encoder in WRITE_WHAT_FRAMES_SAY:
        return None
    settings = EncoderSettings(
        encoder=encoder,
        options={"pred": "left"} if encoder == EIGHT_BITS else {},
        pixel_format=working,
        piece=CONTAINER,
        key_frame_frames=1,
        colour=job.colour,
    )
    return job.model_copy(
        update={
            "kind": "base",
            "name": "",
            "settings": settings,
            "rate": job.rate * 2 if job.settings.woven else job.rate,
            "accept_damage": False,
        }
    )


def without_captions(pictures: Iterator[av.VideoFrame]) -> Iterator[av.VideoFrame]:
    """Pictures as they come, as long as none carries captions: encoders write those, and a base piece would lose them.

    Raises
    ------
    BaseUnfit
        One does.
    """
    for picture in pictures:
        if picture.side_data.get("A53_CC") is not None:
            raise BaseUnfit("Its pictures carry captions, which a base piece can't keep.")
        yield picture


def base_pictures(job: PieceJob) -> Iterator[av.VideoFrame]:
    """The pictures that a piece is encoded from, read from its base piece and held against its digest.

    Raises
    ------
    BaseDamaged
        It isn't there, or isn't what was composed; what was encoded of it so far is no good.
    """
    kind = kind_of(job.base_digest)
    total, count = new_digest(kind), 0
    try:
        with av.open("file:" + job.base) as container:
            stream = container.streams.video[0]
            stream.codec_context.thread_count = 1
            for picture in container.decode(stream):
                total.update(picture_digest(picture, kind))
                count += 1
                yield picture
    except (av.error.FFmpegError, OSError, IndexError) as error:
        raise BaseDamaged(f"The base piece {job.base} can't be read: {error}.") from error
    if count != job.moments or written_digest(total, kind) != job.base_digest:
        raise BaseDamaged(f"The base piece {job.base} is damaged.")
