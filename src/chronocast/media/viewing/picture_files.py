"""Single pictures of a film, written as PNG files."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from chronocast.media.errors import MediaError
from chronocast.media.source.opening import opened


def write_pictures(path: Path, wanted: Mapping[int, Path]) -> None:
    """Write some of a file's pictures as PNG files.

    Parameters
    ----------
    path
        The file's.
    wanted
        Where each goes, by its number counted from 0.

    Raises
    ------
    MediaError
        One of them isn't there or can't be decoded.
    """
    left = dict(wanted)
    with opened(str(path)) as container:
        for number, picture in enumerate(container.decode(container.streams.video[0])):
            if target := left.pop(number, None):
                picture.to_image().save(target)  # type: ignore[no-untyped-call]
            if not left:
                return
    raise MediaError(f"{path} has no picture {next(iter(left))}.", "Make the trial anew.")
