"""What copying packets comes to."""

from __future__ import annotations

from dataclasses import dataclass

from chronocast.media.errors import MediaError


class CopyFailed(MediaError):
    """Packets can't be copied as they are; the sentence says why.  The pictures can still be encoded."""


@dataclass(frozen=True)
class Copied:
    """A piece of copied packets: its file's bytes, its packets' bytes in order, and a digest of all of them.

    ``sets`` is a digest of parameter sets that all pieces of a file must share, "" where they needn't.
    ``decoded`` are (pictures, digest) of what decoding them must give, one after another; "" where
    nothing was changed, and the pictures before and after are known.
    """

    bytes: int
    packets: tuple[int, ...]
    digest: str
    sets: str = ""
    decoded: tuple[tuple[int, str], ...] = ()
