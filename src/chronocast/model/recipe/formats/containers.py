"""Containers: kinds of files, their extensions, what they carry besides codecs."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from chronocast.model.recipe.formats.codecs import MPEG2_RATES, PICTURE, SOUND
from chronocast.model.time.timing import Rate


@dataclass(frozen=True)
class Container:
    """A kind of file: FFmpeg's muxer, its extension.  What it holds is said by the codecs.

    ``other_extensions`` are those of files of its kind that aren't written here.
    ``timecode`` says whether it carries a start timecode, ``pixel_shape`` whether pixels that aren't square,
    ``rates`` the only frame rates it takes.
    """

    id: str
    name: str
    muxer: str
    extension: str
    use: str = ""
    options: tuple[tuple[str, str], ...] = ()
    sound_rates: tuple[int, ...] = (44100, 48000)
    most_tracks: int = 16
    read_as: str = ""
    timecode: bool = False
    pixel_shape: bool = True
    rates: frozenset[Rate] | None = None
    other_extensions: tuple[str, ...] = ()

    @cached_property
    def picture(self) -> tuple[str, ...]:
        """The picture codecs it holds."""
        return tuple(codec.id for codec in PICTURE.values() if self.id in codec.containers)

    @cached_property
    def sound(self) -> tuple[str, ...]:
        """The sound codecs it holds."""
        return tuple(codec.id for codec in SOUND.values() if self.id in codec.containers)

    @property
    def opened_as(self) -> str:
        """What a reader's library calls it."""
        return self.read_as or self.muxer


_BITEXACT = ("fflags", "+bitexact")
CONTAINERS: dict[str, Container] = {
    item.id: item
    for item in (
        Container(
            "mp4",
            "MP4",
            "mp4",
            ".mp4",
            "plays everywhere",
            other_extensions=(".m4v",),
            options=(("movflags", "+faststart"), _BITEXACT),
            timecode=True,
        ),
        Container(
            "mov",
            "MOV",
            "mov",
            ".mov",
            "for editing seats",
            (("movflags", "+faststart"), _BITEXACT),
            timecode=True,
        ),
        Container(
            "mkv",
            "MKV",
            "matroska",
            ".mkv",
            "open, for archives and players",
            (_BITEXACT,),
            timecode=True,
        ),
        Container(
            "webm",
            "WebM",
            "webm",
            ".webm",
            "for web pages",
            (_BITEXACT,),
            (48000,),
            read_as="matroska",
        ),
        Container(
            "mxf",
            "MXF",
            "mxf",
            ".mxf",
            "for broadcast servers",
            (_BITEXACT,),
            (48000,),
            timecode=True,
            rates=MPEG2_RATES,
        ),
        Container(
            "ts",
            "MPEG-TS",
            "mpegts",
            ".ts",
            "for lines and play-out",
            (("mpegts_flags", "+resend_headers"), _BITEXACT),
            (44100, 48000),
            other_extensions=(".m2ts",),
        ),
        Container("wav", "WAV", "wav", ".wav", "sound only, for editing", (_BITEXACT,), most_tracks=1),
        Container(
            "m4a",
            "M4A",
            "mp4",
            ".m4a",
            "sound only, plays everywhere",
            (("movflags", "+faststart"), _BITEXACT),
        ),
        Container("flac", "FLAC", "flac", ".flac", "sound only, lossless", (_BITEXACT,), most_tracks=1),
        Container("mp3", "MP3", "mp3", ".mp3", "sound only, old players", (_BITEXACT,), most_tracks=1),
        Container("opus", "Opus", "ogg", ".opus", "sound only, small", (_BITEXACT,), (48000,), most_tracks=1),
        Container("images", "Images", "", "", "a folder of numbered stills", pixel_shape=False),
    )
}
IMAGE_EXTENSIONS = {"jpeg": ".jpg", "png": ".png", "tiff": ".tif", "dpx": ".dpx", "exr": ".exr"}


def extension(container: str) -> str:
    """The ending of a file's name, seen before it is made; a folder of images has none."""
    return CONTAINERS[container].extension


def ending_told(container: str, picture: str | None = None) -> str:
    """What a person is told of it: ``.mp4``, ``folder of .jpg``."""
    if container == "images":
        return f"folder of {IMAGE_EXTENSIONS.get(picture or '', '.jpg')}"
    return CONTAINERS[container].extension


def holding(picture: str | None, sound: str | None) -> tuple[str, ...]:
    """Containers that hold these codecs together; either may be none."""
    return tuple(
        item.id
        for item in CONTAINERS.values()
        if (picture in item.picture if picture else not item.picture)
        and (sound is None or sound in item.sound)
    )
