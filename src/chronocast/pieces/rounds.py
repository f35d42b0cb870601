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

from chronocast.model.frozen import FrozenModel
from chronocast.pieces.held import PROBE, Tried, falls_short, worth_a_probe

OFF_ALLOWED = 0.01
TOLERANCE = 0.008
"""How near the bytes of the picture have to come: under the 1 % that is promised."""
MOST_ROUNDS = 8
MOST_IN_ALL = 24
"""Rounds of an output from the first search on, those after pieces were made smaller for a peak included."""
MIXED_WITHIN = 0.75
"""Steps of quality that nobody sees: so far may pieces of one output lie apart to meet its rate exactly."""
BEST, WORST = 8.0, 51.0
"""Qualities that are tried: below 8 nobody sees more, the bits and the rounds would be wasted."""
SAMPLED_FROM = 9
SAMPLE_EVERY = 3
USUAL_SLOPE = -log(2) / 6
TYPICAL_BITS = 0.055
"""Bits a pixel at quality 20, over all kinds of content."""
MOST_EASED = 8
LEAST_BEGUN = 0.04
"""An encoder that begins with less of a buffer than that gives up."""


class Rounds(FrozenModel):
    """Where the search stands.

    ``shown`` are the pieces it was settled for, by what they show; ``own`` those of them that came later and got what
    was left, with their quality.  ``eased`` are pieces made smaller to keep a peak: how many steps;
    ``begun`` how full they find their receiver's buffer, as a share, where that is less than an encoder assumes.
    ``at_best``: at the best quality that is tried its pictures take less than was asked, and can't use more.
    ``missed``: a sentence, where the rate couldn't be met; nothing is joined then, and ``had`` are the bytes that can
    be had.  ``in_all`` counts rounds.
    """

    quality: float
    settled: bool = False
    tried: tuple[Tried, ...] = ()
    eased: dict[str, int] = Field(default_factory=dict)
    begun: dict[str, float] = Field(default_factory=dict)
    shown: tuple[str, ...] = ()
    own: dict[str, float] = Field(default_factory=dict)
    at_best: bool = False
    missed: str = ""
    had: int = 0
    in_all: int = 0

    @property
    def off_allowed(self) -> float:
        """How far the bytes may be from the target: 1 %.  It never widens by itself."""
        return OFF_ALLOWED

    @property
    def sampling(self) -> bool:
        """Whether this round is the first one, over a sample."""
        return not self.tried

    def quality_of(self, content: str) -> float:
        """The quality of a piece, by what it shows."""
        return self.own.get(content, self.quality)


def first_quality(
    target: float, pixels: int, rate: float, usual: float = 20.0, typical_bits: float = TYPICAL_BITS
) -> float:
    """Where to begin: what a typical picture takes at the target, in bit/s.

    Parameters
    ----------
    target
        Bit/s that are asked for.
    pixels
        Of a frame.
    rate
        Frames a second.
    usual
        The codec's usual quality.
    typical_bits
        Bits a pixel of a typical picture at that quality.
    """
    typical = typical_bits * pixels * rate
    step = 6 * log(typical / target) / log(2)
    return min(WORST - 10, max(BEST, round(usual + step, 2)))


def sample(count: int) -> tuple[int, ...]:
    """Which pieces are made in the first round: all of a few, every third of many, from the second on."""
    return tuple(range(count)) if count < SAMPLED_FROM else tuple(range(1, count, SAMPLE_EVERY))


def slope_between(one: Tried, two: Tried) -> float | None:
    """How the logarithm of the bytes moves with quality, from pieces that were made in both rounds."""
    both = one.made.keys() & two.made.keys()
    if not both or abs(one.quality - two.quality) < 0.05:
        return None
    a, b = (sum(item.made[n] for n in both) for item in (one, two))
    found = log(max(1, a) / max(1, b)) / (one.quality - two.quality)
    return min(-0.02, max(-0.6, found))


FLAT = -0.045
"""A slope flatter than this is no answer of the picture: a peak holds both rounds down."""


