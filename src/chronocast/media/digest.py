"""Digests and sums: what bytes and pictures are known by again.

Each is written with its kind, ``xxh128:`` and 32 hexadecimal digits (XXH3, 128 bits: it finds
damage, and takes a fortieth of the time of BLAKE2b).  Older pieces have 32 digits of BLAKE2b
alone; those are made and compared as they were.
"""

from __future__ import annotations

from hashlib import blake2b
from typing import Protocol

from xxhash import xxh3_128

ASKED = "xxh128:"
"""In place of a digest that isn't known yet: one of the present kind is asked for."""


class Digest(Protocol):
    """Bytes being digested."""

    def update(self, data: memoryview | bytes, /) -> None:
        """Go on with these."""

    def digest(self) -> bytes:
        """What all of them come to, 16 bytes."""


def kind_of(written: str) -> str:
    """Of which kind a digest is that was written down, or is asked for; "" where none is."""
    return "" if not written else ASKED if written.startswith(ASKED) else "blake2b"


def new_digest(kind: str = ASKED) -> Digest:
    """A digest of nothing yet."""
    return xxh3_128() if kind == ASKED else blake2b(digest_size=16)


def written_digest(found: Digest, kind: str = ASKED) -> str:
    """As it is written down."""
    return (kind if kind == ASKED else "") + found.digest().hex()
