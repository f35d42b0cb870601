"""What is damaged in a film: decode all of it, and keep what the decoder says, with where."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import av

from chronocast.media.errors import MediaError
from chronocast.media.source.decode import FrameReader
from chronocast.media.source.index import FrameIndex
from chronocast.model.source.facts import Damage

NEAR = 3
"""Pictures between two damaged ones that may look whole and still belong to the same stretch."""


def look_through(path: str, index: FrameIndex) -> tuple[Damage, ...]:
    """Decode every picture of a film; the stretches that are damaged.

    Parameters
    ----------
    path
        The film.
    index
        Where its pictures are.
    """
    complaints: dict[int, str] = dict.fromkeys(index.corrupt, "its packet is marked as damaged")
    with FrameReader(path, index, listen=True) as reader:
        for number in range(len(index)):
            try:
                reader.frame(number)
            except (MediaError, av.error.FFmpegError) as error:
                complaints.setdefault(number, getattr(error, "sentence", str(error)))
                break
        complaints.update(reader.complaints)
    return stretches({n: told for n, told in complaints.items() if n < len(index)})


def stretches(complaints: Mapping[int, str]) -> tuple[Damage, ...]:
    """Complaints by picture number, put together where they lie near each other."""
    found: list[Damage] = []
    for number in sorted(complaints):
        last = found[-1] if found else None
        if last is not None and number - last.last <= NEAR + 1:
            found[-1] = Damage(last.first, number, last.pictures + 1, last.sentence)
        else:
            found.append(Damage(number, number, 1, complaints[number]))
    return tuple(found)


def within(damage: Iterable[Damage], first: int, last: int) -> tuple[Damage, ...]:
    """The parts of damaged stretches that lie in pictures ``first`` to ``last``.

    Parameters
    ----------
    damage
        The stretches.
    first
        The first picture's number.
    last
        The last picture's number.
    """
    return tuple(
        Damage(max(item.first, first), min(item.last, last), item.pictures, item.sentence)
        for item in damage
        if item.first <= last and item.last >= first
    )
