"""One common quality for a whole output that meets a rate: found in a few rounds over its pieces.

Decided for the output, stored, and an input of its pieces' names.  Pure.

The first round is a sample of the pieces where there are many.  Bits halve
about every six steps of quality; after two rounds the slope is the output's
own (secant on the logarithm of its bytes).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import log

from pydantic import Field

from chronocast.model.cutlist import Stated

TOLERANCE = 0.008
"""How near the bytes of the picture have to come: under the 1 % that is promised."""
MOST_ROUNDS = 6
BEST, WORST = 4.0, 51.0
"""Qualities that are tried: below 4 nobody sees more, the bits would be wasted."""
SAMPLED_FROM = 9
SAMPLE_EVERY = 3
USUAL_SLOPE = -log(2) / 6
TYPICAL_BITS = 0.055
"""Bits a pixel at quality 20, over all kinds of content."""
MOST_EASED = 8


class Tried(Stated):
    """One round: the quality, bytes of the pieces that were made, and the share of the frames they are."""

    quality: float
    bytes: int
    share: float = 1.0


class Rounds(Stated):
    """Where the search stands.  ``eased`` are pieces made smaller to keep a peak, by what they show: how many steps."""

    quality: float
    settled: bool = False
    tried: tuple[Tried, ...] = ()
    eased: dict[str, int] = Field(default_factory=dict)

    @property
    def off_allowed(self) -> float:
        """How far the bytes may be from the target: 1 %, or as far as the search could come."""
        whole = [item for item in self.tried if item.share > 0.999]
        if self.quality <= BEST or self.quality >= WORST or len(whole) >= MOST_ROUNDS:
            return 1.0
        return 0.01

    @property
    def sampling(self) -> bool:
        """Whether this round is the first one, over a sample."""
        return not self.tried


def first_quality(target: float, pixels: int, rate: float, usual: float = 20.0, codec: str = "h264") -> float:
    """Where to begin: what a typical picture takes at the target, in bit/s."""
    typical = TYPICAL_BITS * (0.7 if codec == "hevc" else 1.0) * pixels * rate
    step = 6 * log(typical / target) / log(2)
    return min(WORST - 10, max(10.0, round(usual + step, 2)))


def sample(count: int) -> tuple[int, ...]:
    """Which pieces are made in the first round: all of a few, every third of many, from the second on."""
    return tuple(range(count)) if count < SAMPLED_FROM else tuple(range(1, count, SAMPLE_EVERY))


def next_quality(tried: Sequence[Tried], target_bytes: float) -> float:
    """The quality that should meet the target, from what was tried."""
    points = [(t.quality, log(max(1.0, t.bytes) / max(t.share, 1e-6) / target_bytes)) for t in tried]
    quality, off = points[-1]
    whole = [(q, o) for (q, o), item in zip(points, tried, strict=True) if item.share == 1]
    slope = USUAL_SLOPE
    if len(whole) >= 2:
        below = [p for p in whole if p[1] <= 0]
        above = [p for p in whole if p[1] > 0]
        near = sorted(whole, key=lambda p: abs(p[1]))
        pair = (min(below, key=lambda p: -p[1]), min(above, key=lambda p: p[1])) if below and above else (near[0], near[1])
        if abs(pair[0][0] - pair[1][0]) > 1e-3:
            slope = (pair[0][1] - pair[1][1]) / (pair[0][0] - pair[1][0])
            slope = min(-0.02, max(-0.6, slope))
        quality, off = near[0]
    return min(WORST, max(BEST, quality - off / slope))


@dataclass(frozen=True)
class Step:
    """What comes of a round: where the search stands now, and what to tell of it."""

    rounds: Rounds
    sentence: str = ""


def settle(
    rounds: Rounds, sizes: Mapping[int, int], frames: Sequence[int], target_bytes: float,
) -> Step:  # fmt: skip
    """After a round: settled, or the next quality.

    ``sizes`` are bytes of the pieces that were made, by position; ``frames`` of all pieces;
    ``target_bytes`` of the whole picture.
    """
    share = sum(frames[n] for n in sizes) / max(1, sum(frames))
    total = sum(sizes.values())
    tried = (*rounds.tried, Tried(quality=rounds.quality, bytes=total, share=round(share, 6)))
    off = total / max(share, 1e-9) / target_bytes - 1
    whole = share > 0.999
    best = rounds.quality <= BEST and off < 0
    worst = rounds.quality >= WORST and off > 0
    if whole and (abs(off) <= TOLERANCE or best or worst):
        return Step(replace_rounds(rounds, settled=True, tried=tried), f"{off:+.1%} of the rate asked for")
    full = [item for item in tried if item.share > 0.999]
    if len(full) >= MOST_ROUNDS:
        nearest = min(full, key=lambda item: abs(log(max(1, item.bytes) / target_bytes)))
        return Step(
            replace_rounds(rounds, quality=nearest.quality, settled=True, tried=tried), "the nearest that was found"
        )  # fmt: skip
    quality = round(next_quality(tried, target_bytes), 4)
    return Step(
        replace_rounds(rounds, quality=quality, tried=tried), f"quality {rounds.quality:.2f} gave {off:+.1%}; next {quality:.2f}"
    )  # fmt: skip


def replace_rounds(rounds: Rounds, **values: object) -> Rounds:
    """The same with some values changed."""
    return rounds.model_copy(update=values)


def left(rounds: Rounds | None, pieces: int) -> float:
    """How many times the whole picture will about be encoded from here on, and that beyond once what is settled."""
    if rounds is not None and rounds.settled:
        return 1.0
    done = len([item for item in rounds.tried if item.share > 0.999]) if rounds else 0
    sampled = 0.0 if pieces < SAMPLED_FROM or (rounds and rounds.tried) else 1 / SAMPLE_EVERY
    return sampled + (2.2 if pieces >= SAMPLED_FROM else 2.6) if done == 0 else max(1.0, 2.2 - done)
