"""Which pictures of an output are whole groups of their films' packets, that can be copied."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from chronocast.model.messages.jobs import PieceJob
from chronocast.model.recipe.recipe import PictureRecipe
from chronocast.model.source.cutlist import Layer, PictureSpan
from chronocast.model.source.facts import ClipFacts, GroupFacts, KeyFrame
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.copying import GROUPED, may_copy, why_encoded

COPIED_SECONDS = 128
"""A copied run ends at the first key frame after so much of its source."""
MOST_BYTES = 100_000_000
"""Or after so many bytes: a run is held in memory while it is copied."""
OPEN_TIMES = 2
"""So many times as long where it can't end without pictures around it being encoded."""
LEAST_SECONDS = 0.5
"""What is shorter is encoded with what is around it."""


class GroupCopies(NamedTuple):
    """Runs of an output's pictures that are copied in whole groups.

    Parameters
    ----------
    runs
        In the output's frames, in order.
    numbers
        What parameter sets that come along are called by.
    moved
        By how much the numbers of their parameter sets are moved, by run.
    why
        Why the first other pictures aren't copied; "" where nothing is said.
    """

    runs: tuple[FrameRange, ...] = ()
    numbers: frozenset[int] = frozenset()
    moved: Mapping[FrameRange, int] = {}
    why: str = ""


def group_copies(
    spans: Sequence[PictureSpan],
    picture: PictureRecipe,
    facts: Mapping[str, ClipFacts],
    job_of: Callable[[FrameRange], PieceJob],
) -> GroupCopies:
    """Which runs of an output are copied in whole groups.

    Parameter sets of several films stand in one file, each with its number:
    where those of two differ and have the same, the later ones get others, if
    their slices can say so.

    Parameters
    ----------
    spans
        What is shown, in order.
    picture
        What is asked of the picture.
    facts
        What is known of its media, by path.
    job_of
        The job that encodes a range of the output.
    """
    if picture.kind.id not in GROUPED or not may_copy(picture):
        return GroupCopies()
    runs, taken, why = list[FrameRange](), dict[int, str](), ""
    moved: dict[FrameRange, int] = {}
    for span in spans:
        reason = why_encoded(job_of(span.range), picture, facts)
        media = span.layers[0].media if len(span.layers) == 1 else None
        clip = facts.get(media.path) if media else None
        if not reason and clip is not None and clip.groups is not None:
            by = _free(clip.groups, taken)
            if by is None:
                reason = "another film is copied whose parameter sets have the same number"
            else:
                found = whole_groups(span.layers[0], span.frames, clip)
                here = [FrameRange(span.start + run.start, span.start + run.stop) for run in found]
                runs += here
                moved |= dict.fromkeys(here, by) if by else {}
                numbers = [number + by for number in clip.groups.numbers]
                taken |= dict.fromkeys(numbers, clip.groups.sets) if found else {}
        why = why or reason
    return GroupCopies(tuple(runs), frozenset(taken), moved, why)


MOST_NUMBER = 24
"""Sets are moved no further: numbers end at 31, and what is encoded needs one."""


def _free(groups: GroupFacts, taken: Mapping[int, str]) -> int | None:
    """By how much the numbers of a film's sets are moved so that no other film's have them; None where they can't be."""
    most = max(0, MOST_NUMBER - max(groups.numbers, default=0)) if groups.able else 0
    for by in range(most + 1):
        if all(taken.get(number + by, groups.sets) == groups.sets for number in groups.numbers):
            return by
    return None


def whole_groups(layer: Layer, frames: int, clip: ClipFacts) -> tuple[FrameRange, ...]:
    """Runs of whole groups in a take, in its own frames.

    A run begins at a key frame, without what leads it, and ends before another
    key frame's leading pictures, or with its film.  Long runs are cut at
    marks of their source, so that their boundaries stay where they were when
    the take begins or ends elsewhere.

    Parameters
    ----------
    layer
        What is shown: one picture a frame, in order.
    frames
        For how long.
    clip
        The film, whose groups are known.
    """
    groups, film_frames = clip.groups, clip.frames
    if groups is None:
        return ()
    grid = round(min(COPIED_SECONDS, max(1.0, 8 * MOST_BYTES / max(1, clip.bit_rate))) * clip.rate)
    first, stop = int(layer.start), int(layer.start) + frames
    keys = [key for key in groups.keys if key.number >= first and key.number - key.leading <= stop]
    end = KeyFrame(film_frames, 0, "closed")
    runs: list[FrameRange] = []
    begin: KeyFrame | None = None
    last: KeyFrame | None = None
    for key in [*keys, *([end] if stop >= film_frames else [])]:
        if begin is not None and key.number - key.leading <= stop:
            last = key
            if key is end or _marked(begin, key, grid):
                runs.append(FrameRange(begin.number, key.number - key.leading))
                begin = last = None
        if begin is None and key.begin != "never" and key.number < stop and key is not end:
            begin = key
    if begin is not None and last is not None:
        runs.append(FrameRange(begin.number, last.number - last.leading))
    least = LEAST_SECONDS * clip.rate
    return tuple(FrameRange(run.start - first, run.stop - first) for run in runs if len(run) >= least)


def _marked(begin: KeyFrame, key: KeyFrame, grid: int) -> bool:
    """Whether a run is to end at a key frame: a mark of the source lies between."""
    plain = key.begin == "closed" and not key.leading
    apart = grid if plain else grid * OPEN_TIMES
    return begin.number // apart != key.number // apart
