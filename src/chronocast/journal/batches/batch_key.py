"""What is kept of a batch is found by where its file lies."""

from __future__ import annotations

import hashlib
from pathlib import Path


def batch_key(batch_path: Path) -> str:
    """The name of what is kept of a batch."""
    return hashlib.blake2b(str(batch_path.resolve()).encode(), digest_size=10).hexdigest()
