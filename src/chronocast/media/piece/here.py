"""Which encoders this build of the libraries has, and in which version."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from pathlib import Path

import av

from chronocast.media.encoders.registry import ENCODERS
from chronocast.media.errors import EncodeFailed
from chronocast.media.piece.sound import SOUND_ENCODERS
from chronocast.model.recipe.recipe import PictureRecipe


@cache
def is_here(encoder: str) -> bool:
    """Whether this build of the libraries has an encoder."""
    try:
        av.codec.Codec(encoder, "w")
    except (av.error.FFmpegError, ValueError):
        return False
    return True


def libraries_version() -> str:
    """The version of avcodec."""
    return ".".join(map(str, av.library_versions["libavcodec"]))


_DEVICES: dict[str, str] = {}
"""The device and driver of each hardware encoder that was tried, by the encoder's name."""


def know_devices(devices: Mapping[str, str]) -> None:
    """Learn which device and driver each hardware encoder has here: other ones make other bits."""
    _DEVICES.clear()
    _DEVICES.update(devices)


def library_version(encoder: str) -> str:
    """What distinguishes the bits of an encoder here from another's: its library's version; of hardware, device and driver."""
    if encoder in ENCODERS and ENCODERS[encoder].on is not None:
        return f"{encoder} {_DEVICES.get(encoder, '')}"
    return _library_version(encoder)


@cache
def _library_version(encoder: str) -> str:
    """What distinguishes the bits of this build's encoder from another's: the version of the library it is in.

    The libraries that come with PyAV carry a sum of their content in their
    file names.  Where they are the system's, avcodec's version has to do.
    """
    own = ENCODERS[encoder].library if encoder in ENCODERS else ""
    own = own or next((row.library for row in SOUND_ENCODERS.values() if encoder in row.names.values()), "")
    versions = ".".join(map(str, av.library_versions["libavcodec"]))
    folder = Path(av.__file__).parent.parent / "av.libs"
    found = sorted(path.name for path in folder.glob(f"{own}[-.]*")) if own else []
    return f"{encoder} {found[0]}" if found else f"{encoder} avcodec {versions}"


def encoder_of(picture: PictureRecipe) -> str:
    """The encoder a recipe means: the one it names, else the first that is here (they are listed fastest first).

    Raises
    ------
    EncodeFailed
        None of them is here.
    """
    names = picture.kind.encoders
    if picture.encoder in picture.kind.hardware:  # it was tried: else no recipe comes here with it
        return picture.encoder
    if picture.encoder in names and is_here(picture.encoder):
        return picture.encoder
    able = [name for name in names if picture.alpha != "keep" or ENCODERS[name].alpha]
    for name in (*able, *names):
        if is_here(name):
            return name
    raise EncodeFailed(
        f"No encoder for {picture.kind.name} is on this machine.", "Choose another codec in the recipe."
    )
