"""Where scenes of a film begin, as far as its packets' sizes and key frames tell: nothing is decoded."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from chronocast.media.source.index import FrameIndex

AROUND = 12
"""Pictures on either side that a picture's size is held against."""
SPIKE = 4.0
"""So many times as large as its neighbours is a picture that owes them nothing."""
STEP = 0.12
"""By so much of its logarithm the size of whole pictures changes at least where another scene begins."""
STEPS = 8.0
"""And so many times what it changes from picture to picture elsewhere."""


def scenes_of(index: FrameIndex) -> tuple[int, ...]:
    """Numbers of pictures that begin a scene; none where nothing tells.

    Of films whose pictures build on each other: key frames that come before
    their turn, and pictures far larger than those around them.  Of whole
    pictures: where their size changes at once, and stays changed.

    Parameters
    ----------
    index
        Of the film.
    """
    sizes = np.array(index.packet_bytes, np.float64)
    if len(sizes) < 4 * AROUND:
        return ()
    keys = sorted(index.number[time] for time, _ in index.keys if time in index.number)
    if len(keys) > len(sizes) // 2:
        return _steps(np.log(np.maximum(sizes, 1.0)))
    return tuple(sorted({*_early_keys(keys), *_spikes(sizes, keys)}))


def _early_keys(keys: list[int]) -> list[int]:
    """Key frames that come sooner after another than most do."""
    if len(keys) < 3:
        return []
    usual = max(b - a for a, b in pairwise(keys))
    return [b for a, b in pairwise(keys) if b - a < usual - 1]


def _spikes(sizes: NDArray[np.float64], keys: list[int]) -> list[int]:
    """Pictures far larger than those around them that aren't key frames."""
    windows = np.lib.stride_tricks.sliding_window_view(np.pad(sizes, AROUND, mode="reflect"), 2 * AROUND + 1)
    # of those around most are small ones that many others build on nothing of: the larger ones are to be beaten
    usual = np.quantile(windows, 0.75, axis=1)
    whole = np.median(sizes[keys]) if keys else sizes.max()
    found = np.flatnonzero((sizes > SPIKE * usual) & (sizes > 0.4 * whole))
    known = set(keys)
    return [int(n) for n in found if n not in known and n > 0]


def _steps(logs: NDArray[np.float64]) -> tuple[int, ...]:
    """Where whole pictures change their size at once and stay so."""
    change = np.abs(np.diff(logs))
    usual = float(np.median(change))
    found = []
    for number in np.flatnonzero(change > max(STEP, STEPS * usual)) + 1:
        before, after = logs[max(0, number - 4) : number], logs[number : number + 4]
        if abs(float(np.median(after) - np.median(before))) > max(STEP, STEPS * usual) / 2:
            found.append(int(number))
    return tuple(found)
