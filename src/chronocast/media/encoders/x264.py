"""H.264 by x264."""

from __future__ import annotations

from chronocast.media.encoders.encoder import Asked, Encoder, Told, rated_or_crf
from chronocast.model.recipe.contradictions import usual_profile


def told(asked: Asked) -> Told:
    """Say it to x264."""
    picture, found = asked.picture, rated_or_crf(asked)
    # stitchable: the parameter sets don't follow from the quality, so that pieces of several share them
    params = ["open-gop=0", "stitchable=1"]
    if picture.steering.even:
        params.append("nal-hrd=cbr")
    if asked.set_number is not None:
        params.append(f"sps-id={asked.set_number}")
    if picture.peak:
        params.append(f"vbv-init={asked.fullness:g}")
    if picture.scan != "progressive":
        params.append("tff=1" if picture.scan == "top first" else "bff=1")
    options = found.options | {
        "preset": picture.effort,
        "profile": picture.profile or str(usual_profile(picture)),
        "x264-params": ":".join(params),
    }
    if picture.level:
        options["level"] = picture.level
    return Told(options, found.bits_per_second)


ENCODERS = (
    Encoder(
        "libx264",
        told,
        {"fast": 0.62, "medium": 1.0, "slow": 1.9},
        library="libx264",
        light=("x264-params", "mastering-display", "cll"),
    ),
)
