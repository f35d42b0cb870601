"""Which encoders this build of the libraries has, and in which version."""

from __future__ import annotations

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


@cache
def library_version(encoder: str) -> str:
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
    if picture.encoder in names and is_here(picture.encoder):
        return picture.encoder
    able = [name for name in names if picture.alpha != "keep" or ENCODERS[name].alpha]
    for name in (*able, *names):
        if is_here(name):
            return name
    raise EncodeFailed(
        f"No encoder for {picture.kind.name} is on this machine.", "Choose another codec in the recipe."
    )
