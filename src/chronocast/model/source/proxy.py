"""Proxies: small, quick copies of films for looking at, picture for picture the same."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from chronocast.model.source.facts import ClipFacts

SIDE = 1024
"""No side of a proxy is longer, in pixels."""
LARGE = 1920 * 1080 * 1.2
"""Pixels of a picture that takes long to decode whatever its codec."""
HARD = 1920 * 1080 * 0.9
"""Pixels of a picture that takes long where many have to be decoded for one."""
FAR_FRAMES = 12
"""Key frames that lie further apart are far."""


@dataclass(frozen=True)
class Proxy:
    """A finished proxy: its file, of which film it is, and how that is shown.

    ``aspect`` is the width of the film's upright picture against its height, its pixels' shape included.
    """

    path: str
    source: str
    fingerprint: str
    frames: int
    aspect: Fraction
    bytes: int = 0


def slow_to_look_at(facts: ClipFacts) -> str:
    """Why single pictures of a film take long to be shown, in a few words; "" where they come at once."""
    pixels = facts.width * facts.height
    if not facts.frames or pixels < HARD:
        return ""
    if pixels > LARGE:
        return f"{facts.width}×{facts.height} takes long to decode"
    groups = facts.groups
    apart = facts.frames / max(1, len(groups.keys)) if groups and groups.keys else 0
    if groups and (groups.trouble or apart > FAR_FRAMES):
        return (
            "many pictures have to be decoded for one"
            if groups.trouble
            else f"its key frames lie {apart:.0f} pictures apart"
        )
    return ""


def no_proxy(facts: ClipFacts) -> str:
    """Why a film can have no proxy, in a few words; "" where it can."""
    if facts.variable_timing:
        return "its pictures come at uneven times"
    if not facts.frames:
        return "it has no picture"
    return ""


def shown_aspect(facts: ClipFacts) -> Fraction:
    """Width of a film's upright picture against its height."""
    aspect = Fraction(facts.width, facts.height) * facts.pixel_aspect
    return 1 / aspect if facts.turned in (90, 270) else aspect
