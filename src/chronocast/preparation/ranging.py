"""The ranges of a batch's sources, looked at and changed without a desktop."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from chronocast.journal.films.facts import FactsStore
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.extent import Extent
from chronocast.model.batch.ranges import checked
from chronocast.model.errors import ModelError
from chronocast.model.source.range_ends import End, EndsSeen
from chronocast.model.source.source_clock import SourceClock
from chronocast.model.time.timing import FrameRange
from chronocast.preparation.source.ready import ready_source
from chronocast.preparation.source.source_ready import SourceReady


@dataclass(frozen=True)
class RangeTold:
    """One range in numbers and words; ``first`` and ``last`` say what is wrong at its ends, where that was looked at."""

    source: str
    part: str
    name: str
    extent: Extent
    start: int
    stop: int
    first_timecode: str
    last_timecode: str
    outputs: tuple[str, ...]
    first: End | None = None
    last: End | None = None

    @property
    def notes(self) -> list[str]:
        """What is wrong at its ends, in sentences."""
        beyond = self.stop - self.extent.whole
        found = [f"It ends {beyond} frames beyond the source."] if beyond > 0 else []
        return found + [end.told(last) for end, last in ((self.first, False), (self.last, True)) if end]


def ready(batch: Batch, path: Path, store: FactsStore, source: str) -> SourceReady:
    """A source of a batch, looked at.

    Parameters
    ----------
    batch
        The batch.
    path
        The batch's file.
    store
        What is known of media.
    source
        A source's id.

    Raises
    ------
    ChronocastError
        There is no such source, or it can't be used.
    """
    owner = batch.source(source)
    if owner is None:
        names = ", ".join(item.id for item in batch.sources)
        raise ModelError(f"There is no source “{source}” in this batch.", f"There are: {names}.")
    return ready_source(owner, path.absolute().parent, store, batch.search)


def told(batch: Batch, source: SourceReady, look: bool) -> list[RangeTold]:
    """Every range of a source, the whole first; with ``look`` the pictures at their ends are decoded.

    Parameters
    ----------
    batch
        The batch.
    source
        The source, looked at.
    look
        Whether the pictures at their ends are decoded.

    Raises
    ------
    MediaError
        They can't be.
    """
    cut, clock = source.cut, SourceClock.of(source.cut)
    owner = batch.source(source.source.id) or source.source
    parts = [(FULL, "The whole", FULL, 0, cut.frames)]
    parts += [(part.id, part.name, part.kind, part.start, part.stop) for part in owner.ranges]
    found = []
    for identifier, name, kind, start, stop in parts:
        ends: tuple[End | None, End | None] = (None, None)
        if look and stop <= cut.frames:
            ends = look_at(source, FrameRange(start, stop))
        made = tuple(o.id for o in batch.outputs if (o.source, o.range) == (owner.id, identifier))
        found.append(
            RangeTold(
                owner.id,
                identifier,
                name,
                Extent(kind, max(0, min(stop, cut.frames) - start), cut.frames, cut.rate),
                start,
                stop,
                clock.timecode(start),
                clock.timecode(stop - 1),
                made,
                *ends,
            )
        )
    return found


def look_at(source: SourceReady, part: FrameRange) -> EndsSeen:
    """What is wrong at the ends of a range.

    Raises
    ------
    MediaError
        Its pictures can't be decoded.
    """
    from chronocast.media.viewing.end_pictures import look_at_ends
    from chronocast.media.viewing.stills import LookingReaders, Stills

    with LookingReaders(2, 2, hurry=True) as readers:
        return look_at_ends(Stills(source.cut, readers), part)


def typed_range(source: SourceReady, first: str, last: str, now: FrameRange | None = None) -> FrameRange:
    """A range from typed ends, ``last`` exclusive; an empty one keeps what is ``now``.

    Parameters
    ----------
    source
        The source, looked at.
    first
        The time of its first picture, as typed.
    last
        The time after its last one, as typed.
    now
        The range's ends as they are.

    Raises
    ------
    ModelError
        No times, or no range of the source.
    """
    clock = SourceClock.of(source.cut)
    start = clock.typed(first, now.start if now else 0) if first else (now.start if now else 0)
    stop = (
        clock.typed(last, start if first or now is None else now.stop)
        if last
        else (now.stop if now else clock.frames)
    )
    return checked(start, stop, clock.frames, source.source.name)
