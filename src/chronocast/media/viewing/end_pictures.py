"""Look at the pictures at the ends of a range."""

from __future__ import annotations

import itertools

import numpy as np

from chronocast.media.viewing.stills import Stills, small_luma
from chronocast.model.source.range_ends import LOOKED_AT, End, EndsSeen, judge_end
from chronocast.model.source.shown_clips import shot_at, shots
from chronocast.model.time.timing import FrameRange


def look_at_ends(stills: Stills, part: FrameRange) -> EndsSeen:
    """What is wrong at the first and at the last pictures of a range.

    Raises
    ------
    MediaError
        They can't be decoded.
    """
    many = min(LOOKED_AT, len(part))
    if many < 4:
        return EndsSeen(None, None)
    return EndsSeen(
        _look(stills, list(range(part.start, part.start + many))),
        _look(stills, list(range(part.stop - many, part.stop))[::-1]),
    )


def _look(stills: Stills, frames: list[int]) -> End | None:
    """The pictures are counted from the end inwards, and decoded in their own order."""
    ordered = sorted(frames)
    luma = small_luma(stills, ordered)
    if ordered != frames:
        luma = luma[::-1]
    means = [float(picture.mean()) for picture in luma]
    differences = [float(np.abs(one - two).mean()) for one, two in itertools.pairwise(luma)]
    known = [shot_at(stills.cut, frame) for frame in frames] if len(shots(stills.cut)) > 1 else []
    return judge_end(means, differences, known)
