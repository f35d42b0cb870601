"""*How many bits?*: rate control, peaks, effort, profile and level."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from chronocast.model.recipe.contradictions import (
    profile_reasons,
    unavailable,
    usual_profile,
)
from chronocast.model.recipe.formats.levels import broken, levels
from chronocast.model.recipe.formats.rate_controls import RATE_CONTROLS
from chronocast.model.recipe.recipe import frame_size
from chronocast.model.show import rate_bits_text
from chronocast.model.time.timing import parse_rate
from chronocast.ui.places.recipe.settings import (
    BITS,
    BUFFER,
    MODE,
    PEAK,
    QUALITY,
    Group,
    Setting,
    SettingMaker,
)


def bits_group(make: SettingMaker) -> Group:
    """How many bits the picture gets, and what players must be able to do."""
    picture = make.first.picture
    assert picture is not None
    codec, found = picture.kind, []
    closed = unavailable(picture)
    found.append(
        make.choices(
            "mode",
            "Rate control",
            RATE_CONTROLS[picture.rate_control.mode].use if codec.modes else next(iter(closed.values()), ""),
            options=[(mode, {MODE: mode}) for mode in RATE_CONTROLS],
            why=closed,
        )
    )
    if picture.steering is RATE_CONTROLS["quality"]:
        best, worst, usual = codec.quality or (0, 51, 20)
        found.append(
            make.line(
                QUALITY,
                "Quality",
                f"{best:g} is best, {worst:g} worst, {usual:g} usual; six steps lower is about twice the size.",
                "number",
                lambda v: f"{v:g}",
            )
        )
    elif codec.modes:
        found.append(
            make.line(
                BITS,
                "Rate",
                "The picture's average. Type it as 3 Mb/s, 3.5M or 700k.",
                "bits",
                rate_bits_text,
            )
        )
    if codec.modes and picture.control in codec.peaks and not picture.steering.even:
        found.append(
            make.line(
                PEAK,
                "Peak",
                "No moment takes more than this; empty is twice the rate, and none with quality.",
                "bits",
                rate_bits_text,
            )
        )
    if picture.peak:
        found.append(
            make.line(
                BUFFER,
                "Buffer",
                "What the receiver stores while a peak lasts, in bits; empty is one second of the peak.",
                "bits",
                lambda v: f"{v / 1e6:.4g} Mbit",
            )
        )
    if codec.kind == "long" and codec.efforts:
        found.append(
            make.choices(
                "effort",
                "Effort",
                "More effort looks better at the same rate, and takes longer.",
                options=[(effort, {"picture.effort": effort}) for effort in ("fast", "medium", "slow")],
            )
        )
    if codec.kind == "long":
        found.append(
            make.line(
                "picture.key_frame_seconds",
                "Key frame every",
                "Seconds. Shorter is quicker to jump in and larger; two are usual, one for loops.",
                "seconds",
                lambda v: f"{v:g} s",
            )
        )
    if codec.profiles:
        usual_one = usual_profile(picture)
        found.append(
            make.choices(
                "profile",
                "Profile",
                "What a player must be able to do.",
                options=[
                    (f"as needed ({usual_one})", {"picture.profile": None}),
                    *((name, {"picture.profile": name}) for name in codec.profiles),
                ],
                why=profile_reasons(picture),
                weighed=False,
            )
        )
    if table := levels(codec.id, picture.profile or usual_profile(picture)):
        found.append(_levels(make, table))
    return Group("How many bits?", tuple(found))


def _levels(make: SettingMaker, table: Sequence[Any]) -> Setting:
    picture, seen = make.first.picture, make.seen
    assert picture is not None
    width, height = frame_size(picture.size, seen.width, seen.height, multiple=picture.kind.multiple)
    rate = parse_rate(picture.rate) if picture.rate else seen.rate
    why = {}
    for level in table:
        if clause := broken(
            picture.codec,
            level,
            width=width,
            height=height,
            rate=rate,
            bits=picture.peak or 0,
            buffer=picture.buffer or 0,
            interlaced=picture.scan != "progressive",
        ):
            why[level.name] = clause
    return make.choices(
        "level",
        "Level",
        "How much a player must keep up with; grey ones are too low for this size, rate and peak.",
        options=[
            ("as needed", {"picture.level": None}),
            *((level.name, {"picture.level": level.name}) for level in table),
        ],
        why=why,
        weighed=False,
    )
