"""What is proved about a finished file."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from chronocast.model.picture.colour import Colour


@dataclass(frozen=True)
class Check:
    """One thing proved, or disproved: what was expected, what was found, and how it was looked at."""

    name: str
    ok: bool
    expected: str
    found: str
    proof: str

    def as_json(self) -> dict[str, Any]:
        """As answers have it."""
        return asdict(self)


@dataclass(frozen=True)
class Expected:
    """What a finished file must be, by the names the libraries have for codecs.

    ``video_codec`` is empty for sound only; ``sound_samples`` is None for a file that has no
    sound on purpose, ``colour`` for one whose tags are left to what they are.  ``profile`` and
    ``level`` are empty where none was asked for.  ``peak`` (bit/s) and ``buffer`` (bits) are of
    the bucket that the whole stream has to keep.  With ``picture_bytes_most`` the pictures can't use all of
    ``picture_bytes``, and may take less.  ``cards`` are receiver cards as JSON; ``name``
    the file's final name and ``box`` our own word for its container, which they speak of.
    ``shape`` is the aspect of its pixels, ``timecode`` of its first frame; ``layouts`` are of its sound
    tracks.  ``differences`` are in what it is not as its source, sentences, known where ``compared``;
    ``source_damage`` what is damaged of what it shows.  ``onset`` is the second at which its sound is
    first heard; ``exact`` are (frames, digest) of the pictures that went into a lossless encoder;
    ``copied`` (frames, digest) of the packets that were copied, one after another, with "" where they were encoded;
    ``sound_copied`` whether its sound is its source's packets; ``instead`` why pieces that were to be copied were encoded;
    ``decoded`` (frames, digest) of what pictures decoded to by themselves before they were joined, "" where that isn't known.
    """

    frames: int
    width: int
    height: int
    rate: str
    video_codec: str
    container: str
    sound_codec: str | None
    sound_samples: int | None
    sample_rate: int
    channels: int
    sound_is_silent: bool = False
    colour: Colour | None = None
    sound_tracks: int = 1
    scan: str = "progressive"
    profile: str = ""
    level: str = ""
    peak: int = 0
    buffer: int = 0
    full: float = 0.0
    sound_packet: int = 1024
    languages: tuple[str, ...] = ()
    pixel_format: str = ""
    picture_bytes: int = 0
    picture_bytes_off: float = 0.0
    picture_bytes_most: bool = False
    cards: tuple[dict[str, Any], ...] = ()
    name: str = ""
    box: str = ""
    shape: str = "1"
    timecode: str = ""
    layouts: tuple[str, ...] = ()
    compared: bool = False
    differences: tuple[str, ...] = ()
    source_damage: tuple[str, ...] = ()
    onset: float | None = None
    exact: tuple[tuple[int, str], ...] = ()
    copied: tuple[tuple[int, str], ...] = ()
    decoded: tuple[tuple[int, str], ...] = ()
    instead: tuple[str, ...] = ()
    sound_copied: bool = False
