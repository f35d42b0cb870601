"""A sequence as its file describes it, before its media has been looked at.  Plain data, kept as JSON."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

from chronocast.model.frozen import FrozenModel
from chronocast.model.picture.terms import Placing
from chronocast.model.time.timing import Rate


class Note(FrozenModel):
    """Something in the file that is rendered otherwise than it says: where, what, and what is done instead."""

    where: str
    sentence: str


class Placed(FrozenModel):
    """An item of a track: where it lies on it, and what it shows.  Times are exact seconds.

    ``source_start`` is where it begins in its media's own clock, and
    ``media_zero`` that clock at the media's first picture as the file
    believes it; the difference is where it begins in the media.  Backwards
    (``speed`` below 0), the same stretch of media is played from its end.
    """

    start: Fraction
    seconds: Fraction
    kind: Literal["gap", "media", "fill", "nest"] = "gap"
    name: str = ""
    media: str = ""
    reel: str = ""
    source_start: Fraction = Fraction(0)
    media_zero: Fraction | None = None
    media_seconds: Fraction | None = None
    speed: Fraction = Fraction(1)
    opacity: Fraction = Fraction(1)
    placing: Placing = "fit"
    fill: str = "black"
    inner: tuple[Track, ...] = ()


class Cross(FrozenModel):
    """A dissolve over the cut at ``at``: from ``before`` seconds before it to ``after`` seconds after it."""

    at: Fraction
    before: Fraction
    after: Fraction


class Track(FrozenModel):
    """A track of a stack: what lies on it, in order."""

    kind: Literal["picture", "sound"]
    name: str = ""
    placed: tuple[Placed, ...] = ()
    crosses: tuple[Cross, ...] = ()


class Marker(FrozenModel):
    """A named place of the sequence, in seconds."""

    at: Fraction
    seconds: Fraction
    name: str
    comment: str = ""


Placed.model_rebuild()


class Timeline(FrozenModel):
    """One sequence as its file describes it; tracks bottom first."""

    path: str
    name: str
    rate: Rate
    size: tuple[int, int] | None = None
    tracks: tuple[Track, ...] = ()
    start_timecode: int = 0
    drop_frame: bool = False
    markers: tuple[Marker, ...] = ()
    marked: tuple[Fraction, Fraction] | None = None
    notes: tuple[Note, ...] = ()
    by_timecode: bool = False
    """Whether its media is named by reels and timecode rather than by files."""

    def items(self) -> tuple[Placed, ...]:
        """Every item that shows media, nested ones too."""
        found: list[Placed] = []

        def walk(tracks: tuple[Track, ...]) -> None:
            for track in tracks:
                for placed in track.placed:
                    if placed.kind == "media":
                        found.append(placed)
                    elif placed.kind == "nest":
                        walk(placed.inner)

        walk(self.tracks)
        return tuple(found)

    @property
    def media(self) -> tuple[str, ...]:
        """Every media file it needs, once each."""
        return tuple(dict.fromkeys(placed.media for placed in self.items() if placed.media))


def trimmed(
    placed: tuple[Placed, ...], crosses: tuple[Cross, ...], start: Fraction, length: Fraction
) -> tuple[tuple[Placed, ...], tuple[Cross, ...]]:
    """What lies in a stretch of a track, moved to begin at 0.

    Parameters
    ----------
    placed
        What lies on the track, in order.
    crosses
        Its dissolves.
    start, length
        Of the stretch, in seconds.
    """
    stop = start + length
    found = []
    for item in placed:
        first, last = max(item.start, start), min(item.start + item.seconds, stop)
        if first >= last:
            continue
        inside = first - item.start if item.speed >= 0 else item.start + item.seconds - last
        found.append(
            item.model_copy(
                update={
                    "start": first - start,
                    "seconds": last - first,
                    "source_start": item.source_start + inside * abs(item.speed),
                }
            )
        )
    kept = tuple(
        cross.model_copy(update={"at": cross.at - start}) for cross in crosses if start < cross.at < stop
    )
    return tuple(found), kept