def next_quality(tried: Sequence[Tried], target_bytes: float) -> float:
    """The quality that should meet the target, from what was tried.

    Once there are both, it lies between the nearest above and below.
    """

    def off(item: Tried) -> float:
        return log(max(1.0, item.bytes) / max(item.share, 1e-6) / target_bytes)

    whole = [item for item in tried if item.whole]
    over = max((item for item in whole if off(item) > 0), key=lambda item: item.quality, default=None)
    under = min((item for item in whole if off(item) <= 0), key=lambda item: item.quality, default=None)
    if over is not None and under is not None and under.quality > over.quality:
        wide = under.quality - over.quality
        slope = slope_between(over, under)
        near = min(over, under, key=lambda item: abs(off(item)))
        crept = sum(off(item) <= 0 for item in whole) > 1
        if (slope is None or slope > FLAT) and not crept:
            # a peak may hold the upper one down, and then only the lower one tells
            slope, near = USUAL_SLOPE, under
        elif slope is None or slope > FLAT:
            # that was tried, and it crept: the line between both
            slope = (off(under) - off(over)) / wide
        found = near.quality - off(near) / slope
        return min(under.quality - 0.04 * wide, max(over.quality + 0.04 * wide, found))
    base = over or under or tried[-1]
    # a whole round says more than a sample, a near one more than a far one
    others = sorted(
        (item for item in tried if item is not base),
        key=lambda item: (not item.whole, abs(item.quality - base.quality)),
    )
    slopes = [slope_between(item, base) for item in others]
    # where all are too small a flat one is taken at its word: what a peak holds down answers to quality that little
    flat = 0.0 if over is None else FLAT
    slope = next((found for found in slopes if found is not None and found < flat), USUAL_SLOPE)
    step = -off(base) / slope
    if slopes and slopes[0] is not None and slopes[0] >= FLAT and over is not None:
        step = max(step, 5.0, 2 * (base.quality - others[0].quality))  # held down: further each time
    return min(WORST, max(BEST, base.quality + step))


@dataclass(frozen=True)
class Step:
    """What comes of a round: where the search stands now, and what to tell of it."""

    rounds: Rounds
    sentence: str = ""


@dataclass(frozen=True)
class Made:
    """What came of a round, by position of the pieces that were made: bytes, and mean quantizers."""

    sizes: Mapping[int, int]
    quantizers: Mapping[int, float]


def settle(
    rounds: Rounds,
    made: Made,
    frames: Sequence[int],
    *,
    target_bytes: float,
    shown: Sequence[str] = (),
    peak_bytes: float | None = None,
) -> Step:
    """After a round: settled, or the next quality.

    ``frames`` are of all pieces; ``target_bytes`` of the whole picture; ``shown`` what each piece shows;
    ``peak_bytes`` what a peak allows the whole picture, if one was asked for.

    Parameters
    ----------
    rounds
        What was decided so far.
    made
        What came of the round.
    frames
        Frames of each piece.
    target_bytes
        Bytes of the whole picture that are asked for.
    shown
        What each piece shows.
    peak_bytes
        Bytes that a peak allows the whole picture.
    """
    sizes = made.sizes
    share = sum(frames[n] for n in sizes) / max(1, sum(frames))
    last = Tried(
        quality=rounds.quality, made=dict(sizes), share=round(share, 6), quantizers=dict(made.quantizers)
    )
    tried = (*rounds.tried, last)
    off = last.bytes / max(share, 1e-9) / target_bytes - 1
    base = rounds.model_copy(update={"tried": tried, "in_all": rounds.in_all + 1})
    settled = {"settled": True, "shown": tuple(shown)}
    if last.whole and abs(off) <= TOLERANCE:
        return Step(base.model_copy(update=settled), f"{off:+.1%} of the rate asked for")
    if last.whole and rounds.quality <= BEST and off < 0:
        if peak_bytes and worth_a_probe(last, rounds.tried, frames, peak_bytes):
            told = f"{off:+.1%} at the best quality: a worse one tells whether the peak holds it down"
            return Step(base.model_copy(update={"quality": BEST + PROBE}), told)
        if peak_bytes and falls_short(last, rounds.tried, frames, target_bytes, OFF_ALLOWED):
            return _held_down(base.model_copy(update=settled), last, off)
        told = f"{off:+.1%}: at the best quality its pictures take no more"
        return Step(base.model_copy(update={**settled, "at_best": True}), told)
    if mixed := _mixed(tried, target_bytes, shown):
        quality, own, total = mixed
        update = {**settled, "quality": quality, "own": {**rounds.own, **own}}
        return Step(
            base.model_copy(update=update),
            f"{total / target_bytes - 1:+.1%} of the rate asked for, of two rounds",
        )
    full = [item for item in tried if item.whole]
    nearest = min(full, key=lambda item: abs(log(max(1, item.bytes) / target_bytes)), default=last)
    worst = last.whole and rounds.quality >= WORST and off > 0
    if worst or len(full) >= MOST_ROUNDS or base.in_all >= MOST_IN_ALL:
        missed = nearest.bytes / max(nearest.share, 1e-9) / target_bytes
        why = (
            "even at the worst quality its pictures take more"
            if worst
            else f"the nearest of {base.in_all} rounds"
        )
        told = f"the rate asked for can't be met: {missed - 1:+.1%}, {why}"
        update = {**settled, "quality": nearest.quality, "missed": told, "had": nearest.bytes}
        return Step(base.model_copy(update=update), told)
    quality = round(next_quality(tried, target_bytes), 4)
    told = f"quality {rounds.quality:.2f} gave {off:+.1%}; next {quality:.2f}"
    return Step(base.model_copy(update={"quality": quality}), told)


