"""Encoders of sound, one row each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import NamedTuple


@dataclass(frozen=True)
class SoundEncoder:
    """An encoder of sound: the libraries' name by bits a sample (0 for codecs that have none), and what it takes.

    ``stream`` is what a reader calls its stream; ``muxer`` the kind of file an
    output's sound is kept in.
    """

    codec: str
    names: Mapping[int, str]
    formats: Mapping[int, str] = field(default_factory=lambda: {0: "fltp"})
    stream: str = ""
    muxer: str = "mp4"
    library: str = ""


SOUND_ENCODERS: dict[str, SoundEncoder] = {
    encoder.codec: encoder
    for encoder in (
        SoundEncoder("aac", {0: "aac"}),
        SoundEncoder("opus", {0: "libopus"}, {0: "flt"}, stream="opus", library="libopus"),
        SoundEncoder("flac", {16: "flac", 24: "flac"}, {16: "s16", 24: "s32"}),
        SoundEncoder("mp3", {0: "libmp3lame"}, stream="mp3", library="libmp3lame"),
        SoundEncoder("pcm", {16: "pcm_s16le", 24: "pcm_s24le"}, {16: "s16", 24: "s32"}, muxer="mov"),
    )
}


class SoundForm(NamedTuple):
    """The libraries' encoder of a sound codec, and the sample format it takes."""

    encoder: str
    samples: str


def sound_encoder(codec: str, depth: int) -> SoundForm:
    """The libraries' encoder of a sound codec, and the sample format it takes."""
    encoder = SOUND_ENCODERS[codec]
    key = 0 if 0 in encoder.names else 16 if depth == 16 else 24
    return SoundForm(encoder.names[key], encoder.formats[key])


def sound_stream(codec: str, depth: int) -> str:
    """What a reader calls the stream of a sound codec."""
    return SOUND_ENCODERS[codec].stream or sound_encoder(codec, depth).encoder


def sound_muxer(codec: str) -> str:
    """The kind of file an output's sound is kept in."""
    return SOUND_ENCODERS[codec].muxer
