"""What hardware encoders can't do of what a recipe asks for: one table of rules, each with its reason and its way out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from chronocast.model.device import TriedEncoder
from chronocast.model.recipe.formats.codec import Sampling
from chronocast.model.recipe.recipe import PictureRecipe

LEAST = (160, 128)
"""Smaller frames are refused by most drivers."""
DEPTHS = {
    "yuv420p": 8,
    "nv12": 8,
    "yuv420p10le": 10,
    "p010le": 10,
}
"""Bits a sample of the pixel formats that devices take."""


class Wanted(NamedTuple):
    """What is to be encoded: what is asked of it, its size in pixels, how it is written."""

    picture: PictureRecipe
    size: tuple[int, int]
    sampling: Sampling


class RouteRefusal(NamedTuple):
    """Why a route is out: which encoder, the rule, the reason in a sentence without its end, and what would free it.

    ``resting``: its device is here, and is left alone for a while.
    """

    encoder: str
    rule: str
    sentence: str
    cure: str
    resting: bool = False


class RouteRule(NamedTuple):
    """One thing that devices may not do: its name, the reason where it applies ("" where not), the way out."""

    name: str
    reason: Callable[[Wanted, TriedEncoder], str]
    cure: str


def _there(_: Wanted, tried: TriedEncoder) -> str:
    return tried.why_not


def _passes(wanted: Wanted, _: TriedEncoder) -> str:
    if wanted.picture.steering.searched:
        return "a device encodes in one pass, and one common quality is found in several"
    return ""


def _depth(wanted: Wanted, tried: TriedEncoder) -> str:
    if device_format(wanted.sampling, tried):
        return ""
    most = max((DEPTHS.get(name, 8) for name in tried.formats), default=8)
    return f"it took {wanted.sampling.depth} bits a sample in no trial; {most} is the most it did"


def _chroma(wanted: Wanted, _: TriedEncoder) -> str:
    return (
        ""
        if wanted.sampling.chroma == "4:2:0"
        else f"it writes 4:2:0, and {wanted.sampling.chroma} is asked for"
    )


def _alpha(wanted: Wanted, _: TriedEncoder) -> str:
    return "it writes no alpha" if wanted.sampling.alpha else ""


def _profile(wanted: Wanted, _: TriedEncoder) -> str:
    profile = wanted.picture.profile
    usual = wanted.picture.kind.profile(wanted.sampling)
    return "" if profile in (None, usual) else f"it chooses its profile itself, and {profile} is asked for"


def _level(wanted: Wanted, _: TriedEncoder) -> str:
    return "it chooses its level itself, and one is asked for" if wanted.picture.level else ""


def _large(wanted: Wanted, tried: TriedEncoder) -> str:
    width, height = tried.largest
    if wanted.size[0] <= width and wanted.size[1] <= height:
        return ""
    return f"the largest frame that it took is {width}×{height}"


def _small(wanted: Wanted, _: TriedEncoder) -> str:
    if wanted.size[0] >= LEAST[0] and wanted.size[1] >= LEAST[1]:
        return ""
    return f"frames smaller than {LEAST[0]}×{LEAST[1]} aren't for devices"


def _fields(wanted: Wanted, _: TriedEncoder) -> str:
    return "it writes whole pictures only" if wanted.picture.scan not in ("progressive", "source") else ""


def _peak(wanted: Wanted, _: TriedEncoder) -> str:
    picture = wanted.picture
    explicit = picture.rate_control.peak_bits_per_second or picture.steering.even
    return "a peak is kept to the bit by software alone" if explicit else ""


def _copies(wanted: Wanted, _: TriedEncoder) -> str:
    if wanted.picture.copies == "alike":
        return "what is encoded beside copied groups must be told its sets' numbers, and no device is"
    return ""


RULES = (
    RouteRule("device", _there, "Choose software, or see House for what is here."),
    RouteRule("passes", _passes, "Choose a variable rate or a quality, or software."),
    RouteRule("depth", _depth, "Choose 8 bits, or software."),
    RouteRule("colour", _chroma, "Choose 4:2:0, or software."),
    RouteRule("alpha", _alpha, "Drop it, or choose software."),
    RouteRule("profile", _profile, "Leave the profile out, or choose software."),
    RouteRule("level", _level, "Leave the level out, or choose software."),
    RouteRule("large frame", _large, "Make the frame smaller, or choose software."),
    RouteRule("small frame", _small, "Choose software; it is quick with small frames."),
    RouteRule("fields", _fields, "Choose progressive, or software."),
    RouteRule("peak", _peak, "Take the peak out, or choose software."),
    RouteRule("copies", _copies, "Choose software, or copy nothing."),
)


def device_format(sampling: Sampling, tried: TriedEncoder) -> str:
    """The pixel format that a device takes for a sampling; "" where it took none of that depth."""
    return next((name for name in tried.formats if DEPTHS.get(name) == sampling.depth), "")


def refusals(wanted: Wanted, tried: TriedEncoder) -> tuple[RouteRefusal, ...]:
    """Every rule that excludes one hardware encoder; where it isn't there at all, that alone."""
    found = []
    for rule in RULES:
        if reason := rule.reason(wanted, tried):
            found.append(
                RouteRefusal(tried.encoder, rule.name, f"{tried.family}: {reason}", rule.cure, tried.resting)
            )
            if rule.name == "device":
                break
    return tuple(found)


class Route(NamedTuple):
    """Whether a device can encode something: by which encoder, None for by none, and why the others are out."""

    encoder: TriedEncoder | None
    refused: tuple[RouteRefusal, ...]

    @property
    def nearest(self) -> RouteRefusal | None:
        """The refusal that is easiest to lift: of a device that is there, before those of devices that aren't."""
        there = [refusal for refusal in self.refused if refusal.rule != "device" or refusal.resting]
        return next(iter((*there, *self.refused)), None)


def hardware_route(wanted: Wanted, devices: Sequence[TriedEncoder]) -> Route:
    """Which hardware encoder takes what is wanted: the one that is asked for, else the quickest.

    Parameters
    ----------
    wanted
        What is to be encoded.
    devices
        Hardware encoders as they were tried.
    """
    names = wanted.picture.kind.hardware
    asked = wanted.picture.encoder if wanted.picture.encoder in names else None
    able, refused = [], list[RouteRefusal]()
    for tried in devices:
        if tried.encoder in names and asked in (None, tried.encoder):
            found = refusals(wanted, tried)
            refused += found
            if not found:
                able.append(tried)
    best = min(able, key=lambda tried: (tried.stand_in, tried.seconds_a_megapixel), default=None)
    return Route(best, tuple(refused))