def _held_down(rounds: Rounds, now: Tried, off: float) -> Step:
    told = f"the rate asked for can't be met: {off:+.1%}, the peak holds its pictures down"
    return Step(rounds.model_copy(update={"at_best": False, "missed": told, "had": now.bytes}), told)


def _mixed(
    tried: Sequence[Tried], target_bytes: float, shown: Sequence[str]
) -> tuple[float, dict[str, float], int] | None:
    """A choice between two whole rounds, piece by piece, that meets the target; None where none does.

    One round lies above the target and one below it, so near each other that
    nobody sees a difference.  Returns the common quality, the pieces that
    have the other one, and the bytes of all.
    """
    whole = [item for item in tried if item.whole]
    over = [item for item in whole if item.bytes > target_bytes]
    under = [item for item in whole if item.bytes <= target_bytes]
    pairs = [(a, b) for a in over for b in under if abs(a.quality - b.quality) <= MIXED_WITHIN]
    if not pairs or not shown:
        return None
    large, small = min(pairs, key=lambda pair: abs(pair[0].quality - pair[1].quality))
    total, own = small.bytes, {}
    for number in sorted(small.made, key=lambda n: small.made[n] - large.made.get(n, small.made[n])):
        gain = large.made.get(number, small.made[number]) - small.made[number]
        if gain > 0 and total + gain <= target_bytes * (1 + TOLERANCE / 2):
            total += gain
            own[shown[number]] = large.quality
    if abs(total / target_bytes - 1) > TOLERANCE:
        return None
    return small.quality, own, total


MOST_APART = 4.0
"""Further than this from the common quality, later pieces would look like another film: all are decided anew."""


def after_an_edit(
    rounds: Rounds,
    made: Made,
    frames: Sequence[int],
    shown: Sequence[str],
    target_bytes: float,
) -> Step | None:
    """A settled output whose cut has changed: pieces that are as they were keep their quality, new ones get what remains.

    None if its bytes are still right.  Where what remains is too little or too much, everything is decided anew.

    Parameters
    ----------
    rounds
        What was decided so far.
    made
        What came of the round.
    frames
        Frames of each piece.
    shown
        What each piece shows.
    target_bytes
        Bytes of the whole picture that are asked for.
    """
    sizes = made.sizes
    total = sum(sizes.values())
    off = total / target_bytes - 1
    if abs(off) <= rounds.off_allowed * 0.95:
        return None
    if rounds.at_best and off < 0 and tuple(shown) == rounds.shown:
        now = Tried(quality=rounds.quality, made=dict(sizes), quantizers=dict(made.quantizers))
        short = falls_short(now, rounds.tried, frames, target_bytes, OFF_ALLOWED)
        return _held_down(rounds, now, off) if short else None
    old = set(rounds.shown)
    new = [number for number, content in enumerate(shown) if content not in old]
    kept = total - sum(sizes[n] for n in new)
    got, wanted = total - kept, target_bytes - kept
    begun = rounds.model_copy(
        update={
            "settled": False,
            "tried": (),
            "own": {},
            "shown": (),
            "at_best": False,
            "missed": "",
            "had": 0,
        }
    )
    if rounds.at_best and off < 0:
        return Step(begun, "the cut has changed: whether the new pictures can use more is looked at")
    if not new and (rounds.eased or rounds.begun):
        return Step(
            begun, f"{off:+.1%} after pieces were made smaller for the peak: one quality is looked for again"
        )
    if not new or wanted <= 0 or got <= 0:
        return Step(
            begun, "the cut has changed too much for what was decided: one quality is looked for anew"
        )
    shift = log(got / wanted) / -USUAL_SLOPE
    own = {shown[n]: round(rounds.quality_of(shown[n]) + shift, 4) for n in new}
    if any(abs(quality - rounds.quality) > MOST_APART for quality in own.values()):
        return Step(
            begun, "the cut has changed too much for what was decided: one quality is looked for anew"
        )
    return Step(
        rounds.model_copy(update={"own": {**rounds.own, **own}}),
        f"{len(new)} new pieces get what the others leave: {shift:+.1f} steps",
    )


def remaining_encodes(rounds: Rounds | None, pieces: int) -> float:
    """How many times the whole picture will about be encoded from here on, and that beyond once what is settled."""
    if rounds is not None and rounds.settled:
        return 1.0
    done = len([item for item in rounds.tried if item.whole]) if rounds else 0
    sampled = 0.0 if pieces < SAMPLED_FROM or (rounds and rounds.tried) else 1 / SAMPLE_EVERY
    return sampled + (2.2 if pieces >= SAMPLED_FROM else 2.6) if done == 0 else max(1.0, 2.2 - done)
