"""Whether a peak holds an output's pictures under the rate that was asked for.

Pictures that come out smaller than asked at the best quality are either easy,
and then nothing is wrong, or the peak keeps them down, and then the rate
can't be met.  The encoders tell both apart: what is held down keeps its
quantizer however good a quality is asked for.  Pure.
"""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import Field

from chronocast.model.frozen import FrozenModel

APART = 1.0
"""Steps of quality that two rounds have to lie apart to be compared."""
ANSWERED = 0.75
"""An encoder that follows less than this part of the way is held, for some of its pictures at least.

Free of a peak x264 and x265 follow all of it; on grain under a tight peak they followed 0.0 to 0.6.
"""
PROBE = 4.0
"""So much worse than the best quality is the round that is made only to compare with."""
NEAR_PEAK = 0.5
"""A piece that takes less than this part of what its peak allows isn't held by it."""


class Tried(FrozenModel):
    """One round: the quality, bytes of the pieces that were made by position, and the share of the frames they are.

    ``quantizers`` are the pieces' mean quantizers, as their encoder says.
    """

    quality: float
    made: dict[int, int]
    share: float = 1.0
    quantizers: dict[int, float] = Field(default_factory=dict)

    @property
    def bytes(self) -> int:
        """Of all its pictures."""
        return sum(self.made.values())

    @property
    def whole(self) -> bool:
        """Whether every piece was made."""
        return self.share > 0.999


def worth_a_probe(now: Tried, tried: Sequence[Tried], frames: Sequence[int], peak_bytes: float) -> bool:
    """Whether a peak could be what keeps the pictures small, and no other round tells yet.

    ``peak_bytes`` is what the peak allows the whole picture; ``frames`` of all pieces.

    Parameters
    ----------
    now
        The round before.
    tried
        The rounds so far.
    frames
        Frames of each piece.
    peak_bytes
        Bytes that a peak allows the whole picture.
    """
    if any(item.whole and item.quality - now.quality >= APART for item in tried):
        return False
    allowed = peak_bytes / max(1, sum(frames))
    return any(size >= NEAR_PEAK * allowed * frames[n] for n, size in now.made.items())


def held_pieces(now: Tried, tried: Sequence[Tried]) -> frozenset[int]:
    """Pieces whose encoder didn't follow to the quality of ``now`` from that of the nearest worse round."""
    worse = [item for item in tried if item.quality - now.quality >= APART]
    found = set()
    for number, quantizer in now.quantizers.items():
        before = min(
            (item for item in worse if number in item.quantizers), key=lambda item: item.quality, default=None
        )
        if before is not None:
            followed = before.quantizers[number] - quantizer
            if followed < ANSWERED * (before.quality - now.quality):
                found.add(number)
    return frozenset(found)


def falls_short(
    now: Tried, tried: Sequence[Tried], frames: Sequence[int], target_bytes: float, off_allowed: float
) -> bool:
    """Whether the pieces that a peak holds take less than the rate asked for: then the rate can't be met within it.

    Where they take that rate or more, and only the easy ones less, the output is as good as its pictures can be.

    Parameters
    ----------
    now
        The round before.
    tried
        The rounds so far.
    frames
        Frames of each piece.
    target_bytes
        Bytes of the whole picture that are asked for.
    off_allowed
        Share of the target it may be off.
    """
    held = held_pieces(now, tried)
    wanted = target_bytes * sum(frames[n] for n in held) / max(1, sum(frames))
    return bool(held) and sum(now.made[n] for n in held) < wanted * (1 - off_allowed)
