"""What is proved about a finished file."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True)
class Check:
    """One thing proved, or disproved: what was expected, what was found, and how it was looked at."""

    name: str
    ok: bool
    expected: str
    found: str
    proof: str

    def as_json(self) -> dict[str, Any]:
        return asdict(self)


@dataclass(frozen=True)
class Expected:
    """What a finished file must be.  ``sound_samples`` is None for a file that has no sound on purpose,
    ``colour`` for one whose tags are left to what they are."""

    frames: int
    width: int
    height: int
    rate: str
    video_codec: str
    container: str
    sound_codec: str | None
    sound_samples: int | None
    sample_rate: int
    channels: int
    sound_is_silent: bool = False
    colour: tuple[int, int, int, int] | None = None
    sound_tracks: int = 1
