"""Sums over files, by which it is known that their bytes are those that were written."""

from __future__ import annotations

import hashlib
from pathlib import Path


def file_sum(path: Path | str) -> str:
    """A sum over a file's bytes: 32 hexadecimal digits of BLAKE2b.

    Raises
    ------
    OSError
        It can't be read.
    """
    with open(path, "rb") as file:
        return hashlib.file_digest(file, lambda: hashlib.blake2b(digest_size=16)).hexdigest()
