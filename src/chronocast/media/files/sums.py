"""Sums over files, by which it is known that their bytes are those that were written."""

from __future__ import annotations

from pathlib import Path

from chronocast.media.digest import ASKED, kind_of, new_digest, written_digest

BLOCK_BYTES = 1 << 18


def file_sum(path: Path | str, like: str = ASKED) -> str:
    """A sum over a file's bytes, of the kind of one that it is ``like``.

    Raises
    ------
    OSError
        It can't be read.
    """
    kind = kind_of(like) or ASKED
    total, block = new_digest(kind), memoryview(bytearray(BLOCK_BYTES))
    with open(path, "rb", buffering=0) as file:
        while count := file.readinto(block):
            total.update(block[:count])
    return written_digest(total, kind)


def has_sum(path: Path | str, known: str) -> bool:
    """Whether a file's bytes are those of a sum.

    Raises
    ------
    OSError
        It can't be read.
    """
    return file_sum(path, known) == known
