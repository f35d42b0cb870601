"""H.264 by x264."""

from __future__ import annotations

from functools import cache

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


@cache
def _has_avx512() -> bool:
    try:
        with open("/proc/cpuinfo") as file:
            return any(line.startswith("flags") and " avx512f" in line for line in file)
    except OSError:
        return False


def steady(params: str) -> str:
    """x264's own options with what makes the bits the same each time, on every machine; it is no part of a piece's name.

    x264's macroblock tree reads by memory alignment in its AVX-512 code: the
    same pictures gave different files from run to run.  Up to AVX2 all its
    code gives the same bits.

    Parameters
    ----------
    params
        ``x264-params`` as they are asked for; "" for none.
    """
    return ":".join(filter(None, (params, "asm=avx2" if _has_avx512() else "")))


ENCODERS = (
    Encoder(
        "libx264",
        told,
        {"fast": 0.62, "medium": 1.0, "slow": 1.9},
        library="libx264",
        light=("x264-params", "mastering-display", "cll"),
    ),
)
