"""Fingerprints: which media is this, whatever its name?"""

from __future__ import annotations

import hashlib
import os

from chronocast.media.errors import NotMedia
from chronocast.media.source.opening import missing
from chronocast.model.paths import real_path, shown

WHOLE = 64 * 1024 * 1024
BLOCK = 64 * 1024
SAMPLES = 64


def fingerprint(path: str | os.PathLike[str]) -> str:
    """32 hexadecimal digits of BLAKE2b that name a file's contents.

    Files up to 64 MiB are read whole.  Of larger ones 64 blocks of 64 KiB,
    evenly spread, are read and the time of the last change is added: constant
    rate media changed in the middle keeps its size and its ends.

    Raises
    ------
    NotMedia
        The file is missing or can't be read.
    """
    digest = hashlib.blake2b(digest_size=16)
    try:
        with open(real_path(path), "rb") as file:
            status = os.fstat(file.fileno())
            digest.update(str(status.st_size).encode())
            if status.st_size <= WHOLE:
                while block := file.read(1 << 20):
                    digest.update(block)
            else:
                digest.update(str(status.st_mtime_ns).encode())
                for sample in range(SAMPLES):
                    file.seek((status.st_size - BLOCK) * sample // (SAMPLES - 1))
                    digest.update(file.read(BLOCK))
    except FileNotFoundError:
        raise missing(path) from None
    except IsADirectoryError:
        raise NotMedia(f"{shown(path)} is a folder.", "Choose the files in it.") from None
    except OSError as error:
        raise NotMedia(
            f"{shown(path)} can't be read: {error.strerror}.", "Check its permissions and its drive."
        ) from None
    return digest.hexdigest()
