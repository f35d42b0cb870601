"""MPEG-2 by avcodec."""

from __future__ import annotations

from chronocast.media.encoders.encoder import UNBOUND, Asked, Encoder, Told, buffered, steps
from chronocast.model.recipe.contradictions import usual_profile

LEVELS = {"low": "10", "main": "8", "high1440": "6", "high": "4"}
LEVELS_OF_422 = {"main": "5", "high": "2"}
"""Levels as the stream codes them (Rec. ITU-T H.262, tables 8-3 and 8-4)."""


def told(asked: Asked) -> Told:
    """Say it to avcodec's MPEG-2 encoder."""
    picture, flags = asked.picture, ["+cgop"]
    options = {"bf": "2", "sc_threshold": "1000000000", **buffered(picture)}
    if picture.peak:
        options["rc_init_occupancy"] = str(round((picture.buffer or 0) * asked.fullness))
    if picture.scan != "progressive":
        flags.append("+ildct+ilme")
        options["alternate_scan"] = "1"
    wide = usual_profile(picture) == "4:2:2" or picture.profile == "4:2:2"
    options["profile"] = "0" if wide else "4"
    if picture.level:
        options["level"] = (LEVELS_OF_422 if wide else LEVELS).get(picture.level, "4")
    bits = picture.rate_control.target_bits_per_second
    if not picture.steering.rated:
        options |= steps(picture)
        bits = UNBOUND
    if picture.steering.even:
        options["minrate"] = str(bits)
    options["flags"] = "".join(flags)
    return Told(options, bits)


ENCODERS = (Encoder("mpeg2video", told, 0.14),)
