"""HEVC by x265."""

from __future__ import annotations

from chronocast.media.encoders.encoder import Asked, Encoder, Told, rated_or_crf
from chronocast.model.recipe.contradictions import usual_profile


def told(asked: Asked) -> Told:
    """Say it to x265."""
    picture, found = asked.picture, rated_or_crf(asked)
    params = [
        "open-gop=0",
        "log-level=none",
        "info=0",
        f"pools={asked.threads}",
        # at a rate the next picture is begun before the last one's size is known, so the rate is met less well
        f"frame-threads={1 if picture.steering.rated else min(asked.threads, 2)}",
    ]
    if picture.peak:
        params.append(f"vbv-init={asked.fullness:g}")
    if picture.level:
        params.append(f"level-idc={picture.level}")
    options = found.options | {
        "preset": picture.effort,
        "profile": picture.profile or str(usual_profile(picture)),
        "x265-params": ":".join(params),
    }
    return Told(options, found.bits_per_second)


ENCODERS = (
    Encoder(
        "libx265",
        told,
        {"fast": 1.8, "medium": 2.0, "slow": 5.5},
        library="libx265",
        light=("x265-params", "master-display", "max-cll"),
        threads=2,
    ),
)
