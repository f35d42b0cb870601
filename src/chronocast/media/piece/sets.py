"""Parameter sets of a stream, told apart."""

from __future__ import annotations

import hashlib


def sets_digest(sets: bytes) -> str:
    """A digest of a stream's parameter sets: all pieces of a file must have the same."""
    return hashlib.blake2b(sets, digest_size=8).hexdigest()
