"""The receiver's buffer as a leaky bucket (Rec. ITU-T H.264 annex C, in the variable-rate form).

It fills at the peak rate and holds no more than its size; each picture takes
its bits out at once.  A stream keeps its peak when the bucket never runs dry.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class Bucket:
    """``peak`` in bit/s, ``size`` in bits, ``rate`` in pictures a second, ``start`` the share that is full at first."""

    peak: float
    size: float
    rate: float
    start: float


@dataclass(frozen=True)
class Level:
    """The least and the last fullness, as shares of the bucket; below 0 it ran dry, at picture ``where``."""

    lowest: float
    last: float
    where: int

    @property
    def holds(self) -> bool:
        """Whether the bucket never ran empty."""
        return self.lowest >= 0


def run_through(bucket: Bucket, sizes: Iterable[int], full: float | None = None) -> Level:
    """Send pictures of these sizes in bytes, in decoding order, through a bucket.

    Parameters
    ----------
    bucket
        The buffer.
    sizes
        Bytes of the pictures, in decoding order.
    full
        How full it is at the beginning, in bits; as the bucket says if not said.

    >>> run_through(Bucket(8000, 8000, 1, 0.5), [400, 1200]).lowest
    -0.2
    """
    level = (bucket.start if full is None else full) * bucket.size
    refill = bucket.peak / bucket.rate
    lowest, where = level, 0
    for number, size in enumerate(sizes):
        level -= size * 8
        if level < lowest:
            lowest, where = level, number
        level = min(bucket.size, level + refill)
    return Level(round(lowest / bucket.size, 6), round(level / bucket.size, 6), where)


@dataclass(frozen=True)
class Overrun:
    """A piece that runs the bucket dry: its number, and how full the bucket was when it came, as a share."""

    piece: int
    full: float


def overruns(bucket: Bucket, pieces: Sequence[Sequence[int]], spare: float = 0.0) -> list[Overrun]:
    """Pieces that run the bucket dry where the joined stream brings them to it, the bucket as those before left it.

    ``spare`` is what they have to leave in it at least, as a share.

    Parameters
    ----------
    bucket
        The buffer.
    pieces
        Bytes of the pictures of each piece.
    spare
        Share of the buffer that is kept free.
    """
    found: list[Overrun] = []
    full = bucket.start
    for number, sizes in enumerate(pieces):
        state = run_through(bucket, sizes, full)
        if state.lowest < spare:
            found.append(Overrun(number, max(0.0, full)))
        full = max(0.0, state.last)
    return found
