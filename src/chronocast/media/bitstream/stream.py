"""What is known of a long-GOP stream before any of it is cut."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple, Protocol

Begin = Literal["closed", "open", "never"]
"""Whether a decoder can begin at a key frame: as it is; where its leading pictures are dropped and headers changed; not by what is known here."""


class StreamSets(NamedTuple):
    """A stream's parameter sets.

    Parameters
    ----------
    content
        Their bytes.
    numbers
        What they are called by.
    level
        The highest, as the stream codes it.
    able
        Whether they can be called by other numbers.
    trouble
        Why streams with such sets aren't cut; "" where they can be.
    """

    content: bytes
    numbers: frozenset[int]
    level: int
    trouble: str = ""
    able: bool = False


def last_changed(before: Sequence[bytes], after: Sequence[bytes]) -> int:
    """So many packets, after which all are as they were."""
    pairs = enumerate(zip(before, after, strict=True), 1)
    return max((place for place, (one, other) in pairs if one != other), default=0)


class LongGopStream(Protocol):
    """A stream whose packets can be cut at key frames."""

    @property
    def sets(self) -> StreamSets:
        """Its parameter sets."""

    @property
    def extradata(self) -> bytes:
        """What a piece of its packets says of itself."""

    def begins(self, data: bytes) -> Begin:
        """Whether a decoder can begin at a key packet."""

    def plain(self, data: bytes) -> bytes:
        """A packet as pieces keep it."""

    def muxed(self, data: bytes) -> bytes:
        """A packet as a muxer takes it beside ``extradata``."""

    def begun(self, packets: Sequence[bytes], dropped: int) -> list[bytes]:
        """Packets as they must be where nothing comes before."""

    def settled(self, before: Sequence[bytes], after: Sequence[bytes], dropped: Sequence[bytes]) -> int:
        """So many packets of a run that was begun anew: what follows is decoded as before where these are.

        Parameters
        ----------
        before, after
            The run's packets.
        dropped
            Pictures that were left out: decoded after the first, and shown before it.
        """
