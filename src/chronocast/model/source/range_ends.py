"""Whether a range ends (or begins) with pictures it shouldn't have: black, repeated, or of the next shot."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

LOOKED_AT = 14
"""How many pictures at an end are looked at."""
MOST_STRAY = 10
"""More than these are no slip: someone wanted them."""
BLACK, LIT = 20.0, 34.0
"""Mean luma (0 to 255): at most this is black; at least that is lit, so that what follows was no fade."""
SAME, MOVING, OTHER = 0.35, 0.8, 22.0
"""Mean difference of two pictures: at most this is a repeat; at least that is motion; more is another shot."""


@dataclass(frozen=True)
class End:
    """What is wrong at an end: *black*, *repeated* or *another shot*, and how many pictures of it."""

    kind: str
    frames: int

    def told(self, last: bool) -> str:
        """As a sentence."""
        many = self.frames > 1
        which = f"{'last' if last else 'first'} {f'{self.frames} pictures' if many else 'picture'}"
        what = {
            "black": f"The {which} {'are' if many else 'is'} black",
            "repeated": f"The {which} only repeat{'' if many else 's'} the one {'before' if last else 'after'}",
            "another shot": f"The {which} belong{'' if many else 's'} to {'the next' if last else 'the shot before'}",
        }[self.kind]
        if self.kind == "another shot" and last:
            what += " shot"
        return what + "."


def judge_end(luma: Sequence[float], differences: Sequence[float], shots: Sequence[int] = ()) -> End | None:
    """What is wrong at an end; pictures are counted from that end inwards.

    ``luma`` has their means, ``differences`` those of each to the one further
    in, ``shots`` which edit each belongs to, where that is known.  A fade, a
    long black and a still picture are no slips.

    Parameters
    ----------
    luma
        Brightness of the pictures around the end, 0 to 255.
    differences
        Mean absolute difference of each picture to the one before.
    shots
        Which of them begin another shot.

    >>> judge_end([16, 90, 91, 90], [74, 3, 3])
    End(kind='black', frames=1)
    >>> judge_end([16, 17, 20, 26, 34, 45], [1, 3, 6, 8, 11]) is None
    True
    >>> judge_end([80, 80, 84, 85], [0, 4, 4])
    End(kind='repeated', frames=1)
    """
    if len(luma) < 2:
        return None
    dark = _run(luma, lambda value: value <= BLACK)
    if 0 < dark <= MOST_STRAY and dark < len(luma) and luma[dark] >= LIT:
        return End("black", dark)
    same = _run(differences, lambda value: value <= SAME)
    if 0 < same <= MOST_STRAY and same < len(differences):
        after = list(differences[same : same + 4])
        if sorted(after)[len(after) // 2] >= MOVING:
            return End("repeated", same)
    if len(shots) >= 2:
        other = _run(shots, lambda shot: shot == shots[0])
        if 0 < other <= 3 and other < len(shots):
            return End("another shot", other)
    for stray in (1, 2):
        if len(differences) >= stray + 3:
            rest = differences[stray : stray + 4]
            inside = differences[: stray - 1]
            if (
                differences[stray - 1] >= OTHER
                and max(rest) < OTHER / 3
                and all(d < OTHER / 3 for d in inside)
            ):
                return End("another shot", stray)
    return None


def _run(values: Sequence[float], holds: Callable[[float], bool]) -> int:
    count = 0
    for value in values:
        if not holds(value):
            break
        count += 1
    return count


class EndsSeen(NamedTuple):
    """What is wrong at the first and at the last pictures of a range; None where nothing is."""

    first: End | None
    last: End | None
